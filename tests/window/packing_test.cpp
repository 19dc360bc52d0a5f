// Packed numbers against the columns they come from, and what is computed from them against the same in full width.
#include "window/packing.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <limits>
#include <random>

#include "support/orders.hpp"
#include "window/aggregates.hpp"
#include "window/frame_extremes.hpp"

using namespace lofty;
using namespace lofty::engine;

namespace {

// Of each width, and at the borders between two: with a null one more number has to fit.
ColumnPtr some_column(std::size_t size, bool nulls, std::mt19937_64& random) {
  const std::uint64_t ranges[] = {0, 1, 0xfe, 0xff, 0xfffe, 0xffff, 0x10000, 0xfffffffe, 0xffffffff, 0x100000000};
  const std::int64_t firsts[] = {0, -5, 1'000'000'007, std::numeric_limits<std::int64_t>::min() + 1,
                                 std::numeric_limits<std::int64_t>::max() - 0x100000000};
  const std::uint64_t range = ranges[random() % std::size(ranges)];
  const std::int64_t first = firsts[random() % std::size(firsts)];
  Piece piece(Type{.kind = Kind::integer});
  for (std::size_t i = 0; i < size; ++i) {
    const std::uint64_t step = i == 0 ? 0 : i == 1 ? range : random() % (range + 1);
    if (nulls && i > 1 && random() % 5 == 0)
      piece.add_null();
    else
      piece.add_integer(static_cast<std::int64_t>(static_cast<std::uint64_t>(first) + step));
  }
  return Column::seal(std::move(piece));
}

}  // namespace

RC_GTEST_PROP(PackedNumbers, AreTheColumns, ()) {
  std::mt19937_64 random(*rc::gen::arbitrary<std::uint64_t>());
  const std::size_t size = 1 + random() % 200;
  const ColumnPtr column = some_column(size, *rc::gen::arbitrary<bool>(), random);
  std::vector<std::uint32_t> rows(random() % 300);
  for (std::uint32_t& row : rows) row = static_cast<std::uint32_t>(random() % size);
  const PackedNumbers packed = packed_by_position(*column, rows, {});
  const std::uint64_t range = static_cast<std::uint64_t>(column->greatest()) -
                              static_cast<std::uint64_t>(column->least()) + (column->nulls() > 0);
  const int128 furthest = std::max(-int128{column->least()}, int128{column->greatest()});
  const bool sums_fit = furthest * static_cast<int128>(rows.size() + 1) <= std::numeric_limits<std::int64_t>::max();
  // A column of 8 bytes a value is left as it is, though without a null it might just fit 4.
  RC_ASSERT(static_cast<bool>(packed) == (column->width() < 8 && sums_fit));
  if (!packed) return;
  RC_ASSERT(packed.width == (range <= 0xffff ? 2 : 4));
  RC_ASSERT(packed.magnitude() == furthest);
  const Buffer<std::int64_t> values = unpacked(packed, {});
  for (std::size_t i = 0; i < rows.size(); ++i) RC_ASSERT(values[i] == column->int64(rows[i]));
}

RC_GTEST_PROP(PackedNumbers, GiveTheSameSumsAndExtremes, ()) {
  std::mt19937_64 random(*rc::gen::arbitrary<std::uint64_t>());
  const std::size_t size = 1 + random() % 200;
  const ColumnPtr column = some_column(size, *rc::gen::arbitrary<bool>(), random);
  const OrderData order = some_order(size, 1 + random() % 40, random, *rc::gen::element(2, 30));
  const std::size_t most = most_in_group(order, {});
  const auto distance = static_cast<std::int64_t>(random() % 20);
  const Frame frames[] = {last_rows(distance + 1),
                          whole_group(),
                          Frame{},
                          Frame{.unit = FrameUnit::rows, .from = following(1), .to = following(distance)},
                          Frame{.unit = FrameUnit::rows, .to = preceding(2)},
                          Frame{.unit = FrameUnit::groups, .from = preceding(2), .to = following(1)},
                          Frame{.unit = FrameUnit::rows,
                                .from = preceding(distance),
                                .to = current_row(),
                                .excluded = Excluded::current_row}};
  const Gathered full = gather(*column, order.rows.view(), {}), packed = gather_packed(*column, order.rows.view(), {});
  for (const Frame& frame : frames) {
    const lofty::Run run;
    const WindowJob job{order, frame, nullptr, run};
    const Results a = frame_sums(job, full), b = frame_sums(job, packed);
    RC_ASSERT(a.lane == b.lane);
    RC_ASSERT(std::ranges::equal(a.ints.view(), b.ints.view()));
    RC_ASSERT(std::ranges::equal(a.wide.view(), b.wide.view()));
    const PackedNumbers counts = packed_counts(job, most);
    RC_ASSERT(counts.width == 2);
    const auto counted = frame_counts(job, nullptr);
    RC_ASSERT(std::ranges::equal(unpacked(counts, {}).view(), counted.view()));
    if (const PackedNumbers sums = packed_sums(job, packed, most)) {
      RC_ASSERT(static_cast<bool>(packed.packed));
      RC_ASSERT(std::ranges::equal(unpacked(sums, {}).view(), a.ints.view()));
    } else if (packed.packed) {  // only where 32 bits might be too few
      RC_ASSERT(packed.magnitude * static_cast<int128>(most) > 0x7ffffffe);
    }
    if (!goes_by_scores(frame)) continue;
    for (const bool greatest : {false, true}) {
      const auto values = frame_extreme_values(job, full, greatest), same = frame_extreme_values(job, packed, greatest);
      RC_ASSERT(std::ranges::equal(values.view(), same.view()));
      if (const PackedNumbers words = packed_extreme_values(job, packed, greatest)) {
        RC_ASSERT(words.width == packed.packed.width);
        RC_ASSERT(std::ranges::equal(unpacked(words, {}).view(), values.view()));
      } else if (packed.packed) {  // only where no word is left for null
        RC_ASSERT(packed.no_nulls && may_be_empty(frame));
        RC_ASSERT((packed.packed.greatest - packed.packed.least + 1) % 0x10000 == 0);
      }
      const auto positions = frame_extremes(job, full, greatest), found = frame_extremes(job, packed, greatest);
      RC_ASSERT(std::ranges::equal(positions.view(), found.view()));
    }
  }
}

