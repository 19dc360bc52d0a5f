#include "lofty/ladder_file.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <algorithm>

#include "support/process.hpp"
#include "support/tables.hpp"

using namespace lofty;

namespace {

std::vector<Problem> problems_of(const std::string& toml) {
  try {
    read_ladder(toml, "x.ladder.toml");
  } catch (const Error& error) {
    return error.problems();
  }
  return {};
}

}  // namespace

TEST(LadderFile, ReadsEveryKeyOfThisVersion) {
  const Ladder l = read_ladder(R"toml(
title = "Best"
[data]
from = "a.csv"
as = "lines"
nulls = ["-"]
header = ["x", "y"]
delimiter = ";"
ragged = "null"
columns.x.type = "decimal"
[[data.join]]
with = "b.csv"
on = ["x = z", "y"]
as = "other"
[choices]
days = { value = 30, unit = "days", label = "how far back", least = 1, most = 400 }
rate = 1.50
state = { value = "paid", among = ["paid", "open"] }
since = 2025-03-31
at = 2025-03-31T14:05:00
on = true
[figures]
zeta = "x * 2"
alpha = "zeta + 1"
[rows]
where = "x > 1"
[totals]
spend = "sum(zeta)"
[rank]
each = ["x"]
within = ["y"]
by = "spend desc"
tiebreak = "y"
ties = "dense"
also = { second = "modified", first = "ordinal" }
rank_as = "place"
[keep]
best = 3
cut = "strict"
[list]
order = "input"
columns = ["place", "spend"]
headings = { spend = "Spend so far" }
)toml",
                               "x")
                       .ladder;
  EXPECT_EQ(l.title, "Best");
  EXPECT_EQ(l.data.read.delimiter, ';');
  EXPECT_TRUE(l.data.read.ragged_as_null);
  EXPECT_EQ(l.data.read.columns[0].type, Kind::decimal);
  EXPECT_EQ(l.data.joins[0].on, (std::vector<std::string>{"x = z", "y"}));
  ASSERT_EQ(l.choices.size(), 6u);
  EXPECT_EQ(l.choices[0].name, "days");            // in the order of the file
  EXPECT_EQ(to_text(l.choices[1].value), "1.50");  // from the text: both decimals are kept
  EXPECT_EQ(to_text(l.choices[3].value), "2025-03-31");
  EXPECT_EQ(to_text(l.choices[4].value), "2025-03-31 14:05:00");
  EXPECT_EQ(l.figures[0].name, "zeta");
  EXPECT_EQ(l.levels[0].ties, Ties::dense);
  EXPECT_EQ(l.levels[0].also, (std::vector<Also>{{"second", Ties::modified}, {"first", Ties::ordinal}}));
  EXPECT_EQ(*l.levels[0].best, 3u);
  EXPECT_EQ(l.levels[0].cut, Cut::strict);
  EXPECT_EQ(l.list.headings[0].second, "Spend so far");
}

