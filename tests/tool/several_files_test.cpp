// Months that lie in files of their own, as one table.
#include <gtest/gtest.h>

#include "support/process.hpp"

using support::lofty;
using support::Ran;
using support::Scratch;

namespace {

class SeveralFiles : public testing::Test {
 protected:
  SeveralFiles() {
    s.file("orders-01.csv", "no,shop,amount\n1,North,10.5\n2,South,3\n");
    s.file("orders-02.csv", "amount;no;shop\n7;3;North\nx;4;West\n");
    s.file("orders-03.csv", "no,shop,amount\n2,South,3\n9,South,1.25\n");
  }
  Ran run(const std::vector<std::string>& arguments) { return lofty(arguments, s.path()); }
  const Scratch s;
};

const char* const by_shop = "each = [\"shop\"]\nby = \"spend desc\"\n[totals]\nspend = \"sum(amount)\"\n";
const std::string types = "columns.amount.type = \"decimal\"\n";

}  // namespace

TEST_F(SeveralFiles, ByTheirNamesByAPatternAndAsALadder) {
  const std::vector<std::string> options = {
      "--column", "amount: type decimal", "--each", "shop", "--total",   "spend=sum(amount)",
      "--by",     "spend desc",           "--to",   "csv",  "--remarks", "none"};
  std::vector<std::string> names{"rank", "orders-01.csv", "orders-02.csv", "orders-03.csv"},
      pattern{"rank", "orders-*.csv"};
  names.insert(names.end(), options.begin(), options.end());
  pattern.insert(pattern.end(), options.begin(), options.end());
  EXPECT_EQ(run(names).out, "rank,shop,spend\n1,North,17.50\n2,South,7.25\n,West,\n");
  EXPECT_EQ(run(pattern).out, run(names).out);
  s.file("m.ladder.toml", "[data]\nfrom = [\"orders-01.csv\", \"orders-0[23].csv\"]\n" + types + "[rank]\n" + by_shop);
  EXPECT_EQ(run({"rank", "m.ladder.toml", "--to", "csv", "--remarks", "none"}).out, run(names).out);
}

TEST_F(SeveralFiles, AreKnownToRemarksErrorsAndWhy) {
  const Ran ran = run({"rank", "orders-01.csv", "orders-02.csv", "orders-03.csv", "--column", "amount: type decimal",
                       "--by", "amount desc", "--save-ladder", "all.ladder.toml"});
  EXPECT_NE(ran.err.find("3 of orders-02.csv `x`"), std::string::npos) << ran.err;
  // The same order twice, in files of two months.
  EXPECT_NE(ran.err.find("line 2 of orders-03.csv is as line"), std::string::npos) << ran.err;
  const Ran why = run({"why", "all.ladder.toml", "line 3 of orders-03.csv"});
  EXPECT_NE(why.out.find("1.25"), std::string::npos) << why.out << why.err;
  const Ran unknown = run({"why", "all.ladder.toml", "line 3"});
  EXPECT_NE(unknown.err.find("does not say of which file"), std::string::npos) << unknown.err;
  const Ran misspelt = run({"why", "all.ladder.toml", "line 3 of orders-3.csv"});
  EXPECT_NE(misspelt.err.find("orders-03.csv"), std::string::npos) << misspelt.err;
}

TEST_F(SeveralFiles, AColumnSaysWhichARowIsFrom) {
  EXPECT_EQ(run({"rank", "orders-*.csv", "--file-column", "file", "--each", "file", "--total", "n=count(*)", "--by",
                 "n desc", "--tiebreak", "file", "--to", "csv", "--remarks", "none"})
                .out,
            "rank,file,n\n1,orders-01.csv,2\n1,orders-02.csv,2\n1,orders-03.csv,2\n");
}

TEST_F(SeveralFiles, LaddersAndTablesDoNotMix) {
  s.file("m.ladder.toml", std::string("[data]\nfrom = \"orders-01.csv\"\n[rank]\n") + by_shop);
  const Ran ran = run({"rank", "m.ladder.toml", "orders-01.csv", "--to", "out.html"});
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.err.find("and not both"), std::string::npos) << ran.err;
}

// None of them may be what is written.
TEST_F(SeveralFiles, AreInputs) {
  const Ran ran = run({"rank", "orders-*.csv", "--each", "shop", "--total", "n=count(*)", "--by", "n desc", "--to",
                       "orders-02.csv", "--replace"});
  EXPECT_NE(ran.status, 0);
  EXPECT_NE(ran.err.find("is an input of this run"), std::string::npos) << ran.err;
}
