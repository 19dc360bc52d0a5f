// Answers that used to mislead, and traps that stayed silent: each test is named by what the user sees now, and has a
// clean twin that stays silent.
#include <gtest/gtest.h>

#include "support/process.hpp"

using support::lofty;
using support::Ran;
using support::Scratch;

namespace {

const char* const lines =
    "line_no,shop_no,on,amount,status\n"
    "1,1,2025-03-01,10,Paid\n"
    "2,1,2025-03-01,20,Paid\n"
    "3,2,2025-03-03,5,Cancelled\n"
    "4,2,2025-03-04,7,paid \n"
    "5,3,2025-04-02,30,\n";
const char* const shops = "shop_no,shop,valley\n1,North,A\n2,South,A\n3,North,B\n4,West,B\n";

// All that is said, with its lines joined.
struct Said {
  std::string text;
  bool has(const std::string& part) const { return text.find(part) != std::string::npos; }
};
std::ostream& operator<<(std::ostream& out, const Said& said) { return out << said.text; }

class NotMisled : public testing::Test {
 protected:
  NotMisled() {
    s.file("lines.csv", lines);
    s.file("shops.csv", shops);
  }
  Said said(std::vector<std::string> options) {
    options.insert(options.begin(), {"rank", "lines.csv"});
    const Ran ran = lofty(options, s.path());
    std::string out = ran.out + "\n" + ran.err;
    for (std::size_t at = 0; (at = out.find("\n  ", at)) != std::string::npos;) out.replace(at, 3, " ");
    return {out};
  }
  std::string csv(std::vector<std::string> options) {
    options.insert(options.begin(), {"rank", "lines.csv"});
    options.insert(options.end(), {"--to", "csv", "--remarks", "none"});
    const Ran ran = lofty(options, s.path());
    return ran.status == 0 ? ran.out : ran.err;
  }
  const Scratch s;
};

const std::vector<std::string> by_shop = {"--each", "shop_no", "--total", "n=count(*)", "--total", "spend=sum(amount)"};
std::vector<std::string> with(std::vector<std::string> a, const std::vector<std::string>& b) {
  a.insert(a.end(), b.begin(), b.end());
  return a;
}

}  // namespace

// ---- texts that do not occur

TEST_F(NotMisled, AStatusThatNoLineHasIsSaidWithTheNearest) {
  EXPECT_TRUE(
      said({"--where", "status <> 'Canceled'", "--by", "amount desc"})
          .has("value-absent: `status <> 'Canceled'`: no line has the `status` `Canceled`; nearest: `Cancelled` "
               "(1 line)"));
  EXPECT_TRUE(
      said({"--where", "status = 'paid'", "--by", "amount desc"})
          .has("no line has the `status` `paid`; `Paid` (2 lines) and `paid ` (1 line) differ in case or blanks "
               "only"));
  EXPECT_TRUE(said({"--where", "status = 'Paid'", "--by", "amount desc"})
                  .has("`paid ` (1 line) differs in case or blanks only, and is another text"));
  EXPECT_FALSE(said({"--where", "status = 'Cancelled'", "--by", "amount desc"}).has("value-absent"));
}

TEST_F(NotMisled, ThatIsSaidOfListsPatternsFiltersAndCases) {
  EXPECT_TRUE(said({"--where", "status in ('Cancelled', 'Piad')", "--by", "amount desc"}).has("nearest: `Paid`"));
  EXPECT_TRUE(
      said({"--where", "status not like 'C%x'", "--by", "amount desc"}).has("no line has a `status` like `C%x`"));
  EXPECT_FALSE(said({"--where", "status like 'C%'", "--by", "amount desc"}).has("value-absent"));
  EXPECT_TRUE(said(with(by_shop, {"--total", "c=count(*) filter (where status = 'Canceled')", "--by", "n desc"}))
                  .has("no line has the `status` `Canceled`"));
  EXPECT_TRUE(said({"--figure", "k=case when status = 'Canceled' then 0 else amount end", "--by", "k desc"})
                  .has("no line has the `status` `Canceled`"));
  EXPECT_TRUE(said(with(by_shop, {"--join", "shops.csv on shop_no", "--columns", "rank,shop_no,shop,n", "--by",
                                  "n desc", "--keep-where", "shop = 'Noth'"}))
                  .has("no shop has the `shop` `Noth`; nearest: `North` (2 shops)"));
}