// Large enough for threads: each position is in one piece, whether groups are many, few or one.
TEST(SlideInPieces, HoldsEachPositionOnce) {
  std::mt19937_64 random(5);
  const std::size_t size = 300'000;
  for (const std::size_t group_rows : {std::size_t{1}, std::size_t{1000}, std::size_t{100'000}, 100 * size}) {
    const OrderData order = some_order(size, group_rows, random);
    for (const Frame& frame : {last_rows(3), last_rows(200'000), whole_group()})
      for (const int threads : {1, 2, 8}) {
        const lofty::Run run{.threads = threads};
        std::vector<std::uint8_t> seen(size);
        slide_in_pieces({order, frame, nullptr, run}, [&](std::size_t begin, std::size_t end) {
          for (std::size_t at = begin; at < end; ++at) ++seen[at];
        });
        ASSERT_TRUE(std::all_of(seen.begin(), seen.end(), [](std::uint8_t times) { return times == 1; }));
      }
  }
}

// No group has more rows, and few have nearly as many: of one row each, of some, of several blocks, of all.
TEST(Starts, TheMostInAGroupIsABound) {
  std::mt19937_64 random(7);
  for (const std::size_t size :
       {std::size_t{0}, std::size_t{1}, std::size_t{255}, std::size_t{5000}, std::size_t{600'000}})
    for (const std::size_t group_rows : {std::size_t{1}, std::size_t{10}, std::size_t{5000}, std::size_t{300'000}}) {
      const OrderData order = some_order(size, group_rows, random);
      std::size_t most = 0, rows = 0;
      for (std::size_t at = 0; at < size; ++at) {
        rows = (order.marks[at] & OrderData::group_start) != 0 ? 1 : rows + 1;
        most = std::max(most, rows);
      }
      const std::size_t bound = most_in_group(order, {});
      EXPECT_GE(bound, most);
      EXPECT_LE(bound, std::min(size, most + 2 * 256));
    }
}

// All of them together need 32 bits, or just more.
TEST(PackedSums, AreThoseThatFit) {
  const std::size_t size = 70'000;
  std::mt19937_64 random(8);
  const OrderData order = some_order(size, 100 * size, random);
  const Frame running;
  const lofty::Run run;
  const WindowJob job{order, running, nullptr, run};
  for (const std::int64_t value :
       {std::int64_t{61'356}, std::int64_t{61'357}, std::int64_t{-61'356}, std::int64_t{-61'357}}) {
    Piece piece(Type{.kind = Kind::integer});
    for (std::size_t i = 0; i < size; ++i) piece.add_integer(value);
    const Gathered values = gather_packed(*Column::seal(std::move(piece)), order.rows.view(), run);
    ASSERT_TRUE(values.packed);
    const PackedNumbers sums = packed_sums(job, values, size);
    EXPECT_EQ(static_cast<bool>(sums), std::abs(value) * static_cast<std::int64_t>(size) <= 0xffffffff) << value;
    if (!sums) continue;
    const Buffer<std::int64_t> all = unpacked(sums, run);
    const Results plain = frame_sums(job, values);
    EXPECT_TRUE(std::ranges::equal(all.view(), plain.ints.view()));
  }
}

// The nearest starts to every position, looked for one by one: groups of a few rows, of several times 64, of all.
TEST(Starts, AreTheNearestOnes) {
  std::mt19937_64 random(6);
  const std::size_t size = 3000;
  for (const std::size_t group_rows : {std::size_t{1}, std::size_t{3}, std::size_t{70}, std::size_t{500}, 100 * size}) {
    const OrderData order = some_order(size, group_rows, random);
    for (const std::uint8_t mark : {OrderData::group_start, OrderData::peer_start}) {
      std::size_t last = 0;
      for (std::size_t at = 0; at < size; ++at) {
        if ((order.marks[at] & mark) != 0) last = at;
        ASSERT_EQ(last_start(order, at, mark), last) << at;
      }
      std::size_t next = size;
      ASSERT_EQ(next_start(order, size, mark), size);
      for (std::size_t at = size; at-- > 0;) {
        if ((order.marks[at] & mark) != 0) next = at;
        ASSERT_EQ(next_start(order, at, mark), next) << at;
      }
    }
  }
}
