// Rows that are read and totalled a stretch at a time, against the same question over rows that are kept.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <fstream>
#include <random>

#include "lofty/lofty.hpp"
#include "support/process.hpp"
#include "support/said.hpp"
#include "support/stretched.hpp"
#include "support/tables.hpp"

using namespace lofty;
using support::ask;
using support::Said;

namespace {

constexpr std::size_t never = 1 << 20;  // a stretch that no file of a test is as long as

// The same answer either way; whether the rows were not kept.
bool agrees(const Ladder& ladder, const std::filesystem::path& folder, std::size_t bytes, std::size_t chunks,
            int threads = 0) {
  Said kept, passed;
  {
    const support::Stretching apart(bytes, never);
    kept = ask(ladder, folder, threads);
  }
  {
    const support::Stretching apart(bytes, chunks);
    passed = ask(ladder, folder, threads);
  }
  EXPECT_FALSE(kept.in_one_pass);
  EXPECT_EQ(kept.text, passed.text);
  return kept.text == passed.text && passed.in_one_pass;
}

Ladder shop_totals() {
  return {.data = {.from = "lines.csv", .joins = {{.with = "shops.csv", .on = {"shop"}}}},
          .where = "status <> 'void' or status is null",
          .totals = {{"spend", "sum(amount)"},
                     {"mean", "avg(amount)"},
                     {"n", "count(*)"},
                     {"orders", "count(distinct order_no)"},
                     {"paid", "count(*) filter (where status = 'paid')"},
                     {"last", "max(status)"}},
          .levels = {{.each = {"shop"}, .by = "spend desc"}},
          .list = {.columns = {"rank", "shop", "name", "spend", "mean", "n", "orders", "paid", "last"}}};
}

const char* const shops = "shop,name\n1,Amber Lantern\n2,Brass Larder\n3,Clover Pantry\n4,Drowsy Kettle\n";

}  // namespace

// Files whose last rows may change a type, a scale or the number of misfits; borders anywhere; one thread or several.
RC_GTEST_PROP(StretchesProperty, RowsThatAreNotKeptGiveTheSameAnswer, ()) {
  const std::uint32_t seed = *rc::gen::arbitrary<std::uint32_t>();
  std::mt19937 random(seed);
  const auto one_of = [&](std::uint32_t n) { return random() % n; };
  std::string text = "shop,order_no,amount,status\n";
  const std::size_t rows = 20 + one_of(200);
  const std::uint32_t oddity = one_of(9), order_kind = one_of(4);
  long order = 100;
  for (std::size_t r = 0; r < rows; ++r) {
    const bool late = r + 3 > rows;
    order += one_of(2);
    const long number = order_kind == 0 ? one_of(50) : order_kind == 1 ? order : late ? order - 5 : order;
    std::string shop = one_of(12) == 0 ? "" : std::to_string(1 + one_of(5)), amount = std::to_string(one_of(90));
    if (oddity != 8) amount += ".5";
    std::string status = one_of(9) == 0 ? "" : one_of(2) == 0 ? "paid" : "void";
    if (late && oddity == 0) amount = "1.25";
    if (late && oddity == 1) amount = "twelve";
    if (oddity == 2 && one_of(120) == 0) amount = "none";
    if (late && oddity == 3) shop = "07";
    if (late && oddity == 4) shop = "x";
    if (late && oddity == 5) amount = "12345678901234567890123";
    if (late && oddity == 6) status = "\"a \"\"quoted\"\", one\"";
    if (oddity == 7 && r < rows / 2) amount = "";
    text += shop + "," + (order_kind == 3 ? "o" : "") + std::to_string(number) + "," + amount + "," + status + "\n";
  }
  const support::Scratch scratch;
  scratch.file("lines.csv", text);
  scratch.file("shops.csv", shops);
  Ladder ladder = shop_totals();
  if (one_of(3) == 0) ladder.data.joins.front().type = JoinType::inner;
  if (one_of(3) == 0) ladder.levels.front().each = {"status", "shop"};
  if (one_of(3) == 0) ladder.levels.front().each = {"name"}, ladder.list = {};
  if (one_of(3) == 0) ladder.levels.front().best = 2, ladder.levels.front().others = true;
  if (one_of(4) == 0)
    ladder.where =
        "(status <> 'void' or status is null) and amount < overall_max(amount) and order_no > "
        "overall_min(order_no)";
  if (one_of(4) == 0) {
    ladder.levels.front().best = 2;
    ladder.levels.push_back({.each = {"order_no"}, .by = "spend desc", .best = 1 + one_of(3)});
    ladder.list = {};
  }
  if (one_of(4) == 0) ladder.data.read.columns = {{"amount", Kind::decimal}};
  // Texts of the joined table, which is there all the time.
  if (one_of(3) == 0) {
    ladder.levels.front().each = {"status"};
    ladder.totals.push_back({"first_name", "min(name)"});
    ladder.totals.push_back({"names", "count(distinct name)"});
    ladder.list = {};
  }
  const bool in_one_pass =
      agrees(ladder, scratch.path(), 40 + one_of(400), 1 + one_of(4), std::array{0, 1, 2, 8}[one_of(4)]);
  RC_CLASSIFY(in_one_pass, "in one pass");
  RC_ASSERT(!::testing::Test::HasFailure());
}