// ---- the order of the input

TEST_F(NotMisled, LinesOfOneDayDecideLagSilentlyNoMore) {
  const auto lag = [&](const std::string& order) {
    return said(
        {"--figure", "b=lag(amount) over (partition by shop_no order by " + order + ")", "--by", "line_no asc"});
  };
  EXPECT_TRUE(
      lag("on").has("input-decides: 2 lines are equal along `on` (line 2 of lines.csv and line 3 of lines.csv "
                    "for two), so that the order of the input decides `lag(amount) over (partition by shop_no "
                    "order by on)`; `line_no` as a further key in `order by` would settle it"));
  EXPECT_FALSE(lag("on, line_no").has("input-decides"));
  EXPECT_TRUE(said({"--figure", "r=row_number() over (order by on)", "--by", "line_no asc"}).has("input-decides"));
  EXPECT_TRUE(said({"--figure", "r=sum(amount) over (order by on rows unbounded preceding)", "--by", "line_no asc"})
                  .has("input-decides"));
  // Peers that agree in what is seen change nothing; nor do those that the function does not look at.
  EXPECT_FALSE(said({"--figure", "r=lag(status) over (partition by shop_no order by on)", "--by", "line_no asc"})
                   .has("input-decides"));
  EXPECT_FALSE(said({"--figure", "r=sum(amount) over (order by on)", "--by", "line_no asc"}).has("input-decides"));
  EXPECT_FALSE(said({"--figure",
                     "r=last_value(amount) over (order by on rows between unbounded preceding and unbounded "
                     "following)",
                     "--by", "line_no asc"})
                   .has("input-decides"));
}

TEST_F(NotMisled, FirstValuesOfATieAreSaid) {
  const auto first = [&](const std::string& order) {
    return said(with(
        by_shop, {"--total", "f=first_value(amount) within group (order by " + order + ")", "--by", "shop_no asc"}));
  };
  EXPECT_TRUE(
      first("on").has("input-decides: for 1 shop several rows are equal on `on` (line 2 of lines.csv and line 3 "
                      "of lines.csv for two)"));
  EXPECT_FALSE(first("on, line_no").has("input-decides"));
}

// ---- entries without rows

TEST_F(NotMisled, EveryShopIsListedWhateverCounts) {
  const std::vector<std::string> march = {"--where", "on <= date '2025-03-31'", "--join", "shops.csv on shop_no"};
  EXPECT_EQ(csv(with(with(by_shop, march), {"--include", "shops", "--columns", "rank,shop_no,shop,n,spend", "--by",
                                            "n desc", "--tiebreak", "shop_no"})),
            "rank,shop_no,shop,n,spend\n1,1,North,2,30\n1,2,South,2,12\n3,3,North,0,\n3,4,West,0,\n");
  // An inner join lists them too, and leaves out what has no partner.
  EXPECT_EQ(csv(with(by_shop, {"--where", "on <= date '2025-03-31'", "--join", "inner shops.csv on shop_no",
                               "--include", "shops", "--by", "n desc", "--columns", "shop_no,n"})),
            "shop_no,n\n1,2\n2,2\n3,0\n4,0\n");
  EXPECT_TRUE(said(with(with(by_shop, march), {"--include", "shops", "--by", "n desc"}))
                  .has("entries-without-rows: 1 shop of shops.csv has no lines: shop_no (4); with totals over no rows, "
                       "it is an entry"));
}

TEST_F(NotMisled, GroupsWithoutRowsAreThereToo) {
  EXPECT_EQ(csv({"--join", "shops.csv on shop_no", "--where", "shop_no = 1", "--each", "valley", "--total",
                 "n=count(*)", "--include", "shops", "--by", "n desc"}),
            "rank,valley,n\n1,A,2\n2,B,0\n");
}

TEST_F(NotMisled, IncludeSaysWhichKeysAreNotTheTables) {
  EXPECT_TRUE(said({"--join", "shops.csv on shop_no", "--each", "shop_no,status", "--total", "n=count(*)", "--by",
                    "n desc", "--include", "shops"})
                  .has("`status` is no column of `shops`"));
  EXPECT_TRUE(said({"--join", "shops.csv on shop_no", "--each", "shop_no", "--total", "n=count(*)", "--by", "n desc",
                    "--include", "shpos"})
                  .has("nearest: shops"));
  EXPECT_TRUE(said({"--join", "right shops.csv on shop_no", "--each", "shop_no", "--total", "n=count(*)", "--by",
                    "n desc", "--include", "shops"})
                  .has("a right join of `shops` lets rows in that count as one"));
}

