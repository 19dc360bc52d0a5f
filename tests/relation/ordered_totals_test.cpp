// Totals that go by an order of the rows: against the definition.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include "support/tables.hpp"

using namespace lofty;
using support::column;
using support::money;
using support::null;
using support::number;
using support::problems;

namespace {

using Texts = std::vector<std::string>;

std::string text_of(const Value& value) { return is_null(value) ? "" : to_text(value); }

RC_GTEST_PROP(OrderedTotals, AreWhatTheirDefinitionsSay, ()) {
  const auto rows = static_cast<std::size_t>(*rc::gen::inRange(1, 30));
  std::vector<Value> group, value, when;
  for (std::size_t i = 0; i < rows; ++i) {
    group.push_back(number(*rc::gen::inRange(1, 4)));
    value.push_back(i > 0 && *rc::gen::inRange(0, 5) == 0 ? null() : Value(Decimal(*rc::gen::inRange(-500, 500), 2)));
    when.push_back(i > 0 && *rc::gen::inRange(0, 6) == 0 ? null() : number(*rc::gen::inRange(0, 5)));
  }
  Catalog catalog;
  support::add(catalog, "t", {{"g", group}, {"x", value}, {"at", when}});
  const Ladder ladder{.data = {.from = "t"},
                      .totals = {{"middle", "median(x)"},
                                 {"tenth", "percentile_disc(0.1) within group (order by x)"},
                                 {"top_tenth", "percentile_disc(0.1) within group (order by x desc)"},
                                 {"quarter", "percentile_cont(0.25) within group (order by x)"},
                                 {"first_x", "first_value(x) within group (order by at)"},
                                 {"last_x", "last_value(x) within group (order by at)"},
                                 {"late", "median(x) filter (where at > 2)"}},
                      .levels = {{.each = {"g"}}}};
  const Standings answer = standings(ladder, catalog);
  for (std::size_t r = 0; r < answer.rows(); ++r) {
    const Value key = answer.value(r, 0);
    std::vector<std::size_t> mine;
    for (std::size_t i = 0; i < rows; ++i)
      if (group[i] == key) mine.push_back(i);
    const auto sorted = [&](const auto& counts) {
      std::vector<long> out;
      for (const std::size_t i : mine)
        if (!is_null(value[i]) && counts(i))
          out.push_back(static_cast<long>(std::get<Decimal>(value[i]).coefficient()));
      std::sort(out.begin(), out.end());
      return out;
    };
    const auto any = [](std::size_t) { return true; };
    // In hundred-millionths: `part` quarters of the way through.
    const auto between = [](const std::vector<long>& of, long quarters) -> std::string {
      if (of.empty()) return "";
      const long at = quarters * static_cast<long>(of.size() - 1), low = at / 4, rest = at % 4;
      const long a = of[static_cast<std::size_t>(low)], b = rest == 0 ? a : of[static_cast<std::size_t>(low) + 1];
      return Decimal((a * 4 + (b - a) * rest) * 250'000, 8).text();
    };
    const auto all = sorted(any);
    RC_ASSERT(text_of(answer.value(r, 1)) == between(all, 2));
    RC_ASSERT(text_of(answer.value(r, 4)) == between(all, 1));
    const auto discrete = [&](bool down) -> std::string {
      if (all.empty()) return "";
      std::size_t k = 1;
      while (k * 10 < all.size()) ++k;
      return Decimal(down ? all[all.size() - k] : all[k - 1], 2).text();
    };
    RC_ASSERT(text_of(answer.value(r, 2)) == discrete(false));
    RC_ASSERT(text_of(answer.value(r, 3)) == discrete(true));
    std::stable_sort(mine.begin(), mine.end(), [&](std::size_t a, std::size_t b) {
      if (is_null(when[a]) || is_null(when[b])) return !is_null(when[a]) && is_null(when[b]);
      return when[a] < when[b];
    });
    RC_ASSERT(text_of(answer.value(r, 5)) == text_of(value[mine.front()]));
    RC_ASSERT(text_of(answer.value(r, 6)) == text_of(value[mine.back()]));
    RC_ASSERT(text_of(answer.value(r, 7)) ==
              between(sorted([&](std::size_t i) { return !is_null(when[i]) && when[i] > number(2); }), 2));
  }
}

// The line for the others takes their rows together, and does not average medians.
TEST(OrderedTotals, OthersAreWorkedOutAnew) {
  Catalog catalog;
  support::add(
      catalog, "t",
      {{"g", {number(1), number(2), number(2), number(3)}}, {"x", {number(9), number(1), number(3), number(8)}}});
  const Ladder ladder{.data = {.from = "t"},
                      .totals = {{"middle", "median(x)"}},
                      .levels = {{.each = {"g"}, .by = "middle desc", .best = 1, .others = true}}};
  const Standings answer = standings(ladder, catalog);
  ASSERT_EQ(answer.summaries().size(), 2u);
  EXPECT_EQ(to_text(answer.summaries()[0].values[2]), "3.000000");
  EXPECT_EQ(to_text(answer.summaries()[1].values[2]), "5.500000");
}

TEST(OrderedTotals, MistakesAreExplained) {
  Catalog catalog;
  support::add(catalog, "t", {{"g", {number(1)}}, {"x", {number(9)}}, {"s", {Value(std::string("a"))}}});
  const std::pair<const char*, const char*> cases[] = {
      {"first_value(x)", "`first_value` goes with a window: which rows does it see?"},
      {"median(s)", "`median` takes numbers"},
      {"sum(x order by g)", "the order of `sum` is written after its brackets"},
      {"percentile_cont(0.5)", "`percentile_cont` orders by one key"},
      {"percentile_disc(1.5) within group (order by x)", "the fraction is a number between 0 and 1"},
      {"percentile_disc(x) within group (order by x)", "the fraction is a number between 0 and 1"}};
  for (const auto& [formula, sentence] : cases) {
    const Ladder ladder{.data = {.from = "t"}, .totals = {{"m", formula}}, .levels = {{.each = {"g"}}}};
    const Texts found = problems(ladder, catalog);
    EXPECT_TRUE(!found.empty() && found[0].find(sentence) != std::string::npos)
        << formula << ": " << (found.empty() ? "nothing" : found[0]);
  }
}

}  // namespace
