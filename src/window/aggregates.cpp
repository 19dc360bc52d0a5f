#include "window/aggregates.hpp"

#include <atomic>
#include <bit>
#include <cmath>
#include <deque>
#include <mutex>
#include <optional>

#include "base/far_memory.hpp"
#include "lofty/error.hpp"
#include "value/exact_sum.hpp"
#include "window/order_statistic.hpp"
#include "window/packing.hpp"

namespace lofty::engine {
namespace {

[[noreturn]] void too_large() {
  throw Error(Problem{Code::overflow, "a sum over a frame has more than 38 digits", {}, {}, {}});
}

// Of a percentile between two values, which has six decimals more.
[[noreturn]] void between_too_large() {
  throw Error(Problem{Code::overflow,
                      "a value between two others has more than 38 digits with its further decimals",
                      {},
                      {},
                      "cast the values as float"});
}

// ---- accumulators: what a frame holds, as a sum that can be taken from

struct Counting {
  std::uint32_t count = 0;
  void reset() { count = 0; }
};

struct CountValues : Counting {
  const Gathered* values;
  explicit CountValues(const Gathered& of) : values(&of) {}
  void add(std::uint32_t at) { count += !values->is_null(at); }
  void remove(std::uint32_t at) { count -= !values->is_null(at); }
};

// 64-bit values: in Sum = int64_t where no frame's sum can be longer, else in 128 bits, which 2^32 of them never fill.
template <class Sum, class Reader>
struct ShortSum : Counting {
  Reader value;
  Sum sum = 0;
  explicit ShortSum(const Reader& of) : value(of) {}
  void reset() {
    count = 0;
    sum = 0;
  }
  void add(std::uint32_t at) {
    const std::int64_t here = value(at);
    const bool some = !Reader::nulls || here != int64_null;
    sum += some ? here : 0;
    count += some;
  }
  void remove(std::uint32_t at) {
    const std::int64_t here = value(at);
    const bool some = !Reader::nulls || here != int64_null;
    sum -= some ? here : 0;
    count -= some;
  }
  int128 exact() const { return sum; }
};

// 128-bit values: their lower and upper halves are summed apart.
struct LongSum : Counting {
  const int128* values;
  int128 low = 0, high = 0;
  explicit LongSum(const Gathered& of) : values(of.wide.data()) {}
  void reset() { *this = LongSum(values); }
  void add(std::uint32_t at) { take(at, 1); }
  void remove(std::uint32_t at) { take(at, -1); }
  int128 exact() const {
    const int128 carried = high + (low >> 64);
    if (carried > std::numeric_limits<std::int64_t>::max() || carried < std::numeric_limits<std::int64_t>::min())
      too_large();
    const auto whole = static_cast<int128>(static_cast<uint128>(carried) << 64 | static_cast<std::uint64_t>(low));
    if (!fits_decimal(whole)) too_large();
    return whole;
  }