TEST_F(NotMisled, DaysWithoutSalesAreDays) {
  const std::vector<std::string> days = {
      "--each",  "on", "--fill", "day",   "--total", "q=coalesce(sum(amount), 0)", "--where", "on < date '2025-03-31'",
      "--order", "on", "--by",   "q desc"};
  EXPECT_EQ(csv(with(days, {"--columns", "on,q"})), "on,q\n2025-03-01,30\n2025-03-02,0\n2025-03-03,5\n2025-03-04,7\n");
  // An average over days divides by days.
  EXPECT_EQ(csv(with(days, {"--columns", "on,m", "--window",
                            "m=avg(q) over (order by on rows between 1 preceding and current row)"})),
            "on,m\n2025-03-01,30.000000\n2025-03-02,15.000000\n2025-03-03,2.500000\n2025-03-04,6.000000\n");
  // From the first to the last day of the period in force, for each shop that occurs.
  EXPECT_EQ(
      csv({"--period", "p: on from 2025-03-03 through 2025-03-05", "--where", "p", "--each", "shop_no,on", "--fill",
           "day", "--total", "n=count(*)", "--by", "n desc", "--order", "shop_no, on", "--columns", "shop_no,on,n"}),
      "shop_no,on,n\n2,2025-03-03,1\n2,2025-03-04,1\n2,2025-03-05,0\n");
}

TEST_F(NotMisled, MonthsWithoutSalesAreMonths) {
  // Without other keys the units of a period are known even where no row counts.
  EXPECT_EQ(csv({"--period", "p: on from 2026-01-01 through 2026-01-02", "--where", "p", "--each", "on", "--fill",
                 "day", "--total", "n=count(*)", "--by", "n desc"}),
            "rank,on,n\n1,2026-01-01,0\n1,2026-01-02,0\n");
  EXPECT_EQ(csv({"--figure", "m=start_of('month', on)", "--each", "shop_no,m", "--fill", "month", "--total",
                 "n=count(*)", "--by", "n desc", "--order", "shop_no, m", "--columns", "shop_no,m,n"}),
            "shop_no,m,n\n1,2025-03-01,2\n1,2025-04-01,0\n2,2025-03-01,2\n2,2025-04-01,0\n3,2025-03-01,0\n3,2025-04-01,"
            "1\n");
  EXPECT_TRUE(said({"--each", "on", "--fill", "month", "--total", "n=count(*)", "--by", "n desc"})
                  .has("`on` does not hold the first days of months"));
  EXPECT_TRUE(said({"--each", "shop_no", "--fill", "day", "--total", "n=count(*)", "--by", "n desc"})
                  .has("`fill` needs exactly one column of dates in `each`, and there is none"));
}

// ---- what was left, and why

TEST_F(NotMisled, HavingThatDropsAllIsNotALackOfRows) {
  const Said nothing = said(with(by_shop, {"--having", "n > 100", "--by", "n desc"}));
  EXPECT_TRUE(nothing.has("nothing-left: no shop is left: `n > 100` holds for none of 3"));
  EXPECT_FALSE(nothing.has("nothing-counts"));
  EXPECT_TRUE(said(with(by_shop, {"--where", "amount > 100", "--by", "n desc"})).has("nothing-counts"));
}

TEST_F(NotMisled, FiltersOverBlanksAreCountedAsConditionsAre) {
  EXPECT_TRUE(said(with(by_shop, {"--total", "p=count(*) filter (where status = 'Paid')", "--by", "n desc"}))
                  .has("unknown-condition: for 1 line the filter `status = 'Paid'` is neither true nor false"));
  EXPECT_FALSE(said(with(by_shop, {"--total", "p=count(*) filter (where amount > 5)", "--by", "n desc"}))
                   .has("unknown-condition"));
}

