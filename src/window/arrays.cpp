// The arrays entrance to windows.
// Covered by tests/window/arrays_test.cpp.
#include <cassert>
#include <cmath>

#include "lofty/error.hpp"
#include "lofty/window.hpp"
#include "table/large_vector.hpp"
#include "window/aggregates.hpp"
#include "window/frame_extremes.hpp"
#include "window/picks.hpp"

namespace lofty {

using namespace engine;

namespace {

// A frame as the engine takes it: with the key that a range goes by, in positions.
class Work {
 public:
  Work(const Order& order, const Frame& frame, const Run& run)
      : frame_(frame), job_{order.data(), frame_, nullptr, run} {
    const auto distance = [](const Bound& bound) {
      return bound.edge == Edge::preceding || bound.edge == Edge::following;
    };
    if (frame.unit != FrameUnit::range || (!distance(frame.from) && !distance(frame.to))) return;
    assert(frame.by.size == order.size() && "a range with a distance goes by the order's key");
    const Gathered key = gather(frame.by, order.rows(), run);
    range_.has_from = distance(frame.from);
    range_.has_to = distance(frame.to);
    range_.exact = key.lane != Gathered::Lane::float64;
    range_.null.allocate(order.size());
    for (std::size_t i = 0; i < order.size(); ++i) range_.null[i] = key.is_null(i);

    // The ends that each position asks for.
    const auto sign = [](const Bound& bound) { return bound.edge == Edge::preceding ? -1 : 1; };
    if (range_.exact) {
      fill(key, range_.at, 0);
      if (range_.has_from) fill(key, range_.from, sign(frame.from) * frame.from.distance);
      if (range_.has_to) fill(key, range_.to, sign(frame.to) * frame.to.distance);
    } else {
      const auto floats = [&](Buffer<double>& out, double moved) {
        out.allocate(order.size());
        for (std::size_t i = 0; i < order.size(); ++i)
          out[i] = (frame.by.descending ? -key.doubles[i] : key.doubles[i]) + moved;
      };
      floats(range_.float_at, 0);
      if (range_.has_from) floats(range_.float_from, sign(frame.from) * frame.from.float_distance);
      if (range_.has_to) floats(range_.float_to, sign(frame.to) * frame.to.float_distance);
    }
    job_.range = &range_;
  }
  const WindowJob& job() const { return job_; }

 private:
  // Moved along the order; kept at the ends of 64 bits, beyond which no key is.
  void fill(const Gathered& key, Buffer<std::int64_t>& out, std::int64_t moved) {
    out.allocate(key.size());
    for (std::size_t i = 0; i < key.size(); ++i) {
      int128 value = 0;
      if (!key.is_null(i)) value = key.lane == Gathered::Lane::int64 ? int128{key.ints[i]} : key.wide[i];
      const int128 most = std::numeric_limits<std::int64_t>::max();
      int128 distance = 0;
      if (__builtin_mul_overflow(int128{moved}, power_of_ten(key.scale), &distance))
        distance = moved < 0 ? -decimal_limit : decimal_limit;
      value = (frame_.by.descending ? -value : value) + distance;  // both within 38 digits
      out[i] = static_cast<std::int64_t>(value > most ? most : value < -most ? -most : value);
    }
  }