TEST(LadderFile, ProblemsHavePlacesAndNearestWords) {
  const struct {
    const char* toml;
    const char* sentence;
    const char* nearest;
    std::size_t line, column;
  } cases[] = {
      {"[data]\nform = \"a.csv\"\n", "`data` has no key `form`", "from", 2, 1},
      {"[dta]\n", "a ladder has no section `dta`", "data", 1, 2},
      {"[rank]\nties = \"competitive\"\n",
       "`rank.ties` is competition, modified, dense, ordinal or fractional, not `competitive`", "competition", 2, 8},
      {"[keep]\nbest = \"3\"\n", "`keep.best` is a whole number, or a part of the entries", "", 2, 8},
      {"[totals]\nhaving = \"sum(a) > 0\"\n", "`having` is a condition on entries, and a key of [rank]", "", 2, 10},
      {"[keep]\nbest = 0\n", "`keep.best` has to be a whole number from 1 on", "", 2, 8},
      {"[keep]\ncut = \"stric\"\n", "`keep.cut` is with ties or strict, not `stric`", "strict", 2, 7},
      {"[rank]\neach = \"shop\"\n", "`rank.each` has to be a list of texts, like [\"shop_no\"]", "", 2, 8},
      {"[rank]\nby = 3\n", "`rank.by` has to be text in quotes", "", 2, 6},
      {"[rank.also]\np = { share = \"spend\", tiers = 3 }\n", "`rank.also.p` says more than one thing", "", 2, 5},
      {"[rank.also]\np = { tiers = 0 }\n", "`rank.also.p.tiers` has to be a whole number from 1 on", "", 2, 15},
      {"[rank.also]\np = { shares = \"x\", by = \"x asc\" }\n", "`rank.also.p` has no key `shares`", "share", 2, 7},
      {"[rank.also]\np = { percent_rank = false }\n", "`rank.also.p.percent_rank` has to be true", "", 2, 22},
      {"[orderings]\nvalley = [\"a\"]\n", "`orderings.valley` has to be a section, written [orderings.valley]", "", 2,
       10},
      {"[orderings.valley]\nfirst = \"a\"\n", "`orderings.valley.first` has to be a list of values", "", 2, 9},
      {"[orderings.valley]\ntext = \"alphabet\"\n",
       "`orderings.valley.text` is language, natural or code point, not `alphabet`", "", 2, 8},
      {"[data.columns.day]\ntype = \"date\"\nform = \"dmy\"\n", "`data.columns.day` has no key `form`", "", 3, 1},
      {"[list]\nblank_group = \"hid\"\n", "`list.blank_group` is show or hide, not `hid`", "hide", 2, 15},
      {"level = 3\n", "`level` has to be written [[level]]", "", 1, 9},
      {"[[level]]\neach = [\"a\"]\n[[level]]\neech = [\"b\"]\n", "`level[1]` has no key `eech`", "each", 4, 1},
      {"[[level]]\nties = \"dens\"\n",
       "`level[0].ties` is competition, modified, dense, ordinal or fractional, not `dens`", "dense", 2, 8},
      {"[rank]\neach = [\"a\"]\n[[level]]\neach = [\"b\"]\n",
       "[rank] and [keep] are the one level of a ladder that has no [[level]]", "", 1, 1},
      {"[data]\ncolumns.a = { type = \"text\", written = \"1,5 = 1.5\" }\n",
       "`data.columns.a.written` shows a number, and the column is text", "", 2, 40},
      {"[data]\ncolumns.a = { written = \"1/1/2025 = 2025-01-01\" }\n", "`1/1/2025` can mean 2025-01-01 in two ways",
       "", 2, 25},
      {"[data]\ncolumns.a = { type = \"decimal\", thousands = \".\" }\n", "`thousands` is now `written`", "", 2, 33},
      {"[windows]\nshare = 1\n", "`windows.share` has to be a formula in quotes", "", 2, 9},
      {"[named_window]\nw = \"order by a\"\n", "a ladder has no section `named_window`", "named_windows", 1, 2},
      {"[[data.join]]\nwith = \"b\"\non = [\"x\"]\ntype = \"inter\"\n",
       "`data.join[0].type` is left, inner, right or full, not `inter`", "inner", 4, 8},
      {"[choices]\ndays = { unit = \"days\" }\n", "`choices.days` has no value", "", 2, 8},
      {"[data\n", "this is not TOML: Error while parsing table header: expected ']', saw '\\n'", "", 1, 6},
  };
  for (const auto& c : cases) {
    const auto found = problems_of(c.toml);
    ASSERT_EQ(found.size(), 1u) << c.toml;
    EXPECT_EQ(found[0].sentence, c.sentence);
    EXPECT_EQ(found[0].nearest, c.nearest) << c.toml;
    EXPECT_EQ(found[0].location.line, c.line) << c.toml;
    EXPECT_EQ(found[0].location.column, c.column) << c.toml;
  }
  EXPECT_EQ(problems_of("[rank]\nties = \"x\"\nb = 1\n[data]\nzne = \"UTC\"\n").size(), 3u);  // all at once
}

TEST(LadderFile, ASingleLevelHasItsPlacesToo) {
  const LadderText text =
      read_ladder("[data]\nfrom = \"lines\"\n[[level]]\neach = [\"shop_no\"]\nby = \"quantity\"\nbest = 2\n", "one");
  std::vector<Problem> problems = check(text.ladder, support::small_shop());
  text.locate(problems);
  ASSERT_FALSE(problems.empty());
  for (const Problem& p : problems) EXPECT_EQ(p.location.line, 5u) << p.sentence;
}

// A control character once stopped the process in an assertion of toml++.
TEST(LadderFile, RefusesControlCharacters) {
  const auto found = problems_of(std::string("title = \"x\"\n[\0\6ta\n", 18));
  ASSERT_EQ(found.size(), 1u);
  EXPECT_EQ(found[0].sentence, "this is not TOML: byte 13 is a control character");
  EXPECT_EQ(found[0].location.line, 2u);
  EXPECT_EQ(found[0].location.column, 2u);
}