// Questions that need their rows keep those that count alone, where these are few.
RC_GTEST_PROP(StretchesProperty, RowsThatCountAloneGiveTheSameAnswer, ()) {
  const std::uint32_t seed = *rc::gen::arbitrary<std::uint32_t>();
  std::mt19937 random(seed);
  const auto one_of = [&](std::uint32_t n) { return random() % n; };
  const std::size_t rows = 30 + one_of(300), wanted = 5 + one_of(20), blank = one_of(2) == 0 ? 15 : 1000;
  const std::uint32_t oddity = one_of(8);
  std::string text = "shop,order_no,amount,status\n";
  for (std::size_t r = 0; r < rows; ++r) {
    const bool late = r + 3 > rows;
    std::string shop = std::to_string(1 + one_of(5)), amount = std::to_string(one_of(9)) + ".5";
    std::string status = one_of(blank) == 0 ? "" : one_of(wanted) == 0 ? "paid" : "void " + std::to_string(one_of(9));
    if (late && oddity == 0) amount = "1.25";
    if (late && oddity == 1) amount = "twelve";
    if (oddity == 2 && one_of(40) == 0) amount = "none";
    if (late && oddity == 3) shop = "x";
    if (oddity == 4 && one_of(20) == 0) shop = "";
    if (late && oddity == 5) status = "paid";
    if (oddity == 6) status = r < rows / 2 ? "void" : "paid";
    text += shop + "," + std::to_string(100 + one_of(60)) + "," + amount + "," + status + "\n";
  }
  const support::Scratch scratch;
  scratch.file("lines.csv", text);
  scratch.file("shops.csv", shops);

  Ladder ladder{.data = {.from = "lines.csv", .joins = {{.with = "shops.csv", .on = {"shop"}}}},
                .where = "status = 'paid' and (amount > 1 or amount is null)",
                .levels = {{.by = "amount desc"}},
                .list = {.columns = {"rank", "shop", "order_no", "amount", "name"}}};
  Level& level = ladder.levels.front();
  if (one_of(3) == 0) ladder.data.joins.front().type = JoinType::inner;
  if (one_of(3) == 0) ladder.where = "status = 'paid' and name <> 'Amber Lantern'";
  if (one_of(6) == 0) ladder.where += " and 1 / (order_no - 120) < 2";  // for some rows it cannot be
  if (one_of(8) == 0) ladder.where = "status = 'Paid' or status like 'x%'";
  if (one_of(3) == 0) level.best = 3, level.tiebreak = "order_no";
  if (one_of(3) == 0) level.within = {"name"};
  switch (one_of(6)) {
    case 0: ladder.figures = {{"before", "lag(amount) over (partition by shop order by order_no)"}}; break;
    case 1:
      level.each = {"shop"};
      level.by = "last desc";
      ladder.totals = {{"last", "first_value(amount order by order_no)"}, {"middle", "median(amount)"}};
      ladder.list.columns = {"rank", "shop", "last", "middle"};
      break;
    case 2: ladder.levels.clear(), ladder.list.columns = {"amount", "status"}, ladder.list.order = "amount desc"; break;
    case 3: level.windows = {{"part", "amount / sum(amount) over ()"}}; break;
    case 4: ladder.figures = {{"odd", "1 / (amount - 3.5)"}}, ladder.list.columns.push_back("odd"); break;
    default: break;
  }
  const bool sifted =
      agrees(ladder, scratch.path(), 40 + one_of(400), 1 + one_of(4), std::array{0, 1, 2, 8}[one_of(4)]);
  RC_CLASSIFY(sifted, "sifted");
  RC_ASSERT(!::testing::Test::HasFailure());
}