  const Frame frame_;
  RangeKey range_;
  WindowJob job_;
};

Key key_of(const auto& values, NullMask nulls) {
  Key key = ascending(values);
  key.options.null_mask = nulls;
  return key;
}

Counted counted(const Order& order, NullMask nulls) {
  if (nulls.empty()) return Counted();
  assert(nulls.size() == order.size());
  std::vector<std::uint8_t> null(order.size());
  for (std::size_t i = 0; i < null.size(); ++i) null[i] = nulls[order.rows()[i]];
  return Counted(null);
}

std::vector<std::uint32_t> input_rows(const Order& order, const Buffer<std::uint32_t>& positions, const Run& run) {
  auto out = large_vector<std::uint32_t>(positions.size(), run);
  const auto rows = order.rows();
  for (std::size_t i = 0; i < out.size(); ++i) out[i] = positions[i] == no_position ? no_input_row : rows[positions[i]];
  return out;
}

Windowed<double> doubles_of(const Results& results, const Run& run) {
  Windowed<double> out;
  resize_large(out.values, results.doubles.size(), run);
  std::copy_n(results.doubles.data(), results.doubles.size(), out.values.data());
  for (std::size_t i = 0; i < out.values.size(); ++i)
    if (std::isnan(out.values[i])) {
      if (out.nulls.empty()) out.nulls.resize(out.values.size());
      out.nulls[i] = 1;
    }
  return out;
}

// Exact results, each made of its coefficient.
template <class T, class Make>
Windowed<T> exact_of(const Results& results, const Run& run, const Make& make) {
  Windowed<T> out;
  const bool narrow = results.lane == Results::Lane::int64;
  const std::size_t size = narrow ? results.ints.size() : results.wide.size();
  resize_large(out.values, size, run);
  for (std::size_t i = 0; i < size; ++i) {
    if (narrow ? results.ints[i] == int64_null : results.wide[i] == int128_min) {
      if (out.nulls.empty()) out.nulls.resize(size);
      out.nulls[i] = 1;
    } else {
      out.values[i] = make(narrow ? int128{results.ints[i]} : results.wide[i]);
    }
  }
  return out;
}

Windowed<Decimal> decimals_of(const Results& results, int scale, const Run& run) {
  return exact_of<Decimal>(results, run, [scale](int128 value) { return Decimal(value, scale); });
}

bool from_start_to_row(const Frame& frame) {
  return plain_rows(frame) && frame.from.edge == Edge::unbounded_preceding && frame.to.edge == Edge::current_row;
}

}  // namespace

Windowed<std::int64_t> frame_sums(const Order& order, const Frame& frame, std::span<const std::int64_t> values,
                                  NullMask nulls, const Run& run) {
  if (nulls.empty() && from_start_to_row(frame)) {
    Windowed<std::int64_t> out{large_vector<std::int64_t>(order.size(), run), {}};
    if (engine::running_sums(order.data(), values, out.values.data(), run)) return out;
  }
  const Work work(order, frame, run);
  return exact_of<std::int64_t>(
      engine::frame_sums(work.job(), gather_packed(key_of(values, nulls), order.rows(), run)), run, [](int128 value) {
        if (!fits_int64(value))
          throw Error(
              Problem{Code::overflow, "a sum over a frame is beyond 64 bits", {}, {}, "Decimal values hold 38 digits"});
        return static_cast<std::int64_t>(value);
      });
}

Windowed<double> frame_sums(const Order& order, const Frame& frame, std::span<const double> values, NullMask nulls,
                            const Run& run) {
  const Work work(order, frame, run);
  return doubles_of(engine::frame_sums(work.job(), gather(key_of(values, nulls), order.rows(), run)), run);
}

Windowed<Decimal> frame_sums(const Order& order, const Frame& frame, std::span<const Decimal> values, NullMask nulls,
                             const Run& run) {
  const Work work(order, frame, run);
  const Gathered gathered = gather(key_of(values, nulls), order.rows(), run);
  return decimals_of(engine::frame_sums(work.job(), gathered), gathered.scale, run);
}

void frame_sums(const Order& order, const Frame& frame, std::span<const std::int64_t> values, NullMask nulls,
                std::span<std::int64_t> out, std::span<std::uint8_t> out_nulls, const Run& run) {
  assert(out.size() == order.size() && out_nulls.size() == order.size());
  if (nulls.empty() && from_start_to_row(frame) && engine::running_sums(order.data(), values, out.data(), run)) {
    std::fill(out_nulls.begin(), out_nulls.end(), std::uint8_t{0});
    return;
  }
  const Work work(order, frame, run);
  if (engine::frame_sums(work.job(), gather_packed(key_of(values, nulls), order.rows(), run), out.data(),
                         out_nulls.data()))
    return;
  const Windowed<std::int64_t> sums = frame_sums(order, frame, values, nulls, run);
  std::copy(sums.values.begin(), sums.values.end(), out.begin());
  std::fill(out_nulls.begin(), out_nulls.end(), std::uint8_t{0});
  std::copy(sums.nulls.begin(), sums.nulls.end(), out_nulls.begin());
}

void running_sums(const Order& order, std::span<const std::int64_t> in_order, std::span<std::int64_t> out) {
  assert(in_order.size() == order.size() && out.size() == order.size());
  const std::uint8_t* const marks = order.data().marks.data();
  std::int64_t sum = 0;
  for (std::size_t i = 0; i < in_order.size(); ++i) {
    sum = ((marks[i] & OrderData::group_start) != 0 ? 0 : sum) + in_order[i];
    out[i] = sum;
  }
}

Windowed<double> frame_means(const Order& order, const Frame& frame, std::span<const double> values, NullMask nulls,
                             const Run& run) {
  const Work work(order, frame, run);
  return doubles_of(engine::frame_averages(work.job(), gather(key_of(values, nulls), order.rows(), run), 0), run);
}

Windowed<Decimal> frame_means(const Order& order, const Frame& frame, std::span<const Decimal> values, NullMask nulls,
                              const Run& run) {
  const Work work(order, frame, run);
  const Gathered gathered = gather(key_of(values, nulls), order.rows(), run);
  const int scale = std::min(gathered.scale + 6, Decimal::max_digits);
  return decimals_of(engine::frame_averages(work.job(), gathered, scale), scale, run);
}

std::vector<std::uint32_t> frame_counts(const Order& order, const Frame& frame, NullMask nulls, const Run& run) {
  const Work work(order, frame, run);
  Gathered values;
  if (!nulls.empty()) {
    assert(nulls.size() == order.size());
    values.ints.allocate(order.size());
    for (std::size_t i = 0; i < order.size(); ++i) values.ints[i] = nulls[order.rows()[i]] != 0 ? int64_null : 0;
  }
  const Buffer<std::uint32_t> counts = engine::frame_counts(work.job(), nulls.empty() ? nullptr : &values);
  return {counts.data(), counts.data() + counts.size()};
}

std::vector<std::uint32_t> frame_distinct_counts(const Order& order, const Frame& frame, const Key& values,
                                                 const Run& run) {
  const Work work(order, frame, run);
  std::size_t distinct = 0;
  const std::vector<std::uint32_t> codes = distinct_codes(gather(values, order.rows(), run), run, distinct);
  const Buffer<std::uint32_t> counts = engine::frame_distinct_counts(work.job(), codes, distinct);
  return {counts.data(), counts.data() + counts.size()};
}

namespace {

void extremes(const Order& order, const Frame& frame, const Key& values, bool greatest, std::span<std::uint32_t> out,
              const Run& run) {
  assert(out.size() == order.size());
  const Work work(order, frame, run);
  static_assert(no_position == no_input_row);
  const Gathered gathered =
      goes_by_scores(frame) ? gather_packed(values, order.rows(), run) : gather(values, order.rows(), run);
  frame_extremes(work.job(), gathered, greatest, order.rows().data(), out.data());
}

}  // namespace

void frame_least(const Order& order, const Frame& frame, const Key& values, std::span<std::uint32_t> out,
                 const Run& run) {
  extremes(order, frame, values, false, out, run);
}
void frame_greatest(const Order& order, const Frame& frame, const Key& values, std::span<std::uint32_t> out,
                    const Run& run) {
  extremes(order, frame, values, true, out, run);
}
std::vector<std::uint32_t> frame_least(const Order& order, const Frame& frame, const Key& values, const Run& run) {
  auto out = large_vector<std::uint32_t>(order.size(), run);
  extremes(order, frame, values, false, out, run);
  return out;
}
std::vector<std::uint32_t> frame_greatest(const Order& order, const Frame& frame, const Key& values, const Run& run) {
  auto out = large_vector<std::uint32_t>(order.size(), run);
  extremes(order, frame, values, true, out, run);
  return out;
}

Windowed<double> frame_percentiles(const Order& order, const Frame& frame, std::span<const double> values,
                                   const Decimal& fraction, NullMask nulls, const Run& run) {
  assert(fraction.coefficient() >= 0 && fraction <= Decimal(1, 0) && fraction.scale() <= 15);
  const Work work(order, frame, run);
  const Gathered gathered = gather(key_of(values, nulls), order.rows(), run);
  return doubles_of(
      engine::frame_percentiles(work.job(), gathered, value_ranks(order.data(), gathered, run), fraction, false, 0),
      run);
}

Windowed<Decimal> frame_percentiles(const Order& order, const Frame& frame, std::span<const Decimal> values,
                                    const Decimal& fraction, NullMask nulls, const Run& run) {
  assert(fraction.coefficient() >= 0 && fraction <= Decimal(1, 0) && fraction.scale() <= 15);
  const Work work(order, frame, run);
  const Gathered gathered = gather(key_of(values, nulls), order.rows(), run);
  const int scale = std::min(gathered.scale + 6, Decimal::max_digits);
  return decimals_of(
      engine::frame_percentiles(work.job(), gathered, value_ranks(order.data(), gathered, run), fraction, false, scale),
      scale, run);
}

std::vector<std::uint32_t> rows_before(const Order& order, std::uint32_t distance, NullMask nulls, const Run& run) {
  return input_rows(order, shifted_positions(order.data(), counted(order, nulls), distance, run), run);
}

std::vector<std::uint32_t> rows_behind(const Order& order, std::uint32_t distance, NullMask nulls, const Run& run) {
  return input_rows(order, shifted_positions(order.data(), counted(order, nulls), -std::int64_t{distance}, run), run);
}

std::vector<std::uint32_t> nth_rows(const Order& order, const Frame& frame, std::uint32_t n, From from, NullMask nulls,
                                    const Run& run) {
  assert(n > 0 && "the first is number 1");
  const Work work(order, frame, run);
  return input_rows(order, nth_positions(work.job(), counted(order, nulls), n, from == From::last), run);
}

}  // namespace lofty
