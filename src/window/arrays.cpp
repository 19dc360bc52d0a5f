// The arrays entrance to windows.
// Covered by tests/window/arrays_test.cpp.
#include <atomic>
#include <cmath>

#include "base/access.hpp"
#include "base/budget.hpp"
#include "base/large_vector.hpp"
#include "base/parallel.hpp"
#include "lofty/error.hpp"
#include "lofty/window.hpp"
#include "order/key_check.hpp"
#include "window/aggregates.hpp"
#include "window/frame_extremes.hpp"
#include "window/picks.hpp"

namespace lofty {

using namespace engine;

namespace {

// A frame as the engine takes it: with the key that a range goes by, in positions.
class Work {
 public:
  Work(const Order& order, const Frame& frame, const Run& run) : order_(Access::data(order)), frame_(frame), run_(run) {
    const auto distance = [](const Bound& bound) {
      return bound.edge == Edge::preceding || bound.edge == Edge::following;
    };
    for (const Bound* bound : {&frame.from, &frame.to})
      require(!distance(*bound) || (bound->distance >= 0 && bound->float_distance >= 0), "a distance is not negative");
    if (frame.unit != FrameUnit::range || (!distance(frame.from) && !distance(frame.to))) return;
    require(frame.by.values() != nullptr || order.size() == 0,
            "a range with a distance has the order's key, Frame::by");
    require_keys({frame.by}, order.size());
    require(frame.by.element() != Element::view && frame.by.element() != Element::string,
            "a range with a distance goes by numbers, dates or timestamps");
    const Gathered key = gather(frame.by, order.rows(), run);
    range_.has_from = distance(frame.from);
    range_.has_to = distance(frame.to);
    range_.null.allocate(order.size());
    in_pieces(order.size(), [&](std::size_t i) { range_.null[i] = key.is_null(i); });

    // The ends that each position asks for.
    const auto sign = [](const Bound& bound) { return bound.edge == Edge::preceding ? -1 : 1; };
    if (key.lane == Gathered::Lane::float64) {
      range_.lane = RangeKey::Lane::float64;
      const auto floats = [&](Buffer<double>& out, double moved) {
        out.allocate(order.size());
        in_pieces(order.size(),
                  [&](std::size_t i) { out[i] = (frame.by.descending ? -key.doubles[i] : key.doubles[i]) + moved; });
      };
      floats(range_.floats.at, 0);
      if (range_.has_from) floats(range_.floats.from, sign(frame.from) * frame.from.float_distance);
      if (range_.has_to) floats(range_.floats.to, sign(frame.to) * frame.to.float_distance);
    } else {
      const auto fill_all = [&](auto& ends) {
        return fill(key, ends.at, 0) &&
               (!range_.has_from || fill(key, ends.from, int128{sign(frame.from)} * frame.from.distance)) &&
               (!range_.has_to || fill(key, ends.to, int128{sign(frame.to)} * frame.to.distance));
      };
      if (!fill_all(range_.narrow)) {
        range_.lane = RangeKey::Lane::int128;
        fill_all(range_.wide);
      }
    }
    range_.with([&](const auto& ends) { require_sorted(ends.at); });
    has_range_ = true;
  }
  // For one phase of the call; refers to this.
  WindowJob job(const Run& run) const { return {order_, frame_, has_range_ ? &range_ : nullptr, run}; }

 private:
  // Throws CallError if the key does not ascend along each group, nulls together at one end: it is then not the key
  // that the order goes by, and searching for the ends of frames would be lost.
  template <class Number>
  void require_sorted(const Buffer<Number>& at) const {
    bool sorted = true, changed = false;  // changed: between nulls and values, in this group
    for (std::size_t i = 1; i < range_.null.size(); ++i) {
      if ((order_.marks[i] & OrderData::group_start) != 0) {
        changed = false;
      } else if (range_.null[i] != range_.null[i - 1]) {
        sorted = sorted && !changed;
        changed = true;
      } else {
        sorted = sorted && (range_.null[i] != 0 || at[i - 1] <= at[i]);
      }
    }
    require(sorted, "Frame::by is the key that the order goes by");
  }