class Stretches : public ::testing::Test {
 protected:
  // So many lines; `line(r)` makes one.
  template <class Line>
  void write(std::size_t rows, const Line& line) {
    std::string text = "shop,order_no,amount,status\n";
    for (std::size_t r = 0; r < rows; ++r) text += line(r) + "\n";
    scratch_.file("lines.csv", text);
    scratch_.file("shops.csv", shops);
  }
  static std::string plain(std::size_t r) {
    return std::to_string(1 + r / 3 % 4) + "," + std::to_string(100 + r / 3) + "," + std::to_string(r % 7) + ".50,paid";
  }
  const support::Scratch scratch_;
};

TEST_F(Stretches, ALongFileIsNotKept) {
  write(1000, plain);
  EXPECT_TRUE(agrees(shop_totals(), scratch_.path(), 256, 4));
}

TEST_F(Stretches, AShortFileIsKept) {
  write(1000, plain);
  const support::Stretching usual(engine::usual_chunk_bytes, engine::usual_stretch_chunks);
  EXPECT_FALSE(ask(shop_totals(), scratch_.path()).in_one_pass);
}

// What a late row changes is found, and the answer is that of the whole column.
TEST_F(Stretches, ALateRowThatChangesATypeHasAllRowsReadAgain) {
  const auto with_last = [&](const std::string& last) {
    write(600, [&](std::size_t r) { return r == 599 ? last : plain(r); });
    return agrees(shop_totals(), scratch_.path(), 256, 4);
  };
  EXPECT_FALSE(with_last("1,400,7.125,paid"));  // a scale
  EXPECT_FALSE(with_last("01,400,7.50,paid"));  // numbers become codes
  EXPECT_TRUE(with_last("1,400,seven,paid"));   // a misfit among hundreds
  EXPECT_TRUE(with_last("1,400,7,paid"));       // fewer decimals are none less
}

// Distinct numbers that ascend take no memory; those that do not are told apart all the same.
TEST_F(Stretches, DistinctNumbersThatStopAscendingAreReadAgain) {
  write(600, [](std::size_t r) { return r == 599 ? "1,100,1.50,paid" : plain(r); });
  EXPECT_FALSE(agrees(shop_totals(), scratch_.path(), 256, 4));
  write(600, [](std::size_t r) { return plain((r * 177) % 600); });
  EXPECT_TRUE(agrees(shop_totals(), scratch_.path(), 256, 4));

  // The first rows do not count, and few of the next stretch do.
  Ladder late = shop_totals();
  late.where = "status = 'paid'";
  write(600, [](std::size_t r) {
    const std::string line = plain(r < 200 ? r : (r * 177) % 600);
    return r < 100 || (r < 200 && r % 40 != 0) ? line.substr(0, line.size() - 4) + "void" : line;
  });
  EXPECT_TRUE(agrees(late, scratch_.path(), 256, 4));

  // The lines of an order are of several shops, which are more than a few at the end.
  const auto spread = [](std::size_t r) {
    return std::to_string(1 + r % 5) + "," + std::to_string(100 + r / 12) + ",1.50,paid";
  };
  write(600, spread);
  EXPECT_TRUE(agrees(shop_totals(), scratch_.path(), 256, 4));
  write(600, [&](std::size_t r) { return r < 500 ? spread(r) : std::to_string(r) + ",150,1.50,void"; });
  Ladder ladder = shop_totals();
  ladder.where = "";
  EXPECT_FALSE(agrees(ladder, scratch_.path(), 256, 4));
}

TEST_F(Stretches, TextsThatNoRowHasAreRemarkedOn) {
  write(600, [](std::size_t r) { return plain(r) + (r == 480 ? " " : ""); });
  Ladder ladder = shop_totals();
  ladder.where = "status <> 'Void' and status not in ('payd', 'paid ') and status not like 'p_d'";
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 256, 4));
  const support::Stretching apart(256, 4);
  const Said said = ask(ladder, scratch_.path());
  EXPECT_NE(said.text.find("no line has the `status` `Void`"), std::string::npos) << said.text;
  EXPECT_NE(said.text.find("nearest: `paid` (599 lines)"), std::string::npos) << said.text;
}

