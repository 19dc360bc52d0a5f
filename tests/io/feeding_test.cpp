// Standings as the table, or the filter, of another ladder.
#include <gtest/gtest.h>

#include <fstream>

#include "lofty/lofty.hpp"
#include "support/process.hpp"
#include "support/tables.hpp"

using namespace lofty;
using Texts = std::vector<std::string>;

namespace {

// A folder with seven lines of four shops; shop 2 and shop 3 tie at the cut of best.ladder.toml.
class Feeding : public ::testing::Test {
 protected:
  Feeding() {
    put("lines.csv",
        "line,shop_no,month,amount\n1,1,1,5.00\n2,1,2,7.00\n3,2,1,4.00\n4,3,2,4.00\n5,4,1,1.00\n6,4,2,\n7,,1,2.00\n");
    put("best.ladder.toml",
        "[data]\nfrom = \"lines.csv\"\n[totals]\nspend = \"sum(amount)\"\n[rank]\neach = [\"shop_no\"]\nby = \"spend "
        "desc\"\n[keep]\nbest = 2\n[list]\ncolumns = [\"rank\", \"spend\"]\n");
  }
  void put(const std::string& file, const std::string& text) const { std::ofstream(folder_.path() / file) << text; }
  Standings ask(const Ladder& ladder) const { return standings(ladder, TableFiles(folder_.path())); }
  Problem problem_of(const std::string& table) const {
    try {
      TableFiles(folder_.path()).open(table, {});
    } catch (const Error& error) {
      return error.problems().front();
    }
    return {Code::stopped, "nothing is wrong", {}, {}, {}};
  }

  const support::Scratch folder_;
};

TEST_F(Feeding, AsTheTableOfAnother) {
  // The keys that the listing leaves out are columns too: nothing else would say which entries these are.
  const Standings all = ask({.data = {.from = "best.ladder.toml"}});
  EXPECT_EQ(support::column(all, "shop_no"), (Texts{"1", "2", "3"}));
  EXPECT_EQ(support::column(all, "rank"), (Texts{"1", "2", "2"}));
  EXPECT_EQ(support::column(all, "spend"), (Texts{"12.00", "4.00", "4.00"}));
  // Exact: the sum of sums ties with what it should.
  const Standings sums = ask({.data = {.from = "best.ladder.toml"},
                              .totals = {{"shops", "count(*)"}, {"together", "sum(spend)"}},
                              .levels = {{.each = {"rank"}, .by = "together desc", .rank_as = "place"}}});
  EXPECT_EQ(support::column(sums, "together"), (Texts{"12.00", "8.00"}));
  EXPECT_EQ(support::column(sums, "shops"), (Texts{"1", "2"}));
}

TEST_F(Feeding, AsTheFilterOfAnother) {
  const Standings months =
      ask({.data = {.from = "lines.csv",
                    .joins = {{.with = "best.ladder.toml", .on = {"shop_no"}, .type = JoinType::inner}}},
           .totals = {{"sold", "sum(amount)"}},
           .levels = {{.each = {"month"}, .by = "sold desc", .rank_as = "place"}}});
  EXPECT_EQ(support::column(months, "month"), (Texts{"2", "1"}));
  EXPECT_EQ(support::column(months, "sold"), (Texts{"11.00", "9.00"}));  // without shop 4, and without the blank one
  EXPECT_EQ(months.accounting().joins[0].left_out, 3u);
}

TEST_F(Feeding, WhatWasSaidOfTheFirstIsSaidOfTheSecond) {
  const Standings all = ask({.data = {.from = "best.ladder.toml"}});
  EXPECT_TRUE(support::says(all, "tie-at-cut", "best.ladder.toml: 2 shops share place 2"));
}

TEST_F(Feeding, ALadderThatFeedsItselfIsRefused) {
  put("a.ladder.toml", "[data]\nfrom = \"b.ladder.toml\"\n");
  put("b.ladder.toml", "[data]\nfrom = \"a.ladder.toml\"\n");
  const Problem p = problem_of("a.ladder.toml");
  EXPECT_EQ(p.code, Code::circular);
  EXPECT_NE(p.sentence.find("`a.ladder.toml` feeds itself: a.ladder.toml reads b.ladder.toml reads a.ladder.toml"),
            std::string::npos)
      << p.sentence;
  const auto ran = support::lofty({"rank", (folder_.path() / "a.ladder.toml").string()});
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.err.find("feeds itself"), std::string::npos) << ran.err;
}

TEST_F(Feeding, WhatIsWrongWithTheFirstHasItsPlaceThere) {
  put("bad.ladder.toml", "[data]\nfrom = \"lines.csv\"\n[rows]\nwhere = \"amunt > 1\"\n");
  put("outer.ladder.toml", "[data]\nfrom = \"bad.ladder.toml\"\n");
  const Problem p = problem_of("bad.ladder.toml");
  EXPECT_EQ(p.code, Code::unknown_column);
  EXPECT_EQ(p.nearest, "amount");
  EXPECT_TRUE(p.location.file.ends_with("bad.ladder.toml"));
  EXPECT_EQ(p.location.line, 4u);
  const auto ran = support::lofty({"check", (folder_.path() / "outer.ladder.toml").string()});
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.out.find("bad.ladder.toml, line 4, column 10: no column `amunt`"), std::string::npos) << ran.out;

  EXPECT_EQ(problem_of("bst.ladder.toml").nearest, "best.ladder.toml");
  try {
    TableFiles(folder_.path()).open("best.ladder.toml", {.nulls = {"-"}});
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.problems().front().code, Code::bad_value);
  }
}

TEST_F(Feeding, TheToolTakesALadderForATable) {
  const auto ran = support::lofty({"inspect", (folder_.path() / "best.ladder.toml").string()});
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_NE(ran.out.find("spend"), std::string::npos);
}

}  // namespace
