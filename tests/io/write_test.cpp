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
  EXPECT_THROW(format_from("html"), Error);
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
  EXPECT_EQ(files, 1u);  // nothing left beside it
}
