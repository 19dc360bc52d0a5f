// What pictures show, from answers alone: no program draws here.
#include "lofty/picture.hpp"

#include <gtest/gtest.h>

#include "support/tables.hpp"

using namespace lofty;
using support::number;

namespace {

Standings best_of_small_shop(std::optional<std::size_t> best = {}) {
  return standings({.title = "Shops",
                    .data = {.from = "lines", .joins = {{.with = "shops", .on = {"shop_no"}}}},
                    .figures = {{"amount", "quantity * unit_price"}},
                    .totals = {{"spend", "sum(amount)"}},
                    .levels = {{.each = {"shop_no"},
                                .by = "spend desc",
                                .tiebreak = "shop",
                                .best = best,
                                .unranked = true,
                                .others = true}},
                    .list = {.columns = {"rank", "shop", "spend"}}},
                   support::small_shop());
}

// Days of three valleys; the best by `recent` need not be the best by all.
Catalog days() {
  Catalog catalog;
  std::vector<Value> valleys, dates, amounts;
  for (int day = 0; day < 40; ++day)
    for (const auto& [valley, amount] : {std::pair{"Ashwater", 10}, std::pair{"High Moor", day < 30 ? 1 : 50}}) {
      if (day % 7 == 6) continue;  // days without sales
      valleys.emplace_back(std::string(valley));
      dates.emplace_back(Date{20'000 + day});
      amounts.push_back(number(amount + day % 3));
    }
  support::add(catalog, "t", {{"valley", valleys}, {"day", dates}, {"a", amounts}});
  return catalog;
}

Ladder by_recent() {
  return {.data = {.from = "t"},
          .periods = {{.name = "recent", .on = "day", .last = "10"}},
          .totals = {{"recent_spend", "sum(a) filter (where recent)"}, {"spend", "sum(a)"}},
          .levels = {{.each = {"valley"}, .by = "recent_spend desc"}, {.each = {"day"}, .by = "day asc"}},
          .list = {.columns = {"rank", "valley", "recent_spend", "day", "spend"}}};
}

std::string refusal(const Standings& answer, PictureKind kind, const PictureOptions& options = {}) {
  try {
    picture_of(answer, kind, options);
    return "none";
  } catch (const Error& error) {
    return std::string(to_string(error.code())) + ": " + error.problems()[0].sentence;
  }
}

}  // namespace

TEST(Picture, BarsAreTheListing) {
  const Picture picture = picture_of(best_of_small_shop(), PictureKind::bars);
  EXPECT_EQ(picture.title, "Shops");
  EXPECT_EQ(picture.kind(), PictureKind::bars);
  const auto& bars = std::get<BarsPicture>(picture.content);
  EXPECT_EQ(bars.value_heading, "spend");
  ASSERT_EQ(bars.groups.size(), 1u);
  std::vector<std::string> lines;
  for (const BarsPicture::Bar& bar : bars.groups[0].bars)
    lines.push_back(bar.place + "|" + bar.label + "|" + bar.text + "|" +
                    (bar.value ? std::to_string(*bar.value) : "none") + "|" + std::to_string(bar.tie));
  EXPECT_EQ(lines, (std::vector<std::string>{"1=|\u00C4lv Corner|11.00|11.000000|1", "1=|Crumb|11.00|11.000000|1",
                                             "3|Barrow|5.00|5.000000|0", "\u2013|(none)|(none)|none|0"}));
}

TEST(Picture, BarsHaveTheOthersAndReferences) {
  const Standings answer = best_of_small_shop(1);
  const Picture picture = picture_of(answer, PictureKind::bars, {.references = {{"spend", support::money("4.5")}}});
  const auto& bars = std::get<BarsPicture>(picture.content);
  ASSERT_EQ(bars.groups[0].bars.size(), 4u);  // a tie at the cut, one that is unranked, and the rest
  EXPECT_TRUE(bars.groups[0].bars.back().others);
  EXPECT_EQ(bars.groups[0].bars.back().label, "others, 1 shop");
  EXPECT_EQ(bars.groups[0].bars.back().text, "5.00");
  ASSERT_EQ(bars.references.size(), 1u);
  EXPECT_EQ(bars.references[0].label, "4.50 would take place 4");
  EXPECT_EQ(bars.references[0].value, 4.5);
  EXPECT_EQ(refusal(answer, PictureKind::bars, {.references = {{"orders", number(5)}}}).substr(0, 12), "unknown-word");
}

TEST(Picture, GroupsAndLevelsHaveHeadings) {
  const Standings grouped = standings({.data = {.from = "lines", .joins = {{.with = "shops", .on = {"shop_no"}}}},
                                       .totals = {{"n", "count(*)"}},
                                       .levels = {{.each = {"shop_no"}, .within = {"valley"}, .by = "n desc"}}},
                                      support::small_shop());
  const Picture picture = picture_of(grouped, PictureKind::bars);
  const auto& bars = std::get<BarsPicture>(picture.content);
  ASSERT_EQ(bars.groups.size(), 3u);
  EXPECT_EQ(bars.groups[0].heading, "Ashwater");
  EXPECT_EQ(bars.groups[2].heading, "(none)");
  EXPECT_EQ(bars.groups[2].bars.size(), 2u);
  const Picture nested =
      picture_of(standings(by_recent(), days()), PictureKind::bars, {.value = "spend", .at_most = 60});
  EXPECT_EQ(std::get<BarsPicture>(nested.content).groups[0].heading, "1 High Moor  458");
}

TEST(Picture, LinesComeInRankedOrderAndShowMoreThanTheRankCounts) {
  const Standings answer = standings(by_recent(), days());
  const Picture picture = picture_of(answer, PictureKind::lines, {.smooth_days = 7});
  const auto& lines = std::get<LinesPicture>(picture.content);
  ASSERT_EQ(lines.charts.size(), 2u);
  EXPECT_EQ(lines.value_heading, "spend");
  EXPECT_EQ(lines.along_heading, "day");
  EXPECT_EQ(lines.kind, LinesPicture::Along::dates);
  EXPECT_EQ(lines.charts[0].label, "High Moor");  // the best of the last ten days, although it sold less in all
  EXPECT_EQ(lines.charts[0].place, "1");
  EXPECT_EQ(lines.charts[0].total, "458");
  EXPECT_EQ(lines.charts[1].label, "Ashwater");
  // All days, not ten.
  ASSERT_EQ(lines.charts[0].points.size(), 35u);
  EXPECT_EQ(lines.charts[0].points[0].along, 20'000);
  EXPECT_EQ(lines.charts[0].points[0].value, 1);
  // The mean over the last seven days, from its definition.
  for (const LinesPicture::Chart& chart : lines.charts)
    for (std::size_t i = 0; i < chart.points.size(); ++i) {
      double sum = 0, count = 0;
      for (const LinesPicture::Point& other : chart.points)
        if (other.along <= chart.points[i].along && other.along > chart.points[i].along - 7) {
          sum += *other.value;
          ++count;
        }
      EXPECT_EQ(chart.smooth[i].along, chart.points[i].along);
      EXPECT_NEAR(*chart.smooth[i].value, sum / count, 1e-9);
    }
  // Over rows.
  const Picture by_rows = picture_of(answer, PictureKind::lines, {.smooth_rows = 3});
  const auto& chart = std::get<LinesPicture>(by_rows.content).charts[0];
  EXPECT_NEAR(*chart.smooth[2].value, (*chart.points[0].value + *chart.points[1].value + *chart.points[2].value) / 3,
              1e-9);
  EXPECT_EQ(std::get<LinesPicture>(by_rows.content).smooth_words, "mean of the last 3");
}

TEST(Picture, LinesOfGroupsAndOfTexts) {
  Catalog catalog;
  support::add(
      catalog, "t",
      {{"g", {std::string("b"), std::string("b"), std::string("a"), std::string("a")}},
       {"season", {std::string("spring"), std::string("summer"), std::string("spring"), std::string("summer")}},
       {"a", {number(3), support::null(), number(1), number(2)}}});
  const Standings answer = standings({.data = {.from = "t"},
                                      .totals = {{"v", "sum(a)"}},
                                      .levels = {{.each = {"season"}, .within = {"g"}, .by = "v desc"}},
                                      .list = {.order = "g, season"}},
                                     catalog);
  const Picture picture = picture_of(answer, PictureKind::lines);
  const auto& lines = std::get<LinesPicture>(picture.content);
  EXPECT_EQ(lines.kind, LinesPicture::Along::texts);
  EXPECT_EQ(lines.texts, (std::vector<std::string>{"spring", "summer"}));
  ASSERT_EQ(lines.charts.size(), 2u);
  EXPECT_EQ(lines.charts[0].label, "a");
  EXPECT_EQ(lines.charts[1].points[1].value, std::nullopt);  // null breaks a line
  EXPECT_EQ(refusal(answer, PictureKind::lines, {.smooth_days = 7}),
            "wrong-type: `season` does not hold dates, so there are no days to smooth over");
}

TEST(Picture, MovementHasNewcomersAndLeavers) {
  Catalog catalog;
  std::vector<Value> years, names, amounts;
  const auto sold = [&](int year, const char* name, int amount) {
    years.push_back(number(year));
    names.emplace_back(std::string(name));
    amounts.push_back(number(amount));
  };
  sold(1, "Early", 40), sold(1, "Riser", 10), sold(1, "Faller", 30), sold(1, "Steady", 20);
  sold(2, "Riser", 40), sold(2, "Newcomer", 30), sold(2, "Steady", 20), sold(2, "Faller", 10);
  support::add(catalog, "t", {{"year", years}, {"name", names}, {"a", amounts}});
  const Standings answer = standings({.data = {.from = "t"},
                                      .choices = {{.name = "year", .value = number(2)}},
                                      .where = "year = :year",
                                      .totals = {{"v", "sum(a)"}},
                                      .levels = {{.each = {"name"}, .by = "v desc"}},
                                      .list = {.columns = {"rank", "was", "name", "v"}},
                                      .compare = {.choose = {{"year", number(1)}}}},
                                     catalog);
  const Picture picture = picture_of(answer, PictureKind::movement);
  const auto& movement = std::get<MovementPicture>(picture.content);
  EXPECT_EQ(movement.times, (std::vector<std::string>{"was", "rank"}));
  using Moved = MovementPicture::Moved;
  std::vector<std::pair<std::string, Moved>> moved;
  for (const auto& line : movement.lines)
    moved.emplace_back(line.label + " " + line.texts[0] + ">" + line.texts[1], line.moved);
  EXPECT_EQ(moved, (std::vector<std::pair<std::string, Moved>>{{"Riser 4>1", Moved::up},
                                                               {"Newcomer >2", Moved::came},
                                                               {"Steady 3>3", Moved::stayed},
                                                               {"Faller 2>4", Moved::down},
                                                               {"name Early 1>", Moved::left}}));
  EXPECT_EQ(movement.lines.back().note, "no place now");
}

TEST(Picture, MovementOverThreeOrders) {
  const Standings answer = standings(
      {.data = {.from = "lines"},
       .totals = {{"n", "count(*)"}, {"q", "sum(quantity)"}},
       .levels = {{.each = {"shop_no"},
                   .by = "n desc",
                   .also = {{.name = "by_quantity", .by = "q desc"}, {.name = "by_number", .by = "shop_no desc"}}}}},
      support::small_shop());
  const Picture picture = picture_of(answer, PictureKind::movement);
  const auto& movement = std::get<MovementPicture>(picture.content);
  EXPECT_EQ(movement.times, (std::vector<std::string>{"rank", "by_quantity", "by_number"}));
  EXPECT_EQ(movement.lines[0].places.size(), 3u);
}

TEST(Picture, SharesMarkTheFirstThatReaches) {
  Catalog catalog;
  support::add(catalog, "t",
               {{"name", {std::string("a"), std::string("b"), std::string("c"), std::string("d"), std::string("e")}},
                {"a", {number(30), number(20), number(20), number(20), number(10)}}});
  Ladder ladder{.data = {.from = "t"},
                .totals = {{"v", "sum(a)"}},
                .levels = {{.each = {"name"},
                            .by = "v desc",
                            .tiebreak = "name",
                            .also = {{.name = "so_far", .measure = Measure::running_share, .of = "v"}}}}};
  const auto shares = [&](const char* mark) {
    return std::get<SharesPicture>(
        picture_of(standings(ladder, catalog), PictureKind::shares, {.mark = *Decimal::parse(mark)}).content);
  };
  const SharesPicture half = shares("0.5");
  ASSERT_EQ(half.steps.size(), 3u);  // b, c and d are one step
  EXPECT_EQ(half.steps[1].peers, 3u);
  EXPECT_EQ(half.steps[1].entries, 4u);
  EXPECT_EQ(half.steps[1].share, 0.9);
  EXPECT_EQ(half.reached, 1u);
  EXPECT_EQ(shares("0.3").reached, 0u);  // reached exactly
  EXPECT_EQ(shares("0.300001").reached, 1u);
  EXPECT_EQ(shares("1").reached, 2u);
  EXPECT_EQ(half.ranked, 5u);
  ladder.levels[0].best = 1;
  const Picture cut = picture_of(standings(ladder, catalog), PictureKind::shares);
  EXPECT_EQ(std::get<SharesPicture>(cut.content).reached, std::nullopt);
  EXPECT_EQ(cut.foot.back(), "The listed entries do not reach 50.0 %: they bring 30.0 %.");
  EXPECT_EQ(refusal(standings(ladder, catalog), PictureKind::shares, {.value = "v"}).substr(0, 34),
            "wrong-type: `v` is not a running s");
  ladder.levels[0].also.clear();
  EXPECT_EQ(refusal(standings(ladder, catalog), PictureKind::shares),
            "missing-key: no listed column holds a running share");
}

TEST(Picture, ARunningShareIsAddedToWhatIsRankedByATotal) {
  const auto added = [](const std::string& by, std::vector<std::string> columns = {}) {
    Ladder ladder{.data = {.from = "t"},
                  .totals = {{"v", "sum(a)"}, {"Net, desc", "sum(b)"}},
                  .levels = {{.each = {"name"}, .by = by}},
                  .list = {.columns = std::move(columns)}};
    return with_running_share(std::move(ladder));
  };
  ASSERT_EQ(added("v desc, name").levels[0].also.size(), 1u);
  EXPECT_EQ(added("v desc, name").levels[0].also[0].of, "v");
  EXPECT_EQ(added("v asc nulls last").levels[0].also[0].of, "v");
  EXPECT_EQ(added("\"Net, desc\" desc").levels[0].also[0].of, "Net, desc");
  EXPECT_EQ(added("v desc", {"name"}).list.columns, (std::vector<std::string>{"name", "running share of v"}));
  EXPECT_TRUE(added("v desc").list.columns.empty());  // all are listed

  // What is no total, and what is no sort list, stays as it is.
  for (const char* by : {"name", "-v desc", "sum(a) desc", "t.v desc", "v desc desc", ""})
    EXPECT_TRUE(added(by, {"name"}).levels[0].also.empty()) << by;
  const Ladder once = added("v desc");
  EXPECT_EQ(with_running_share(once).levels[0].also.size(), 1u);
  Ladder nested = added("name");
  nested.levels.push_back(nested.levels[0]);
  nested.levels[0].by = "v desc";
  EXPECT_TRUE(with_running_share(nested).levels[0].also.empty());
}

TEST(Picture, RefusesWhatItCannotShow) {
  Catalog catalog;
  std::vector<Value> names, amounts;
  for (int i = 0; i < 61; ++i) {
    names.push_back("shop " + std::to_string(i));
    amounts.push_back(number(100 - i));
  }
  support::add(catalog, "t", {{"name", names}, {"a", amounts}});
  Ladder ladder{.data = {.from = "t"}, .totals = {{"v", "sum(a)"}}, .levels = {{.each = {"name"}, .by = "v desc"}}};
  const Standings many = standings(ladder, catalog);
  EXPECT_EQ(refusal(many, PictureKind::bars), "bad-value: a picture shows at most 60 entries, and this answer has 61");
  const Picture cut = picture_of(many, PictureKind::bars, {.at_most = 58});
  EXPECT_EQ(std::get<BarsPicture>(cut.content).groups[0].bars.size(), 58u);
  EXPECT_EQ(cut.foot.back(), "Not drawn: shop 58, shop 59, shop 60.");
  EXPECT_EQ(refusal(many, PictureKind::movement),
            "missing-key: a movement needs places at two times, and this answer lists one");
  EXPECT_EQ(refusal(many, PictureKind::bars, {.value = "name"}),
            "wrong-type: `name` holds values of type text, and a picture needs numbers");
  EXPECT_EQ(refusal(many, PictureKind::bars, {.value = "w"}), "unknown-column: no listed column is called `w`");
  EXPECT_EQ(refusal(many, PictureKind::lines, {.along = "v", .at_most = 1}).substr(0, 4), "none");
  EXPECT_EQ(refusal(many, PictureKind::shares, {.mark = Decimal(0, 0)}),
            "missing-key: no listed column holds a running share");
  ladder.levels[0].having = "v > 1000";
  EXPECT_EQ(refusal(standings(ladder, catalog), PictureKind::bars),
            "nothing-to-draw: there is nothing to draw: the answer has no rows");
  ladder.levels[0].having = "v = 100";
  const Standings one = standings(ladder, catalog);
  EXPECT_EQ(refusal(one, PictureKind::bars), "none");
  EXPECT_EQ(refusal(one, PictureKind::lines, {.along = "v"}),
            "nothing-to-draw: a line needs two points, and no chart has more than 1 along `v`");
  Ladder texts{.data = {.from = "t"}, .list = {.columns = {"name"}}};
  EXPECT_EQ(refusal(standings(texts, catalog), PictureKind::bars),
            "missing-key: no listed column holds numbers to draw");
}
