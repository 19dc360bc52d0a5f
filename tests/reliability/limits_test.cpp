// Limits instead of exhaustion: docs/limits.md, each with the message that names it.
#include <gtest/gtest.h>
#include <zip.h>
#include <zlib.h>

#include <fstream>

#include "lofty/lofty.hpp"
#include "support/faults.hpp"

using namespace lofty;

namespace {

namespace fs = std::filesystem;

Problem problem_of(const fs::path& folder, const std::string& table) {
  try {
    const auto source = TableFiles(folder).open(table, {});
    source->read(std::vector<std::size_t>{0}, {});
  } catch (const Error& error) {
    return error.problems().front();
  }
  return {Code::stopped, "nothing is wrong", {}, {}, {}};
}

void put(const fs::path& file, const std::string& text) { std::ofstream(file, std::ios::binary) << text; }

// A workbook whose sheet holds `cells`, and further parts.
void put_workbook(const fs::path& file, const std::string& cells) {
  fs::remove(file);
  int error = 0;
  zip_t* const zip = zip_open(file.c_str(), ZIP_CREATE, &error);
  const auto add = [&](const char* name, const std::string& text) {
    char* const copy = static_cast<char*>(std::malloc(text.size()));  // NOLINT: the library frees it
    std::copy(text.begin(), text.end(), copy);
    zip_file_add(zip, name, zip_source_buffer(zip, copy, text.size(), 1), 0);
  };
  add("xl/workbook.xml",
      "<workbook xmlns:r=\"r\"><sheets><sheet name=\"S\" sheetId=\"1\" r:id=\"a\"/></sheets></workbook>");
  add("xl/_rels/workbook.xml.rels",
      "<Relationships><Relationship Id=\"a\" Type=\"x/worksheet\" Target=\"worksheets/s.xml\"/></Relationships>");
  add("xl/worksheets/s.xml", "<worksheet><sheetData>" + cells + "</sheetData></worksheet>");
  zip_close(zip);
}

}  // namespace