 private:
  explicit LongSum(const int128* of) : values(of) {}
  void take(std::uint32_t at, int sign) {
    if (values[at] == int128_min) return;
    low += sign * static_cast<int128>(static_cast<std::uint64_t>(values[at]));
    high += sign * (values[at] >> 64);
    count += static_cast<std::uint32_t>(sign);
  }
};

// Floats as multiples of one power of two, where 128 bits hold the sum of all of them.
struct FixedPoint {
  int exponent = 0;  // of the unit
  static std::optional<FixedPoint> fitting(const Gathered& values) {
    int least = 5000, greatest = -5000;
    for (const double value : values.doubles.view()) {
      if (std::isnan(value) || value == 0) continue;
      if (std::isinf(value)) return std::nullopt;
      const auto bits = std::bit_cast<std::uint64_t>(value);
      const int biased = static_cast<int>(bits >> 52 & 0x7ff);
      const std::uint64_t mantissa =
          (bits & ((std::uint64_t{1} << 52) - 1)) | (biased > 0 ? std::uint64_t{1} << 52 : 0);
      const int unit = std::max(biased, 1) - 1075;  // value = mantissa * 2^unit
      least = std::min(least, unit + std::countr_zero(mantissa));
      greatest = std::max(greatest, unit + static_cast<int>(std::bit_width(mantissa)));
    }
    if (greatest < least) return FixedPoint{};
    if (greatest - least + static_cast<int>(std::bit_width(values.size())) > 125) return std::nullopt;
    return FixedPoint{least};
  }
  int128 units(double value) const {
    const auto bits = std::bit_cast<std::uint64_t>(value);
    const int biased = static_cast<int>(bits >> 52 & 0x7ff);
    const std::uint64_t mantissa = (bits & ((std::uint64_t{1} << 52) - 1)) | (biased > 0 ? std::uint64_t{1} << 52 : 0);
    const int shift = std::max(biased, 1) - 1075 - exponent;
    if (mantissa == 0) return 0;
    const auto whole = static_cast<int128>(shift >= 0 ? static_cast<uint128>(mantissa) << shift
                                                      : static_cast<uint128>(mantissa >> -shift));
    return value < 0 ? -whole : whole;
  }
  // The nearest double, ties to even.
  double value(int128 sum) const {
    if (sum == 0) return 0;
    const bool negative = sum < 0;
    auto magnitude = negative ? -static_cast<uint128>(sum) : static_cast<uint128>(sum);
    const auto high = static_cast<std::uint64_t>(magnitude >> 64);
    const int width =
        static_cast<int>(high != 0 ? 64 + std::bit_width(high) : std::bit_width(static_cast<std::uint64_t>(magnitude)));
    // 53 bits, or fewer where the result is subnormal.
    const int drop = std::max({width - 53, -1074 - exponent, 0});
    if (drop > 0) {
      const uint128 rest = magnitude & ((uint128{1} << drop) - 1), half = uint128{1} << (drop - 1);
      magnitude >>= drop;
      if (rest > half || (rest == half && (magnitude & 1) != 0)) ++magnitude;
    }
    const int power = exponent + drop;
    const auto digits = static_cast<double>(static_cast<std::uint64_t>(magnitude));
    // A power of two that is a normal number scales exactly, and at a tenth of the price.
    const double out = power > -900 && power < 900
                           ? digits * std::bit_cast<double>(static_cast<std::uint64_t>(power + 1023) << 52)
                           : std::ldexp(digits, power);
    return negative ? -out : out;
  }
};

struct FixedSum : Counting {
  const double* values;
  FixedPoint point;
  int128 sum = 0;
  FixedSum(const Gathered& of, FixedPoint with) : values(of.doubles.data()), point(with) {}
  void reset() {
    count = 0;
    sum = 0;
  }
  void add(std::uint32_t at) {
    if (std::isnan(values[at])) return;
    sum += point.units(values[at]);
    ++count;
  }
  void remove(std::uint32_t at) {
    if (std::isnan(values[at])) return;
    sum -= point.units(values[at]);
    --count;
  }
  double total() const { return point.value(sum); }
};

// Floats of any range. Infinities are counted, as they cannot be taken from a sum.
struct WideSum : Counting {
  const double* values;
  ExactSum sum;
  std::uint32_t infinite = 0, negative_infinite = 0;
  explicit WideSum(const Gathered& of) : values(of.doubles.data()) {}
  void reset() { *this = WideSum(values); }
  void add(std::uint32_t at) { take(at, 1); }
  void remove(std::uint32_t at) { take(at, -1); }
  double total() const {
    if (infinite > 0 && negative_infinite > 0) return std::numeric_limits<double>::quiet_NaN();
    if (infinite > 0) return std::numeric_limits<double>::infinity();
    if (negative_infinite > 0) return -std::numeric_limits<double>::infinity();
    return sum.value();
  }

