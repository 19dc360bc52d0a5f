// SEMANTICS 8 to 11: delimited text.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <random>

#include "io/delimited_source.hpp"
#include "lofty/error.hpp"
#include "lofty/table_files.hpp"
#include "support/plain_delimited.hpp"
#include "support/process.hpp"
#include "support/vectors.hpp"

using namespace lofty;
using Texts = std::vector<std::string>;

namespace {

Table read(const std::string& text, const ReadOptions& options = {}, int threads = 0) {
  const support::Scratch scratch;
  const auto source = open_delimited(scratch.file("t.csv", text), options);
  std::vector<std::size_t> all(source->headings().size());
  for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
  return source->read(all, {.threads = threads});
}

Texts column(const Table& table, std::size_t c) {
  Texts out;
  for (std::size_t r = 0; r < table.rows(); ++r)
    out.push_back(is_null(table.value(r, c)) ? "null" : to_text(table.value(r, c)));
  return out;
}

Problem failure(const std::string& text, const ReadOptions& options = {}) {
  try {
    read(text, options);
  } catch (const Error& error) {
    return error.problems().front();
  }
  return {};
}

}  // namespace

TEST(Delimited, UnquotedBlankIsNullQuotedIsEmptyText) {
  const Table t = read("a,b\nx,1\n,2\n\"\",3\n\" \",4\n");
  EXPECT_EQ(column(t, 0), (Texts{"x", "null", "", " "}));
  EXPECT_EQ(t.type(1).kind, Kind::integer);
}

TEST(Delimited, BlanksAroundFieldsAreKept) { EXPECT_EQ(column(read("a,b\n x ,1\ny ,2\n"), 0), (Texts{" x ", "y "})); }

TEST(Delimited, TellsTheDelimiterFromTheHeadingLine) {
  EXPECT_EQ(read("a;b\n1,5;2\n").headings(), (Texts{"a", "b"}));
  EXPECT_EQ(read("a\tb\n1\t2\n").headings(), (Texts{"a", "b"}));
  EXPECT_EQ(read("a|b\n1|2\n").headings(), (Texts{"a", "b"}));
  EXPECT_EQ(read("\"a;x\",b\n1,2\n").headings(), (Texts{"a;x", "b"}));
  EXPECT_EQ(read("a;b,c\n1\n", {.delimiter = '^'}).headings(), (Texts{"a;b,c"}));
}

TEST(Delimited, SaysWhichDelimiterItTold) {
  const support::Scratch scratch;
  EXPECT_EQ(open_delimited(scratch.file("a.csv", "a;b,c;d\n"))->form(), "semicolons between fields");
  EXPECT_EQ(open_delimited(scratch.file("b.csv", "a\n"))->form(), "commas between fields");
}

TEST(Delimited, MarksLineEndsAndQuotes) {
  EXPECT_EQ(column(read("\xEF\xBB\xBF"
                        "a,b\r\n\"x \"\"y\"\"\r\nz\",1\r\n\r\nw,2"),
                   0),
            (Texts{"x \"y\"\r\nz", "w"}));
  EXPECT_EQ(read("a\n").rows(), 0u);
  EXPECT_EQ(read("a").rows(), 0u);
}

// Where nothing is quoted, numbers are read from the file's own bytes: line ends of every kind, and blanks, must not
// shift them.
TEST(Delimited, NumbersWithoutQuotesKeepTheirPlace) {
  const Texts a{"1", "22", "null", "4444", "5", "666666"}, b{"1.50", "20.25", "3.00", "null", "5.75", "0.05"};
  const auto text_with = [&](const std::vector<const char*>& ends) {
    std::string text = std::string("a,b") + ends[0];
    for (std::size_t i = 0; i < a.size(); ++i)
      text += (a[i] == "null" ? "" : a[i]) + "," + (b[i] == "null" ? "" : b[i]) + ends[(i + 1) % ends.size()];
    return text;
  };
  for (const std::vector<const char*>& ends : {std::vector<const char*>{"\n"},
                                               {"\r\n"},
                                               {"\r"},
                                               {"\n\n"},
                                               {"\n", "\r\n"},
                                               {"\r\n", "\n", "\n\r\n"},
                                               {"\n", "\r"}}) {
    std::string text = text_with(ends);
    for (const bool last_line_ends : {true, false}) {
      if (!last_line_ends) text.erase(text.find_last_not_of("\r\n") + 1);
      const Table t = read(text);
      EXPECT_EQ(column(t, 0), a);
      EXPECT_EQ(column(t, 1), b);
    }
  }
}

