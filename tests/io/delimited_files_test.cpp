// Several files that are one table.
#include "io/delimited_files.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <algorithm>
#include <random>

#include "base/access.hpp"
#include "lofty/error.hpp"
#include "lofty/table_files.hpp"
#include "support/process.hpp"
#include "table/table_data.hpp"

using namespace lofty;

namespace {

Table read_all(const TableSource& source, int threads = 0) {
  std::vector<std::size_t> all(source.headings().size());
  for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
  return source.read(all, {.threads = threads});
}

Problem failure(const TableFiles& files, const std::string& name, const ReadOptions& options) {
  try {
    read_all(*files.open(name, options));
  } catch (const Error& error) {
    return error.problems().front();
  }
  return {};
}

std::string text_of(const Value& value) { return is_null(value) ? "null" : to_text(value); }

}  // namespace

// A file cut anywhere into several, each with its columns in an order of its own: the same table, types included.
RC_GTEST_PROP(DelimitedFilesProperty, FilesThatFollowEachOtherAreOne, ()) {
  const std::uint32_t seed = *rc::gen::arbitrary<std::uint32_t>();
  std::mt19937 random(seed);
  const std::vector<std::string> headings{"a", "b", "c"};
  std::vector<std::vector<std::string>> rows(random() % 60);
  for (std::size_t r = 0; r < rows.size(); ++r) {
    // The last rows may change a type or a scale.
    const bool odd = r + 3 > rows.size() && random() % 2 == 0;
    rows[r] = {std::to_string(random() % 50) + (odd ? ".25" : ""),
               random() % 5 == 0 ? ""
               : odd             ? "x"
                                 : "2025-03-01",
               "t" + std::to_string(random() % 4)};
  }

  const support::Scratch scratch;
  const auto write = [&](const std::string& name, std::size_t begin, std::size_t end, std::vector<std::size_t> order) {
    std::string text;
    for (std::size_t i = 0; i < order.size(); ++i) text += (i > 0 ? ";" : "") + headings[order[i]];
    for (std::size_t r = begin; r < end; ++r) {
      text += "\n";
      for (std::size_t i = 0; i < order.size(); ++i) text += (i > 0 ? ";" : "") + rows[r][order[i]];
    }
    scratch.file(name, text + "\n");
  };
  write("whole.csv", 0, rows.size(), {0, 1, 2});
  std::vector<std::string> of;  // by row: its file
  std::size_t parts = 0;
  for (std::size_t begin = 0; parts == 0 || begin < rows.size(); ++parts) {
    const std::size_t end = std::min(rows.size(), begin + random() % 25);
    std::vector<std::size_t> order{0, 1, 2};
    if (parts > 0) std::shuffle(order.begin(), order.end(), random);
    const std::string name = "part-" + std::string(1, static_cast<char>('A' + parts / 26)) +
                             std::string(1, static_cast<char>('a' + parts % 26)) + ".csv";
    write(name, begin, end, order);
    of.insert(of.end(), end - begin, name);
    begin = end;
  }

  const TableFiles files(scratch.path());
  const Table whole = read_all(*files.open("whole.csv", {}));
  const Table joined = read_all(*files.open("part-*.csv", {.file_column = "file"}), 1 + static_cast<int>(random() % 3));
  RC_ASSERT(joined.rows() == rows.size());
  RC_ASSERT(joined.headings() == (std::vector<std::string>{"a", "b", "c", "file"}));
  for (std::size_t c = 0; c < 3; ++c) {
    RC_ASSERT(joined.type(c) == whole.type(c));
    for (std::size_t r = 0; r < rows.size(); ++r) RC_ASSERT(joined.value(r, c) == whole.value(r, c));
  }
  for (std::size_t r = 0; r < rows.size(); ++r) {
    RC_ASSERT(text_of(joined.value(r, 3)) == of[r]);
    RC_ASSERT(engine::Access::data(joined).file_of(r) == of[r]);
  }
}