// TOML has bare keys of ASCII only; toml++ assumes that no others reach a part of it.
TEST(LadderFile, RefusesOtherLettersOutsideOfQuotes) {
  const auto found = problems_of("title = \"caf\u00e9\"  # caf\u00e9\n[choices]\nd\u00e9but = 1\n");
  ASSERT_EQ(found.size(), 1u);
  EXPECT_EQ(found[0].sentence, "this is not TOML: `\u00e9` is outside of quotes");
  EXPECT_EQ(found[0].location.line, 3u);
  EXPECT_EQ(found[0].location.column, 2u);
  EXPECT_EQ(found[0].location.length, 2u);
  EXPECT_EQ(problems_of("[choices\uFE7F]\n").size(), 1u);
  EXPECT_EQ(problems_of("[choices]\nd = { value = 1, among = [1, 2\"\uFE7F\"] }\n").size(), 1u);
}

// What follows a value that cannot be read is passed over character by character, quoted or not.
TEST(LadderFile, PassesOverLettersBehindABrokenValue) {
  for (const char* const text : {"a = 4$4h=[\"\u0157\"]\n", "a = 4$4h=[\"\u00a1\", \"\u0499\"]\n"}) {
    const auto found = problems_of(text);
    ASSERT_EQ(found.size(), 1u) << text;
    EXPECT_EQ(found[0].location.line, 1u) << text;
  }
}

TEST(LadderFile, TakesOtherLettersInEachKindOfQuotes) {
  const LadderText text = read_ladder(
      "\uFEFFtitle = \"\"\"\ncaf\u00e9 \\\" \"\"\"\n[figures]\n\"d\u00e9but\" = 'a || \"\u00e9\"'\n"
      "'\u00e9' = '''\n\u00e9'''  # \u00e9 \"\n",
      "x.ladder.toml");
  ASSERT_EQ(text.ladder.figures.size(), 2u);
  EXPECT_EQ(text.ladder.figures[0].name, "d\u00e9but");
  EXPECT_EQ(text.ladder.figures[1].formula, "\u00e9");
  EXPECT_EQ(text.ladder.title, "caf\u00e9 \" ");
}

TEST(LadderFile, LocatesProblemsOfFormulas) {
  const LadderText text =
      read_ladder("[data]\nfrom = \"a.csv\"\n[figures]\namount = \"1 + quantty\"\n", "x.ladder.toml");
  Problem p{Code::unknown_column, "no column", {}, {}, {}};
  p.location.key = "figures.amount";
  p.location.text = "1 + quantty";
  p.location.offset = 4;
  std::vector<Problem> problems{p};
  text.locate(problems);
  EXPECT_EQ(problems[0].location.file, "x.ladder.toml");
  EXPECT_EQ(problems[0].location.line, 4u);
  EXPECT_EQ(problems[0].location.column, 15u);
  // Escapes take more room in the file than in the value.
  const LadderText escaped =
      read_ladder("[rows]\nwhere = \"status <> \\\"void\\\" and \\u00e9 > '2'\"\n", "x.ladder.toml");
  EXPECT_EQ(escaped.ladder.where, "status <> \"void\" and \u00e9 > '2'");
  p.location.key = "rows.where";
  p.location.text = escaped.ladder.where;
  p.location.offset = escaped.ladder.where.find("'2'");
  problems = {p};
  escaped.locate(problems);
  EXPECT_EQ(problems[0].location.column, 42u);
}