TEST(Delimited, DeclaredTypesNullsAndHeadings) {
  const Table t =
      read("no,price\n007,1\n8,-\n", {.columns = {{"no", Kind::integer}, {"price", Kind::floating}}, .nulls = {"-"}});
  EXPECT_EQ(t.type(0).kind, Kind::integer);
  EXPECT_EQ(column(t, 0), (Texts{"7", "8"}));
  EXPECT_EQ(t.type(1).kind, Kind::floating);
  EXPECT_EQ(column(t, 1), (Texts{"1", "null"}));
  const Table bare = read("1,x\n2,y\n", {.header = {"n", "t"}});
  EXPECT_EQ(bare.headings(), (Texts{"n", "t"}));
  EXPECT_EQ(column(bare, 0), (Texts{"1", "2"}));
  EXPECT_EQ(column(read("a,b\n1\n2,3\n", {.ragged_as_null = true}), 1), (Texts{"null", "3"}));
}

TEST(Delimited, MisfitsAreListedWithLineAndValue) {
  std::string text = "a\n";
  for (int i = 0; i < 200; ++i) text += i == 57 ? "\"lots\n of\"\n" : std::to_string(i) + "\n";
  text += "oops\n";
  const Table t = read(text);
  EXPECT_EQ(t.type(0).kind, Kind::integer);
  ASSERT_EQ(t.remarks().size(), 1u);
  EXPECT_EQ(t.remarks()[0].code, "misfits");
  EXPECT_EQ(t.remarks()[0].sentence,
            "2 values of `a` in t.csv are not an integer and count as null: line 59 `lots\n of`, line 203 `oops`");
}

TEST(Delimited, ProblemsSayWhatAndWhere) {
  const struct {
    const char* what;
    std::string text;
    Code code;
    std::string sentence;
    std::size_t line;
  } cases[] = {
      {"empty", "", Code::empty_file, "the file is empty: it has no heading line", 0},
      {"only blank lines", "\n\n", Code::empty_file, "the file is empty: it has no heading line", 0},
      {"short row", "a,b\n1,2\n3\n", Code::ragged_row, "this row has 1 field, the heading line has 2", 3},
      {"long row", "a,b\n1,2\n\n3,4,5\n", Code::ragged_row, "this row has 3 fields, the heading line has 2", 4},
      {"after a field of two lines", "a,b\n\"1\n\",2\n3\n", Code::ragged_row,
       "this row has 1 field, the heading line has 2", 4},
      {"unclosed", "a,b\n1,2\n\"3,4\n5,6\n", Code::unclosed_quote, "a quoted field begins in this row and never ends",
       3},
      {"stray quote", "a,b\n1,2\n3,x\"y\n", Code::unclosed_quote,
       "unexpected quote: it is inside a field that is not quoted, or text follows it", 3},
      {"doubled headings", "a,b,a\n1,2,3\n", Code::bad_heading, "columns 1 and 3 are both called `a`", 1},
      {"missing heading", "a,,c\n1,2,3\n", Code::bad_heading, "column 2 has no heading", 1},
      {"invalid UTF-8", "a,b\n1,2\n3,\xff\n", Code::bad_encoding, "byte 10 (0xFF) is not UTF-8", 3},
      {"cut-off character", "a,b\n1,\xc3\n3,4\n", Code::bad_encoding, "byte 6 (0xC3) is not UTF-8", 2},
      {"invalid UTF-8 in the heading", "a,\xfe\n", Code::bad_encoding, "byte 2 (0xFE) is not UTF-8", 1},
  };
  for (const auto& c : cases) {
    const Problem p = failure(c.text);
    EXPECT_EQ(p.code, c.code) << c.what;
    EXPECT_EQ(p.sentence, c.sentence) << c.what;
    EXPECT_EQ(p.location.line, c.line) << c.what;
    EXPECT_NE(p.location.file.find("t.csv"), std::string::npos) << c.what;
  }
  EXPECT_EQ(failure("a,b\n1,2\n", {.columns = {{"c", Kind::text}}}).code, Code::unknown_column);
}