  // Moved along the order. False, and `out` then of no use, if a number does not fit.
  template <class Number>
  bool fill(const Gathered& key, Buffer<Number>& out, int128 moved) {
    out.allocate(key.size());
    // Beyond 128 bits an end lies beyond every key.
    int128 distance = 0;
    const bool beyond = __builtin_mul_overflow(moved, power_of_ten(key.scale), &distance);
    const int128 farthest = moved < 0 ? -int128_max : int128_max;
    std::atomic<bool> fits = true;
    in_pieces(key.size(), [&](std::size_t i) {
      int128 value = 0;
      if (!key.is_null(i)) value = key.lane == Gathered::Lane::int64 ? int128{key.ints[i]} : key.wide[i];
      if (frame_.by.descending) value = -value;
      if (beyond || __builtin_add_overflow(value, distance, &value)) value = farthest;
      if (sizeof(Number) == 8 && !fits_int64(value)) fits.store(false, std::memory_order_relaxed);
      out[i] = static_cast<Number>(value);
    });
    return fits;
  }

  // Calls work(i) for every position, on several threads; no progress, which gathering the key has told already.
  template <class Each>
  void in_pieces(std::size_t size, const Each& work) const {
    parallel_for(RowRanges::fixed(size), run_, [&](const RowRange& rows) {
      for (std::size_t i = rows.begin; i < rows.end; ++i) work(i);
    });
  }

