// Figures and remarks that were wrong, each with what is right.
#include <gtest/gtest.h>

#include "support/process.hpp"

using support::lofty;
using support::Ran;
using support::Scratch;

namespace {

bool has(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

// The csv of a table's text under these options, without its heading line; or what is wrong.
std::string csv(const std::string& table, std::vector<std::string> options) {
  const Scratch s;
  s.file("t.csv", table);
  std::vector<std::string> words{"rank", "t.csv", "--to", "csv", "--remarks", "none"};
  words.insert(words.end(), options.begin(), options.end());
  const Ran ran = lofty(words, s.path());
  return ran.status == 0 ? ran.out.substr(ran.out.find('\n') + 1) : ran.err;
}
std::string remarks(const std::string& table, std::vector<std::string> options) {
  const Scratch s;
  s.file("t.csv", table);
  std::vector<std::string> words{"rank", "t.csv"};
  words.insert(words.end(), options.begin(), options.end());
  const Ran ran = lofty(words, s.path());
  return ran.status == 0 ? ran.err : "failed: " + ran.err;
}

}  // namespace

TEST(RightFigures, VariancesHaveOneRounding) {
  const std::string table = "k,x,f\na,1,100000000.1\na,2,100000000.2\na,2,100000000.3\n";
  const auto total = [&](const std::string& formula) {
    return csv(table, {"--column", "f: type float", "--each", "k", "--total", "v=" + formula, "--columns", "v"});
  };
  EXPECT_EQ(total("var_samp(x)"), "0.333333333333\n");
  EXPECT_EQ(total("var_pop(x)"), "0.222222222222\n");
  EXPECT_EQ(total("var_samp(x) filter (where x > 1)"), "0.000000000000\n");
  EXPECT_EQ(total("var_samp(x) filter (where x = 1)"), "\n");
  // These floats are not the decimals that they are written as: 0.01 but for 3e-10 of it.
  EXPECT_TRUE(total("var_samp(f)").starts_with("0.0100000")) << total("var_samp(f)");
  EXPECT_TRUE(total("stddev_samp(f)").starts_with("0.1000000")) << total("stddev_samp(f)");

  // Windows give what totals give.
  const auto window = [&](const std::string& formula) {
    return csv(table, {"--column", "f: type float", "--figure", "v=" + formula, "--columns", "v", "--order", "input"});
  };
  EXPECT_EQ(window("var_samp(x) over ()"), "0.333333333333\n0.333333333333\n0.333333333333\n");
  EXPECT_EQ(window("var_samp(x) over (order by f rows 1 preceding)"), "\n0.500000000000\n0.000000000000\n");
  const std::string pairs = window("var_samp(f) over (order by f rows 1 preceding)");
  EXPECT_TRUE(pairs.starts_with("\n0.00500000")) << pairs;
}

TEST(RightFigures, UnitsAreFilledWhateverTheSizeOfTheFile) {
  // A period of three days in which no row counts, in files that are kept, sifted and empty.
  for (const std::size_t rows : {0u, 3u, 200'000u}) {
    std::string table = "on,n\n";
    for (std::size_t i = 0; i < rows; ++i)
      table += "2024-01-0" + std::to_string(1 + i % 9) + "," + std::to_string(i) + "\n";
    EXPECT_EQ(csv(table, {"--column", "on: type date", "--period", "p: on from 2026-01-01 through 2026-01-03",
                          "--where", "p", "--each", "on", "--fill", "day", "--total", "c=count(*)", "--by", "c desc"}),
              "1,2026-01-01,0\n1,2026-01-02,0\n1,2026-01-03,0\n")
        << rows;
  }
}

TEST(RightFigures, PinnedValuesStayWhereTheyAreInADescendingPercentile) {
  const std::string table = "k,g\na,low\na,middle\na,high\n";
  // Descending with `low` first: low, middle, high.
  const std::vector<std::string> options{
      "--put-first", "g=low", "--each", "k", "--total", "v=percentile_disc(0.1) within group (order by g desc)",
      "--columns",   "v"};
  EXPECT_EQ(csv(table, options), "low\n");
  EXPECT_EQ(csv(table, {"--put-first", "g=low", "--each", "k", "--total",
                        "v=percentile_disc(0.5) within group (order by g desc)", "--columns", "v"}),
            "middle\n");
  EXPECT_EQ(csv(table, {"--put-first", "g=low", "--figure",
                        "v=percentile_disc(0.1) within group (order by g desc) over ()", "--columns", "v"}),
            "low\nlow\nlow\n");
}

TEST(RightFigures, WhoLeftIsToldUnderEveryTieRule) {
  // Last time b and c shared the first place of two; now a and d do.
  const Scratch s;
  s.file("then.csv", "k,v\na,1\nb,9\nc,9\nd,1\n");
  s.file("now.csv", "k,v\na,9\nb,1\nc,1\nd,9\n");
  for (const char* ties : {"competition", "modified", "dense", "ordinal", "fractional"}) {
    s.file("l.ladder.toml", std::string("[data]\nfrom = \"now.csv\"\n[totals]\nt = \"sum(v)\"\n[rank]\neach = [\"k\"]\n"
                                        "by = \"t desc\"\nties = \"") +
                                ties + "\"\n[keep]\nbest = 1\n[compare]\nwith = \"then.standings.json\"\n");
    ASSERT_EQ(lofty({"rank", "then.csv", "--total", "t=sum(v)", "--each", "k", "--by", "t desc", "--ties", ties,
                     "--best", "1", "--save-standings", "then.standings.json", "--replace"},
                    s.path())
                  .status,
              0);
    const Ran ran = lofty({"rank", "l.ladder.toml", "--remarks", "none"}, s.path());
    EXPECT_TRUE(has(ran.out, "no longer listed: `b` (was ") && has(ran.out, "`c` (was ")) << ties << ran.out << ran.err;
  }
}

TEST(RightFigures, OneRuleForTheOrderOfAColumn) {
  const std::string table = "g,n\nb,1\na,2\nc,3\n";
  // What windows, ordered totals and percentiles go by is used.
  for (const char* formula :
       {"row_number() over (order by g)", "percentile_disc(0.5) within group (order by g) over ()"})
    EXPECT_FALSE(
        has(remarks(table, {"--put-first", "g=c", "--figure", std::string("v=") + formula}), "unused-ordering"))
        << formula;
  EXPECT_FALSE(has(
      remarks(table, {"--put-first", "g=c", "--each", "n", "--total", "v=first_value(n) within group (order by g)"}),
      "unused-ordering"));
  EXPECT_TRUE(
      has(remarks(table, {"--put-first", "g=c", "--figure", "v=row_number() over (order by n)"}), "unused-ordering"));

  // A figure that renames a column has its order, in windows and in the ranking.
  const std::vector<std::string> renamed{"--put-first", "g=c", "--figure", "f=g"};
  auto with = [&](std::vector<std::string> more) {
    std::vector<std::string> all = renamed;
    all.insert(all.end(), more.begin(), more.end());
    return all;
  };
  EXPECT_EQ(csv(table, with({"--figure", "v=row_number() over (order by f)", "--order", "input", "--columns", "v"})),
            "3\n2\n1\n");
  EXPECT_EQ(csv(table, with({"--by", "f asc", "--columns", "g"})), "c\na\nb\n");
  // One that computes something has its own.
  EXPECT_EQ(csv(table, {"--put-first", "f=C", "--figure", "f=upper(g)", "--figure", "v=row_number() over (order by f)",
                        "--order", "input", "--columns", "v"}),
            "3\n2\n1\n");
}

TEST(RightFigures, SmallerOnes) {
  EXPECT_EQ(csv("k,x\na,1\n", {"--each", "k", "--total",
                               "v=percent_rank(2) within group (order by x) filter (where x > 9)", "--columns", "v"}),
            "0.000000\n");
  const std::string moments = "a,b\n2024-03-01 01:00:00,2024-02-29 23:00:00\n2024-03-02 23:00:00,2024-02-29 23:00:00\n";
  EXPECT_EQ(csv(moments, {"--figure", "v=extract(day from (a - b) day)", "--order", "input", "--columns", "v"}),
            "0\n2\n");
  EXPECT_EQ(csv(moments, {"--figure", "v=extract(day from (b - a) day)", "--order", "input", "--columns", "v"}),
            "0\n-2\n");
}

TEST(RightFigures, AWorkbookOfOursIsWhatIsExpected) {
  const Scratch s;
  s.file("t.csv", "n,at,word\n1,2025-01-01 00:00:00,\"\"\n2,2025-01-02 10:30:00,x\n");
  ASSERT_EQ(lofty({"rank", "t.csv", "--by", "n asc", "--to", "t.xlsx"}, s.path()).status, 0);
  const Ran ran = lofty({"rank", "t.csv", "--by", "n asc", "--expect", "t.xlsx", "--remarks", "none"}, s.path());
  EXPECT_EQ(ran.status, 0) << ran.out << ran.err;
  // In csv an empty text is no null.
  s.file("e.csv", "n,word\n1,\n2,x\n");
  EXPECT_EQ(lofty({"rank", "t.csv", "--by", "n asc", "--expect", "e.csv"}, s.path()).status, 1);
}

TEST(RightFigures, DistancesAndKeysOf64Bits) {
  const std::string table = "k\n-9223372036854775808\n-1\n9223372036854775806\n9223372036854775807\n";
  const auto counts = [&](const std::string& frame) {
    return csv(table, {"--figure", "v=count(*) over (order by k " + frame + ")", "--order", "input", "--columns", "v"});
  };
  const std::string most = "9223372036854775807";
  EXPECT_EQ(counts("rows between " + most + " preceding and current row"), "1\n2\n3\n4\n");
  EXPECT_EQ(counts("groups between current row and " + most + " following"), "4\n3\n2\n1\n");
  EXPECT_EQ(counts("range between 1 preceding and current row"), "1\n1\n1\n2\n");
  EXPECT_EQ(counts("range between " + most + " preceding and 1 preceding"), "0\n1\n1\n1\n");
  EXPECT_EQ(counts("range between 1 following and " + most + " following"), "1\n1\n1\n0\n");
  EXPECT_TRUE(has(counts("rows 9223372036854775808 preceding"), "from 0 to 9223372036854775807"))
      << counts("rows 9223372036854775808 preceding");
}

TEST(RightFigures, ANegativeExampleWithItsMark) {
  const std::string table = "v;n\nkr 1.234,50;1\nkr -99,00;2\n-1,25;3\n";
  EXPECT_EQ(csv(table, {"--column", "v: written kr 1.234,50 = 1234.50", "--column", "v: written kr -99,00 = -99",
                        "--order", "input", "--columns", "v"}),
            "1234.50\n-99.00\n-1.25\n");
  // The first example settles what the second alone could mean in two ways.
  EXPECT_EQ(csv("v;n\n1.234,50;1\n2.000;2\n", {"--column", "v: written 1.234,50 = 1234.50", "--column",
                                               "v: written 1.234 = 1234", "--order", "input", "--columns", "v"}),
            "1234.50\n2000.00\n");
}
