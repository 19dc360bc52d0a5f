#pragma once
// Every call of the library that may take long, over data of any size: what tests stop, and what a benchmark does.

#include <functional>
#include <random>
#include <string>
#include <vector>

#include "lofty/lofty.hpp"

namespace support {

// A call, and its name.
struct Long {
  const char* name;
  std::function<void(const lofty::Run&)> call;
};

class LongCalls {
 public:
  const std::size_t rows;
  std::vector<std::int64_t> group = numbers(1000), value = numbers(1'000'000), day = numbers(400);
  std::vector<double> doubles = std::vector<double>(value.begin(), value.end());
  std::vector<lofty::Decimal> decimals;
  std::vector<std::string> words;
  std::vector<std::uint8_t> mask = std::vector<std::uint8_t>(rows, 0);
  lofty::Order order = lofty::order(lofty::groups(group), {lofty::ascending(day)});
  lofty::GroupNumbers by_group = lofty::number_groups(lofty::groups(group));
  std::vector<std::int64_t> out = std::vector<std::int64_t>(rows);
  std::vector<double> out_doubles = std::vector<double>(rows);
  std::vector<lofty::Decimal> out_decimals = std::vector<lofty::Decimal>(rows);
  std::vector<std::uint8_t> out_nulls = std::vector<std::uint8_t>(rows);

  explicit LongCalls(std::size_t rows_each) : rows(rows_each) {
    for (std::size_t i = 0; i < rows; ++i) {
      decimals.emplace_back(value[i], 2);
      words.push_back("w" + std::to_string(value[i]));
      mask[i] = i % 7 == 0;
    }
  }
  std::vector<std::int64_t> numbers(std::int64_t below) const {
    std::mt19937_64 random(static_cast<std::uint64_t>(below));
    std::vector<std::int64_t> made(rows);
    for (std::int64_t& one : made) one = static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(below));
    return made;
  }

  // A question that reads, joins nothing, computes over rows and entries, ranks and lists.
  lofty::Table table = lofty::TableBuilder("lines").column("g", group).column("d", day).column("v", value).build();
  lofty::Catalog tables = [this] {
    lofty::Catalog catalog;
    catalog.add(table);
    return catalog;
  }();
  lofty::Ladder ladder{.data = {.from = "lines"},
                       .figures = {{"before", "lag(v) over (partition by g order by d)"}},
                       .totals = {{"most", "max(v)"}, {"days", "count(distinct d)"}, {"middle", "median(before)"}},
                       .levels = {{.each = {"g"}, .by = "most desc", .windows = {{"w", "sum(most) over ()"}}}}};