namespace {

std::string any_text() {
  return *rc::gen::container<std::string>(
             rc::gen::element('a', 'b', '"', '\'', '\\', '\n', '\t', ' ', '\x01', '\x7f', '.')) +
         *rc::gen::element<std::string>("", "é", "→", "x");
}
std::string any_name() {
  return "n" + std::to_string(*rc::gen::inRange(0, 1000)) +
         *rc::gen::element<std::string>("", " with blank", ".point", "-dash", "\"quote");
}
std::vector<std::string> any_texts() {
  std::vector<std::string> out(static_cast<std::size_t>(*rc::gen::inRange(0, 3)));
  for (std::string& text : out) text = any_text();
  return out;
}
Value any_value() {
  switch (*rc::gen::inRange(0, 6)) {
    case 0: return any_text();
    case 1: return *rc::gen::arbitrary<bool>();
    case 2: return Date{*rc::gen::inRange(-30'000, 60'000)};
    case 3: return Timestamp{*rc::gen::inRange<std::int64_t>(0, 4'000'000'000) * 1'000'000};
    case 4: return static_cast<double>(*rc::gen::inRange(-1000, 1000)) / 8;
    default: return Decimal(*rc::gen::inRange(-100'000, 100'000), *rc::gen::inRange(0, 4));
  }
}
std::vector<NamedFormula> any_formulas() {
  std::vector<NamedFormula> out;
  for (int i = *rc::gen::inRange(0, 4); i > 0; --i) {
    const std::string name = any_name();
    if (std::none_of(out.begin(), out.end(), [&](const NamedFormula& f) { return f.name == name; }))
      out.push_back({name, any_text()});
  }
  return out;
}

}  // namespace

RC_GTEST_PROP(LadderFileProperty, AnyLadderReadsBack, ()) {
  Ladder l;
  l.title = any_text();
  l.data.from = any_text();
  l.data.read.nulls = any_texts();
  if (*rc::gen::arbitrary<bool>()) l.data.read.delimiter = *rc::gen::element(';', '\t', '"', '|');
  l.data.read.ragged_as_null = *rc::gen::arbitrary<bool>();
  if (*rc::gen::arbitrary<bool>())
    l.data.read.columns.push_back({any_name(), Kind::decimal, {"1.234,50 = 1234.50", "(9,00) = -9"}});
  if (*rc::gen::arbitrary<bool>()) l.data.read.skip = 3;
  if (*rc::gen::arbitrary<bool>()) l.data.read.skip_last = 1;
  l.data.read.encoding = any_text();
  if (*rc::gen::arbitrary<bool>())
    l.data.joins.push_back({.with = "w" + any_text(),
                            .on = any_texts(),
                            .as = any_text(),
                            .type = *rc::gen::element(JoinType::left, JoinType::inner, JoinType::full),
                            .many = *rc::gen::arbitrary<bool>()});
  if (*rc::gen::arbitrary<bool>())
    l.choices.push_back({.name = any_name(), .value = any_value(), .label = any_text(), .unit = any_text()});
  if (*rc::gen::arbitrary<bool>())
    l.periods.push_back({.name = any_name(),
                         .on = any_text(),
                         .last = *rc::gen::element<std::string>("", "30", ":days"),
                         .unit = *rc::gen::element<std::optional<CalendarUnit>>(std::nullopt, CalendarUnit::week,
                                                                                CalendarUnit::quarter),
                         .ends = *rc::gen::element<std::string>("", "data", "2025-03-31"),
                         .from = any_text(),
                         .through = any_text(),
                         .whole = *rc::gen::arbitrary<bool>(),
                         .back = *rc::gen::element<std::string>("", "1", ":days")});
  l.figures = any_formulas();
  l.where = any_text();
  l.totals = any_formulas();
  l.named_windows = any_formulas();
  for (int more = *rc::gen::inRange(0, 4); more > 0; --more) {
    Level level{.each = any_texts(),
                .within = any_texts(),
                .by = any_text(),
                .tiebreak = any_text(),
                .ties = *rc::gen::element(Ties::competition, Ties::dense, Ties::fractional),
                .having = any_text(),
                .eligible = any_text(),
                .rank_as = any_text(),
                .where = any_text(),
                .unranked = *rc::gen::arbitrary<bool>(),
                .others = *rc::gen::arbitrary<bool>()};
    level.windows = any_formulas();
    if (*rc::gen::arbitrary<bool>()) level.best = static_cast<std::size_t>(*rc::gen::inRange(1, 100));
    if (*rc::gen::arbitrary<bool>()) level.cut = Cut::strict;
    if (*rc::gen::arbitrary<bool>()) level.worst = static_cast<std::size_t>(*rc::gen::inRange(1, 100));
    const auto names = any_formulas();  // with different names
    for (const NamedFormula& named : names) {
      const std::vector<Also> any{{.name = named.name, .ties = Ties::modified},
                                  {.name = named.name, .ties = Ties::dense, .by = "b" + named.formula},
                                  {.name = named.name, .measure = Measure::tiers, .count = 4},
                                  {.name = named.name, .measure = Measure::share, .of = named.formula},
                                  {.name = named.name, .measure = Measure::running_share, .of = named.formula},
                                  {.name = named.name, .measure = Measure::percent_rank},
                                  {.name = named.name, .measure = Measure::cumulative_distribution}};
      level.also.push_back(any[*rc::gen::inRange<std::size_t>(0, any.size())]);
    }
    l.levels.push_back(level);
  }
  l.alternatives = any_formulas();
  if (*rc::gen::arbitrary<bool>()) l.crossed = {any_texts(), any_text(), any_text(), 3};
  if (*rc::gen::arbitrary<bool>()) l.compare.with = any_text();
  if (*rc::gen::arbitrary<bool>()) l.compare.choose = {{"a", any_value()}, {"b " + any_name(), any_value()}};
  l.list.order = any_text();
  l.list.alternative = any_text();
  if (*rc::gen::arbitrary<bool>()) l.list.first = static_cast<std::size_t>(*rc::gen::inRange(1, 100));
  if (*rc::gen::arbitrary<bool>()) l.list.last = static_cast<std::size_t>(*rc::gen::inRange(1, 100));
  if (*rc::gen::arbitrary<bool>()) l.list.sample = static_cast<std::size_t>(*rc::gen::inRange(1, 100));
  l.list.hide_blank_groups = *rc::gen::arbitrary<bool>();
  l.list.seed = static_cast<std::size_t>(*rc::gen::inRange(1, 100));
  l.list.columns = any_texts();
  if (*rc::gen::arbitrary<bool>()) l.list.headings.emplace_back(any_name(), any_text());
  if (*rc::gen::arbitrary<bool>()) l.list.formats.emplace_back(any_name(), any_text());
  if (*rc::gen::arbitrary<bool>()) l.list.bars = {any_name(), any_name()};
  l.data.locale = *rc::gen::element<std::string>("", "sv", "en_GB");
  if (*rc::gen::arbitrary<bool>())
    l.orderings.push_back({.column = any_name(),
                           .first = {any_value(), any_value()},
                           .sequence = {any_value()},
                           .text = *rc::gen::element(TextOrder::language, TextOrder::natural, TextOrder::code_point)});
  const std::string text = ladder_text(l);
  RC_LOG() << text;
  const Ladder back = read_ladder(text, "x").ladder;
  RC_ASSERT(ladder_text(back) == text);
  RC_ASSERT(back.title == l.title);
  RC_ASSERT(back.data.from == l.data.from);
  RC_ASSERT(back.data.read.delimiter == l.data.read.delimiter);
  RC_ASSERT(back.figures == l.figures);
  RC_ASSERT(back.totals == l.totals);
  RC_ASSERT(back.named_windows == l.named_windows);
  RC_ASSERT(back.where == l.where);
  RC_ASSERT(back.choices.size() == l.choices.size());
  if (!l.choices.empty()) RC_ASSERT(back.choices[0].value == l.choices[0].value);
  RC_ASSERT(back.levels == l.levels);
  RC_ASSERT(back.compare == l.compare && back.crossed == l.crossed);
  RC_ASSERT(back.alternatives == l.alternatives && back.list.alternative == l.list.alternative);
  RC_ASSERT(back.list.first == l.list.first && back.list.last == l.list.last && back.list.sample == l.list.sample &&
            back.list.seed == l.list.seed && back.list.hide_blank_groups == l.list.hide_blank_groups);
  RC_ASSERT(back.data.locale == l.data.locale);
  RC_ASSERT(back.orderings.size() == l.orderings.size());
  if (!l.orderings.empty())
    RC_ASSERT(back.orderings[0].column == l.orderings[0].column && back.orderings[0].first == l.orderings[0].first &&
              back.orderings[0].sequence == l.orderings[0].sequence && back.orderings[0].text == l.orderings[0].text);
  RC_ASSERT(back.list.columns == l.list.columns);
  RC_ASSERT(back.list.headings == l.list.headings);
  RC_ASSERT(back.list.formats == l.list.formats);
  RC_ASSERT(back.list.bars == l.list.bars);
}

TEST(LadderFile, ShippedLaddersReadBack) {
  for (const auto& entry : std::filesystem::directory_iterator(support::demo())) {
    if (!entry.path().string().ends_with(".ladder.toml")) continue;
    const Ladder l = read_ladder_file(entry.path()).ladder;
    EXPECT_EQ(ladder_text(read_ladder(ladder_text(l), "x").ladder), ladder_text(l));
    EXPECT_FALSE(l.title.empty());
  }
}