TEST_F(NotMisled, NamesakesWithoutTheirNumberAreSaid) {
  const std::vector<std::string> joined = with(by_shop, {"--join", "shops.csv on shop_no", "--by", "n desc"});
  EXPECT_TRUE(said(with(joined, {"--columns", "rank,shop,n"}))
                  .has("namesakes: several shops that are listed have the name `North`; with `shop_no` in list.columns "
                       "they can be told apart"));
  EXPECT_FALSE(said(with(joined, {"--columns", "rank,shop_no,shop,n"})).has("namesakes"));
}

TEST_F(NotMisled, FirstAndLastDoNotChangeTheOthersLine) {
  const auto line = [&](const std::vector<std::string>& more) {
    const std::string text =
        said(with(with(by_shop, {"--by", "spend desc", "--best", "2", "--others", "--cut", "strict"}), more)).text;
    const std::size_t at = text.find("others, ");
    return at == std::string::npos ? std::string("none") : text.substr(at, text.find('\n', at) - at);
  };
  EXPECT_EQ(line({"--first", "1"}), line({}));
}

TEST_F(NotMisled, RunningAndSharingAreBothSaid) {
  const Said both = said({"--figure", "r=sum(amount) over (order by on)", "--by", "line_no asc"});
  EXPECT_TRUE(both.has("peers-share") && both.has("running-not-total")) << both;
  const Said all_peers = said({"--figure", "r=sum(amount) over (partition by on order by on)", "--by", "line_no asc"});
  EXPECT_TRUE(all_peers.has("peers-share") && !all_peers.has("running-not-total")) << all_peers;
}

TEST_F(NotMisled, SharesByWindowsWarnOfNegativeTotals) {
  s.file("lines.csv", "shop_no,amount\n1,10\n2,-3\n3,5\n");
  const std::vector<std::string> spend = {"--each", "shop_no", "--total", "spend=sum(amount)", "--by", "spend desc"};
  EXPECT_TRUE(said(with(spend, {"--window", "share=spend / sum(spend) over ()"}))
                  .has("negative-in-share: 1 shop has a negative `spend` (shop_no 2: -3)"));
  EXPECT_TRUE(said(with(spend, {"--window", "r=sum(spend) over (order by spend desc) / sum(spend) over ()"}))
                  .has("negative-in-share"));
  EXPECT_FALSE(said(with(spend, {"--window", "d=spend - avg(spend) over ()"})).has("negative-in-share"));
}

TEST_F(NotMisled, AMonthThatIsNotOverIsSaid) {
  const auto period = [&](const std::string& text) {
    return said(with(by_shop, {"--period", "p: " + text, "--where", "p", "--by", "n desc"}));
  };
  EXPECT_TRUE(period("last 2 months of on")
                  .has("last-unit-incomplete: the last month of `p` is not complete: it has 2 "
                       "of 30 days"));
  EXPECT_FALSE(period("last 1 month of on, whole").has("last-unit-incomplete"));
  EXPECT_FALSE(period("last 2 months of on, ends 2025-04-30").has("last-unit-incomplete"));
}

// ---- compare

TEST_F(NotMisled, TheStretchBeforeIsComparedWithOneOption) {
  const std::string answer = csv(with(by_shop, {"--period", "p: last 1 month of on, ends 2025-04-30", "--where", "p",
                                                "--by", "spend desc", "--compare", "p"}));
  EXPECT_EQ(answer,
            "rank,was,moved,value_before,value_change,shop_no,n,spend\n1,,,,,3,1,30\n,1,,30,,1,,\n,2,,12,,2,,\n");
  EXPECT_TRUE(said(with(by_shop, {"--by", "spend desc", "--compare", "q"})).has("there is no period `q`"));
  EXPECT_TRUE(said(with(by_shop, {"--by", "spend desc", "--compare", "q"})).has("try: --period 'recent: last 1 month"));
}

TEST_F(NotMisled, ListFirstMakesNobodyLeave) {
  const Said first = said(with(by_shop, {"--period", "p: last 1 month of on, whole, ends 2025-03-31", "--where", "p",
                                         "--by", "spend desc", "--compare", "p", "--first", "1"}));
  EXPECT_FALSE(first.has("no longer listed"));
}