// What one row makes impossible has the place that it has in the file.
TEST_F(Stretches, ProblemsHaveTheirPlaces) {
  write(600, [](std::size_t r) { return r == 555 ? "1,400,0.00,paid" : plain(r + r / 7); });
  Ladder ladder = shop_totals();
  ladder.figures = {{"part", "1 / (case when amount = 0 then 0 else 1 end)"}};
  ladder.totals.front().formula = "sum(part)";
  EXPECT_FALSE(agrees(ladder, scratch_.path(), 256, 4));
  const support::Stretching apart(256, 4);
  const Said said = ask(ladder, scratch_.path());
  EXPECT_NE(said.text.find("line 557"), std::string::npos) << said.text;

  Ladder carried = shop_totals();
  carried.list.columns.push_back("status");
  write(600, [](std::size_t r) { return r == 400 ? "2,300,1.50,open" : plain(r); });
  EXPECT_FALSE(agrees(carried, scratch_.path(), 256, 4));
  EXPECT_NE(ask(carried, scratch_.path()).text.find("several"), std::string::npos);
}

TEST_F(Stretches, AMalformedLineIsSaid) {
  write(600, [](std::size_t r) { return r == 500 ? "1,400" : plain(r); });
  agrees(shop_totals(), scratch_.path(), 256, 4);
  const support::Stretching apart(256, 4);
  EXPECT_NE(ask(shop_totals(), scratch_.path()).text.find(":502"), std::string::npos);
}

TEST_F(Stretches, SeveralFilesFollowEachOther) {
  std::size_t lines = 0;
  for (const char* const name : {"l1.csv", "l2.csv", "l3.csv"}) {
    std::string text = "shop,order_no,amount,status\n";
    for (std::size_t r = 0; r < 200; ++r) text += plain(lines++) + "\n";
    text += std::string("3,,,") + name + "\n";
    scratch_.file(name, text);
  }
  scratch_.file("shops.csv", shops);
  Ladder ladder = shop_totals();
  ladder.data.from = "l*.csv";
  ladder.data.read.file_column = "file";
  ladder.levels.front().each = {"file", "shop"};
  ladder.where = "amount > 0 or status <> 'l2.csv'";
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 256, 3));
}

// [crossed] and [compare] are further questions of the same pass.
TEST_F(Stretches, FurtherQuestionsSeeTheRowsOnce) {
  write(900, [](std::size_t r) { return plain(r).substr(0, plain(r).size() - 4) + (r % 7 < 3 ? "paid" : "open"); });
  Ladder crossed = shop_totals();
  crossed.crossed = {.each = {"status"}, .by = "spend desc", .cell = "spend"};
  EXPECT_TRUE(agrees(crossed, scratch_.path(), 256, 4));

  Ladder compared = shop_totals();
  compared.choices = {{.name = "least", .value = Decimal(2, 0)}};
  compared.where = "amount > :least";
  compared.compare.choose = {{"least", Decimal(5, 0)}};
  compared.list.columns.insert(compared.list.columns.begin() + 1, {"was", "moved"});
  EXPECT_TRUE(agrees(compared, scratch_.path(), 256, 4));
  compared.crossed = crossed.crossed;
  EXPECT_TRUE(agrees(compared, scratch_.path(), 256, 4));

  // One of them needs its rows.
  compared.crossed.by = "spend desc, n asc";
  compared.totals.push_back({"middle", "median(amount)"});
  EXPECT_FALSE(agrees(compared, scratch_.path(), 256, 4));
}