 private:
  explicit WideSum(const double* of) : values(of) {}
  void take(std::uint32_t at, int sign) {
    const double value = values[at];
    if (std::isnan(value)) return;
    count += static_cast<std::uint32_t>(sign);
    if (std::isinf(value))
      (value > 0 ? infinite : negative_infinite) += static_cast<std::uint32_t>(sign);
    else
      sum.add(sign * value);
  }
};

bool fits_short(const Gathered& values) {
  return values.magnitude <= std::numeric_limits<std::int64_t>::max() / static_cast<std::int64_t>(values.size() + 1);
}

// Calls with(make) where make() makes the accumulator that suits these values, exact ones only, and not packed.
template <class With>
void with_exact_sum(const Gathered& values, const With& with) {
  const std::int64_t* const ints = values.ints.data();
  if (values.lane == Gathered::Lane::int128)
    with([&] { return LongSum(values); });
  else if (fits_short(values) && values.no_nulls)
    with([=] { return ShortSum<std::int64_t, IntReader<false>>({ints}); });
  else if (fits_short(values))
    with([=] { return ShortSum<std::int64_t, IntReader<true>>({ints}); });
  else
    with([=] { return ShortSum<int128, IntReader<true>>({ints}); });
}

// Slides over 64-bit values whose sums fit 64 bits, packed or not.
template <class Emit>
void slide_short_sums(const WindowJob& job, const Gathered& values, const Emit& emit) {
  with_integers(values, [&](const auto& read) {
    slide_all(
        job, [&] { return ShortSum<std::int64_t, std::decay_t<decltype(read)>>(read); }, emit);
  });
}

template <class With>
void with_float_sum(const Gathered& values, const With& with) {
  if (const auto point = FixedPoint::fitting(values))
    with([&, fixed = *point] { return FixedSum(values, fixed); });
  else
    with([&] { return WideSum(values); });
}

// A 128-bit number divided, half to even; by one 64-bit division where that is enough.
int128 divided(int128 numerator, std::int64_t denominator) {
  if (!fits_int64(numerator) || numerator == int64_null) return divide_half_even(numerator, denominator);
  const auto whole = static_cast<std::int64_t>(numerator);
  std::int64_t quotient = whole / denominator;
  const std::int64_t rest = std::abs(whole % denominator), other = denominator - rest;
  if (rest > other || (rest == other && (quotient & 1) != 0)) quotient += whole < 0 ? -1 : 1;
  return quotient;
}

Results doubles_of(std::size_t size) {
  Results out;
  out.lane = Results::Lane::float64;
  out.doubles.allocate(size);
  return out;
}

// Exact results, 64 bits wide where `narrow` says that all fit.
Results exact_of(std::size_t size, bool narrow) {
  Results out;
  out.lane = narrow ? Results::Lane::int64 : Results::Lane::int128;
  if (narrow)
    out.ints.allocate(size);
  else
    out.wide.allocate(size);
  return out;
}

void put(Results& out, std::size_t at, int128 value) {
  if (out.lane == Results::Lane::int64)
    out.ints[at] = static_cast<std::int64_t>(value);
  else
    out.wide[at] = value;
}
void put_null(Results& out, std::size_t at) {
  if (out.lane == Results::Lane::int64)
    out.ints[at] = int64_null;
  else if (out.lane == Results::Lane::int128)
    out.wide[at] = int128_min;
  else
    out.doubles[at] = std::numeric_limits<double>::quiet_NaN();
}

}  // namespace

namespace {

template <class Number>
void count_positions(const WindowJob& job, Number* counts) {
  slide_in_pieces(job, [&](std::size_t begin, std::size_t end) {
    const auto one = [=](std::size_t at, std::size_t, std::uint32_t low, std::uint32_t high) {
      counts[at] = static_cast<Number>(high - low);
    };
    each_frame(job, begin, end, one, [=](std::size_t at, std::size_t, const Stretches& frame) {
      std::uint32_t held = 0;
      for (int part = 0; part < 3; ++part) held += frame.end[part] - frame.begin[part];
      counts[at] = static_cast<Number>(held);
    });
  });
}

}  // namespace

Buffer<std::uint32_t> frame_counts(const WindowJob& job, const Gathered* values) {
  Buffer<std::uint32_t> out(job.order.rows.size());
  if (values == nullptr)
    count_positions(job, out.data());
  else
    slide_all(
        job, [&] { return CountValues(*values); },
        [&](std::size_t at, std::size_t, const Counting& counted) { out[at] = counted.count; });
  return out;
}

PackedNumbers packed_counts(const WindowJob& job, std::size_t most) {
  PackedNumbers out = PackedNumbers::between(0, static_cast<std::int64_t>(most), false);
  out.allocate(job.order.rows.size());
  if (out.width == 2)
    count_positions(job, out.data<std::uint16_t>());
  else
    count_positions(job, out.data<std::uint32_t>());
  return out;
}

Results frame_sums(const WindowJob& job, const Gathered& values) {
  if (values.lane == Gathered::Lane::float64) {
    Results out = doubles_of(values.size());
    with_float_sum(values, [&](const auto& make) {
      slide_all(job, make, [&](std::size_t at, std::size_t, const auto& sum) {
        out.doubles[at] = sum.count == 0 ? std::numeric_limits<double>::quiet_NaN() : sum.total();
      });
    });
    return out;
  }

  // Exact ones, in 64 bits where all fit.
  const bool narrow = values.lane == Gathered::Lane::int64 && fits_short(values);
  Results out = exact_of(values.size(), narrow);
  if (narrow) {
    slide_short_sums(job, values, [&](std::size_t at, std::size_t, const auto& sum) {
      out.ints[at] = sum.count == 0 ? int64_null : sum.sum;
    });
    return out;
  }
  with_exact_sum(values, [&](const auto& make) {
    slide_all(job, make, [&](std::size_t at, std::size_t, const auto& sum) {
      if (sum.count == 0)
        put_null(out, at);
      else
        put(out, at, sum.exact());
    });
  });
  return out;
}

PackedNumbers packed_sums(const WindowJob& job, const Gathered& values, std::size_t most) {
  const PackedNumbers& packed = values.packed;
  if (!packed) return {};
  const auto times = static_cast<std::int64_t>(most);  // it is packed, so all of them together have no longer sum
  PackedNumbers out = PackedNumbers::between(std::min<std::int64_t>(packed.least, 0) * times,
                                             std::max<std::int64_t>(packed.greatest, 0) * times,
                                             packed.nulls || may_be_empty(job.frame));
  if (out.width > 4) return {};
  out.width = 4;  // one of the two is enough: few sums fit 16 bits
  out.allocate(values.size());
  slide_short_sums(
      job, values, [to = out.data<std::uint32_t>(), before = out.before](std::size_t at, std::size_t, const auto& sum) {
        to[at] = sum.count == 0 ? 0 : static_cast<std::uint32_t>(static_cast<std::uint64_t>(sum.sum) - before);
      });
  return out;
}

bool frame_sums(const WindowJob& job, const Gathered& values, std::int64_t* out, std::uint8_t* nulls) {
  if (values.lane != Gathered::Lane::int64 || !fits_short(values)) return false;
  slide_short_sums(job, values, [&](std::size_t at, std::size_t, const auto& sum) {
    out[at] = sum.sum;
    nulls[at] = sum.count == 0;
  });
  return true;
}

namespace {

template <class Word>
bool running_sums(const OrderData& order, const PackedReader<Word, false>& value, std::int64_t* out, const Run& run) {
  constexpr std::size_t piece_rows = 128 * 1024;
  const std::size_t size = order.rows.size();
  const RowRanges pieces = RowRanges::fixed(size, piece_rows);
  struct Stretch {
    std::size_t first_start;               // where a group starts first; none: the end
    std::uint64_t last = 0;                // the sum at its end
    std::int64_t least = 0, greatest = 0;  // of the values
  };

  // Each piece separately.
  std::vector<Stretch> all(pieces.count());
  Progress progress(run, 2 * size);
  parallel_for(pieces, progress, [&](const RowRange& piece, std::size_t p) {
    const std::size_t begin = piece.begin, end = piece.end;
    const std::uint8_t* const marks = order.marks.data();
    const std::uint32_t* const rows = order.rows.data();
    Stretch own{end};
    std::uint64_t sum = 0;  // wraps, where the values say in the end that it might
    read_ahead(
        begin, end, [&](std::size_t i) { return value.words + rows[i]; },
        [&](std::size_t i) {
          if ((marks[i] & OrderData::group_start) != 0) {
            sum = 0;
            own.first_start = std::min(own.first_start, i);
          }
          const std::int64_t here = value(rows[i]);
          own.least = std::min(own.least, here);
          own.greatest = std::max(own.greatest, here);
          sum += static_cast<std::uint64_t>(here);
          out[i] = static_cast<std::int64_t>(sum);
        });
    own.last = sum;
    all[p] = own;
  });

  // Could a sum have wrapped?
  int128 magnitude = 0;
  for (const Stretch& piece : all)
    magnitude = std::max({magnitude, -static_cast<int128>(piece.least), static_cast<int128>(piece.greatest)});
  if (magnitude > std::numeric_limits<std::int64_t>::max() / static_cast<std::int64_t>(size + 1)) return false;

  // What the pieces before had goes on until a group begins.
  std::vector<std::uint64_t> before(pieces.count(), 0);
  for (std::size_t p = 1; p < pieces.count(); ++p)
    before[p] = all[p - 1].last + (all[p - 1].first_start < pieces[p - 1].end ? 0 : before[p - 1]);
  parallel_for(pieces, progress, [&](const RowRange& piece, std::size_t p) {
    if (before[p] == 0) return;
    for (std::size_t i = piece.begin; i < all[p].first_start; ++i)
      out[i] = static_cast<std::int64_t>(static_cast<std::uint64_t>(out[i]) + before[p]);
  });
  return true;
}

}  // namespace

bool running_sums(const OrderData& order, std::span<const std::int64_t> values, std::int64_t* out, const Run& run) {
  const PackedNumbers packed = packed_by_row(ascending(values), run);
  const auto of = [&](auto word) {
    const auto* const words = reinterpret_cast<const decltype(word)*>(packed.words.data());
    return running_sums(order, PackedReader<decltype(word), false>{words, packed.before}, out, run);
  };
  switch (packed.width) {
    case 0: {  // as they are
      const auto* const words = reinterpret_cast<const std::uint64_t*>(values.data());
      return running_sums(order, PackedReader<std::uint64_t, false>{words, 0}, out, run);
    }
    case 2: return of(std::uint16_t{});
    case 4: return of(std::uint32_t{});
    default: return of(std::uint64_t{});
  }
}

Results frame_averages(const WindowJob& job, const Gathered& values, int scale) {
  if (values.lane == Gathered::Lane::float64) {
    Results out = doubles_of(values.size());
    with_float_sum(values, [&](const auto& make) {
      slide_all(job, make, [&](std::size_t at, std::size_t, const auto& sum) {
        out.doubles[at] = sum.count == 0 ? std::numeric_limits<double>::quiet_NaN() : sum.total() / sum.count;
      });
    });
    return out;
  }

  // Exact ones, with their further decimals.
  const int128 shift = power_of_ten(scale - values.scale);
  // A mean is no longer than the longest value, with its further decimals.
  const bool narrow = values.lane == Gathered::Lane::int64 &&
                      values.magnitude <= std::numeric_limits<std::int64_t>::max() / static_cast<std::int64_t>(shift);
  Results out = exact_of(values.size(), narrow);
  with_exact_sum(values, [&](const auto& make) {
    slide_all(job, make, [&](std::size_t at, std::size_t, const auto& sum) {
      if (sum.count == 0) return put_null(out, at);
      int128 shifted = 0;
      if (__builtin_mul_overflow(sum.exact(), shift, &shifted)) too_large();
      const int128 mean = divided(shifted, sum.count);
      if (!fits_decimal(mean)) too_large();
      put(out, at, mean);
    });
  });
  return out;
}

// ---- variances

namespace {

bool take(FloatMoments& moments, const Gathered& values, std::uint32_t at, int times) {
  moments.add(values.doubles[at], times);
  return true;
}
bool take(ExactMoments& moments, const Gathered& values, std::uint32_t at, int times) {
  return moments.add(values.lane == Gathered::Lane::int64 ? values.ints[at] : values.wide[at], times);
}

template <class Moments>
struct SpreadOf : Counting {
  const Gathered& values;
  Moments moments{};
  explicit SpreadOf(const Gathered& of) : values(of) {}
  void reset() {
    count = 0;
    moments = {};
  }
  void add(std::uint32_t at) { add(at, 1); }
  void remove(std::uint32_t at) { add(at, -1); }