// A file of several chunks, whose types only show late, with quoted line ends: the same for any number of threads,
// and the same as what was written.
TEST(Delimited, ChunksDoNotShow) {
  std::string text = "n,late,t,d\n";
  Texts n, late, t;
  std::uint64_t state = 7;
  for (int i = 0; i < 400'000; ++i) {
    state = state * 6364136223846793005ULL + 1442695040888963407ULL;
    n.push_back(std::to_string(state >> 40));
    late.push_back(i == 399'990 ? "0.125" : i % 100 == 3 ? "" : std::to_string(i % 1000));
    t.push_back(i % 5000 == 17 ? "two\nlines, \"quoted\"" : "v" + std::to_string(state >> 60));
    std::string field = t.back();
    if (field[0] == 't') field = "\"two\nlines, \"\"quoted\"\"\"";
    text += n.back() + "," + late.back() + "," + field + ",2025-03-" + (i % 28 < 9 ? "0" : "") +
            std::to_string(i % 28 + 1) + "\n";
  }
  ASSERT_GT(text.size(), 9u << 20);
  const Table one = read(text, {}, 1), many = read(text, {}, 4);
  for (const Table& table : {one, many}) {
    ASSERT_EQ(table.rows(), n.size());
    ASSERT_EQ(table.type(1).kind, Kind::decimal);
    ASSERT_EQ(table.type(1).scale, 3);
    ASSERT_EQ(table.type(3).kind, Kind::date);
    for (std::size_t r = 0; r < n.size(); ++r) {
      ASSERT_EQ(to_text(table.value(r, 0)), n[r]);
      ASSERT_EQ(to_text(table.value(r, 1)), late[r].empty() ? "" : late[r] == "0.125" ? late[r] : late[r] + ".000");
      ASSERT_EQ(to_text(table.value(r, 2)), t[r]);
    }
  }
}

// What is written as delimited text reads back.
RC_GTEST_PROP(DelimitedProperty, AnyTextsReadBack, ()) {
  const auto rows = *rc::gen::container<std::vector<std::pair<std::string, std::string>>>(
      rc::gen::pair(rc::gen::container<std::string>(rc::gen::element('a', '"', ',', '\n', '\r', ' ', ';', '1', '.')),
                    rc::gen::container<std::string>(rc::gen::element('b', '"', '\n', '-'))));
  std::string text = "first,second\n";
  const auto quote = [](const std::string& field) {
    std::string out = "\"";
    for (const char c : field) out += c == '"' ? "\"\"" : std::string(1, c);
    return out + "\"";
  };
  for (const auto& [a, b] : rows) text += quote(a) + "," + quote(b) + "\n";
  const Table t = read(text, {.columns = {{"first", Kind::text}, {"second", Kind::text}}});
  RC_ASSERT(t.rows() == rows.size());
  for (std::size_t r = 0; r < rows.size(); ++r) {
    RC_ASSERT(to_text(t.value(r, 0)) == rows[r].first);
    RC_ASSERT(to_text(t.value(r, 1)) == rows[r].second);
  }
}

namespace {

// Smaller chunks as long as it lives.
struct Chunks {
  explicit Chunks(std::size_t bytes) { engine::chunk_bytes = bytes; }
  Chunks(const Chunks&) = delete;
  Chunks& operator=(const Chunks&) = delete;
  ~Chunks() { engine::chunk_bytes = engine::usual_chunk_bytes; }
};

// The rows of a text, all as text; none where it is refused.
std::optional<std::vector<support::PlainRow>> rows_of(const std::string& text, ReadOptions options,
                                                      const Texts& headings) {
  for (const std::string& heading : headings) options.columns.push_back({heading, Kind::text});
  try {
    const Table table = read(text, options);
    std::vector<support::PlainRow> rows(table.rows(), support::PlainRow(headings.size()));
    for (std::size_t r = 0; r < table.rows(); ++r)
      for (std::size_t c = 0; c < headings.size(); ++c)
        if (const Value value = table.value(r, c); !is_null(value)) rows[r][c] = to_text(value);
    return rows;
  } catch (const Error&) {
    return std::nullopt;
  }
}

}  // namespace

// Any text at all: the same rows as libcsv over everything, for every kind of vectors, wherever chunks are cut.
RC_GTEST_PROP(DelimitedProperty, AnyTextIsReadAsLibcsvReadsIt, ()) {
  const Texts headings = *rc::gen::element(Texts{"a"}, Texts{"a", "b"}, Texts{"a", "b", "c", "d", "e"});

  // Records that are mostly right: quotes in some, line ends of every kind, empty lines, a sign too many now and then.
  const std::uint32_t seed = *rc::gen::arbitrary<std::uint32_t>();
  std::mt19937 random(seed);
  const auto one_of = [&](std::size_t n) { return random() % n; };
  const std::size_t records = one_of(40), quoted = one_of(3), odd_ends = one_of(3), faults = one_of(4);
  std::string body;
  for (std::size_t r = 0; r < records; ++r) {
    std::string record;
    for (std::size_t f = 0; f < headings.size(); ++f) {
      if (f > 0) record += ',';
      std::string text(one_of(6), 'x');
      for (char& c : text) c = "ab 1.-"[one_of(6)];
      if (quoted > 0 && one_of(2 * quoted) == 0) {
        if (one_of(3) == 0) text += one_of(2) == 0 ? "\n\"\"," : "\r\n";
        text = '"' + text + '"';
      }
      record += text;
    }
    if (faults == 0 && one_of(30) == 0) record.insert(one_of(record.size() + 1), 1, "\",\n\r"[one_of(4)]);
    const std::size_t end = odd_ends == 0 ? 0 : one_of(4 * odd_ends);
    body += record + (end == 1 ? "\r\n" : end == 2 ? "\n\n" : end == 3 ? "\r" : "\n");
  }
  if (!body.empty() && one_of(3) == 0) body.pop_back();

  const auto plain = support::plain_rows(body, ',', headings.size());
  std::string heading_line;
  for (const std::string& heading : headings) heading_line += (heading_line.empty() ? "" : ",") + heading;
  for (const std::size_t bytes : {std::size_t{1}, std::size_t{1 + one_of(200)}, engine::usual_chunk_bytes}) {
    const Chunks chunks(bytes);
    engine::with_all_vectors([&] { RC_ASSERT(rows_of(heading_line + "\n" + body, {}, headings) == plain); });
  }
}

// All fields in quotes, some of them empty, and a doubled quote now and then: whether short rows or words mean null.
RC_GTEST_PROP(DelimitedProperty, FieldsInQuotesAreReadAsLibcsvReadsThem, ()) {
  const Texts headings{"a", "b", "c"};
  std::mt19937 random(*rc::gen::arbitrary<std::uint32_t>());
  const auto one_of = [&](std::size_t n) { return random() % n; };
  const bool bare = one_of(2) == 0, short_rows = one_of(2) == 0, words = one_of(2) == 0;
  const std::size_t doubled = one_of(2) == 0 ? 1'000'000 : 1 + one_of(30), records = one_of(300);
  const std::string end = one_of(3) == 0 ? "\r\n" : "\n";
  std::string body;
  for (std::size_t r = 0; r < records; ++r) {
    const std::size_t fields = short_rows && one_of(10) == 0 ? 1 + one_of(3) : 3;
    for (std::size_t f = 0; f < fields; ++f) {
      std::string text(one_of(3) == 0 ? 0 : one_of(5), 'x');
      for (char& c : text) c = "ab,\n-"[one_of(5)];
      if (words && one_of(4) == 0) text = "n/a";
      if (one_of(doubled) == 0) text += "\"\"";
      const bool quotes = !bare || one_of(2) == 0 || text.find_first_of(",\n\"") != std::string::npos;
      if (!quotes && fields == 1 && text.empty()) text = "x";
      body += (f == 0 ? "" : ",") + (quotes ? '"' + text + '"' : text);
    }
    body += end;
  }

  auto plain = support::plain_rows(body, ',', headings.size(), short_rows);
  RC_ASSERT(plain.has_value());
  for (support::PlainRow& row : *plain)
    for (auto& value : row)
      if (words && value == "n/a") value.reset();
  ReadOptions options;
  options.ragged_as_null = short_rows;
  if (words) options.nulls = {"n/a"};
  for (const std::size_t bytes : {std::size_t{1 + one_of(200)}, engine::usual_chunk_bytes}) {
    const Chunks chunks(bytes);
    engine::with_all_vectors([&] { RC_ASSERT(rows_of("a,b,c\n" + body, options, headings) == plain); });
  }
}

// Chunks may end anywhere: in a field, between CR and LF, inside quotes.
TEST(Delimited, ChunksEndAtEveryOffset) {
  const std::string body = "1,\"a\nb\",x\r\n\r\n22,,\"\"\n333,\"q \"\"q\"\"\",zz\n4,plain,w\n5,\"\r\n\",v";
  const auto plain = support::plain_rows(body, ',', 3);
  ASSERT_TRUE(plain);
  for (std::size_t bytes = 1; bytes <= body.size() + 1; ++bytes) {
    const Chunks chunks(bytes);
    EXPECT_EQ(rows_of("a,b,c\n" + body, {}, {"a", "b", "c"}), plain) << bytes;
  }
}

// More fields than are converted at once, and a row without an end: the room grows with them.
TEST(Delimited, RowsMayBeAsWideAsTheyLike) {
  std::string text;
  for (std::size_t f = 0; f < 9000; ++f) text += (f == 0 ? "h" : ",h") + std::to_string(f);
  const std::string heading = text;
  text += '\n';
  for (std::size_t f = 0; f < 9000; ++f) text += (f == 0 ? "" : ",") + std::to_string(f);
  const Table table = read(text + "\n" + std::string(8999, ',') + "\n");
  ASSERT_EQ(table.rows(), 2u);
  EXPECT_EQ(to_text(table.value(0, 8999)), "8999");
  EXPECT_TRUE(is_null(table.value(1, 8999)));
  for (const std::size_t field : {std::size_t{0}, std::size_t{8999}}) {
    std::string row = std::string(8999, ',');
    row.insert(field, "\"a,b\"");
    const Table quoted = read(heading + "\n" + row + "\n" + row + "\n");
    ASSERT_EQ(quoted.rows(), 2u);
    EXPECT_EQ(to_text(quoted.value(1, field)), "a,b");
    EXPECT_TRUE(is_null(quoted.value(1, 4000)));
  }
  EXPECT_EQ(failure(heading + "\n" + std::string(20'000, ',') + "\n").code, Code::ragged_row);
  EXPECT_EQ(failure("a,b\n" + std::string(20'000, ',')).code, Code::ragged_row);
}

// columns.price = { written = "1.234,50 = 1234.50" }: the misfits keep their text.
TEST(Delimited, NumbersMayBeDeclaredInAnotherForm) {
  const support::Scratch scratch;
  scratch.file("prices.csv", "k;price\n1;1.234,50\n2;12,5\n3;1.5\n4;\n");
  ReadOptions options;
  options.columns.push_back({"price", std::nullopt, {"1.234,50 = 1234.50"}});
  const auto source = TableFiles(scratch.path()).open("prices.csv", options);
  const std::vector<std::size_t> both{0, 1};
  const Table table = source->read(both, {});
  EXPECT_EQ(to_text(table.value(0, 1)), "1234.50");
  EXPECT_EQ(to_text(table.value(1, 1)), "12.50");
  EXPECT_TRUE(is_null(table.value(2, 1)) && is_null(table.value(3, 1)));
  ASSERT_FALSE(table.remarks().empty());
  EXPECT_NE(table.remarks().front().sentence.find("1.5"), std::string::npos);
}