TEST(Limits, Headings) {
  const support::Scratch s;
  // Beyond 64 KiB, which an older reader cut: whole.
  std::string wide = "a";
  for (int i = 0; i < 9000; ++i) wide += ",column_number_" + std::to_string(i);
  std::string row = "1";
  for (int i = 0; i < 9000; ++i) row += ",2";
  put(s.path() / "wide.csv", wide + "\n" + row + "\n");
  const auto source = TableFiles(s.path()).open("wide.csv", {});
  ASSERT_EQ(source->headings().size(), 9001u);
  EXPECT_EQ(source->headings().back(), "column_number_8999");
  EXPECT_EQ(source->read(std::vector<std::size_t>{9000}, {}).rows(), 1u);
  put(s.path() / "blank.csv", std::string(300'000, '\n') + "a,b\n1,2\n");
  EXPECT_EQ(problem_of(s.path(), "blank.csv").code, Code::stopped);
  put(s.path() / "columns.csv", std::string(20'000, ',') + "\n");
  EXPECT_EQ(problem_of(s.path(), "columns.csv").sentence, "it has more than 16,384 columns");
  put(s.path() / "long.csv", "\"" + std::string(5 << 20, 'x') + "\n1\n");
  EXPECT_EQ(problem_of(s.path(), "long.csv").sentence, "the heading line is longer than 4 MiB");
}

TEST(Limits, ARowOfDelimitedText) {
  if (!support::faults_work()) GTEST_SKIP() << "300 MiB take minutes under sanitizers";
  const support::Scratch s;
  put(s.path() / "t.csv", "a,b\n1,\"");
  fs::resize_file(s.path() / "t.csv", 300 << 20);  // a quote that is never closed, and 300 MiB
  const Problem p = problem_of(s.path(), "t.csv");
  EXPECT_EQ(p.sentence, "a row is longer than 256 MiB");
  EXPECT_EQ(p.location.line, 2u);
}

TEST(Limits, JsonMembersAndNesting) {
  const support::Scratch s;
  put(s.path() / "t.jsonl", "{\"a\": \"");
  fs::resize_file(s.path() / "t.jsonl", 300 << 20);  // no line end in 300 MiB
  EXPECT_EQ(problem_of(s.path(), "t.jsonl").sentence, "a line is longer than 256 MiB");
  std::string members;
  for (int i = 0; i < 20'000; ++i) members += (i > 0 ? ",\"m" : "\"m") + std::to_string(i) + "\":1";
  put(s.path() / "t.jsonl", "{" + members + "}\n");
  EXPECT_EQ(problem_of(s.path(), "t.jsonl").sentence, "it has more than 16,384 columns");
  const auto nested = [&](std::size_t depth) {
    put(s.path() / "t.jsonl", "{\"a\": " + std::string(depth, '[') + std::string(depth, ']') + "}\n");
    return problem_of(s.path(), "t.jsonl");
  };
  EXPECT_EQ(nested(60).code, Code::stopped);
  EXPECT_EQ(nested(100).sentence, "values are nested more than 64 deep");
  EXPECT_EQ(nested(100'000).code, Code::beyond_limit);
}

TEST(Limits, FiguresAreSharedAndTheirDepthIsBounded) {
  const auto ask = [](int figures, const auto& formula) {
    Ladder ladder{.data = {.from = "t"}, .figures = {{"f0", "a"}}};
    for (int i = 1; i <= figures; ++i)
      ladder.figures.push_back({"f" + std::to_string(i), formula("f" + std::to_string(i - 1))});
    ladder.totals = {{"t", "sum(f" + std::to_string(figures) + ")"}};
    ladder.levels = {{.each = {"k"}, .by = "t desc"}};
    Catalog catalog;
    const std::vector<std::int64_t> keys{1, 1, 2}, values{3, 4, 5};
    catalog.add(TableBuilder("t").column("k", keys).column("a", values).build());
    return standings(ladder, catalog);
  };
  EXPECT_EQ(to_text(ask(900, [](const std::string& f) { return f + " + 1"; }).value(0, 2)), "1807");
  // Each names the one before twice: a tree would have 2^60 leaves.
  EXPECT_EQ(to_text(ask(60, [](const std::string& f) { return f + " - " + f + " + 1"; }).value(0, 2)), "2");
  EXPECT_EQ(
      to_text(ask(60, [](const std::string& f) { return "case when a > 3 then " + f + " else " + f + " + 1 end"; })
                  .value(0, 2)),
      "67");  // 3 + 60 and 4
  try {
    ask(1100, [](const std::string& f) { return f + " + 1"; });
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.problems().front().sentence, "figures build on one another more than 1,000 operators deep");
    EXPECT_EQ(error.problems().size(), 1u);  // once, not for every figure after it
  }
}

TEST(Limits, Formulas) {
  Catalog catalog;
  const std::vector<std::int64_t> values{1};
  catalog.add(TableBuilder("t").column("a", values).build());
  const auto sentence = [&](const std::string& formula) -> std::string {
    const auto problems = check({.data = {.from = "t"}, .figures = {{"x", formula}}}, catalog);
    return problems.empty() ? "nothing is wrong" : problems.front().sentence;
  };
  EXPECT_EQ(sentence(std::string(60, '(') + "a" + std::string(60, ')')), "nothing is wrong");
  EXPECT_EQ(sentence(std::string(100'000, '(') + "a"), "the formula is too long");
  EXPECT_EQ(sentence(std::string(1'000, '(') + "a" + std::string(1'000, ')')), "the formula is nested too deeply");
}

TEST(Limits, LaddersThatAskOneAnother) {
  const support::Scratch s;
  put(s.path() / "t.csv", "a\n1\n");
  put(s.path() / "l0.ladder.toml", "[data]\nfrom = \"t.csv\"\n");
  for (int i = 1; i <= 80; ++i)
    put(s.path() / ("l" + std::to_string(i) + ".ladder.toml"),
        "[data]\nfrom = \"l" + std::to_string(i - 1) + ".ladder.toml\"\n");
  EXPECT_EQ(problem_of(s.path(), "l60.ladder.toml").code, Code::stopped);
  EXPECT_NE(problem_of(s.path(), "l80.ladder.toml").sentence.find("at most 64 are answered"), std::string::npos);
  put(s.path() / "big.ladder.toml", std::string(2 << 20, '#'));
  EXPECT_EQ(problem_of(s.path(), "big.ladder.toml").sentence,
            "a ladder file holds at most 1 MiB; this one has 2097152 bytes");
}

TEST(Limits, Workbooks) {
  const support::Scratch s;
  const auto with = [&](const std::string& cells) {
    put_workbook(s.path() / "t.xlsx", cells);
    return problem_of(s.path(), "t.xlsx");
  };
  const std::string heading = "<row r=\"1\"><c r=\"A1\" t=\"inlineStr\"><is><t>a</t></is></c></row>";
  EXPECT_EQ(with(heading + "<row r=\"2\"><c r=\"A2\"><v>1</v></c></row>").code, Code::stopped);
  EXPECT_EQ(with(heading + "<row r=\"4000000000\"><c><v>1</v></c></row>").sentence,
            "its sheet S has a row beyond the 1,048,576th");
  EXPECT_EQ(with(heading + "<row r=\"2\"><c r=\"ZZZZZZ2\"><v>1</v></c></row>").sentence,
            "a sheet has a cell beyond the 16,384th column");
  EXPECT_EQ(with(heading + "<row r=\"1\"><c><v>1</v></c></row>").code, Code::damaged_file);  // rows twice
  // In another order they mean the same.
  put_workbook(
      s.path() / "t.xlsx",
      "<row r=\"3\"><c r=\"B3\"><v>4</v></c><c r=\"A3\"><v>3</v></c></row><row r=\"2\"><c r=\"A2\"><v>1</v></c></row>" +
          heading);
  const Table turned = TableFiles(s.path()).open("t.xlsx", {})->read(std::vector<std::size_t>{0}, {});
  EXPECT_EQ(to_text(turned.value(0, 0)) + to_text(turned.value(1, 0)), "13");
  // Packs to nothing.
  EXPECT_EQ(with(heading + std::string(80 << 20, ' ')).sentence,
            "its part xl/worksheets/s.xml unpacks to more than 400 times the size of the workbook");
  // Entities of its own are not expanded.
  put_workbook(s.path() / "t.xlsx", heading + "<row r=\"2\"><c t=\"str\"><v>&lol;</v></c></row>");
  const Table table = TableFiles(s.path()).open("t.xlsx", {})->read(std::vector<std::size_t>{0}, {});
  EXPECT_EQ(to_text(table.value(0, 0)), "&lol;");
}

TEST(Limits, CompressedText) {
  const support::Scratch s;
  const std::string file = (s.path() / "t.csv.gz").string();
  const gzFile out = gzopen(file.c_str(), "wb9");
  const std::string blank(1 << 20, '\n');
  gzputs(out, "a,b\n");
  for (int i = 0; i < 100; ++i) gzwrite(out, blank.data(), static_cast<unsigned>(blank.size()));
  gzclose(out);
  EXPECT_EQ(problem_of(s.path(), "t.csv.gz").sentence, "it unpacks to more than 400 times its size");
}

TEST(Limits, AViewWithoutEndStopsWhenAsked) {
  const support::Scratch s;
  ASSERT_EQ(
      support::shell("sqlite3 " + (s.path() / "t.sqlite").string() +
                     " 'create view v as with recursive n(i) as (select 1 union all select i + 1 from n) select i "
                     "from n where i < 0'")
          .status,
      0);
  const auto source = open_sqlite(s.path() / "t.sqlite", "v");
  std::stop_source stop;
  std::thread later([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
    stop.request_stop();
  });
  try {
    source->read(std::vector<std::size_t>{0}, {.stop = stop.get_token()});
    ADD_FAILURE();
  } catch (const Error& error) {
    EXPECT_EQ(error.code(), Code::stopped);
  }
  later.join();
}

TEST(Limits, NumbersAtTheirEnds) {
  Catalog catalog;
  const std::vector<std::string> texts{"honey"};
  catalog.add(TableBuilder("t").column("t", texts).build());
  const auto value = [&](const std::string& formula) -> std::string {
    try {
      return to_text(
          standings({.data = {.from = "t"}, .figures = {{"x", formula}}, .list = {.columns = {"x"}}}, catalog)
              .value(0, 0));
    } catch (const Error& error) {
      const std::string& sentence = error.problems().front().sentence;
      return sentence.substr(0, sentence.find(", in row"));
    }
  };
  const std::string most(38, '9');
  EXPECT_EQ(value("date '2025-01-01' + " + most + " * interval '1' day"), "the date is outside of the years 1 to 9999");
  EXPECT_EQ(value("date '2025-01-01' - " + most + " * interval '9' year"),
            "the date is outside of the years 1 to 9999");
  EXPECT_EQ(value("substring(t from " + most + ")"), "");
  EXPECT_EQ(value("substring(t from " + most + " for " + most + ")"), "");
  EXPECT_EQ(value("substring(t from -" + most + " for " + most + ")"), "");
  EXPECT_EQ(value("substring(t from 1 for " + most + ")"), "honey");
  EXPECT_EQ(value("lag(t, null) over (order by t)"),
            "the distance is a whole number from 0 to 9223372036854775807, not `null`");
}