 private:
  void add(std::uint32_t at, int times) {
    if (values.is_null(at)) return;
    if (!take(moments, values, at, times)) too_large();
    count += static_cast<std::uint32_t>(times);
  }
};

// Calls put(position, moments) for each frame that has enough values, and makes the others null.
template <class Moments, class Put>
void slide_spreads(const WindowJob& job, const Gathered& values, const Spread& spread, Results& out, const Put& put) {
  slide_all(
      job, [&] { return SpreadOf<Moments>(values); },
      [&](std::size_t at, std::size_t, const SpreadOf<Moments>& held) {
        if (held.count <= static_cast<std::uint32_t>(spread.less)) return put_null(out, at);
        put(at, held.moments);
      });
}

}  // namespace

Results frame_spreads(const WindowJob& job, const Gathered& values, const Spread& spread, int scale) {
  if (values.lane == Gathered::Lane::float64) {
    Results out = doubles_of(values.size());
    slide_spreads<FloatMoments>(job, values, spread, out, [&](std::size_t at, const FloatMoments& moments) {
      const double variance = moments.variance(spread.less);
      if (!std::isfinite(variance))
        throw Error(Problem{Code::overflow, "the squares are beyond the range of floats", {}, {}, smaller_values});
      out.doubles[at] = spread.root ? std::sqrt(variance) : variance;
    });
    return out;
  }

  // Exact numbers.
  Results out = spread.root ? doubles_of(values.size()) : exact_of(values.size(), false);
  slide_spreads<ExactMoments>(job, values, spread, out, [&](std::size_t at, const ExactMoments& moments) {
    int128 variance = 0;
    if (spread.root)
      out.doubles[at] = moments.deviation(spread.less, values.scale);
    else if (!moments.variance(spread.less, scale - 2 * values.scale, variance))
      too_large();
    else
      put(out, at, variance);
  });
  return out;
}

// ---- distinct counts

namespace {

// Gathered values as a key to sort by.
class ValueKey {
 public:
  explicit ValueKey(const Gathered& values) : null_(values.size()) {
    for (std::size_t i = 0; i < null_.size(); ++i) null_[i] = values.is_null(i);
    KeyOptions options;
    options.null_mask = null_;
    if (values.lane == Gathered::Lane::int64) {
      key_ = ascending(values.ints.view(), options);
    } else if (values.lane == Gathered::Lane::float64) {
      key_ = ascending(values.doubles.view(), options);
    } else {  // 128-bit numbers are keys as decimals
      for (std::size_t i = 0; i < null_.size(); ++i) decimals_.emplace_back(null_[i] != 0 ? 0 : values.wide[i], 0);
      key_ = ascending(decimals_, options);
    }
  }
  ValueKey(const ValueKey&) = delete;
  ValueKey& operator=(const ValueKey&) = delete;
  const Key& get() const { return key_; }

