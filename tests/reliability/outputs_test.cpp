// An output never replaces an input, and nothing but an earlier answer of ours without being told to.
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <filesystem>

#include "support/process.hpp"

namespace fs = std::filesystem;
using support::lofty;
using support::Ran;
using support::slurp;

namespace {

class Outputs : public ::testing::Test {
 protected:
  Outputs() {
    folder_.file("lines.csv", lines);
    folder_.file("shops.csv", "shop_no,shop\n1,Crumb\n2,Wren\n");
    folder_.file("best.ladder.toml",
                 "[data]\nfrom = \"lines.csv\"\n[[data.join]]\nwith = \"shops.csv\"\non = [\"shop_no\"]\n"
                 "[totals]\nspend = \"sum(amount)\"\n[rank]\neach = [\"shop_no\"]\nby = \"spend desc\"\n");
  }
  Ran run(std::vector<std::string> more, const std::string& source = "best.ladder.toml") const {
    std::vector<std::string> call = {"rank", source, "--remarks", "none"};
    call.insert(call.end(), more.begin(), more.end());
    return lofty(call, folder_.path());
  }
  // Refused as a wrong call, with these words; nothing is printed, and every file is as it was.
  void refused(const std::vector<std::string>& more, const std::string& words,
               const std::string& source = "best.ladder.toml") const {
    const auto before = contents();
    const Ran ran = run(more, source);
    EXPECT_EQ(ran.status, 2) << ran.err;
    EXPECT_NE(ran.err.find(words), std::string::npos) << ran.err;
    EXPECT_EQ(ran.out, "");
    EXPECT_EQ(contents(), before);
  }
  std::map<std::string, std::string> contents() const {
    std::map<std::string, std::string> out;
    for (const auto& one : fs::recursive_directory_iterator(folder_.path()))
      if (one.is_regular_file()) out[one.path().string()] = slurp(one.path());
    return out;
  }
  std::string path(const std::string& name) const { return (folder_.path() / name).string(); }

  static constexpr const char* lines = "line,shop_no,amount\n1,1,5.00\n2,2,7.00\n3,1,4.00\n";
  const support::Scratch folder_;
};

}  // namespace

TEST_F(Outputs, AnInputIsNeverReplacedUnderWhateverName) {
  fs::create_symlink("lines.csv", path("symbolic.csv"));
  fs::create_hard_link(path("lines.csv"), path("hard.csv"));
  fs::create_directory(path("folder"));
  fs::create_symlink("folder", path("way"));
  const std::vector<std::string> names = {"lines.csv",           "symbolic.csv",     "hard.csv",       "./lines.csv",
                                          "folder/../lines.csv", "way/../lines.csv", path("lines.csv")};
  for (const std::string& name : names)
    for (const bool told : {false, true})
      refused(told ? std::vector<std::string>{"--to", name, "--replace"} : std::vector<std::string>{"--to", name},
              "an input of this run, and would be replaced");
}

TEST_F(Outputs, JoinedTablesLaddersStandingsAndExpectedTablesAreInputs) {
  refused({"--to", "shops.csv"}, "shops.csv is an input of this run");
  refused({"--save-ladder", "best.ladder.toml", "--replace"},
          "--save-ladder: best.ladder.toml is an input of this run");
  ASSERT_EQ(run({"--save-standings", "march.standings.json", "--to", "csv"}).status, 0);
  refused({"--save-standings", "march.standings.json"}, "march.standings.json is an input of this run",
          "march.standings.json");
  folder_.file("later.ladder.toml", slurp(path("best.ladder.toml")) + "[compare]\nwith = \"march.standings.json\"\n");
  refused({"--save-standings", "march.standings.json"}, "march.standings.json is an input", "later.ladder.toml");
  folder_.file("expected.csv", "shop_no,spend\n1,9.00\n2,7.00\n");
  refused({"--expect", "expected.csv", "--to", "expected.csv"}, "expected.csv is an input");
}

// A ladder as the table of another: its own tables are inputs too, though no option names them.
TEST_F(Outputs, TablesOfLaddersThatAreTablesAreInputs) {
  folder_.file("second.ladder.toml", "[data]\nfrom = \"best.ladder.toml\"\n");
  refused({"--to", "lines.csv", "--replace"}, "lines.csv is an input of this run", "second.ladder.toml");
  refused({"--save-ladder", "best.ladder.toml", "--replace"}, "best.ladder.toml is an input", "second.ladder.toml");
}