  std::vector<Long> calls() {
    using namespace lofty;
    const Frame last = last_rows(30), whole = whole_group(), days{.from = preceding(7), .by = ascending(day)};
    const Decimal half(5, 1);
    return {
        {"order", [this](const lofty::Run& run) { order = lofty::order(groups(group), {ascending(day)}, {}, run); }},
        {"order of texts", [this](const lofty::Run& run) { (void)lofty::order({ascending(words)}, {}, run); }},
        {"inverse", [this](const lofty::Run& run) { (void)order.inverse(run); }},
        {"best", [this](const lofty::Run& run) { (void)best(groups(group), {descending(value)}, 3, {}, {}, run); }},
        {"worst", [this](const lofty::Run& run) { (void)worst({}, {descending(value)}, 100, {}, {}, run); }},
        {"undecided", [this](const lofty::Run& run) { (void)undecided(order, {ascending(value)}, run); }},
        {"places", [this](const lofty::Run& run) { (void)places(order, Ties::competition, run); }},
        {"modified places", [this](const lofty::Run& run) { (void)places(order, Ties::modified, run); }},
        {"places_by_row", [this](const lofty::Run& run) { (void)places_by_row(order, Ties::dense, run); }},
        {"fractional_places", [this](const lofty::Run& run) { (void)fractional_places(order, run); }},
        {"fractional_places_by_row", [this](const lofty::Run& run) { (void)fractional_places_by_row(order, run); }},
        {"every_place", [this](const lofty::Run& run) { (void)every_place(order, run); }},
        {"tiers", [this](const lofty::Run& run) { (void)tiers(order, 10, run); }},
        {"percent_ranks", [this](const lofty::Run& run) { (void)percent_ranks(order, run); }},
        {"cumulative_distributions", [this](const lofty::Run& run) { (void)cumulative_distributions(order, run); }},
        {"by_input_row", [this](const lofty::Run& run) { (void)by_input_row(order, value, run); }},
        {"by_input_row of texts", [this](const lofty::Run& run) { (void)by_input_row(order, words, run); }},
        {"number_groups", [this](const lofty::Run& run) { (void)number_groups(groups(value), run); }},
        {"number_groups of texts", [this](const lofty::Run& run) { (void)number_groups(groups(words), run); }},
        {"sums", [this](const lofty::Run& run) { (void)sums(by_group, value, mask, run); }},
        {"sums of doubles", [this](const lofty::Run& run) { (void)sums(by_group, doubles, mask, run); }},
        {"sums of decimals", [this](const lofty::Run& run) { (void)sums(by_group, decimals, mask, run); }},
        {"shares", [this](const lofty::Run& run) { (void)shares(order, value, mask, run); }},
        {"shares of doubles", [this](const lofty::Run& run) { (void)shares(order, doubles, {}, run); }},
        {"running_shares of decimals",
         [this](const lofty::Run& run) { (void)running_shares(order, decimals, {}, run); }},
        {"frame_sums", [=, this](const lofty::Run& run) { (void)frame_sums(order, last, value, mask, run); }},
        {"frame_sums along days", [=, this](const lofty::Run& run) { (void)frame_sums(order, days, value, {}, run); }},
        {"frame_sums of doubles",
         [=, this](const lofty::Run& run) { (void)frame_sums(order, last, doubles, {}, run); }},
        {"frame_sums of decimals",
         [=, this](const lofty::Run& run) { (void)frame_sums(order, last, decimals, {}, run); }},
        {"frame_sums into memory",
         [=, this](const lofty::Run& run) { frame_sums(order, last, value, mask, out, out_nulls, run); }},
        {"frame_sums of doubles into memory",
         [=, this](const lofty::Run& run) { frame_sums(order, last, doubles, mask, out_doubles, out_nulls, run); }},
        {"frame_sums of decimals into memory",
         [=, this](const lofty::Run& run) { frame_sums(order, last, decimals, mask, out_decimals, out_nulls, run); }},
        {"running_sums", [this](const lofty::Run& run) { running_sums(order, value, out, run); }},
        {"frame_means", [=, this](const lofty::Run& run) { (void)frame_means(order, last, doubles, {}, run); }},
        {"frame_means of decimals",
         [=, this](const lofty::Run& run) { (void)frame_means(order, last, decimals, {}, run); }},
        {"frame_counts", [=, this](const lofty::Run& run) { (void)frame_counts(order, last, mask, run); }},
        {"frame_distinct_counts",
         [=, this](const lofty::Run& run) { (void)frame_distinct_counts(order, last, ascending(value), run); }},
        {"frame_least", [=, this](const lofty::Run& run) { (void)frame_least(order, last, ascending(value), run); }},
        {"frame_greatest of a group",
         [=, this](const lofty::Run& run) { (void)frame_greatest(order, whole, ascending(doubles), run); }},
        {"frame_percentiles",
         [=, this](const lofty::Run& run) { (void)frame_percentiles(order, last, doubles, half, {}, run); }},
        {"frame_percentiles of decimals",
         [=, this](const lofty::Run& run) { (void)frame_percentiles(order, last, decimals, half, {}, run); }},
        {"rows_before", [this](const lofty::Run& run) { (void)rows_before(order, 3, mask, run); }},
        {"rows_after", [this](const lofty::Run& run) { (void)rows_after(order, 3, {}, run); }},
        {"standings", [this](const lofty::Run& run) { (void)standings(ladder, tables, run); }},
        {"profile", [this](const lofty::Run& run) { (void)profile(table, run); }},
        {"why", [this](const lofty::Run& run) { (void)why(ladder, tables, "g = 7", run); }},
        {"nth_rows", [=, this](const lofty::Run& run) { (void)nth_rows(order, last, 2, From::last, mask, run); }},
    };
  }
};

}  // namespace support