 private:
  std::vector<std::uint8_t> null_;
  std::vector<Decimal> decimals_;
  Key key_;
};

}  // namespace

std::vector<std::uint32_t> distinct_codes(const Gathered& values, const Run& run, std::size_t& distinct) {
  const std::size_t size = values.size();
  std::vector<std::uint32_t> codes(size, no_position);
  if (values.lane == Gathered::Lane::int64) {
    std::int64_t least = std::numeric_limits<std::int64_t>::max(), greatest = std::numeric_limits<std::int64_t>::min();
    for (std::size_t i = 0; i < size; ++i)
      if (values.ints[i] != int64_null) {
        least = std::min(least, values.ints[i]);
        greatest = std::max(greatest, values.ints[i]);
      }
    if (greatest < least) return distinct = 0, codes;
    const auto range = static_cast<std::uint64_t>(greatest) - static_cast<std::uint64_t>(least);
    if (range < 2 * size + 1000) {  // an array indexed by the value is small enough
      distinct = static_cast<std::size_t>(range) + 1;
      for (std::size_t i = 0; i < size; ++i)
        if (values.ints[i] != int64_null) codes[i] = static_cast<std::uint32_t>(values.ints[i] - least);
      return codes;
    }
  }

  // Else by their order.
  const ValueKey key(values);
  const Order sorted = order({key.get()}, {}, run);
  std::uint32_t code = no_position;
  for (std::size_t i = 0; i < size && sorted.ranked(i); ++i) {
    if (sorted.starts_peers(i)) ++code;  // from no_position to 0
    codes[sorted.rows()[i]] = code;
  }
  distinct = static_cast<std::size_t>(code + 1);
  return codes;
}

namespace {

struct DistinctCount {
  const std::uint32_t* codes;
  std::vector<std::uint32_t> held;  // by code
  std::uint32_t count = 0;
  DistinctCount(const std::vector<std::uint32_t>& of, std::size_t distinct) : codes(of.data()), held(distinct, 0) {}
  void add(std::uint32_t at) {
    if (codes[at] != no_position) count += held[codes[at]]++ == 0;
  }
  void remove(std::uint32_t at) {
    if (codes[at] != no_position) count -= --held[codes[at]] == 0;
  }
};

}  // namespace

Buffer<std::uint32_t> frame_distinct_counts(const WindowJob& job, const std::vector<std::uint32_t>& codes,
                                            std::size_t distinct) {
  Buffer<std::uint32_t> out(job.order.rows.size());
  slide_all(
      job, [&] { return DistinctCount(codes, distinct); },
      [&](std::size_t at, std::size_t, const DistinctCount& held) { out[at] = held.count; });
  return out;
}

// ---- percentiles

std::uint32_t discrete_rank(const Decimal& fraction, std::uint32_t count, bool descending) {
  const int128 whole = power_of_ten(fraction.scale());
  const int128 reached =
      (fraction.coefficient() * count + whole - 1) / whole;  // the first k with k / count >= fraction
  const auto k = static_cast<std::uint32_t>(reached <= 1 ? 0 : reached - 1);
  return descending ? count - 1 - k : k;
}

ContinuousRank continuous_rank(const Decimal& fraction, std::uint32_t count, bool descending) {
  const int128 whole = power_of_ten(fraction.scale());
  const int128 at = (descending ? whole - fraction.coefficient() : fraction.coefficient()) * (count - 1);
  return {static_cast<std::uint32_t>(at / whole), at % whole, whole};
}

double interpolated(double low, double high, const ContinuousRank& at) {
  if (at.rest == 0) return low;
  return low + (high - low) * (static_cast<double>(at.rest) / static_cast<double>(at.whole));
}

int128 interpolated(int128 low, int128 high, const ContinuousRank& at, int128 shift) {
  int128 from = 0, between = 0, numerator = 0;
  if (__builtin_mul_overflow(low, at.whole, &from) || __builtin_sub_overflow(high, low, &between) ||
      __builtin_mul_overflow(between, at.rest, &between) || __builtin_add_overflow(from, between, &numerator) ||
      __builtin_mul_overflow(numerator, shift, &numerator))
    between_too_large();
  const int128 value = divided(numerator, static_cast<std::int64_t>(at.whole));  // at most 15 decimals: 64 bits
  if (!fits_decimal(value)) between_too_large();
  return value;
}

ValueRanks value_ranks(const OrderData& order, const Gathered& values, const Run& run) {
  const std::size_t size = order.rows.size();
  std::vector<std::uint32_t> group(size);
  for (std::size_t i = 1; i < size; ++i) {
    if (i % RowRanges::usual_rows == 0) check_stop(run);
    group[i] = group[i - 1] + ((order.marks[i] & OrderData::group_start) != 0);
  }

  // Sorted by value within their groups, which gives each value its rank.
  const ValueKey key(values);
  const Order sorted = lofty::order(groups(group), {key.get()}, {}, run);
  ValueRanks out;
  out.position_at.assign(sorted.rows().begin(), sorted.rows().end());
  out.rank_at.resize(size);
  parallel_for(RowRanges::fixed(size), run, [&](const RowRange& range) {
    for (std::size_t rank = range.begin; rank < range.end; ++rank) {
      const std::uint32_t position = out.position_at[rank];
      out.rank_at[position] = values.is_null(position) ? no_position : static_cast<std::uint32_t>(rank);
    }
  });
  return out;
}

namespace {

struct RankedValues {
  const std::uint32_t* rank_at;
  OrderStatistic set;
  explicit RankedValues(const ValueRanks& ranks) : rank_at(ranks.rank_at.data()), set(ranks.rank_at.size()) {}
  void add(std::uint32_t at) {
    if (rank_at[at] != no_position) set.add(rank_at[at]);
  }
  void remove(std::uint32_t at) {
    if (rank_at[at] != no_position) set.remove(rank_at[at]);
  }
};

}  // namespace

Buffer<std::uint32_t> frame_percentile_positions(const WindowJob& job, const ValueRanks& ranks, const Decimal& fraction,
                                                 bool descending) {
  Buffer<std::uint32_t> out(job.order.rows.size());
  slide_all(
      job, [&] { return RankedValues(ranks); },
      [&](std::size_t position, std::size_t group, const RankedValues& held) {
        const std::uint32_t count = held.set.size();
        if (count == 0) {
          out[position] = no_position;
          return;
        }
        const std::uint32_t k = discrete_rank(fraction, count, descending);
        out[position] = ranks.position_at[held.set.at(k, static_cast<std::uint32_t>(group))];
      });
  return out;
}

Results frame_percentiles(const WindowJob& job, const Gathered& values, const ValueRanks& ranks,
                          const Decimal& fraction, bool descending, int scale) {
  const std::size_t size = job.order.rows.size();
  const bool floats = values.lane == Gathered::Lane::float64;
  const int128 shift = floats ? 1 : power_of_ten(scale - values.scale);
  const bool narrow = values.lane == Gathered::Lane::int64 &&
                      values.magnitude <= std::numeric_limits<std::int64_t>::max() / static_cast<std::int64_t>(shift);
  Results out = floats ? doubles_of(size) : exact_of(size, narrow);
  slide_all(
      job, [&] { return RankedValues(ranks); },
      [&](std::size_t position, std::size_t group, const RankedValues& held) {
        const std::uint32_t count = held.set.size();
        if (count == 0) return put_null(out, position);

        // The two values that it is between.
        const ContinuousRank at = continuous_rank(fraction, count, descending);
        const auto first = static_cast<std::uint32_t>(group);
        const std::uint32_t rank = held.set.at(at.low, first);
        const std::uint32_t a = ranks.position_at[rank];
        const std::uint32_t b = at.rest == 0 ? a : ranks.position_at[held.set.next(rank, at.low, first)];
        if (floats) {
          out.doubles[position] = interpolated(values.doubles[a], values.doubles[b], at);
          return;
        }
        const auto exact = [&](std::uint32_t i) {
          return values.lane == Gathered::Lane::int64 ? int128{values.ints[i]} : values.wide[i];
        };
        const int128 value = interpolated(exact(a), exact(b), at, shift);
        put(out, position, value);
      });
  return out;
}

std::size_t short_frames(const WindowJob& job, std::vector<std::uint32_t>& positions, std::size_t most) {
  std::atomic<std::size_t> count = 0;
  std::mutex mutex;
  slide_in_pieces(job, [&](std::size_t begin, std::size_t end) {
    FrameWalk walk(job.order, job.frame, job.range, begin, end);
    std::size_t here = 0;
    std::vector<std::uint32_t> found;
    for (std::size_t at = begin; at < end; ++at) {
      walk.next();
      if (!walk.cut_short()) continue;
      if (here++ < most) found.push_back(static_cast<std::uint32_t>(at));
    }
    count += here;
    const std::scoped_lock lock(mutex);
    positions.insert(positions.end(), found.begin(), found.end());
  });
  std::sort(positions.begin(), positions.end());
  if (positions.size() > most) positions.resize(most);
  return count;
}

}  // namespace lofty::engine