// Inner levels total all rows then: what is not inside what the level outside lists has to leave no trace.
TEST_F(Stretches, LevelsInsideLevelsSeeTheRowsOnce) {
  write(900, [](std::size_t r) {
    return std::to_string(1 + r / 3 % 4) + "," + std::to_string(100 + r / 5) + "," +
           (r % 11 == 0 ? "" : std::to_string(r % 7) + ".50") + "," +
           (r % 7 < 3     ? "paid"
            : r % 13 == 0 ? ""
                          : "open");
  });
  Ladder nested = shop_totals();
  nested.levels = {{.each = {"shop"}, .by = "spend desc", .best = 2},
                   {.each = {"status"}, .by = "mean desc", .best = 2},
                   {.each = {"order_no"}, .by = "spend desc", .having = "n > 1", .best = 3}};
  nested.list.columns = {"rank", "shop", "status", "order_no", "spend", "mean", "n", "orders", "paid"};
  EXPECT_TRUE(agrees(nested, scratch_.path(), 256, 4));
  nested.list.columns.push_back("name");
  EXPECT_TRUE(agrees(nested, scratch_.path(), 256, 4));
  nested.crossed = {.each = {"status"}, .by = "spend desc", .cell = "spend"};
  nested.levels.erase(nested.levels.begin() + 1);
  EXPECT_TRUE(agrees(nested, scratch_.path(), 256, 4));

  // One of them needs its rows: for the distinct orders of what it does not list, or because each row is an entry.
  nested.levels.back().others = true;
  EXPECT_FALSE(agrees(nested, scratch_.path(), 256, 4));
  nested.levels.back() = {.by = "amount desc", .best = 1};
  nested.crossed = {};
  nested.list.columns = {"rank", "shop", "order_no", "amount"};
  EXPECT_FALSE(agrees(nested, scratch_.path(), 256, 4));
}

// What conditions on rows compare with has to be known before any row is totalled.
TEST_F(Stretches, ConstantsOverAllRowsTakeALookOfTheirOwn) {
  write(900, [](std::size_t r) {
    return std::to_string(1 + r / 3 % 4) + "," + std::to_string(100 + r / 3) + "," +
           (r % 11 == 0 ? "" : std::to_string(r * 7 % 901) + ".50") + "," + (r % 7 < 3 ? "paid" : "void");
  });
  Ladder ladder = shop_totals();
  ladder.where = "status = 'paid' and amount < overall_max(amount) and order_no >= overall_min(order_no) + 3";
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 256, 4));
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 256, 4, 1));
  ladder.data.joins.front().type = JoinType::inner;  // leaves out rows that may have the greatest
  ladder.where = "amount < overall_max(amount) and name <> 'Amber Lantern'";
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 256, 4));
  ladder.levels.push_back({.each = {"status"}, .by = "spend desc"});
  ladder.list = {};
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 256, 4));
  ladder.data.joins.clear();
  ladder.where = "amount < overall_max(50)";  // of no column
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 256, 4));
  ladder.where = "amount / (amount - 3.5) < overall_max(amount / (amount - 3.5))";  // for one row it cannot be
  EXPECT_FALSE(agrees(ladder, scratch_.path(), 256, 4));

  // Few rows are kept: reading them once takes less time.
  const support::Stretching apart(256, 4);
  engine::most_kept_share = engine::usual_kept_share;
  ladder.where = "amount < overall_max(amount)";
  EXPECT_FALSE(ask(ladder, scratch_.path()).in_one_pass);
}

TEST_F(Stretches, QuestionsThatNeedTheirRowsKeepThem) {
  write(600, plain);
  const auto kept = [&](const auto& change) {
    Ladder ladder = shop_totals();
    change(ladder);
    const Said said = ask(ladder, scratch_.path());
    EXPECT_TRUE(said.answered) << said.text;
    return !agrees(ladder, scratch_.path(), 256, 4);
  };
  EXPECT_TRUE(kept([](Ladder& l) {
    l.totals.push_back({"middle", "percentile_disc(0.5) within group (order by amount)"});
  }));
  EXPECT_TRUE(kept([](Ladder& l) {
    l.figures = {{"before", "lag(amount) over (order by order_no)"}}, l.totals.front().formula = "sum(before)";
  }));
  EXPECT_TRUE(kept([](Ladder& l) { l.data.joins.front().type = JoinType::full; }));
  EXPECT_TRUE(kept([](Ladder& l) { l.levels.front().include = "shops"; }));
}