TEST_F(NotMisled, BestFiveAgainstFullStandingsNamesNobodyWhoWasFifteenth) {
  lofty(with({"rank", "lines.csv"}, with(by_shop, {"--by", "spend desc", "--save-standings", "a.standings.json"})),
        s.path());
  s.file("c.ladder.toml",
         "[data]\nfrom = \"lines.csv\"\n[totals]\nspend = \"sum(amount)\"\n[rank]\neach = [\"shop_no\"]\nby = \"spend "
         "desc\"\n[keep]\nbest = 1\n[compare]\nwith = \"a.standings.json\"\n");
  const Ran ran = lofty({"rank", "c.ladder.toml"}, s.path());
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_EQ(ran.out.find("no longer listed"), std::string::npos) << ran.out;
}

// ---- the rest

TEST_F(NotMisled, BestTenPercentIsRoundedUp) {
  EXPECT_EQ(csv(with(by_shop, {"--by", "spend desc", "--best", "34 %", "--cut", "strict", "--columns", "shop_no",
                               "--tiebreak", "shop_no"})),
            "shop_no\n1\n3\n");
  EXPECT_TRUE(said(with(by_shop, {"--by", "spend desc", "--best", "0 %"})).has("is no part of the entries"));
  EXPECT_TRUE(said(with(by_shop, {"--by", "spend desc", "--best", "ten"})).has("neither a whole number from 1 on"));
}

TEST_F(NotMisled, YearsMayBeginInApril) {
  const std::string years = csv({"--figure", "y=start_of('year', on)", "--figure", "q=quarter(on)", "--first-month",
                                 "4", "--by", "line_no asc", "--columns", "line_no,y,q"});
  EXPECT_EQ(years, "line_no,y,q\n1,2024-04-01,4\n2,2024-04-01,4\n3,2024-04-01,4\n4,2024-04-01,4\n5,2025-04-01,1\n");
  EXPECT_TRUE(said({"--first-month", "4", "--by", "line_no asc"}).has("Years begin in April."));
  EXPECT_TRUE(said({"--first-month", "13", "--by", "line_no asc"}).has("which is no month"));
}

TEST_F(NotMisled, WhySaysWhereALineIsNoEntry) {
  s.file("l.ladder.toml",
         "[data]\nfrom = \"lines.csv\"\n[totals]\nn = \"count(*)\"\n[rank]\neach = [\"shop_no\"]\nby = \"n desc\"\n");
  const Ran ran = lofty({"why", "l.ladder.toml", "line 4 of lines.csv"}, s.path());
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.err.find("a line is no entry of this ladder"), std::string::npos) << ran.err;
}

TEST_F(NotMisled, WhyTakesTheLineThatAMessageNames) {
  s.file("l.ladder.toml", "[data]\nfrom = \"lines.csv\"\n[rank]\nby = \"amount desc\"\n");
  const Ran ran = lofty({"why", "l.ladder.toml", "line 4 of lines.csv"}, s.path());
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_NE(ran.out.find("line 4 of lines.csv"), std::string::npos) << ran.out;
  EXPECT_NE(lofty({"why", "l.ladder.toml", "line 99"}, s.path()).err.find("no row begins on line 99"),
            std::string::npos);
}

// ---- types and values

TEST_F(NotMisled, CastsHaveTheSizesThatTheyName) {
  EXPECT_EQ(csv({"--figure", "c=cast(status as varchar(2))", "--order", "line_no", "--columns", "c"}),
            "c\nPa\nPa\nCa\npa\n\n");
  EXPECT_TRUE(said({"--figure", "c=cast(amount * 10 as decimal(4, 2))", "--order", "line_no"})
                  .has("100 is out of range for `cast(amount * 10 as decimal(4, 2))`"));
  EXPECT_TRUE(said({"--figure", "c=cast(amount * 10000 as smallint)", "--order", "line_no"}).has("out of range"));
  EXPECT_EQ(csv({"--figure", "c=cast(amount as decimal(4, 2))", "--order", "line_no", "--columns", "c", "--best", "1",
                 "--by", "line_no asc"}),
            "c\n10.00\n");
}

TEST_F(NotMisled, NothingLaterIsTheSameMomentInTheHourThatComesTwice) {
  s.file("lines.csv", "id,at\n1,2025-10-26T01:30:00Z\n2,2025-10-26T00:30:00Z\n");
  EXPECT_EQ(csv({"--zone", "Europe/Oslo", "--figure", "n=extract(minute from ((at + interval '0' day) - at) minute)",
                 "--order", "id", "--columns", "n"}),
            "n\n0\n0\n");
}

