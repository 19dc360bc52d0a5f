#include "lofty/write.hpp"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include "support/process.hpp"
#include "support/tables.hpp"

using namespace lofty;

namespace {

Standings answer() {
  Catalog catalog;
  support::add(catalog, "t",
               {{"k", {support::number(1), support::number(2), support::number(3)}},
                {"name", {Value(std::string("a,\"b\"")), Value(std::string("")), support::null()}},
                {"v", {support::money("1234567890123456.75"), support::money("5.50"), support::null()}}});
  return standings({.title = "T|1",
                    .data = {.from = "t"},
                    .levels = {{.by = "v desc"}},
                    .list = {.headings = {{"name", "the | name"}}}},
                   catalog);
}

}  // namespace

TEST(Write, DelimitedTextTellsNullFromEmpty) {
  EXPECT_EQ(written(answer(), Format::csv),
            "rank,k,the | name,v\n1,1,\"a,\"\"b\"\"\",1234567890123456.75\n2,2,\"\",5.50\n,3,,\n");
}

TEST(Write, JsonKeepsEveryDigit) {
  const auto json = nlohmann::json::parse(written(answer(), Format::json));
  EXPECT_EQ(json["rows"][0]["v"], "1234567890123456.75");  // more digits than a double holds: text
  EXPECT_EQ(json["rows"][1]["v"], 5.5);
  EXPECT_TRUE(json["rows"][2]["v"].is_null());
  EXPECT_EQ(json["rows"][0]["the | name"], "a,\"b\"");
  EXPECT_EQ(json["accounting"]["unranked"], 1);
  EXPECT_EQ(json["remarks"][0]["code"], "unranked");
  EXPECT_EQ(json["columns"][3]["type"], "decimal");
}

