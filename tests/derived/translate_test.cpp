// A ladder as one statement: its text, what it says of itself, and what is refused.
// That a server gives the ladder's answer to it is tested in tests/server/postgresql_test.cpp.
#include "lofty/translate.hpp"

#include <gtest/gtest.h>

#include "lofty/lofty.hpp"
#include "support/process.hpp"

using namespace lofty;

namespace {

Catalog tables() {
  Catalog catalog;
  TableBuilder lines("lines"), shops("shops");
  const std::vector<std::int64_t> number{1};
  const std::vector<std::string> word{"x"};
  catalog.add(
      lines.column("Shop No", number).column("amount", number).column("on", word).column("valley", word).build());
  catalog.add(shops.column("Shop No", number).column("name", word).column("valley", word).build());
  return catalog;
}

Ladder plain() {
  return {.data = {.from = "lines", .joins = {{.with = "shops", .on = {"\"Shop No\""}}}},
          .choices = {{.name = "least", .value = Decimal(5, 0)}},
          .figures = {{"half", "amount / 2"}},
          .where = "half > :least",
          .totals = {{"spend", "sum(half)"}, {"mean", "spend / count(*)"}},
          .levels = {{.each = {"Shop No"},
                      .by = "mean desc",
                      .tiebreak = "name",
                      .ties = Ties::dense,
                      .having = "spend > 0",
                      .best = 3}},
          .list = {.columns = {"rank", "name", "mean"}}};
}

bool has(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

}  // namespace

TEST(Translate, StagesAndNames) {
  const Translation made = translate(plain(), tables());
  const std::string& text = made.statement;
  // Names of both tables are told apart; a joined key has one column.
  EXPECT_TRUE(has(text, "\"lines\".\"valley\" as \"lines.valley\"")) << text;
  EXPECT_TRUE(has(text, "\"shops\".\"valley\" as \"shops.valley\"")) << text;
  EXPECT_TRUE(has(text, "left join \"shops\" on \"lines\".\"Shop No\" = \"shops\".\"Shop No\"")) << text;
  // Quotients are not cut; choices are values; a total in a total is in place.
  EXPECT_TRUE(has(text, "cast(\"amount\" as decimal(38, 12)) / 2 as \"half\"")) << text;
  EXPECT_TRUE(has(text, "where \"half\" > 5")) << text;
  EXPECT_TRUE(has(text, "cast((sum(\"half\")) as decimal(38, 12)) / count(*) as \"mean\"")) << text;
  EXPECT_TRUE(has(text, "having (sum(\"half\")) > 0")) << text;
  EXPECT_TRUE(has(text, "dense_rank() over (partition by")) << text;
  EXPECT_TRUE(has(text, "\"place in the cut\" <= 3")) << text;
  EXPECT_EQ(made.differs.size(), 2u);
}

TEST(Translate, NamesAndTextsStayInTheirQuotes) {
  Catalog catalog;
  catalog.add(TableBuilder("x\"y").column("a\"b", std::vector<std::int64_t>{1}).build());
  const Translation made = translate({.data = {.from = "x\"y"},
                                      .choices = {{.name = "w", .value = std::string("it's")}},
                                      .figures = {{"f", ":w"}},
                                      .levels = {{.by = "\"a\"\"b\" desc"}},
                                      .list = {.columns = {"f"}}},
                                     catalog);
  EXPECT_TRUE(has(made.statement, "from \"x\"\"y\"")) << made.statement;
  EXPECT_TRUE(has(made.statement, "\"a\"\"b\" desc nulls last")) << made.statement;
  EXPECT_TRUE(has(made.statement, "'it''s' as \"f\"")) << made.statement;
}

TEST(Translate, WhatItDoesNotTranslateIsSaid) {
  const auto code = [](const Ladder& ladder) {
    try {
      translate(ladder, tables());
    } catch (const Error& error) {
      return error.code();
    }
    return Code::stopped;
  };
  EXPECT_EQ(code(plain()), Code::stopped);  // no error
  Ladder ladder = plain();
  ladder.levels.push_back({.each = {"valley"}, .by = "spend desc"});
  EXPECT_EQ(code(ladder), Code::ambiguous_column);  // problems come first
  ladder.levels.back().each = {"shops.valley"};
  EXPECT_EQ(code(ladder), Code::not_in_this_version);
  ladder = plain();
  ladder.levels.front().others = true;
  EXPECT_EQ(code(ladder), Code::not_in_this_version);
  ladder = plain();
  ladder.data.joins.front().type = JoinType::full;
  EXPECT_EQ(code(ladder), Code::not_in_this_version);
  ladder = plain();
  ladder.list.first = 3;
  EXPECT_EQ(code(ladder), Code::not_in_this_version);
}

TEST(Translate, TheToolPrintsIt) {
  const support::Ran ran =
      support::lofty({"translate", (support::demo() / "recent_valleys.ladder.toml").string(), "--choose", "days=90"});
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_TRUE(has(ran.out, "interval '90' day")) << ran.out;
  EXPECT_TRUE(ran.out.ends_with(";\n")) << ran.out;
  EXPECT_TRUE(has(ran.err, "may differ")) << ran.err;
  const support::Ran refused = support::lofty({"translate", (support::demo() / "who_moved.ladder.toml").string()});
  EXPECT_EQ(refused.status, 2);
  EXPECT_TRUE(has(refused.err, "who_moved.ladder.toml, line 38")) << refused.err;
  EXPECT_EQ(support::lofty({"translate", (support::demo() / "order_lines.csv").string()}).status, 2);
}