TEST(DelimitedFiles, KnowTheLineOfEachRow) {
  const support::Scratch scratch;
  scratch.file("a.csv", "no,x\n1,a\n2,\"two\nlines\"\n");
  scratch.file("b.csv", "x;no\n\nc;3\n");
  const Table table = read_all(*TableFiles(scratch.path()).open("a.csv", {.more = {"b.csv"}}));
  ASSERT_EQ(table.rows(), 3u);
  EXPECT_EQ(engine::Access::data(table).number_in_file(1), 3u);
  EXPECT_EQ(engine::Access::data(table).number_in_file(2), 3u);
  EXPECT_EQ(engine::Access::data(table).file_of(1), "a.csv");
  EXPECT_EQ(engine::Access::data(table).file_of(2), "b.csv");
}

TEST(DelimitedFiles, SayWhatDiffers) {
  const support::Scratch scratch;
  scratch.file("a.csv", "no,x\n1,a\n");
  scratch.file("b.csv", "no,y\n1,a\n");
  scratch.file("c.csv", "x,no\n1\n");
  scratch.file("d.jsonl", "{\"no\": 1}\n");
  const TableFiles files(scratch.path());
  const Problem headings = failure(files, "a.csv", {.more = {"b.csv"}});
  EXPECT_EQ(headings.code, Code::bad_heading);
  EXPECT_EQ(headings.sentence,
            "its headings are not those of a.csv, which comes before it: it lacks `x`, and has `y` besides");
  EXPECT_TRUE(headings.location.file.ends_with("b.csv"));
  const Problem ragged = failure(files, "a.csv", {.more = {"c.csv"}});
  EXPECT_EQ(ragged.code, Code::ragged_row);
  EXPECT_TRUE(ragged.location.file.ends_with("c.csv"));
  EXPECT_EQ(ragged.location.line, 2u);
  EXPECT_EQ(failure(files, "a.csv", {.more = {"a.csv"}}).sentence,
            "the file a.csv is named twice, and its rows would count twice");
  EXPECT_EQ(failure(files, "a.csv", {.more = {"d.jsonl"}}).code, Code::bad_value);
  EXPECT_EQ(failure(files, "a.csv", {.more = {"e.csv"}}).nearest, "a.csv");
  EXPECT_EQ(failure(files, "e*.csv", {}).sentence, "no file fits the pattern e*.csv");
  EXPECT_EQ(failure(files, "a.csv", {.more = {""}}).sentence, "one of the files that are one table has no name");
  EXPECT_EQ(failure(files, "a.csv", {.file_column = "x"}).code, Code::bad_heading);
}

TEST(DelimitedFiles, OfAnyNumberUpToALimit) {
  const support::Scratch scratch;
  for (int i = 0; i <= 500; ++i)
    scratch.file("f" + std::to_string(1000 + i) + ".csv", "n\n" + std::to_string(i) + "\n");
  const TableFiles files(scratch.path());
  EXPECT_EQ(failure(files, "f*.csv", {}).code, Code::beyond_limit);
  EXPECT_EQ(read_all(*files.open("f1[0-4]*.csv", {})).rows(), 500u);
}

TEST(DelimitedFiles, ANameThatLooksLikeAPatternIsAFileWhereThereIsOne) {
  const support::Scratch scratch;
  scratch.file("a[1].csv", "n\n1\n");
  scratch.file("a1.csv", "n\n2\n3\n");
  EXPECT_EQ(read_all(*TableFiles(scratch.path()).open("a[1].csv", {})).rows(), 1u);
}

TEST(DelimitedFiles, TablesInMemoryAreNone) {
  TableBuilder builder("lines");
  TableFiles files;
  files.add(std::move(builder).build());
  EXPECT_EQ(failure(files, "lines", {.more = {"other"}}).code, Code::unknown_table);
}