// Many blocks of rows, in an order that jumps about in the table: the same bytes for any number of threads, and those
// of a loop over the cells.
TEST(Write, BlocksDoNotShow) {
  std::vector<Value> key, text, amount, day, share;
  for (int i = 0; i < 20'000; ++i) {
    const int n = i * 7919 % 20'011;
    key.push_back(support::number(n));
    text.push_back(n % 7 == 0 ? support::null()
                              : Value(std::string(n % 11 == 0  ? ""
                                                  : n % 5 == 0 ? "a,\"b\"\r\n"
                                                               : "=x" + std::to_string(n % 3))));
    amount.push_back(n % 13 == 0 ? support::null() : Value(Decimal(n * 1'000'003LL - 9'000'000'000LL, 4)));
    day.push_back(Value(Date{n - 10'000}));
    share.push_back(Value(n / 7.0));
  }
  Catalog catalog;
  support::add(catalog, "t", {{"k", key}, {"text", text}, {"amount", amount}, {"day", day}, {"share", share}});
  const Standings answer = standings({.data = {.from = "t"}, .levels = {{.by = "k asc"}}}, catalog);
  for (const bool guard : {false, true}) {
    std::string expected;
    for (std::size_t c = 0; c < answer.columns().size(); ++c)
      expected += (c > 0 ? "," : "") + answer.columns()[c].heading;
    expected += "\n";
    for (std::size_t r = 0; r < answer.rows(); ++r) {
      for (std::size_t c = 0; c < answer.columns().size(); ++c) {
        if (c > 0) expected += ',';
        const Value value = answer.value(r, c);
        if (is_null(value)) continue;
        std::string cell = to_text(value, answer.columns()[c].type);
        if (answer.columns()[c].type.kind == Kind::text) {
          if (guard && cell.starts_with("=")) cell = "'" + cell;
          if (cell.empty()) cell = "\"\"";
          if (cell.find('"') != std::string::npos && cell.size() > 2) cell = "\"a,\"\"b\"\"\r\n\"";
        }
        expected += cell;
      }
      expected += "\n";
    }
    std::string json;
    for (const int threads : {1, 2, 8}) {
      std::string csv, as_json;
      std::size_t parts = 0;
      write(answer, Format::csv, [&](std::string_view part) { csv += part, ++parts; }, {.guard_cells = guard},
            {.threads = threads});
      EXPECT_GT(parts, 5u);
      ASSERT_EQ(csv, expected) << threads;
      write(answer, Format::json, [&](std::string_view part) { as_json += part; }, {}, {.threads = threads});
      if (!json.empty()) {
        ASSERT_EQ(as_json, json) << threads;
      }
      json = as_json;
    }
    EXPECT_EQ(nlohmann::json::parse(json)["rows"].size(), answer.rows());
  }
}

// What a sink throws, such as a full disk, ends the writing; a file that was there stays as it was.
TEST(Write, WhatFailsHalfwayLeavesTheOldFile) {
  const support::Scratch scratch;
  const auto file = scratch.file("out.csv", "old");
  EXPECT_THROW(write_file(file,
                          [](const TextSink& sink) {
                            sink("half");
                            throw Error(Problem{Code::cannot_write, "the disk is full", {}, {}, {}});
                          }),
               Error);
  EXPECT_EQ(support::slurp(file), "old");
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(scratch.path()), {}), 1);
}

TEST(Write, MarkdownEscapesItsOwnSigns) {
  const std::string text = written(answer(), Format::markdown);
  EXPECT_NE(text.find("| rank | k | the \\| name | v |\n|---:|---:|---|---:|\n"), std::string::npos);
  EXPECT_NE(text.find("| (none) | 3 | (none) | (none) |"), std::string::npos);
}

TEST(Write, FormatsAreKnownByTheirEnding) {
  EXPECT_EQ(format_from("md"), Format::markdown);
  try {
    format_from("jsn");
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.problems()[0].nearest, "json");
  }
  EXPECT_EQ(format_from("html"), Format::page);
  EXPECT_THROW(format_from("sqlite"), Error);  // a table of a file: write_sqlite
}

TEST(Write, FilesAreWholeOrNotThere) {
  const support::Scratch scratch;
  const auto file = scratch.path() / "out.csv";
  write_file(file, "one");
  write_file(file, "two");
  EXPECT_EQ(support::slurp(file), "two");
  EXPECT_THROW(write_file(scratch.path() / "none" / "out.csv", "x"), Error);
  EXPECT_THROW(write_file(scratch.path(), "x"), Error);
  try {
    write_file("/dev/full", "x");
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.code(), Code::cannot_write);
    EXPECT_TRUE(error.data_fault());
  }
  std::size_t files = 0;
  for ([[maybe_unused]] const auto& entry : std::filesystem::directory_iterator(scratch.path())) ++files;
  EXPECT_EQ(files, 1u);  // nothing left next to it
}

// A table of a SQLite file: types by what they hold, whole or not at all, and read back the same.
TEST(Write, SqliteTables) {
  const support::Scratch scratch;
  const auto file = scratch.path() / "out.sqlite";
  Catalog catalog;
  support::add(catalog, "t",
               {{"k", {support::number(7), support::number(-2), support::null()}},
                {"price", {support::money("12.85"), support::null(), support::money("-0.10")}},
                {"long", {support::money("1234567890123456.75"), support::money("5.50"), support::null()}},
                {"day", {Value(Date{20000}), support::null(), Value(Date{20001})}},
                {"yes", {Value(true), Value(false), support::null()}},
                {"x", {Value(0.1), Value(1e300), support::null()}},
                {"name", {Value(std::string("a'\"b")), Value(std::string("")), support::null()}}});
  const Standings all = standings({.data = {.from = "t"}}, catalog);
  write_sqlite(all, file, "odd \" name");
  write_sqlite(all, file, "second");  // into the file that is there
  const auto same = [&](const std::string& table) {
    const auto source = TableFiles(scratch.path()).open("out.sqlite#" + table, {});
    std::vector<std::size_t> columns(source->headings().size());
    for (std::size_t c = 0; c < columns.size(); ++c) columns[c] = c;
    const Table back = source->read(columns, {});
    ASSERT_EQ(back.rows(), 3u);
    for (std::size_t r = 0; r < 3; ++r)
      for (const std::size_t c : {0u, 1u, 2u, 3u, 5u, 6u})
        EXPECT_EQ(back.value(r, c), all.value(r, c)) << r << " " << c;
    EXPECT_EQ(back.value(0, 4), support::number(1));  // SQLite has no booleans
  };
  same("odd \" name");
  same("second");
  const auto types = support::shell("sqlite3 " + file.string() +
                                    " \"select group_concat(typeof(k) || typeof(price) || "
                                    "typeof(long) || typeof(day)) from second\"");
  EXPECT_EQ(types.out, "integerrealtexttext,integernulltextnull,nullrealnulltext\n");

  const auto problem = [&](const std::filesystem::path& to, const char* table) {
    try {
      write_sqlite(all, to, table);
    } catch (const Error& error) {
      return error.problems().front();
    }
    return Problem{};
  };
  const Problem taken = problem(file, "second");
  EXPECT_EQ(taken.code, Code::name_taken);
  EXPECT_EQ(taken.advice, "another name: out.sqlite#second_2");
  EXPECT_EQ(problem(scratch.path() / "none" / "out.sqlite", "t").code, Code::cannot_open);
  scratch.file("text.sqlite", "this is no database, and long enough to be looked at as one, which it is not at all\n");
  EXPECT_EQ(problem(scratch.path() / "text.sqlite", "t").code, Code::damaged_file);
  std::size_t files = 0;
  for ([[maybe_unused]] const auto& entry : std::filesystem::directory_iterator(scratch.path())) ++files;
  EXPECT_EQ(files, 2u);  // nothing left next to them
}
