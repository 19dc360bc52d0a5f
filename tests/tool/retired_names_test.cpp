// Names of earlier versions: each is answered with the one that it has now.
#include <gtest/gtest.h>

#include "lofty/lofty.hpp"
#include "support/process.hpp"

namespace {

lofty::Problem problem_of(const std::string& toml) {
  try {
    (void)lofty::read_ladder(toml, "old.ladder.toml");
  } catch (const lofty::Error& error) {
    return error.problems().front();
  }
  return {};
}

std::string formula_problem(const std::string& total) {
  lofty::Catalog tables;
  tables.add(lofty::TableBuilder("t").column("k", std::vector<std::int64_t>{1}).build());
  const auto found = check({.data = {.from = "t"}, .totals = {{"x", total}}, .levels = {{.each = {"k"}}}}, tables);
  return found.empty() ? "" : found.front().sentence;
}

}  // namespace

TEST(RetiredNames, KeysOfALadder) {
  const std::pair<const char*, const char*> cases[] = {
      {"[across]\neach = [\"a\"]\n", "[across] is now [crossed]"},
      {"[window_defs]\nw = \"order by a\"\n", "[window_defs] is now [named_windows]"},
      {"[list]\norder_by = \"name\"\n", "`order_by` is now `alternative`"},
      {"[periods.recent]\non = \"d\"\nanchor = \"today\"\n", "`anchor` is now `ends`"},
      {"[[data.join]]\nwith = \"b\"\nkind = \"inner\"\n", "`kind` is now `type`"},
  };
  for (const auto& [toml, sentence] : cases) {
    const lofty::Problem found = problem_of(toml);
    EXPECT_EQ(found.sentence, sentence);
    EXPECT_EQ(found.code, lofty::Code::retired_name) << sentence;
    EXPECT_GT(found.location.line, 0u) << sentence;
  }
}

TEST(RetiredNames, Options) {
  const std::pair<const char*, const char*> cases[] = {{"--keep-as", "--save-standings"},
                                                       {"--order-by", "--alternative"},
                                                       {"--save", "--save-ladder"},
                                                       {"--where-would", "--place-for"},
                                                       {"--window-def", "--named-window"}};
  for (const auto& [before, now] : cases) {
    const auto ran = support::lofty({"rank", "x.csv", before, "y"});
    EXPECT_EQ(ran.status, 2);
    EXPECT_EQ(ran.err, std::string("lofty: `") + before + "` is now `" + now + "`\n");
  }
  // One that another command had is no option of this one.
  EXPECT_NE(support::lofty({"why", "x.ladder.toml", "a = 1", "--save", "y"}).err.find("has no option `--save`"),
            std::string::npos);
}

TEST(RetiredNames, Functions) {
  EXPECT_EQ(formula_problem("first(k order by k)"),
            "`first(x order by ...)` is now `first_value(x) within group (order by ordered_on)`");
  EXPECT_EQ(formula_problem("last(k)"), "`last` is now `last_value(x) within group (order by ordered_on)`");
  EXPECT_EQ(formula_problem("first_value(k) within group (order by k)"), "");
}

TEST(RetiredNames, WhatNoVersionHadIsNone) {
  EXPECT_FALSE(lofty::current_name("--frobnicate"));
  EXPECT_FALSE(lofty::current_name(""));
}