TEST_F(NotMisled, ADeclaredTimestampKeepsItsOffset) {
  s.file("lines.csv", "id,at\n1,2025-03-01T12:00:00+02:00\n");
  EXPECT_EQ(csv({"--column", "at: type timestamp", "--zone", "Europe/Oslo", "--order", "id"}),
            csv({"--zone", "Europe/Oslo", "--order", "id"}));
}

TEST_F(NotMisled, TheMiddleTextIsTheSameInTotalsAndWindows) {
  s.file("lines.csv", "k,w\na,Zoo\na,apple\na,\u00E4pfel\n");
  EXPECT_EQ(csv({"--each", "k", "--total", "m=percentile_disc(0.3) within group (order by w)", "--order", "k",
                 "--columns", "m"}),
            "m\n\u00E4pfel\n");
  EXPECT_EQ(csv({"--figure", "m=percentile_disc(0.3) within group (order by w) over (partition by k)", "--order", "m",
                 "--columns", "m", "--first", "1"}),
            "m\n\u00E4pfel\n");
  EXPECT_EQ(csv({"--each", "k", "--total", "m=percentile_disc(0.3) within group (order by w)", "--put-first", "w=Zoo",
                 "--order", "k", "--columns", "m"}),
            "m\nZoo\n");
}

TEST_F(NotMisled, ExpectAcceptsItsOwnOutput) {
  s.file("lines.csv", "id,a,b\n1,x,1\n2,x,2\n3,y,3\n");
  const std::vector<std::string> rank = {"rank",      "lines.csv", "--figure", "big=b > 1",
                                         "--columns", "a,big",     "--by",     "b desc"};
  lofty(with(rank, {"--to", "own.csv"}), s.path());
  EXPECT_EQ(lofty(with(rank, {"--expect", "own.csv"}), s.path()).status, 0);
  lofty(with(rank, {"--to", "own.sqlite#own"}), s.path());
  const Ran ran = lofty(with(rank, {"--expect", "own.sqlite#own"}), s.path());
  EXPECT_EQ(ran.status, 0) << ran.out << ran.err;
}

TEST_F(NotMisled, RunningSharesLeaveNullOut) {
  const std::string shares =
      csv(with(by_shop, {"--total", "p=sum(amount) filter (where shop_no <> 2)", "--by", "n desc", "--tiebreak",
                         "shop_no", "--also", "r=running share of p", "--columns", "shop_no,r"}));
  EXPECT_EQ(shares, "shop_no,r\n1,0.500000\n2,\n3,1.000000\n");
}

TEST_F(NotMisled, NullsFirstOnTheFirstKeyIsExplained) {
  EXPECT_TRUE(said(with(by_shop, {"--by", "spend desc nulls first"})).has("has no place, so that `nulls first` puts"));
  EXPECT_FALSE(said(with(by_shop, {"--by", "n desc, spend desc nulls first"})).has("puts nothing first"));
}

TEST_F(NotMisled, RowsThatWerePastedTwiceAreSaidByRankToo) {
  s.file("lines.csv", std::string(lines) + "3,2,2025-03-03,5,Cancelled\n");
  EXPECT_TRUE(
      said(with(by_shop, {"--by", "n desc"}))
          .has("duplicate-rows: 1 row of lines.csv equals an earlier one in every column, and counts again (line "
               "7 is as line 4)"));
  s.file("lines.csv", lines);
  EXPECT_FALSE(said(with(by_shop, {"--by", "n desc"})).has("duplicate-rows"));
}

TEST_F(NotMisled, AllMisspellingsComeAtOnce) {
  s.file("m.ladder.toml",
         "[data]\nfrom = \"lines.csv\"\n[figures]\na = \"amonut * 2\"\n[totals]\nt = \"summ(a)\"\n[rank]\neach = "
         "[\"shop_no\"]\nby = \"t desc\"\nties = \"dens\"\ntiebraek = \"shop_no\"\n");
  const Ran ran = lofty({"check", "m.ladder.toml"}, s.path());
  for (const char* part : {"not `dens`", "no key `tiebraek`", "no column `amonut`", "no function `summ`"})
    EXPECT_NE((ran.out + ran.err).find(part), std::string::npos) << part << "\n" << ran.out << ran.err;
}

