// The arrays entrance to windows: large enough for several threads, against sums and sorts of each frame.
#include <gtest/gtest.h>

#include <algorithm>
#include <random>
#include <set>

#include "lofty/lofty.hpp"

using namespace lofty;

namespace {

struct World {
  std::vector<std::int64_t> group, key, value;
  std::vector<double> floats;
  std::vector<std::uint8_t> nulls;
  explicit World(std::size_t rows) {
    std::mt19937_64 random(7);
    for (std::size_t i = 0; i < rows; ++i) {
      group.push_back(static_cast<std::int64_t>(random() % 3));
      key.push_back(static_cast<std::int64_t>(random() % (rows / 2 + 1)));
      value.push_back(static_cast<std::int64_t>(random() % 1000) - 500);
      floats.push_back(static_cast<double>(value.back()) / 8);
      nulls.push_back(random() % 10 == 0);
    }
  }
  Order order() const { return lofty::order(groups(group), {ascending(key)}); }
};

// The positions of a frame of rows, by definition.
std::pair<std::size_t, std::size_t> rows_frame(const Order& order, std::size_t at, std::size_t before,
                                               std::size_t behind) {
  std::size_t begin = at, end = at + 1;
  while (before-- > 0 && !order.starts_group(begin)) --begin;
  while (behind-- > 0 && end < order.size() && !order.starts_group(end)) ++end;
  return {begin, end};
}

// More rows than one thread takes; looked at here and there.
TEST(WindowArrays, LargeFramesAreWorkedOutByThreads) {
  const World world(260'000);
  const Order order = world.order();
  const Frame frame{FrameUnit::rows, preceding(700), following(20), {}, {}};
  const auto sums = frame_sums(order, frame, world.value, world.nulls);
  const auto counts = frame_counts(order, frame, world.nulls);
  const auto least = frame_least(order, frame, ascending(world.value));
  const auto greatest = frame_greatest(order, frame, ascending(world.value));
  const auto distinct = frame_distinct_counts(order, frame, ascending(world.value));
  const auto medians = frame_percentiles(order, frame, world.floats, Decimal(5, 1), world.nulls);
  const auto means = frame_means(order, frame, world.floats, world.nulls);
  const auto second = nth_rows(order, frame, 2, From::last);
  for (const int threads : {1, 3}) {
    const lofty::Run run{.threads = threads};
    EXPECT_EQ(frame_sums(order, frame, world.value, world.nulls, run).values, sums.values);
    EXPECT_EQ(frame_percentiles(order, frame, world.floats, Decimal(5, 1), world.nulls, run).values, medians.values);
    EXPECT_EQ(frame_least(order, frame, ascending(world.value), run), least);
  }
  const auto rows = order.rows();
  for (std::size_t at = 0; at < order.size(); at += at % 5 == 0 ? 1 : 1009) {
    const auto [begin, end] = rows_frame(order, at, 700, 20);
    std::int64_t sum = 0;
    std::uint32_t count = 0;
    std::set<std::int64_t> values;
    std::vector<double> known;
    for (std::size_t i = begin; i < end; ++i) {
      values.insert(world.value[rows[i]]);
      if (world.nulls[rows[i]] != 0) continue;
      sum += world.value[rows[i]];
      ++count;
      known.push_back(world.floats[rows[i]]);
    }
    ASSERT_EQ(sums.values[at], sum) << at;
    ASSERT_EQ(counts[at], count);
    ASSERT_EQ(world.value[least[at]], *values.begin());
    ASSERT_EQ(world.value[greatest[at]], *values.rbegin());
    ASSERT_EQ(distinct[at], values.size());
    std::sort(known.begin(), known.end());
    ASSERT_EQ(medians.values[at], (known[(known.size() - 1) / 2] + known[known.size() / 2]) / 2);
    ASSERT_EQ(means.values[at], static_cast<double>(sum) / 8 / count);
    ASSERT_EQ(second[at], rows[end - 2]);
  }
}

TEST(WindowArrays, RangesGoByTheKey) {
  const std::vector<std::int64_t> day{1, 1, 2, 5}, amount{10, 20, 30, 40};
  const Order o = order({ascending(day)});
  EXPECT_EQ(frame_sums(o, last_rows(2), amount).values, (std::vector<std::int64_t>{10, 30, 50, 70}));
  EXPECT_EQ(frame_sums(o, {.from = preceding(1), .by = ascending(day)}, amount).values,
            (std::vector<std::int64_t>{30, 30, 60, 40}));
  EXPECT_EQ(rows_before(o, 1), (std::vector<std::uint32_t>{no_input_row, 0, 1, 2}));
  EXPECT_EQ(rows_after(o, 2), (std::vector<std::uint32_t>{2, 3, no_input_row, no_input_row}));
  // Downwards, the days before are the later ones.
  const Order down = order({descending(day)});
  EXPECT_EQ(frame_sums(down, {.from = preceding(3), .by = descending(day)}, amount).values,
            (std::vector<std::int64_t>{40, 70, 60, 60}));
  const std::vector<double> at{0.5, 1.0, 1.25, std::numeric_limits<double>::quiet_NaN()};
  const Order floats = order({ascending(at)});
  Frame near{.from = preceding(0), .to = current_row(), .by = ascending(at)};
  near.from.float_distance = 0.5;
  EXPECT_EQ(frame_counts(floats, near), (std::vector<std::uint32_t>{1, 2, 2, 1}));
}

TEST(WindowArrays, ExclusionsAndGroups) {
  const std::vector<std::int64_t> key{1, 1, 2, 2}, value{1, 2, 4, 8};
  const Order o = order({ascending(key)});
  const auto sums = [&](Frame frame) {
    const auto found = frame_sums(o, frame, value);
    std::vector<std::int64_t> out = found.values;
    for (std::size_t i = 0; i < found.nulls.size(); ++i)
      if (found.nulls[i] != 0) out[i] = -1;
    return out;
  };
  using Sums = std::vector<std::int64_t>;
  Frame all = whole_group();
  EXPECT_EQ(sums(all), (Sums{15, 15, 15, 15}));
  all.excluded = Excluded::current_row;
  EXPECT_EQ(sums(all), (Sums{14, 13, 11, 7}));
  all.excluded = Excluded::group;
  EXPECT_EQ(sums(all), (Sums{12, 12, 3, 3}));
  all.excluded = Excluded::ties;
  EXPECT_EQ(sums(all), (Sums{13, 14, 7, 11}));
  EXPECT_EQ(sums({FrameUnit::groups, preceding(1), preceding(1), {}, {}}), (Sums{-1, -1, 3, 3}));
  EXPECT_EQ(sums({FrameUnit::rows, following(1), following(2), {}, {}}), (Sums{6, 12, 8, -1}));
}

TEST(WindowArrays, DecimalsAreExactAndOverflowIsSaid) {
  const std::vector<Decimal> values{Decimal(15, 1), Decimal(225, 2)};
  const std::vector<int> key{1, 2};
  const Order o = order({ascending(key)});
  EXPECT_EQ(frame_sums(o, whole_group(), values).values[0].text(), "3.75");
  EXPECT_EQ(frame_means(o, whole_group(), values).values[0].text(), "1.87500000");
  EXPECT_EQ(frame_percentiles(o, whole_group(), values, Decimal(25, 2)).values[0].text(), "1.68750000");
  const std::vector<std::int64_t> large{std::numeric_limits<std::int64_t>::max(), 1};
  EXPECT_THROW(frame_sums(o, whole_group(), large), Error);
  const std::vector<std::int64_t> ends{std::numeric_limits<std::int64_t>::min(), 1};
  EXPECT_EQ(frame_sums(o, whole_group(), ends).values[0], std::numeric_limits<std::int64_t>::min() + 1);
  const int128 most = Decimal::parse("99999999999999999999999999999999999999")->coefficient();
  const std::vector<Decimal> wide{Decimal(most, 0), Decimal(most, 0)};
  EXPECT_THROW(frame_sums(o, whole_group(), wide), Error);
  EXPECT_EQ(frame_sums(o, last_rows(1), wide).values[1], Decimal(most, 0));
}

TEST(WindowArrays, IntoTheCallersMemory) {
  const World world(1000);
  const Order order = world.order();
  std::vector<std::int64_t> out(1000), in_order, running(1000);
  std::vector<std::uint8_t> nulls(1000);
  std::vector<std::uint32_t> rows(1000);
  for (const Frame& frame : {last_rows(5), Frame{FrameUnit::rows, following(2), following(3), {}, {}}}) {
    const auto fresh = frame_sums(order, frame, world.value, world.nulls);
    frame_sums(order, frame, world.value, world.nulls, out, nulls);
    EXPECT_EQ(out, fresh.values);
    EXPECT_TRUE(fresh.nulls.empty() ? std::count(nulls.begin(), nulls.end(), 1) == 0 : fresh.nulls == nulls);
    frame_least(order, frame, ascending(world.value), rows);
    EXPECT_EQ(rows, frame_least(order, frame, ascending(world.value)));
  }
  for (const std::uint32_t row : order.rows()) in_order.push_back(world.value[row]);
  running_sums(order, in_order, running);
  EXPECT_EQ(running,
            frame_sums(order, {FrameUnit::rows, unbounded_preceding(), current_row(), {}, {}}, world.value).values);
}

// Every thread's greatest value counts for whether 64 bits hold the sums.
TEST(WindowArrays, LargeValuesInOnePieceAreNotForgotten) {
  std::vector<std::int64_t> key(260'000), value(260'000, 1);
  for (std::size_t i = 0; i < key.size(); ++i) key[i] = static_cast<std::int64_t>(i);
  value[0] = value[1] = std::int64_t{1} << 62;
  const Order order = lofty::order({ascending(key)});
  EXPECT_THROW(frame_sums(order, whole_group(), value), Error);
  EXPECT_EQ(frame_sums(order, last_rows(1), value).values[1], std::int64_t{1} << 62);
}

TEST(WindowArrays, NothingIsNothing) {
  const std::vector<std::int64_t> none;
  const Order o = order({ascending(none)});
  EXPECT_TRUE(frame_sums(o, whole_group(), none).values.empty());
  EXPECT_TRUE(frame_least(o, last_rows(3), ascending(none)).empty());
  EXPECT_TRUE(rows_before(o, 1).empty());
  EXPECT_TRUE(frame_distinct_counts(o, whole_group(), ascending(none)).empty());
}

// Texts compare by code points; the row of the first of equal ones is given.
TEST(WindowArrays, LeastOfTexts) {
  const std::vector<std::string> names{"b", "a", "a", "ä"};
  const std::vector<int> key{1, 2, 3, 4};
  const Order o = order({ascending(key)});
  EXPECT_EQ(frame_least(o, whole_group(), ascending(names))[0], 1u);
  EXPECT_EQ(frame_greatest(o, whole_group(), ascending(names))[0], 3u);
}

}  // namespace

// Large enough for several pieces and threads: running sums that start anew in each group, and results by input row.
TEST(WindowArrays, RunningSumsOfManyPieces) {
  constexpr std::size_t size = 400'000;
  for (const std::int64_t groups : {1, 3, 5000}) {
    std::vector<std::int64_t> group(size), key(size), value(size);
    for (std::size_t i = 0; i < size; ++i) {
      group[i] = static_cast<std::int64_t>(i * 7919 % size) * groups / static_cast<std::int64_t>(size);
      key[i] = static_cast<std::int64_t>(i * 104'729 % 1000);
      value[i] = static_cast<std::int64_t>(i * 31 % 2001) - 1000;
    }
    const lofty::Order order = lofty::order(lofty::groups(group), {lofty::ascending(key)});
    const lofty::Frame from_start{.unit = lofty::FrameUnit::rows, .to = {lofty::Edge::current_row}};
    const std::vector<std::int64_t> sums = lofty::frame_sums(order, from_start, value).values;
    const std::vector<std::int64_t> by_row = lofty::by_input_row(order, sums);
    std::int64_t running = 0;
    for (std::size_t i = 0; i < size; ++i) {
      running = (order.starts_group(i) ? 0 : running) + value[order.rows()[i]];
      ASSERT_EQ(sums[i], running) << groups << " groups, position " << i;
      ASSERT_EQ(by_row[order.rows()[i]], running);
    }
  }
}

// From a million rows on values are gathered from a copy in the fewest bytes: of each width, with and without a mask,
// and not where the least number of all would be taken for null.
TEST(WindowArrays, LargeArraysAreGatheredFromACopy) {
  constexpr std::size_t size = 1'000'500;
  std::vector<std::int64_t> key(size);
  for (std::size_t i = 0; i < size; ++i) key[i] = static_cast<std::int64_t>(i * 7919 % size);
  const Order order = lofty::order({ascending(key)});
  const auto rows = order.rows();
  for (const std::uint64_t range :
       {std::uint64_t{200}, std::uint64_t{60'000}, std::uint64_t{1} << 31, std::uint64_t{1} << 40, std::uint64_t{0}}) {
    std::vector<std::int64_t> value(size);
    std::vector<std::uint8_t> mask(size);
    for (std::size_t i = 0; i < size; ++i) {
      const std::uint64_t mixed = (i + 1) * 0x9e37'79b9'7f4a'7c15 >> 20;
      value[i] = range == 0 ? (i % 3 == 0 ? std::numeric_limits<std::int64_t>::min() : 0)
                            : static_cast<std::int64_t>(mixed % range) - 100;
      mask[i] = mixed % 7 == 0;
    }
    const Frame two = last_rows(2), from_start{.unit = FrameUnit::rows, .to = {Edge::current_row}};
    const auto plain = frame_least(order, two, ascending(value));
    const auto masked = frame_least(order, two, ascending(value, {.null_mask = mask}));
    std::vector<std::int64_t> sums(size);
    std::vector<std::uint8_t> nulls(size);
    if (range != 0) frame_sums(order, from_start, value, {}, sums, nulls);
    const auto some = range != 0 ? frame_sums(order, two, value, mask) : ColumnValues<std::int64_t>{};
    std::int64_t running = 0;
    for (std::size_t at = 0; at < size; ++at) {
      const std::size_t here = rows[at], before = at > 0 ? rows[at - 1] : here;
      ASSERT_EQ(plain[at], value[here] < value[before] ? here : before) << range << " at " << at;
      const bool sees_here = mask[here] == 0, sees_before = at > 0 && mask[before] == 0;
      const std::size_t least = !sees_before || (sees_here && value[here] < value[before]) ? here : before;
      ASSERT_EQ(masked[at], sees_here || sees_before ? least : no_input_row) << range << " at " << at;
      if (range == 0) continue;
      running += value[here];
      ASSERT_EQ(sums[at], running);
      ASSERT_EQ(nulls[at], 0);
      ASSERT_EQ(some.nulls[at] != 0, !sees_here && !sees_before);
      ASSERT_EQ(some.values[at], (sees_here ? value[here] : 0) + (sees_before ? value[before] : 0));
    }
  }
}
