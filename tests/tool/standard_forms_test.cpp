// What people who come from a database expect: forms of the standard, and near words that lead to ours.
#include <gtest/gtest.h>

#include "support/process.hpp"

using support::lofty;
using support::Ran;
using support::Scratch;

namespace {

const char* const table =
    "id,k,x,f,d,at,word\n"
    "1,a,1.25,0.5,2025-01-31,2025-03-01 10:00:00,one\n"
    "2,a,2.50,1.5,2025-02-28,2025-03-01 12:30:00,two\n"
    "3,a,2.50,,2025-03-01,2025-03-02 00:00:00,\n"
    "4,b,-2.50,2.5,,2025-03-01 09:59:59,four\n"
    "5,b,,4.5,2025-03-05,,five\n";

// One figure of each row, one a line; or what is wrong.
std::string figure(const std::string& formula) {
  const Scratch s;
  s.file("t.csv", table);
  const Ran ran = lofty({"rank", "t.csv", "--figure", "v=" + formula, "--order", "id", "--columns", "v", "--to", "csv",
                         "--remarks", "none"},
                        s.path());
  return ran.status == 0 ? ran.out.substr(2) : ran.err;
}
// One total of the entries a and b.
std::string total(const std::string& formula) {
  const Scratch s;
  s.file("t.csv", table);
  const Ran ran = lofty({"rank", "t.csv", "--each", "k", "--total", "v=" + formula, "--order", "k", "--columns", "v",
                         "--to", "csv", "--remarks", "none"},
                        s.path());
  return ran.status == 0 ? ran.out.substr(2) : ran.err;
}
bool has(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

}  // namespace

TEST(StandardForms, IsDistinctFromIsNeverUnknown) {
  EXPECT_EQ(figure("case when x is distinct from 2.5 then 1 else 0 end"), "1\n0\n0\n1\n1\n");
  EXPECT_EQ(figure("case when x is not distinct from f then 1 else 0 end"), "0\n0\n0\n0\n0\n");
  EXPECT_EQ(figure("case when nullif(x, x) is not distinct from nullif(f, f) then 1 else 0 end"), "1\n1\n1\n1\n1\n");
}

TEST(StandardForms, BetweenSymmetric) {
  EXPECT_EQ(
      figure("case when x between symmetric 3 and 1.25 then 1 when x not between symmetric 3 and 1.25 then 0 end"),
      "1\n1\n1\n0\n\n");
  EXPECT_EQ(figure("case when x between asymmetric 3 and 1.25 then 1 else 0 end"), "0\n0\n0\n0\n0\n");
}

TEST(StandardForms, SumsAndMeansOfDifferentValues) {
  EXPECT_EQ(total("sum(distinct x)"), "3.75\n-2.50\n");
  EXPECT_EQ(total("avg(distinct x)"), "1.87500000\n-2.50000000\n");
  EXPECT_EQ(total("sum(distinct f)"), "2.0\n7.0\n");
  EXPECT_EQ(total("sum(distinct x) filter (where id > 9)"), "\n\n");
}

TEST(StandardForms, EveryAndAnyValue) {
  EXPECT_EQ(total("case when every(x > 0) then 1 else 0 end"), "1\n0\n");
  EXPECT_EQ(total("case when every(x > 100) is null then 1 else 0 end"), "0\n0\n");
  EXPECT_EQ(total("any_value(id)"), "1\n4\n");
  EXPECT_TRUE(has(total("every()"), "`every` takes one argument"));
}

TEST(StandardForms, VariancesAreExactForDecimals) {
  // Of 1.25, 2.50, 2.50: mean 25/12, squares around it 2 * (5/12)^2 + (10/12)^2 = 150/144.
  EXPECT_TRUE(has(total("var_pop(x)"), "0.3472222"));
  EXPECT_TRUE(has(total("var_samp(x)"), "0.5208333"));
  EXPECT_EQ(total("var_samp(x)").substr(total("var_samp(x)").find('\n')), "\n\n");  // of one value
  EXPECT_TRUE(has(total("stddev_pop(x)"), "0.5892556"));
  EXPECT_TRUE(has(total("stddev_samp(f)"), "0.707106"));
}

TEST(StandardForms, TextsInARow) {
  EXPECT_EQ(total("listagg(word, ', ') within group (order by id desc)"), "\"two, one\"\n\"five, four\"\n");
  EXPECT_TRUE(has(total("listagg(id, ', ') within group (order by id)"), "`listagg` takes texts"));
  EXPECT_TRUE(has(total("listagg(word, ', ')"), "needs an order"));
}

TEST(StandardForms, ThePlaceThatAValueWouldHave) {
  EXPECT_EQ(total("rank(2.5) within group (order by x desc)"), "1\n1\n");
  EXPECT_EQ(total("rank(2) within group (order by x desc)"), "3\n1\n");
  EXPECT_EQ(total("dense_rank(2) within group (order by x desc)"), "2\n1\n");
  EXPECT_EQ(total("rank(2) within group (order by x)"), "2\n2\n");
  EXPECT_EQ(total("percent_rank(2) within group (order by x desc)"), "0.666667\n0.000000\n");
  EXPECT_EQ(total("cume_dist(2.5) within group (order by x desc)"), "0.750000\n0.333333\n");
}

TEST(StandardForms, RoundIsAsMoneyIsRounded) {
  EXPECT_EQ(figure("round(x, 1)"), "1.3\n2.5\n2.5\n-2.5\n\n");
  EXPECT_EQ(figure("round(x)"), "1\n3\n3\n-3\n\n");
  EXPECT_EQ(figure("round(f)"), "1\n2\n\n3\n5\n");
  EXPECT_EQ(figure("round(x * 100, -2)"), "100\n300\n300\n-300\n\n");
  EXPECT_EQ(figure("round(x, 4)"), "1.2500\n2.5000\n2.5000\n-2.5000\n\n");
  EXPECT_TRUE(has(figure("round(x, id)"), "the same for every row"));
}

TEST(StandardForms, WidthBucket) {
  EXPECT_EQ(figure("width_bucket(x, 0, 5, 4)"), "2\n3\n3\n0\n\n");
  EXPECT_EQ(figure("width_bucket(x, 1.25, 2.5, 3)"), "1\n4\n4\n0\n\n");
  EXPECT_EQ(figure("width_bucket(x, 5, 0, 4)"), "4\n3\n3\n5\n\n");
  EXPECT_EQ(figure("width_bucket(f, 0, 4, 4)"), "1\n2\n\n3\n5\n");
  EXPECT_TRUE(has(figure("width_bucket(x, 1, 1, 4)"), "has no parts"));
}

TEST(StandardForms, LogarithmsAndMoments) {
  EXPECT_EQ(figure("round(cast(log(2, 8) as decimal), 6)").substr(0, 9), "3.000000\n");
  EXPECT_EQ(figure("log10(1000)").substr(0, 2), "3\n");
  EXPECT_EQ(figure("interval '1' month + d"), "2025-02-28\n2025-03-28\n2025-04-01\n\n2025-04-05\n");
  EXPECT_EQ(figure("extract(hour from (at - timestamp '2025-03-01 10:00:00') hour)"), "0\n2\n14\n0\n\n");
  EXPECT_EQ(figure("extract(minute from (at - timestamp '2025-03-01 10:00:00') minute)"), "0\n150\n840\n0\n\n");
  EXPECT_TRUE(has(figure("extract(hour from (at - timestamp '2025-03-01 10:00:00') day)"), "its own unit"));
}

TEST(StandardForms, NearWordsLeadToOurs) {
  EXPECT_TRUE(has(figure("date_trunc('month', d)"), "try: start_of('month', ordered_on)"));
  EXPECT_TRUE(has(figure("length(word)"), "try: char_length(text)"));
  EXPECT_TRUE(has(figure("extract(week from d)"), "try: iso_week(ordered_on)"));
  EXPECT_TRUE(has(figure("id % 2"), "mod(a, b)"));
  EXPECT_TRUE(has(figure("sum(x) as t"), "--total"));
  EXPECT_TRUE(has(figure("abz(x)"), "nearest: abs"));
}