// Of rows that count all that is said has the place that it has in the file.
TEST_F(Stretches, RowsThatCountAloneKnowTheirPlaces) {
  write(900, [](std::size_t r) {
    const std::string line = plain(r);
    return line.substr(0, line.size() - 4) + (r % 50 == 30 ? "paid" : r == 700 ? "" : "void");
  });
  Ladder ladder{.data = {.from = "lines.csv"},
                .where = "status = 'paid'",
                .levels = {{.by = "amount desc", .best = 3}},
                .list = {.columns = {"rank", "order_no", "amount"}}};
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 256, 4));
  ladder.figures = {{"odd", "1 / (order_no - 110)"}};
  ladder.list.columns.push_back("odd");
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 256, 4));
  {
    const support::Stretching apart(256, 4);
    const Said said = ask(ladder, scratch_.path());
    EXPECT_FALSE(said.answered);
    EXPECT_NE(said.text.find("line 32 of lines.csv"), std::string::npos) << said.text;
  }

  // Saved, and asked for a place.
  ladder.figures.clear();
  ladder.list.columns.pop_back();
  const auto told = [&](std::size_t chunks) {
    const support::Stretching apart(256, chunks);
    const Standings s = standings(ladder, TableFiles(scratch_.path()));
    std::string out =
        std::to_string(s.place_for("amount", Decimal(55, 1)).front().standing.better) + accounting_text(s);
    save(s, [&](std::string_view part) { out += part; });
    return out;
  };
  EXPECT_EQ(told(never), told(4));
  EXPECT_NE(told(4).find("(the first is line 702 of lines.csv)"), std::string::npos) << told(4);

  // Where most rows count, they are all kept.
  ladder.where = "status = 'void'";
  EXPECT_FALSE(agrees(ladder, scratch_.path(), 256, 4));
}

// Where the first rows tell that all have to be kept, the other tables are there already.
TEST_F(Stretches, OtherTablesAreReadOnce) {
  write(900, plain);
  const support::Stretching apart(256, 4);
  Ladder ladder = shop_totals();
  ladder.levels = {{.by = "amount desc", .best = 3}};
  ladder.totals.clear();
  ladder.list.columns = {"rank", "name", "amount"};
  ladder.where = "amount is not null";
  std::size_t sifting = 0, lines = 0, others = 0;
  lofty::Run run;
  run.step = [&](std::string_view step) {
    sifting += step.starts_with("reading and sifting lines.csv");
    lines += step.starts_with("reading lines.csv");
    others += step.starts_with("reading shops.csv");
  };
  EXPECT_EQ(standings(ladder, TableFiles(scratch_.path()), run).rows(), 128U);
  EXPECT_EQ(sifting, 1U);
  EXPECT_EQ(lines, 1U);
  EXPECT_EQ(others, 1U);
}

TEST_F(Stretches, RowsThatCountAloneKnowTheirFiles) {
  for (const char* const name : {"l1.csv", "l2.csv", "l3.csv", "l4.csv"}) {
    std::string text = "shop,order_no,amount,status\n";
    for (std::size_t r = 0; r < 200; ++r)
      text += "1,7,2.50," + std::string(r % 60 == 40 && name[1] != '2' ? "paid\n" : "void\n");
    scratch_.file(name, text);
  }
  Ladder ladder{.data = {.from = "l*.csv"},
                .where = "status = 'paid'",
                .levels = {{.by = "amount desc", .best = 3}},
                .list = {.columns = {"rank", "file", "order_no", "amount"}}};
  ladder.data.read.file_column = "file";
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 256, 3));
  const support::Stretching apart(256, 3);
  EXPECT_NE(ask(ladder, scratch_.path()).text.find("line 42 of l3.csv"), std::string::npos);
}

TEST_F(Stretches, AStopEndsIt) {
  write(5000, plain);
  const support::Stretching apart(256, 4);
  std::stop_source stop;
  lofty::Run run{.stop = stop.get_token()};
  std::size_t told = 0;
  run.progress = [&](double) {
    if (++told == 5) stop.request_stop();
  };
  try {
    standings(shop_totals(), TableFiles(scratch_.path()), run);
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.code(), Code::stopped);
  }
}

// A file that grows while it is read.
TEST_F(Stretches, AFileThatChangesIsRefused) {
  write(5000, plain);
  const support::Stretching apart(256, 4);
  lofty::Run run;
  bool grown = false;
  run.progress = [&](double share) {
    if (grown || share < 0.2) return;
    std::ofstream(scratch_.path() / "lines.csv", std::ios::app) << plain(1) << "\n";
    grown = true;
  };
  try {
    standings(shop_totals(), TableFiles(scratch_.path()), run);
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.code(), Code::changed_file);
  }
}