TEST_F(Outputs, TwoOutputsAreTwoFiles) {
  refused({"--to", "x.standings.json", "--save-standings", "x.standings.json"},
          "--to and --save-standings name the same file");
}

TEST_F(Outputs, OnlyAnEarlierAnswerIsReplacedUntold) {
  for (const std::string ending : {"csv", "json", "md", "xlsx"}) {
    const std::string name = "best." + ending;
    EXPECT_EQ(run({"--to", name}).status, 0);
    const Ran again = run({"--to", name});
    EXPECT_EQ(again.status, 0) << again.err;
    EXPECT_NE(again.err.find("; it replaced an earlier answer"), std::string::npos) << again.err;
    folder_.file(name, "mine\n");
    refused({"--to", name}, name + " is there already, and is not plainly an earlier answer of this kind");
    const Ran told = run({"--to", name, "--replace"});
    EXPECT_EQ(told.status, 0);
    EXPECT_NE(told.err.find("; it replaced a file of 5 bytes"), std::string::npos) << told.err;
  }
  EXPECT_EQ(run({"--to", "csv", "--save-standings", "a.standings.json"}).status, 0);
  EXPECT_EQ(run({"--to", "csv", "--save-standings", "a.standings.json"}).status, 0);
  refused({"--to", "a.standings.json"}, "not plainly an earlier answer of this kind");  // of json, it is none
  EXPECT_EQ(run({"--to", "csv", "--save-ladder", "b.ladder.toml"}).status, 0);
  refused({"--save-ladder", "b.ladder.toml"},
          "--save-ladder: b.ladder.toml is there already");  // it may have been edited
  EXPECT_EQ(run({"--to", "csv", "--save-ladder", "b.ladder.toml", "--replace"}).status, 0);
}

TEST_F(Outputs, ACsvFileWithOtherHeadingsIsNoEarlierAnswer) {
  folder_.file("best.csv", "rank,shop_no,spent\n1,1,9.00\n");
  refused({"--to", "best.csv"}, "not plainly an earlier answer");
}

TEST_F(Outputs, TablesOfADatabaseAreReplacedOnlyWhenTold) {
  EXPECT_EQ(run({"--to", "sales.sqlite#best"}).status, 0);
  refused({"--to", "sales.sqlite#best"}, "sales.sqlite has a table `best` already");
  const Ran told = run({"--to", "sales.sqlite#best", "--replace"});
  EXPECT_EQ(told.status, 0) << told.err;
  EXPECT_NE(told.err.find("; it replaced a table of that name"), std::string::npos);
  // A database that is read takes another table, and loses none.
  refused({"--to", "sales.sqlite#best", "--replace"}, "the table `best` is in sales.sqlite, which this run reads",
          "sales.sqlite#best");
  EXPECT_EQ(run({"--to", "sales.sqlite#second"}, "sales.sqlite#best").status, 0);
  EXPECT_EQ(lofty({"inspect", "sales.sqlite#second"}, folder_.path()).status, 0);
}

TEST_F(Outputs, ASymbolicLinkIsWrittenThrough) {
  fs::create_directory(path("elsewhere"));
  fs::create_symlink("elsewhere/target.csv", path("link.csv"));
  for (int i = 0; i < 2; ++i) {  // the target is not there at first
    EXPECT_EQ(run({"--to", "link.csv"}).status, 0);
    EXPECT_TRUE(fs::is_symlink(path("link.csv")));
    EXPECT_EQ(slurp(path("elsewhere/target.csv")).substr(0, 5), "rank,");
  }
  fs::create_symlink("round.csv", path("round.csv"));
  EXPECT_EQ(run({"--to", "round.csv"}).status, 2);
}

TEST_F(Outputs, ModeAndContentsOfTheOldFileStay) {
  ASSERT_EQ(run({"--to", "best.csv"}).status, 0);
  ::chmod(path("best.csv").c_str(), 0600);
  ASSERT_EQ(run({"--to", "best.csv"}).status, 0);
  struct stat status {};
  ASSERT_EQ(::stat(path("best.csv").c_str(), &status), 0);
  EXPECT_EQ(status.st_mode & 07777, 0600u);
}

TEST_F(Outputs, DevicesAreWrittenTo) {
  EXPECT_EQ(support::shell("cd '" + folder_.path().string() +
                           "' && ln -s /dev/null null.csv && " LOFTY_TOOL
                           " rank best.ladder.toml --remarks none --to null.csv")
                .status,
            0);
}