TEST_F(NotMisled, UnpricedLinesAreNamedByTheListedShops) {
  s.file("lines.csv", "shop_no,amount\n1,10\n1,\n2,20\n3,\n");
  EXPECT_TRUE(said(with(by_shop, {"--by", "spend desc", "--best", "2"})).has("; of the listed, shop_no 1 (1 line)"));
  EXPECT_FALSE(said(with(by_shop, {"--by", "spend desc", "--best", "1"})).has("of the listed"));
}

TEST_F(NotMisled, ShortFramesAreSilentOnceTheyAreLeftOut) {
  const std::vector<std::string> frame = {
      "--figure", "m=avg(amount) over (order by line_no rows between 1 preceding and current row)",
      "--figure", "r=row_number() over (order by line_no)",
      "--by",     "line_no asc"};
  EXPECT_TRUE(said(frame).has("short-frames"));
  EXPECT_FALSE(said(with(frame, {"--keep-where", "r > 1"})).has("short-frames"));
}

TEST_F(NotMisled, NamesAreBareOrQuotedEverywhere) {
  s.file("lines.csv", "Shop No,n\n1,2\n1,3\n2,9\n");
  const std::string expected = "rank,Shop No,t\n1,2,9\n2,1,5\n";
  for (const char* each : {"Shop No", "\"Shop No\""}) {
    EXPECT_EQ(
        csv({"--each", each, "--total", "t=sum(n)", "--by", "t desc", "--columns", std::string("rank,") + each + ",t"}),
        expected);
  }
  EXPECT_TRUE(said({"--figure", "v=Shop No * 2", "--by", "n desc"}).has("\"Shop No\""));
}

TEST_F(NotMisled, StandingsOfAnotherMeasureOrOtherEntriesAreRefused) {
  lofty(with({"rank", "lines.csv"}, with(by_shop, {"--by", "n desc", "--save-standings", "n.standings.json"})),
        s.path());
  lofty({"rank", "lines.csv", "--each", "shop_no,status", "--total", "spend=sum(amount)", "--by", "spend desc",
         "--save-standings", "pairs.standings.json"},
        s.path());
  lofty(with({"rank", "lines.csv"}, with(by_shop, {"--by", "spend desc", "--save-standings", "a.standings.json"})),
        s.path());
  const auto compared = [&](const std::string& with_file) {
    s.file("c.ladder.toml",
           "[data]\nfrom = \"lines.csv\"\n[totals]\nspend = \"sum(amount)\"\n[rank]\neach = [\"shop_no\"]\nby = "
           "\"spend desc\"\n[compare]\nwith = \"" +
               with_file + "\"\n");
    Ran ran = lofty({"rank", "c.ladder.toml"}, s.path());
    for (std::size_t at = 0; (at = ran.err.find("\n  ", at)) != std::string::npos;) ran.err.replace(at, 3, " ");
    return ran;
  };
  EXPECT_NE(compared("n.standings.json").err.find("go by `n desc`, and these by `spend desc`"), std::string::npos);
  EXPECT_NE(compared("pairs.standings.json").err.find("are told apart by `shop_no, status`, and these by `shop_no`"),
            std::string::npos);
  EXPECT_EQ(compared("a.standings.json").status, 0);
  // Names are the same in any case.
  s.file("c.ladder.toml",
         "[data]\nfrom = \"lines.csv\"\n[totals]\nspend = \"sum(amount)\"\n[rank]\neach = [\"shop_no\"]\nby = "
         "\"Spend desc\"\n[compare]\nwith = \"a.standings.json\"\n");
  EXPECT_EQ(lofty({"rank", "c.ladder.toml"}, s.path()).status, 0);
}

