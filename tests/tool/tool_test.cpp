// The tool as a process: every command, every output.
#include <gtest/gtest.h>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>

#include "support/process.hpp"

using support::lofty;
using support::Ran;
using support::Scratch;

namespace {

const std::filesystem::path source = LOFTY_SOURCE;  // examples name files as seen from here

bool has(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

}  // namespace

TEST(Tool, RanksAShippedLadder) {
  const Ran ran = lofty({"rank", "demo/best_shops.ladder.toml"}, source);
  EXPECT_EQ(ran.status, 0);
  EXPECT_TRUE(has(ran.out, "Best shops ever\n"));
  EXPECT_TRUE(has(ran.out, "     1=  "));
  EXPECT_TRUE(has(ran.out, "11 of 214 shops"));
  EXPECT_TRUE(has(ran.err, "tie-at-cut: 3 shops share place 9"));
  EXPECT_TRUE(has(ran.err, "rows: "));
  EXPECT_FALSE(has(ran.out, "tie-at-cut"));      // remarks go to standard error
  EXPECT_FALSE(has(ran.out + ran.err, "\033"));  // no colours into a file
}

TEST(Tool, InspectsTables) {
  const Ran ran = lofty({"inspect", "demo/order_lines.csv", "demo/shops.csv"}, source);
  EXPECT_EQ(ran.status, 0);
  EXPECT_TRUE(has(ran.out, "order_lines.csv: "));
  EXPECT_TRUE(has(ran.out, "shops.csv: 214 rows, 5 columns, commas between fields"));
  EXPECT_TRUE(has(ran.out, "decimal, 2 places"));
  EXPECT_TRUE(has(ran.out, "would serve as a key: line_no"));
  EXPECT_TRUE(has(ran.err, "alike-spellings: `status` has spellings that differ only in case or blanks"));
}

TEST(Tool, ShowsRowsOfTablesAndOfStages) {
  const Ran ends = lofty({"inspect", "demo/order_lines.csv", "--first", "2", "--last", "1"}, source);
  EXPECT_EQ(ends.status, 0) << ends.err;
  EXPECT_NE(ends.out.find("(12,001 not shown)"), std::string::npos) << ends.out;
  EXPECT_NE(ends.out.find("the first 2 and last 1 of 12,004 lines"), std::string::npos);
  const Ran some =
      lofty({"inspect", "demo/order_lines.csv", "--where", "status = 'returned'", "--sample", "4"}, source);
  EXPECT_NE(some.out.find("a sample of 4 of 143 lines (seed 1)"), std::string::npos) << some.out;
  for (const char* option : {"--first", "--last", "--sample"}) {  // -2 of them are not all of them
    const Ran none = lofty({"inspect", "demo/order_lines.csv", option, "-2"}, source);
    EXPECT_EQ(none.status, 2) << option;
    EXPECT_TRUE(has(none.err, std::string(option) + ": `-2` is not a whole number from 1 on")) << none.err;
  }
  EXPECT_EQ(lofty({"rank", "demo/best_shops.ladder.toml", "--best", "-3"}, source).status, 2);
  EXPECT_EQ(lofty({"inspect", "demo/order_lines.csv", "--seed", "3"}, source).status, 2);
  const Ran both = lofty({"rank", "demo/tie_rules.ladder.toml", "--first", "2", "--sample", "3"}, source);
  EXPECT_TRUE(has(both.err, "--sample: rows are either sampled")) << both.err;
  const Ran wrong = lofty({"inspect", "demo/order_lines.csv", "--where", "stats = 'returned'"}, source);
  EXPECT_EQ(wrong.status, 2);
  EXPECT_NE(wrong.err.find("--where: no column `stats`"), std::string::npos) << wrong.err;
  const Ran counted = lofty({"rank", "demo/best_shops.ladder.toml", "--stage", "counted"}, source);
  EXPECT_NE(counted.out.find("the first 20 of 11,659 lines"), std::string::npos) << counted.out;
  const Ran whole = lofty({"rank", "demo/best_shops.ladder.toml", "--stage", "counted", "--to", "csv"}, source);
  EXPECT_EQ(std::count(whole.out.begin(), whole.out.end(), '\n'), 11'660);
  const Ran unknown = lofty({"rank", "demo/best_shops.ladder.toml", "--stage", "sorted"}, source);
  EXPECT_EQ(unknown.status, 2);
  EXPECT_NE(unknown.err.find("joined, figures, counted, totalled, ranked, kept"), std::string::npos) << unknown.err;
}

TEST(Tool, KeepsComparesAndExpects) {
  const Scratch scratch;
  const std::string kept = (scratch.path() / "feb.standings.json").string(),
                    csv = (scratch.path() / "best.csv").string();
  const Ran first = lofty({"rank", "demo/best_shops.ladder.toml", "--save-standings", kept, "--to", csv}, source);
  EXPECT_EQ(first.status, 0) << first.err;
  EXPECT_TRUE(has(first.err, "saved " + kept));
  const Ran same = lofty({"rank", "demo/best_shops.ladder.toml", "--expect", csv, "--remarks", "none"}, source);
  EXPECT_EQ(same.status, 0);
  EXPECT_TRUE(has(same.out, "as expected: 11 rows, 5 columns")) << same.out;
  EXPECT_EQ(same.err, "");
  const Ran other =
      lofty({"rank", "demo/best_shops.ladder.toml", "--expect", csv, "--best", "3", "--remarks", "short"}, source);
  EXPECT_EQ(other.status, 1);
  EXPECT_TRUE(has(other.out, "missing: shop Østen's Wren")) << other.out;
  EXPECT_TRUE(has(other.err, " ..\n")) << other.err;  // a line each
  EXPECT_EQ(lofty({"rank", "demo/best_shops.ladder.toml", "--remarks", "loud"}, source).status, 2);
  EXPECT_EQ(lofty({"rank", "demo/best_shops.ladder.toml", "--save-standings", "feb.json"}, source).status, 2);
  for (const char* table : {"nowhere.csv", "demo/shops.csv"}) {  // not there; a column that is not listed
    const Ran unfit = lofty({"rank", "demo/best_shops.ladder.toml", "--expect", table}, source);
    EXPECT_EQ(unfit.status, 2);
    EXPECT_EQ(unfit.out, "");  // said before anything is printed
  }
  const Ran moved = lofty({"rank", "demo/who_moved.ladder.toml"}, source);
  EXPECT_TRUE(has(moved.out, "no longer listed: tin STORES (was 1, now 52)")) << moved.out;
  // A question that compares with kept standings finds them again from where it is saved.
  const std::filesystem::path other_folder = scratch.path() / "questions";
  std::filesystem::create_directory(other_folder);
  const std::string ladder = (scratch.path() / "again.ladder.toml").string(),
                    elsewhere = (other_folder / "again.ladder.toml").string();
  std::ofstream(ladder)
      << "[data]\nfrom = \"" + (source / "demo/order_lines.csv").string() +
             "\"\n[totals]\nspend = \"sum(quantity * unit_price)\"\n[rank]\neach = [\"shop_no\"]\nby = \"spend desc\"\n"
             "[keep]\nbest = 2\n[compare]\nwith = \"feb.standings.json\"\n";
  const Ran here = lofty({"rank", ladder, "--to", "csv", "--save-ladder", elsewhere}, source);
  EXPECT_EQ(here.status, 0) << here.err;
  EXPECT_TRUE(has(here.out, "was,moved"));
  EXPECT_EQ(lofty({"rank", elsewhere, "--to", "csv"}, source).out, here.out);
  EXPECT_EQ(lofty({"rank", ladder, "--stage", "counted", "--save-ladder", elsewhere}, source).status, 2);
}

TEST(Tool, ChecksLadders) {
  const Ran good = lofty({"check", "demo/best_shops.ladder.toml", "demo/tie_rules.ladder.toml"}, source);
  EXPECT_EQ(good.status, 0);
  EXPECT_EQ(good.out, "demo/best_shops.ladder.toml: nothing is wrong\ndemo/tie_rules.ladder.toml: nothing is wrong\n");
}

TEST(Tool, ShowsTheTour) {
  const support::Scratch scratch;
  const Ran ran = lofty({"demo", "--to", (scratch.path() / "out").string()}, source);
  EXPECT_EQ(ran.status, 0);
  for (const char* part : {"$ lofty inspect demo/order_lines.csv", "Best shops ever", "Its place", "Who moved",
                           "$ lofty draw demo/best_shops.ladder.toml --as bars"})
    EXPECT_TRUE(has(ran.out, part)) << part;
}

TEST(Tool, HelpTeaches) {
  for (const char* command : {"", "inspect", "rank", "check", "demo"}) {
    const Ran ran = *command == '\0' ? lofty({"--help"}) : lofty({command, "--help"});
    EXPECT_EQ(ran.status, 0);
    EXPECT_TRUE(has(ran.out, "Examples")) << command;
    const std::string call = std::string("\n  lofty ") + (*command == '\0' ? "" : command);
    const std::size_t first = ran.out.find(call);
    ASSERT_NE(first, std::string::npos) << command;
    EXPECT_NE(ran.out.find(call, first + 1), std::string::npos) << command << " has one example only";
  }
  const std::string version = lofty({"--version"}).out;
  EXPECT_TRUE(version.starts_with("lofty 0.2.0\n  ")) << version;
  for (const char* library : {"\n  icu ", "\n  sqlite ", "\n  libcsv "}) EXPECT_TRUE(has(version, library)) << version;
  EXPECT_EQ(lofty({}).status, 0);
}

// The examples of the help, as they are written.
TEST(Tool, ExamplesOfTheHelpRun) {
  const Scratch scratch;
  for (const char* command : {"inspect", "rank", "check"}) {
    const std::string help = lofty({command, "--help"}).out;
    std::size_t examples = 0;
    for (std::size_t at = 0; (at = help.find("\n  lofty ", at)) != std::string::npos;) {
      std::size_t end = help.find('\n', at + 1);
      while (help[end - 1] == '\\') end = help.find('\n', end + 1);
      std::string line = help.substr(at + 9, end - at - 9);
      for (std::size_t slash; (slash = line.find("\\\n")) != std::string::npos;) line.erase(slash, 2);
      for (std::size_t file; (file = line.find(" best.csv")) != std::string::npos;)
        line.replace(file, 9, " " + (scratch.path() / "best.csv").string());
      const Ran ran = support::shell("cd " + source.string() + " && " LOFTY_TOOL " " + line);
      EXPECT_EQ(ran.status, 0) << line << "\n" << ran.err;
      ++examples;
      at = end;
    }
    EXPECT_GE(examples, 2u) << command;
  }
  EXPECT_FALSE(support::slurp(scratch.path() / "best.csv").empty());
}

TEST(Tool, WritesEveryFormat) {
  const Scratch scratch;
  const Ran csv = lofty({"rank", "demo/best_products.ladder.toml", "--to", "csv"}, source);
  EXPECT_EQ(csv.out.substr(0, csv.out.find('\n')), "family,rank,product,sold,spend");
  const Ran json = lofty({"rank", "demo/best_products.ladder.toml", "--to", "json"}, source);
  EXPECT_EQ(nlohmann::json::parse(json.out)["rows"].size(), 21u);
  const auto file = scratch.path() / "out.md";
  const Ran md = lofty({"rank", "demo/best_products.ladder.toml", "--to", file.string()}, source);
  EXPECT_EQ(md.status, 0);
  EXPECT_EQ(md.out, "");
  EXPECT_TRUE(has(md.err, "wrote " + file.string() + ": 21 of 48 products"));
  EXPECT_TRUE(has(support::slurp(file), "| family | rank | product | sold | spend |"));
}

TEST(Tool, ChoicesChangeFromOutside) {
  const Ran ran = lofty({"rank", "demo/best_in_valley.ladder.toml", "--choose", "since=2026-01-01"}, source);
  EXPECT_EQ(ran.status, 0);
  EXPECT_TRUE(has(ran.out, "since =\n2026-01-01") || has(ran.out, "since = 2026-01-01") ||
              has(ran.out, "since\n= 2026-01-01"))
      << ran.out;
}

TEST(Tool, OptionsOverrideALadder) {
  const Ran ran = lofty(
      {"rank", "demo/best_shops.ladder.toml", "--best", "1", "--cut", "strict", "--heading", "spend=Spend so far"},
      source);
  EXPECT_EQ(ran.status, 0);
  EXPECT_TRUE(has(ran.out, "1 of 214 shops"));
  EXPECT_TRUE(has(ran.out, "Spend so far ↓"));
  EXPECT_TRUE(has(ran.err, "decided by the tie-breaker `shop`"));
}

TEST(Tool, FurtherColumnsBothEndsAndWhereAnAmountWouldStand) {
  const Ran ran = lofty({"rank",        "demo/best_shops.ladder.toml",
                         "--best",      "2",
                         "--worst",     "1",
                         "--also",      "below=by spend asc",
                         "--also",      "quarter=tiers 4",
                         "--also",      "part=share of spend",
                         "--also",      "running=running share of spend",
                         "--also",      "upper=percent rank",
                         "--columns",   "rank,shop,spend,below,quarter,part,running,upper",
                         "--place-for", "spend=4200",
                         "--to",        "csv"},
                        source);
  EXPECT_EQ(ran.status, 0);
  EXPECT_TRUE(has(ran.out, "rank,shop,spend,below,quarter,part,running,upper\n1,"));
  EXPECT_TRUE(has(ran.out, "\n214,,32.80,1,4,"));
  EXPECT_TRUE(
      has(ran.err, "`spend` 4,200 would take place 46, among 214 ranked; next before 4,221.00, next after 4,161.00\n"));
}

TEST(Tool, OrdersOfOnesOwn) {
  const Ran natural = lofty(
      {"rank", "demo/products.csv", "--by", "product desc", "--text-order", "product=natural", "--best", "1", "--where",
       "family = 'Comb'", "--columns", "product", "--to", "csv", "--put-last", "product=Comb 2", "--locale", "sv"},
      source);
  EXPECT_EQ(natural.status, 0) << natural.err;
  EXPECT_TRUE(has(natural.out, "product\nComb "));
  const Ran valleys =
      lofty({"rank", "demo/best_in_valley.ladder.toml", "--put-first", "valley=Öster Sedge,Nowhere"}, source);
  EXPECT_EQ(valleys.status, 0);
  EXPECT_LT(valleys.out.find("Öster Sedge"), valleys.out.find("Brindlemere"));
  EXPECT_TRUE(has(valleys.err, "listed-value-absent: orderings.valley lists `Nowhere`, which does not occur"));
}

TEST(Tool, AClosedPipeIsNoNoise) {
  const Ran ran =
      support::shell(std::string("cd ") + source.string() +
                     " && " LOFTY_TOOL " rank demo/order_lines.csv --where 'quantity > 0' 2>/dev/null | head -3");
  EXPECT_EQ(ran.status, 0);
  EXPECT_EQ(ran.err, "");
  EXPECT_FALSE(ran.out.empty());
}

TEST(Tool, NoColorIsHonoured) {
  // script(1) gives the tool a terminal.
  const Ran colour =
      support::shell("cd " + source.string() +
                     " && TERM=xterm script -qec '" LOFTY_TOOL " rank demo/best_shops.ladder.toml' /dev/null");
  if (colour.status != 0) GTEST_SKIP() << "no script(1) here";
  EXPECT_TRUE(has(colour.out, "\033["));
  const Ran plain = support::shell("cd " + source.string() +
                                   " && NO_COLOR=1 TERM=xterm script -qec '" LOFTY_TOOL
                                   " rank demo/best_shops.ladder.toml' /dev/null");
  EXPECT_FALSE(has(plain.out, "\033["));
}

// A word that is also the name of a command is still a word.
TEST(Tool, FunctionsTakeAWordThatIsACommand) {
  const auto ran = lofty({"functions", "rank"});
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_TRUE(has(ran.out, "percent_rank() over (order by ...)"));
}

// Functions, totals and constants are listed by where they are allowed; a word narrows the list.
TEST(Tool, ListsWhatFormulasMayCall) {
  const auto all = support::lofty({"functions"});
  ASSERT_EQ(all.status, 0);
  for (const char* one : {"  sqrt(number) ", "  cast(x as decimal) ", "\nIn totals",
                          "  count(*), count(x), count(distinct x) ", "  overall_max(x) "})
    EXPECT_NE(all.out.find(one), std::string::npos) << one;
  EXPECT_EQ(all.out.find("trim_leading"), std::string::npos);  // a name that only the parser uses
  const auto some = support::lofty({"functions", "week"});
  EXPECT_NE(some.out.find("iso_week(date)"), std::string::npos);
  EXPECT_EQ(some.out.find("sqrt(number)"), std::string::npos);
  const auto none = support::lofty({"functions", "zork"});
  EXPECT_EQ(none.status, 2);
  EXPECT_NE(none.err.find("no function has to do with `zork`"), std::string::npos) << none.err;
}

TEST(Tool, ThreadsDoNotChangeTheAnswer) {
  const std::string one = lofty({"rank", "demo/best_shops.ladder.toml", "--to", "json", "--threads", "1"}, source).out;
  EXPECT_EQ(lofty({"rank", "demo/best_shops.ladder.toml", "--to", "json", "--threads", "8"}, source).out, one);
}

// The plan and its price, and what it took; this machine's speeds are kept, and measured once.
TEST(Tool, CostSetsMeasuredTimesBesideTheEstimates) {
  const support::Scratch scratch;
  const auto cost = [&](const std::string& rest) {
    return support::shell("cd " + source.string() + " && XDG_CACHE_HOME=" + scratch.path().string() +
                          " " LOFTY_TOOL " cost " + rest);
  };
  const auto first = cost("demo/three_frames.ladder.toml");
  ASSERT_EQ(first.status, 0) << first.err;
  EXPECT_NE(first.err.find("measuring this machine once"), std::string::npos);
  EXPECT_NE(first.out.find("by_row, with_peers, by_week  shop_no, ordered_on"), std::string::npos) << first.out;
  EXPECT_NE(first.out.find("3 windows on 1 sort."), std::string::npos);
  EXPECT_EQ(first.out.find("measured"), std::string::npos);
  EXPECT_TRUE(std::filesystem::exists(scratch.path() / "lofty-ladder" / "speeds.txt"));
  const auto second = cost("demo/three_frames.ladder.toml --run");
  EXPECT_EQ(second.err, "");
  EXPECT_NE(second.out.find("estimated  measured"), std::string::npos);
  EXPECT_NE(second.out.find("12,004"), std::string::npos);
  const auto advice = cost("demo/two_sorts.ladder.toml");
  EXPECT_NE(advice.out.find("2 windows on 2 sorts."), std::string::npos);
  EXPECT_NE(advice.out.find("advice: `number` could order by line_no too, as `so_far` does"), std::string::npos)
      << advice.out;
  EXPECT_NE(advice.out.find("but the answer may change"), std::string::npos);
  // A damaged file of speeds is measured again; wrong calls are said.
  std::ofstream(scratch.path() / "lofty-ladder" / "speeds.txt") << "nonsense";
  EXPECT_EQ(cost("demo/order_lines.csv").status, 2);
  EXPECT_EQ(cost("demo/nothing.ladder.toml").status, 2);
  EXPECT_EQ(cost("demo/best_shops.ladder.toml --choose nope=1").status, 2);
}

// Standings into a database: a new table, never over an old one.
TEST(Tool, StandingsBecomeATableOfADatabase) {
  const support::Scratch scratch;
  const std::string file = (scratch.path() / "sales.sqlite").string();
  const Ran first = lofty({"rank", "demo/best_shops.ladder.toml", "--to", file + "#best"}, source);
  ASSERT_EQ(first.status, 0) << first.err;
  EXPECT_EQ(first.out, "");
  const Ran back = lofty({"rank", file + "#best", "--columns", "rank_as,shop,spend", "--first", "1"}, source);
  EXPECT_EQ(back.status, 2);  // it has no such column, and says so
  const Ran read = lofty({"rank", file, "--columns", "shop,spend", "--first", "1", "--to", "csv"}, source);
  EXPECT_EQ(read.out, "shop,spend\nÆrlig Spoon,7901.10\n") << read.err;
  const Ran again = lofty({"rank", "demo/best_shops.ladder.toml", "--to", file + "#best"}, source);
  EXPECT_EQ(again.status, 2);
  EXPECT_NE(again.err.find("sales.sqlite has a table `best` already"), std::string::npos) << again.err;
  EXPECT_EQ(lofty({"rank", "demo/best_shops.ladder.toml", "--to", file}, source).status, 0);
  EXPECT_NE(lofty({"inspect", file + "#standings"}, source).out.find("spend"), std::string::npos);
}
