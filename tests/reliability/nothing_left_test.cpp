// Answers of which nothing is left: no rows, no entries, no groups, no places. Every writer and every question about an
// answer takes them, as a property over generated ladders.
#include <gtest/gtest.h>
#include <rapidcheck.h>

#include "lofty/lofty.hpp"
#include "support/process.hpp"

using namespace lofty;

namespace {

Catalog catalog(std::size_t rows) {
  std::vector<std::int64_t> shop, product;
  std::vector<double> weight;
  std::vector<std::string> status;
  for (std::size_t i = 0; i < rows; ++i) {
    shop.push_back(static_cast<std::int64_t>(i % 3));
    product.push_back(static_cast<std::int64_t>(i % 5));
    weight.push_back(0.5 * static_cast<double>(i % 4));
    status.push_back(i % 2 == 0 ? "paid" : "void");
  }
  Catalog out;
  out.add(TableBuilder("t")
              .column("shop", shop)
              .column("product", product)
              .column("weight", weight)
              .column("status", status)
              .build());
  return out;
}

// Everything that can be done with an answer.
void use(const Ladder& ladder, const Catalog& tables) {
  const Standings s = standings(ladder, tables);
  RC_ASSERT(!listing(s).empty());
  accounting_text(s);
  remarks_text(s.remarks());
  for (const Format format : {Format::csv, Format::json, Format::markdown}) RC_ASSERT(!written(s, format).empty());
  saved(s);
  table_of(s, "again");
  if (!ladder.totals.empty()) RC_ASSERT(compare_with(s, table_of(s, "again")).equal());  // entries have keys
  try {
    s.place_for(ladder.levels.empty() ? "" : "total", Decimal(5, 0));
  } catch (const Error&) {
    // A listing without places says so.
  }
  plan(ladder, tables);
  check(ladder, tables);
  profile(table_of(s, "again"));
  const auto may_refuse = [](const auto& ask) {
    try {
      ask();
    } catch (const Error& error) {
      if (error.data_fault()) RC_LOG() << error.what() << "\n";
      RC_ASSERT(!error.data_fault());
    }
  };
  may_refuse([&] { workings_text(why(ladder, tables, "product = 1")); });
  may_refuse([&] { workings_text(why(ladder, tables, "rank = 1")); });
  for (const Stage stage : stages()) may_refuse([&] { listing(standings(up_to(ladder, stage, tables), tables)); });
  Ladder compared = ladder, crossed = ladder;
  compared.choices = {{.name = "least", .value = Decimal(0, 0)}};
  compared.where = (ladder.where.empty() ? "" : "(" + ladder.where + ") and ") + "product >= :least";
  compared.compare.choose = {{"least", Decimal(2, 0)}};
  may_refuse([&] { listing(standings(compared, tables)); });
  if (!ladder.totals.empty()) {
    crossed.crossed = {.each = {"status"}, .by = "total desc", .cell = "total"};
    may_refuse([&] { listing(standings(crossed, tables)); });
  }
  if (*rc::gen::inRange(0, 10) == 0) RC_ASSERT(!written(s, Format::workbook).empty());
  const support::Scratch folder;
  write_sqlite(s, folder.path() / "t.sqlite", "t");
}

}  // namespace

TEST(NothingLeft, EveryWriterAndEveryQuestionTakesIt) {
  rc::check("answers without rows, entries, groups or places", [] {
    const auto flip = [] { return *rc::gen::arbitrary<bool>(); };
    const Catalog tables = catalog(flip() ? 0 : 20);
    Ladder ladder{.data = {.from = "t"}};
    if (flip()) ladder.where = *rc::gen::element<std::string>("shop > 100", "status is null", "shop = 1");
    const bool row_level = *rc::gen::inRange(0, 4) == 0;
    Level level;
    if (!row_level) {
      ladder.totals = {
          {"total", *rc::gen::element<std::string>("sum(weight)", "count(*)", "median(weight)", "max(product)")}};
      if (flip()) ladder.totals.push_back({"different", "count(distinct product)"});
      if (flip()) ladder.totals.push_back({"first_one", "first_value(status) within group (order by weight)"});
      if (flip()) ladder.totals.push_back({"middle", "median(product)"});
      level.each = {"product"};
      level.by = "total desc";
      if (flip()) level.having = *rc::gen::element<std::string>("total > 1000", "total is null", "total < 3");
      if (flip()) level.eligible = "total > 1000";
      if (flip()) level.windows = {{"so_far", "sum(total) over (order by total desc)"}};
      if (flip()) level.where = "total > 1000";
      if (flip()) level.also = {{.name = "part", .measure = Measure::share, .of = "total"}};
    } else if (flip()) {
      level.by = "weight desc";
    }
    if (flip() && !level.by.empty()) level.within = {"shop"};
    if (flip() && !level.by.empty()) level.best = 2;
    if (flip() && level.best && !row_level) level.others = true;
    if (flip() && !level.by.empty()) level.worst = 1;
    if (flip() && level.best) level.cut = Cut::strict;
    if (!row_level || !level.by.empty() || flip()) ladder.levels = {level};
    if (!row_level && flip()) {
      Level outer = level;
      outer.each = {"shop"};
      outer.within.clear();
      ladder.levels.front().within.clear();
      ladder.levels.insert(ladder.levels.begin(), outer);
    }
    if (*rc::gen::inRange(0, 5) == 0) ladder.list.first = 1;
    try {
      use(ladder, tables);
    } catch (const Error& error) {
      // A ladder may be refused, for reasons that have nothing to do with how much is left.
      if (error.data_fault()) RC_LOG() << error.what() << "\n";
      RC_ASSERT(!error.data_fault());
    }
  });
}

// The same through the tool, as whole processes: no signal ends one.
TEST(NothingLeft, CommandsThatCrashed) {
  const support::Scratch s;
  s.file("t.csv", "shop,product,amount\n1,1,5\n1,2,6\n2,1,7\n");
  const auto fine = [&](std::vector<std::string> call, const std::string& said) {
    const support::Ran ran = support::lofty(call, s.path());
    EXPECT_EQ(ran.status, 0) << ran.err;
    EXPECT_NE((ran.out + ran.err).find(said), std::string::npos) << ran.out << ran.err;
  };
  for (const char* total :
       {"x=count(distinct product)", "x=median(amount)", "x=first_value(product) within group (order by amount)"})
    fine({"rank", "t.csv", "--total", total, "--total", "s=sum(amount)", "--each", "shop", "--by", "s desc", "--having",
          "s > 1000", "--best", "2", "--others"},
         "0 of 2 shops");
  fine({"rank", "t.csv", "--save-standings", "rows.standings.json"}, "saved rows.standings.json");
  fine({"inspect", "rows.standings.json#entries"}, "3 rows");
  for (const char* where : {"amount > 1000", "shop = 2"})
    fine({"rank", "t.csv", "--where", where, "--total", "s=sum(amount)", "--each", "product", "--within", "shop",
          "--by", "s desc", "--place-for", "s=5"},
         std::string(where) == "shop = 2" ? "would take place 2 in 2" : "would take no place: no group has an entry");
}