TEST_F(NotMisled, BlankColumnsAreOfTheTypeThatAFormulaNeeds) {
  s.file("lines.csv", "id,q,price,on,word\n1,2,,,\n2,3,,,\n");
  EXPECT_EQ(csv({"--figure", "a=q * price", "--figure", "b=coalesce(price, 7) + q", "--figure",
                 "c=case when on < date '2025-01-01' then 1 else 0 end", "--figure", "d=char_length(word)", "--figure",
                 "e=extract(year from on)", "--order", "id", "--columns", "a,b,c,d,e"}),
            "a,b,c,d,e\n,9,0,,\n,10,0,,\n");
  EXPECT_EQ(csv({"--each", "id", "--total", "s=sum(price)", "--total", "m=median(price)", "--order", "id", "--columns",
                 "s,m"}),
            "s,m\n,\n,\n");
  // A table with headings only.
  s.file("lines.csv", "id,q,price,on\n");
  const Said none = said({"--period", "p: last 30 days of on", "--where", "p", "--each", "id", "--total",
                          "s=sum(q * price)", "--by", "s desc"});
  EXPECT_TRUE(none.has("the table has no rows")) << none;
  // Text stays text.
  s.file("lines.csv", "id,word\n1,a\n");
  EXPECT_TRUE(said({"--figure", "v=word * 2", "--by", "v desc"}).has("is text"));
}

TEST_F(NotMisled, MessagesSayWhereAndWhat) {
  s.file("lines.csv", "k,x\na,99999999999999999999999999999999999999\na,99999999999999999999999999999999999998\n");
  for (const Said& median : {said({"--each", "k", "--total", "m=median(x)", "--by", "m desc"}),
                             said({"--figure", "m=median(x) over ()", "--by", "m desc"})}) {
    EXPECT_TRUE(median.has("m: a value between two others has more than 38 digits")) << median;
    EXPECT_FALSE(median.has("sum")) << median;
  }
  EXPECT_TRUE(said({"--figure", "n=ntile(cast('x' as integer)) over (order by k)", "--by", "n asc"})
                  .has("--figure n: 'x' cannot become an integer"));
  EXPECT_TRUE(said({"--figure", "n=ntile(0) over (order by k)", "--by", "n asc"})
                  .has("the number of tiers is a whole number from 1 to"));
}

// A row is called by its number in the file: the line of a text, the row of the sheet.
TEST_F(NotMisled, RowsAreCalledAsTheirFileHasThem) {
  const auto about = [&](const std::string& table) {
    Ran ran = lofty({"rank", table, "--by", "a desc"}, s.path());
    for (std::size_t at = 0; (at = ran.err.find("\n  ", at)) != std::string::npos;) ran.err.replace(at, 3, " ");
    return Said{ran.err};
  };
  s.file("t.csv", "a,b\n1,x\n,y\n");
  s.file("t.jsonl", "{\"a\": 1, \"b\": \"x\"}\n\n{\"a\": null, \"b\": \"y\"}\n");
  for (const char* const to : {"t.xlsx", "t.sqlite#t"})
    ASSERT_EQ(lofty({"rank", "t.csv", "--remarks", "none", "--to", to}, s.path()).status, 0);
  const std::pair<const char*, const char*> tables[] = {
      {"t.csv", "line 3"}, {"t.jsonl", "line 3"}, {"t.xlsx", "row 3"}, {"t.sqlite#t", "row 2"}};
  for (const auto& [table, row] : tables) {
    EXPECT_TRUE(about(table).has("`a` is null: " + std::string(row) + " of " + table)) << about(table);

    // why takes the same name, and says which word is right.
    s.file("t.ladder.toml", "[data]\nfrom = \"" + std::string(table) + "\"\n[rank]\nby = \"a desc\"\n");
    const Ran why = lofty({"why", "t.ladder.toml", row}, s.path());
    EXPECT_EQ(why.status, 0) << why.err;
    EXPECT_NE(why.out.find("none, because `a` is null"), std::string::npos) << why.out;
    const bool by_line = std::string(row).starts_with("line");
    const Said other{lofty({"why", "t.ladder.toml", by_line ? "row 2" : "line 2"}, s.path()).err};
    EXPECT_TRUE(other.has(by_line ? "has numbered lines, not rows" : "has numbered rows, not lines")) << other;
    EXPECT_TRUE(other.has(by_line ? "nearest: line 2" : "nearest: row 2")) << other;
    const Said elsewhere{lofty({"why", "t.ladder.toml", std::string(row) + " of u.csv"}, s.path()).err};
    EXPECT_TRUE(elsewhere.has("the table is " + std::string(table))) << elsewhere;
    EXPECT_EQ(lofty({"why", "t.ladder.toml", std::string(row) + " of " + table}, s.path()).status, 0);
    EXPECT_EQ(lofty({"why", "t.ladder.toml", by_line ? "line 9" : "row 9"}, s.path()).status, 2);
  }
}