  const OrderData& order_;
  const Frame frame_;
  const Run& run_;
  RangeKey range_;
  bool has_range_ = false;
};

// Values by input row, as a key; checked against the order.
Key key_of(const Order& order, const auto& values, NullMask nulls) {
  require(values.size() == order.size(), "the values are as many as the rows of the order");
  require_mask(nulls, values.size());
  Key key = ascending(values);
  key.options.null_mask = nulls;
  return key;
}

// The phases of a call: the range's key, the values, the frames, the result.
Phases phases_of(const Run& run) { return Phases(run, {1, 2, 6, 1}); }

// Calls work(i) for every position, on several threads, as a phase of a call.
template <class Each>
void each_position(std::size_t size, const Run& run, const Each& work) {
  Progress progress(run, size);
  parallel_for(RowRanges::fixed(size), progress, [&](const RowRange& rows, std::size_t) {
    for (std::size_t i = rows.begin; i < rows.end; ++i) work(i);
  });
}

Counted counted(const Order& order, NullMask nulls, const Run& run) {
  if (nulls.empty()) return Counted();
  require_mask(nulls, order.size());
  std::vector<std::uint8_t> null(order.size());
  const auto rows = order.rows();
  each_position(null.size(), run, [&](std::size_t i) { null[i] = nulls.is_null(rows[i]); });
  return Counted(null, run);
}

std::vector<std::uint32_t> input_rows(const Order& order, const Buffer<std::uint32_t>& positions, const Run& run) {
  auto out = large_vector<std::uint32_t>(positions.size(), run);
  const auto rows = order.rows();
  each_position(out.size(), run,
                [&](std::size_t i) { out[i] = positions[i] == no_position ? no_input_row : rows[positions[i]]; });
  return out;
}

ColumnValues<double> doubles_of(const Results& results, const Run& run) {
  ColumnValues<double> out;
  const std::size_t size = results.doubles.size();
  resize_large(out.values, size, run);
  std::atomic<bool> any_null = false;
  each_position(size, run, [&](std::size_t i) {
    out.values[i] = results.doubles[i];
    if (std::isnan(out.values[i])) any_null.store(true, std::memory_order_relaxed);
  });
  if (!any_null) return out;
  out.nulls.resize(size);
  for (std::size_t i = 0; i < size; ++i) out.nulls[i] = std::isnan(out.values[i]);
  return out;
}

// Exact results, each made of its coefficient, into `out`; 0 for a null. Is there any null?
template <class T, class Make>
bool exact_into(const Results& results, const Run& run, const Make& make, std::span<T> out) {
  const bool narrow = results.lane == Results::Lane::int64;
  std::atomic<bool> any_null = false;
  each_position(out.size(), run, [&](std::size_t i) {
    if (narrow ? results.ints[i] == int64_null : results.wide[i] == int128_min) {
      any_null.store(true, std::memory_order_relaxed);
      out[i] = T{};
    } else {
      out[i] = make(narrow ? int128{results.ints[i]} : results.wide[i]);
    }
  });
  return any_null;
}

void nulls_into(const Results& results, std::span<std::uint8_t> nulls) {
  const bool narrow = results.lane == Results::Lane::int64;
  for (std::size_t i = 0; i < nulls.size(); ++i)
    nulls[i] = narrow ? results.ints[i] == int64_null : results.wide[i] == int128_min;
}

template <class T, class Make>
ColumnValues<T> exact_of(const Results& results, const Run& run, const Make& make) {
  ColumnValues<T> out;
  const std::size_t size = results.lane == Results::Lane::int64 ? results.ints.size() : results.wide.size();
  resize_large(out.values, size, run);
  if (!exact_into<T>(results, run, make, out.values)) return out;
  out.nulls.resize(size);
  nulls_into(results, out.nulls);
  return out;
}

ColumnValues<Decimal> decimals_of(const Results& results, int scale, const Run& run) {
  return exact_of<Decimal>(results, run, [scale](int128 value) { return Decimal(value, scale); });
}

[[noreturn]] void beyond_64_bits() {
  throw Error(Problem{Code::overflow, "a sum over a frame is beyond 64 bits", {}, {}, "Decimal values hold 38 digits"});
}

std::int64_t as_int64(int128 value) {
  if (!fits_int64(value)) beyond_64_bits();
  return static_cast<std::int64_t>(value);
}

void require_outputs(const Order& order, std::size_t values, std::size_t nulls) {
  require(values == order.size() && nulls == order.size(), "the results are as many as the rows of the order");
}

std::vector<std::uint32_t> copied(const Buffer<std::uint32_t>& from, const Run& run) {
  auto out = large_vector<std::uint32_t>(from.size(), run);
  each_position(out.size(), run, [&](std::size_t i) { out[i] = from[i]; });
  return out;
}

bool from_start_to_row(const Frame& frame) {
  return plain_rows(frame) && frame.from.edge == Edge::unbounded_preceding && frame.to.edge == Edge::current_row;
}

}  // namespace

ColumnValues<std::int64_t> frame_sums(const Order& order, const Frame& frame, std::span<const std::int64_t> values,
                                      NullMask nulls, const Run& run) {
  const engine::MemoryLimit limit(run);
  const Key key = key_of(order, values, nulls);
  const Phases phases = phases_of(run);
  if (nulls.empty() && from_start_to_row(frame)) {
    ColumnValues<std::int64_t> out{large_vector<std::int64_t>(order.size(), run), {}};
    if (engine::running_sums(Access::data(order), values, out.values.data(), run)) return out;
  }
  const Work work(order, frame, phases[0]);
  const Gathered gathered = gather_packed(key, order.rows(), phases[1]);
  return exact_of<std::int64_t>(engine::frame_sums(work.job(phases[2]), gathered), phases[3], as_int64);
}

ColumnValues<double> frame_sums(const Order& order, const Frame& frame, std::span<const double> values, NullMask nulls,
                                const Run& run) {
  const engine::MemoryLimit limit(run);
  const Key key = key_of(order, values, nulls);
  const Phases phases = phases_of(run);
  const Work work(order, frame, phases[0]);
  const Gathered gathered = gather(key, order.rows(), phases[1]);
  return doubles_of(engine::frame_sums(work.job(phases[2]), gathered), phases[3]);
}

ColumnValues<Decimal> frame_sums(const Order& order, const Frame& frame, std::span<const Decimal> values,
                                 NullMask nulls, const Run& run) {
  const engine::MemoryLimit limit(run);
  const Key key = key_of(order, values, nulls);
  const Phases phases = phases_of(run);
  const Work work(order, frame, phases[0]);
  const Gathered gathered = gather(key, order.rows(), phases[1]);
  return decimals_of(engine::frame_sums(work.job(phases[2]), gathered), gathered.scale, phases[3]);
}

void frame_sums(const Order& order, const Frame& frame, std::span<const std::int64_t> values, NullMask nulls,
                std::span<std::int64_t> out, std::span<std::uint8_t> out_nulls, const Run& run) {
  const engine::MemoryLimit limit(run);
  const Key key = key_of(order, values, nulls);
  require_outputs(order, out.size(), out_nulls.size());
  const Phases phases = phases_of(run);
  if (nulls.empty() && from_start_to_row(frame) && engine::running_sums(Access::data(order), values, out.data(), run)) {
    std::fill(out_nulls.begin(), out_nulls.end(), std::uint8_t{0});
    return;
  }
  const Work work(order, frame, phases[0]);
  const Gathered gathered = gather_packed(key, order.rows(), phases[1]);
  if (engine::frame_sums(work.job(phases[2]), gathered, out.data(), out_nulls.data())) return phases.finish();
  const Results sums = engine::frame_sums(work.job(phases[2]), gathered);
  exact_into<std::int64_t>(sums, phases[3], as_int64, out);
  nulls_into(sums, out_nulls);
}

void frame_sums(const Order& order, const Frame& frame, std::span<const double> values, NullMask nulls,
                std::span<double> out, std::span<std::uint8_t> out_nulls, const Run& run) {
  const engine::MemoryLimit limit(run);
  const Key key = key_of(order, values, nulls);
  require_outputs(order, out.size(), out_nulls.size());
  const Phases phases = phases_of(run);
  const Work work(order, frame, phases[0]);
  const Gathered gathered = gather(key, order.rows(), phases[1]);
  const Results sums = engine::frame_sums(work.job(phases[2]), gathered);
  each_position(out.size(), phases[3], [&](std::size_t i) {
    out_nulls[i] = std::isnan(sums.doubles[i]);
    out[i] = out_nulls[i] != 0 ? 0 : sums.doubles[i];
  });
}

void frame_sums(const Order& order, const Frame& frame, std::span<const Decimal> values, NullMask nulls,
                std::span<Decimal> out, std::span<std::uint8_t> out_nulls, const Run& run) {
  const engine::MemoryLimit limit(run);
  const Key key = key_of(order, values, nulls);
  require_outputs(order, out.size(), out_nulls.size());
  const Phases phases = phases_of(run);
  const Work work(order, frame, phases[0]);
  const Gathered gathered = gather(key, order.rows(), phases[1]);
  const Results sums = engine::frame_sums(work.job(phases[2]), gathered);
  exact_into<Decimal>(
      sums, phases[3], [scale = gathered.scale](int128 value) { return Decimal(value, scale); }, out);
  nulls_into(sums, out_nulls);
}

void running_sums(const Order& order, std::span<const std::int64_t> in_order, std::span<std::int64_t> out,
                  const Run& run) {
  const engine::MemoryLimit limit(run);
  require(in_order.size() == order.size() && out.size() == order.size(),
          "the values and the sums are as many as the rows of the order");
  const std::uint8_t* const marks = engine::Access::data(order).marks.data();
  Progress progress(run, in_order.size());
  std::int64_t sum = 0;
  for (std::size_t begin = 0; begin < in_order.size(); begin += RowRanges::usual_rows) {
    const std::size_t end = std::min(in_order.size(), begin + RowRanges::usual_rows);
    for (std::size_t i = begin; i < end; ++i) {
      if ((marks[i] & OrderData::group_start) != 0) sum = 0;
      if (__builtin_add_overflow(sum, in_order[i], &sum)) beyond_64_bits();
      out[i] = sum;
    }
    progress.add(end - begin);
  }
}

ColumnValues<double> frame_means(const Order& order, const Frame& frame, std::span<const double> values, NullMask nulls,
                                 const Run& run) {
  const engine::MemoryLimit limit(run);
  const Key key = key_of(order, values, nulls);
  const Phases phases = phases_of(run);
  const Work work(order, frame, phases[0]);
  const Gathered gathered = gather(key, order.rows(), phases[1]);
  return doubles_of(engine::frame_averages(work.job(phases[2]), gathered, 0), phases[3]);
}

ColumnValues<Decimal> frame_means(const Order& order, const Frame& frame, std::span<const Decimal> values,
                                  NullMask nulls, const Run& run) {
  const engine::MemoryLimit limit(run);
  const Key key = key_of(order, values, nulls);
  const Phases phases = phases_of(run);
  const Work work(order, frame, phases[0]);
  const Gathered gathered = gather(key, order.rows(), phases[1]);
  const int scale = std::min(gathered.scale + 6, Decimal::max_digits);
  return decimals_of(engine::frame_averages(work.job(phases[2]), gathered, scale), scale, phases[3]);
}

std::vector<std::uint32_t> frame_counts(const Order& order, const Frame& frame, NullMask nulls, const Run& run) {
  const engine::MemoryLimit limit(run);
  require_mask(nulls, order.size());
  const Phases phases = phases_of(run);
  const Work work(order, frame, phases[0]);
  Gathered values;
  if (!nulls.empty()) {
    values.ints.allocate(order.size());
    const auto rows = order.rows();
    each_position(order.size(), phases[1],
                  [&](std::size_t i) { values.ints[i] = nulls.is_null(rows[i]) ? int64_null : 0; });
  }
  const Buffer<std::uint32_t> counts = engine::frame_counts(work.job(phases[2]), nulls.empty() ? nullptr : &values);
  return copied(counts, phases[3]);
}

std::vector<std::uint32_t> frame_distinct_counts(const Order& order, const Frame& frame, const Key& values,
                                                 const Run& run) {
  const engine::MemoryLimit limit(run);
  require_keys({values}, order.size());
  const Phases phases = phases_of(run);
  const Work work(order, frame, phases[0]);
  std::size_t distinct = 0;
  const Phases reading(phases[1], {1, 2});
  const std::vector<std::uint32_t> codes =
      distinct_codes(gather(values, order.rows(), reading[0]), reading[1], distinct);
  return copied(engine::frame_distinct_counts(work.job(phases[2]), codes, distinct), phases[3]);
}

namespace {

void extremes(const Order& order, const Frame& frame, const Key& values, bool greatest, std::span<std::uint32_t> out,
              const Run& run) {
  require(out.size() == order.size(), "the results are as many as the rows of the order");
  require_keys({values}, order.size());
  const Phases phases = phases_of(run);
  const Work work(order, frame, phases[0]);
  static_assert(no_position == no_input_row);
  const Gathered gathered =
      goes_by_scores(frame) ? gather_packed(values, order.rows(), phases[1]) : gather(values, order.rows(), phases[1]);
  frame_extremes(work.job(phases[2]), gathered, greatest, order.rows().data(), out.data());
  phases.finish();
}

}  // namespace

void frame_least(const Order& order, const Frame& frame, const Key& values, std::span<std::uint32_t> out,
                 const Run& run) {
  const engine::MemoryLimit limit(run);
  extremes(order, frame, values, false, out, run);
}
void frame_greatest(const Order& order, const Frame& frame, const Key& values, std::span<std::uint32_t> out,
                    const Run& run) {
  const engine::MemoryLimit limit(run);
  extremes(order, frame, values, true, out, run);
}
std::vector<std::uint32_t> frame_least(const Order& order, const Frame& frame, const Key& values, const Run& run) {
  const engine::MemoryLimit limit(run);
  auto out = large_vector<std::uint32_t>(order.size(), run);
  extremes(order, frame, values, false, out, run);
  return out;
}
std::vector<std::uint32_t> frame_greatest(const Order& order, const Frame& frame, const Key& values, const Run& run) {
  const engine::MemoryLimit limit(run);
  auto out = large_vector<std::uint32_t>(order.size(), run);
  extremes(order, frame, values, true, out, run);
  return out;
}

namespace {

// The percentiles of gathered values, with `scale` decimals where they are exact.
Results percentiles(const Order& order, const Frame& frame, const Gathered& gathered, const Decimal& fraction,
                    int scale, const Phases& phases) {
  const Work work(order, frame, phases[0]);
  const Phases ranking(phases[2], {1, 1});
  const auto ranks = value_ranks(Access::data(order), gathered, ranking[0]);
  return engine::frame_percentiles(work.job(ranking[1]), gathered, ranks, fraction, false, scale);
}

void require_fraction(const Decimal& fraction) {
  require(fraction.coefficient() >= 0 && fraction <= Decimal(1, 0) && fraction.scale() <= 15,
          "a fraction is between 0 and 1, with 15 decimals at most");
}

}  // namespace

ColumnValues<double> frame_percentiles(const Order& order, const Frame& frame, std::span<const double> values,
                                       const Decimal& fraction, NullMask nulls, const Run& run) {
  const engine::MemoryLimit limit(run);
  const Key key = key_of(order, values, nulls);
  require_fraction(fraction);
  const Phases phases = phases_of(run);
  const Gathered gathered = gather(key, order.rows(), phases[1]);
  return doubles_of(percentiles(order, frame, gathered, fraction, 0, phases), phases[3]);
}

ColumnValues<Decimal> frame_percentiles(const Order& order, const Frame& frame, std::span<const Decimal> values,
                                        const Decimal& fraction, NullMask nulls, const Run& run) {
  const engine::MemoryLimit limit(run);
  const Key key = key_of(order, values, nulls);
  require_fraction(fraction);
  const Phases phases = phases_of(run);
  const Gathered gathered = gather(key, order.rows(), phases[1]);
  const int scale = std::min(gathered.scale + 6, Decimal::max_digits);
  return decimals_of(percentiles(order, frame, gathered, fraction, scale, phases), scale, phases[3]);
}

std::vector<std::uint32_t> rows_before(const Order& order, std::uint32_t distance, NullMask nulls, const Run& run) {
  const engine::MemoryLimit limit(run);
  const Phases phases(run, {1, 2, 1});
  const Counted count = counted(order, nulls, phases[0]);
  return input_rows(order, shifted_positions(Access::data(order), count, distance, phases[1]), phases[2]);
}

std::vector<std::uint32_t> rows_after(const Order& order, std::uint32_t distance, NullMask nulls, const Run& run) {
  const engine::MemoryLimit limit(run);
  const Phases phases(run, {1, 2, 1});
  const Counted count = counted(order, nulls, phases[0]);
  return input_rows(order, shifted_positions(Access::data(order), count, -std::int64_t{distance}, phases[1]),
                    phases[2]);
}

std::vector<std::uint32_t> nth_rows(const Order& order, const Frame& frame, std::uint32_t n, From from, NullMask nulls,
                                    const Run& run) {
  const engine::MemoryLimit limit(run);
  require(n > 0, "the first row is number 1");
  const Phases phases = phases_of(run);
  const Work work(order, frame, phases[0]);
  const Counted count = counted(order, nulls, phases[1]);
  return input_rows(order, nth_positions(work.job(phases[2]), count, n, from == From::last), phases[3]);
}

}  // namespace lofty
