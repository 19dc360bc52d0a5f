#include "order/codes.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <mutex>

#include "base/large_vector.hpp"
#include "base/name_table.hpp"
#include "base/parallel.hpp"
#include "order/custom_order.hpp"
#include "order/text_numbers.hpp"
#include "table/extremes.hpp"

namespace lofty::engine {
namespace {

constexpr std::uint64_t sign_bit = std::uint64_t{1} << 63;

// Unsigned integers that are ordered as the values are.
template <class T>
std::uint64_t ordered(const T& value) {
  if constexpr (std::is_floating_point_v<T>) {
    const auto bits = std::bit_cast<std::uint64_t>(static_cast<double>(value) + 0.0);  // -0.0 + 0.0 is 0.0: one zero
    return bits ^ (static_cast<std::uint64_t>(static_cast<std::int64_t>(bits) >> 63) | sign_bit);
  } else if constexpr (std::is_same_v<T, Date>) {
    return static_cast<std::uint64_t>(std::int64_t{value.days}) ^ sign_bit;
  } else if constexpr (std::is_same_v<T, Timestamp>) {
    return static_cast<std::uint64_t>(value.microseconds) ^ sign_bit;
  } else if constexpr (std::is_signed_v<T>) {
    return static_cast<std::uint64_t>(std::int64_t{value}) ^ sign_bit;
  } else {
    return std::uint64_t{value};
  }
}

// ---- where the values are: ordered(i) of a value, null(i)

template <class T, bool masked>
struct ArraySource {
  const T* values;
  const std::uint8_t* mask;
  bool null(std::size_t i) const {
    if (masked && mask[i] != 0) return true;
    if constexpr (std::is_floating_point_v<T>) return std::isnan(values[i]);
    return false;
  }
  std::uint64_t value(std::size_t i) const { return ordered(values[i]); }
  // Values of [begin, end) whose own order is that of their codes, in their own type: twice as fast, or more.
  bool extremes(std::size_t begin, std::size_t end, std::uint64_t& least, std::uint64_t& greatest) const {
    if constexpr (std::is_integral_v<T> && !masked) {
      const auto [low, high] = least_and_greatest(values + begin, end - begin);
      least = ordered(low);
      greatest = ordered(high);
      return true;
    }
    return false;
  }
};

// A sealed column's own packing: value - least + 1, 0 for null. Nothing has to be looked at twice.
template <class Word>
struct PackedSource {
  const Word* words;
  bool null(std::size_t i) const { return words[i] == 0; }
  std::uint64_t value(std::size_t i) const { return words[i]; }
};

// Distinct values by number, each with its rank.
template <class Word>
struct RankSource {
  const Word* words;  // number + 1; 0 is null
  std::shared_ptr<const std::vector<std::uint32_t>> ranks;
  std::shared_ptr<const void> owner = {};  // of the words, where nothing else keeps them
  bool null(std::size_t i) const { return words[i] == 0; }
  std::uint64_t value(std::size_t i) const { return (*ranks)[words[i] - 1]; }
};

// One half of 128-bit values, counted from the least.
template <class GetValue>
struct HalfSource {
  GetValue get;  // int128_min is null
  int128 least;
  int shift;
  bool null(std::size_t i) const { return get(i) == int128_min; }
  std::uint64_t value(std::size_t i) const {
    return static_cast<std::uint64_t>((static_cast<uint128>(get(i)) - static_cast<uint128>(least)) >> shift);
  }
};

// ---- codes over a source

struct Range {
  std::uint64_t least = ~std::uint64_t{0}, greatest = 0;
  bool nulls = false;
  bool any() const { return least <= greatest; }
};

template <class Source>
Range range_of(const Source& source, std::size_t size, const Run& run) {
  Range all;
  std::mutex mutex;
  parallel_for(RowRanges::fixed(size), run, [&](const RowRange& piece) {
    const auto [begin, end] = piece;
    if constexpr (requires { &Source::extremes; }) {
      std::uint64_t low, high;
      if (begin < end && source.extremes(begin, end, low, high)) {
        const std::scoped_lock lock(mutex);
        all.least = std::min(all.least, low);
        all.greatest = std::max(all.greatest, high);
        return;
      }
    }

    // Several at a time, so that a comparison needs not wait for the one before.
    constexpr std::size_t lanes = 4;
    std::uint64_t least[lanes], greatest[lanes], nulls = 0;
    std::fill_n(least, lanes, ~std::uint64_t{0});
    std::fill_n(greatest, lanes, std::uint64_t{0});
    const auto see = [&](std::size_t i, std::size_t lane) {
      const bool null = source.null(i);
      const std::uint64_t value = null ? least[lane] : source.value(i);
      least[lane] = std::min(least[lane], value);
      greatest[lane] = std::max(greatest[lane], null ? greatest[lane] : value);
      nulls |= static_cast<std::uint64_t>(null);
    };
    std::size_t i = begin;
    for (; i + lanes <= end; i += lanes)
      for (std::size_t lane = 0; lane < lanes; ++lane) see(i + lane, lane);
    for (; i < end; ++i) see(i, 0);
    const std::scoped_lock lock(mutex);
    all.least = std::min(all.least, *std::min_element(least, least + lanes));
    all.greatest = std::max(all.greatest, *std::max_element(greatest, greatest + lanes));
    all.nulls = all.nulls || nulls != 0;
  });
  return all;
}

// code = (value ^ flip) - offset, or that of null: descending flips all bits, which turns the order round.
template <class Source>
class SourceCodes final : public KeyCodes {
 public:
  SourceCodes(Source source, int bits, std::uint64_t flip, std::uint64_t offset, bool nulls, std::uint64_t null_code)
      : KeyCodes(bits),
        source_(std::move(source)),
        flip_(flip),
        offset_(offset),
        null_code_(null_code),
        nulls_(nulls) {}

  std::uint64_t at(std::size_t row) const override {
    return nulls_ && source_.null(row) ? null_code_ : (source_.value(row) ^ flip_) - offset_;
  }
  void fill(std::size_t begin, std::size_t count, std::uint64_t* out) const override {
    const std::uint64_t flip = flip_, offset = offset_, null_code = null_code_;
    const Source source = source_;
    if (!nulls_) {
      for (std::size_t i = 0; i < count; ++i) out[i] = (source.value(begin + i) ^ flip) - offset;
    } else {
      for (std::size_t i = 0; i < count; ++i)
        out[i] = source.null(begin + i) ? null_code : (source.value(begin + i) ^ flip) - offset;
    }
  }

 private:
  Source source_;
  std::uint64_t flip_, offset_, null_code_;
  bool nulls_;
};

template <class Source>
void add_codes(Source source, const Range& range, bool descending, Nulls nulls, KeyList& out) {
  const std::uint64_t span = range.any() ? range.greatest - range.least : 0;
  const std::uint64_t flip = descending ? ~std::uint64_t{0} : 0, first = descending ? ~range.greatest : range.least;
  if (!range.any() || !range.nulls) {  // nothing but nulls, or none
    out.push_back(std::make_unique<SourceCodes<Source>>(std::move(source), range.any() ? std::bit_width(span) : 0, flip,
                                                        first, range.nulls, 0));
    return;
  }
  if (span == ~std::uint64_t{0}) {
    // All 64 bits are taken: nulls get a bit of their own, and below it they are the least value.
    class NullBit final : public KeyCodes {
     public:
      NullBit(Source from, bool last) : KeyCodes(1), source_(std::move(from)), last_(last) {}
      std::uint64_t at(std::size_t row) const override { return source_.null(row) == last_; }
      void fill(std::size_t begin, std::size_t count, std::uint64_t* to) const override {
        for (std::size_t i = 0; i < count; ++i) to[i] = at(begin + i);
      }

     private:
      Source source_;
      bool last_;
    };
    out.push_back(std::make_unique<NullBit>(source, nulls == Nulls::last));
    out.push_back(std::make_unique<SourceCodes<Source>>(std::move(source), 64, flip, first, true, 0));
    return;
  }
  const bool nulls_first = nulls == Nulls::first;
  out.push_back(std::make_unique<SourceCodes<Source>>(std::move(source), std::bit_width(span + 1), flip,
                                                      first - (nulls_first ? 1 : 0), true, nulls_first ? 0 : span + 1));
}

template <class Source>
void encode_source(Source source, std::size_t size, bool descending, Nulls nulls, const Run& run, KeyList& out) {
  const Range range = range_of(source, size, run);
  add_codes(std::move(source), range, descending, nulls, out);
}

template <class T>
void encode_numbers(const Key& key, const Run& run, KeyList& out) {
  const T* const values = static_cast<const T*>(key.values());
  const auto& mask = key.options.null_mask;
  if (mask.empty())
    encode_source(ArraySource<T, false>{values, nullptr}, key.size(), key.descending, key.options.nulls, run, out);
  else
    encode_source(ArraySource<T, true>{values, mask.data()}, key.size(), key.descending, key.options.nulls, run, out);
}

// 128-bit values; one key when their range allows it.
template <class GetValue>
void encode_wide(GetValue get, std::size_t size, bool descending, Nulls nulls, const Run& run, KeyList& out) {
  int128 least = int128_max, greatest = int128_min;
  for (std::size_t i = 0; i < size; ++i) {
    const int128 value = get(i);
    if (value == int128_min) continue;
    least = std::min(least, value);
    greatest = std::max(greatest, value);
  }
  if (least > greatest) least = greatest = 0;
  const uint128 range = static_cast<uint128>(greatest) - static_cast<uint128>(least);
  if (range >> 64 != 0) encode_source(HalfSource<GetValue>{get, least, 64}, size, descending, nulls, run, out);
  encode_source(HalfSource<GetValue>{get, least, 0}, size, descending, nulls, run, out);
}

// The same, kept for codes.
struct Numbered {
  Buffer<std::uint32_t> words;  // number + 1; 0 is null
  TextNumbers texts;
};

// Never without data: that is how null is told.
template <class T>
std::string_view text_at(const Key& key, std::size_t row) {
  const std::string_view text = static_cast<const T*>(key.values())[row];
  return text.data() == nullptr ? std::string_view("") : text;
}

template <class T>
auto nullable_text_at(const Key& key) {
  return [&key](std::size_t i) {
    const auto& mask = key.options.null_mask;
    return mask.is_null(i) ? std::string_view() : text_at<T>(key, i);
  };
}

template <class T>
std::shared_ptr<const Numbered> numbered_texts(const Key& key, const Run& run) {
  auto numbered = std::make_shared<Numbered>();
  numbered->words.allocate(key.size());
  const Run quiet{.threads = run.threads, .stop = run.stop};  // an order may have several keys of texts
  numbered->texts = number_texts(key.size(), nullable_text_at<T>(key), 1, quiet, numbered->words.data());
  return numbered;
}

template <class T>
void encode_texts(const Key& key, const Run& run, KeyList& out) {
  const std::shared_ptr<const Numbered> numbered = numbered_texts<T>(key, run);
  const auto texts = distinct_texts(numbered->texts, nullable_text_at<T>(key), run);
  auto ranks =
      std::make_shared<const std::vector<std::uint32_t>>(text_ranks(texts, key.options.text, key.options.locale, run));
  Range range;
  range.nulls = numbered->texts.nulls;
  if (!ranks->empty()) {
    range.least = 0;
    range.greatest = ranks->size() - 1;
  }
  add_codes(RankSource<std::uint32_t>{numbered->words.data(), std::move(ranks), numbered}, range, key.descending,
            key.options.nulls, out);
}

// The numbers themselves: enough where only equality is asked for, without a sort of the distinct texts.
struct NumberSource {
  std::shared_ptr<const Numbered> numbered;
  bool null(std::size_t i) const { return numbered->words[i] == 0; }
  std::uint64_t value(std::size_t i) const { return numbered->words[i] - 1; }
};

template <class T>
void encode_text_numbers(const Key& key, const Run& run, KeyList& out) {
  NumberSource source{numbered_texts<T>(key, run)};
  Range range;
  range.nulls = source.numbered->texts.nulls;
  if (!source.numbered->texts.first_rows.empty()) {
    range.least = 0;
    range.greatest = source.numbered->texts.first_rows.size() - 1;
  }
  add_codes(std::move(source), range, key.descending, key.options.nulls, out);
}

void encode_decimals(const Key& key, const Run& run, KeyList& out) {
  const auto* const values = static_cast<const Decimal*>(key.values());
  const auto& mask = key.options.null_mask;
  const auto null = [&](std::size_t i) { return mask.is_null(i); };
  int scale = 0;
  for (std::size_t i = 0; i < key.size(); ++i)
    if (!null(i)) scale = std::max(scale, values[i].scale());
  auto lifted = std::make_shared<std::vector<int128>>(key.size(), int128_min);
  bool fits = true;
  for (std::size_t i = 0; i < key.size() && fits; ++i)
    if (!null(i)) fits = scale_up(values[i].coefficient(), scale - values[i].scale(), (*lifted)[i]);
  if (!fits) {  // no common scale holds them all: number the distinct values instead
    std::vector<std::uint32_t> sorted;
    for (std::size_t i = 0; i < key.size(); ++i)
      if (!null(i)) sorted.push_back(static_cast<std::uint32_t>(i));
    std::sort(sorted.begin(), sorted.end(), [&](std::uint32_t a, std::uint32_t b) { return values[a] < values[b]; });
    lifted->assign(key.size(), int128_min);
    for (std::size_t i = 0; i < sorted.size(); ++i)
      (*lifted)[sorted[i]] =
          i == 0 ? 0 : (*lifted)[sorted[i - 1]] + (values[sorted[i]] != values[sorted[i - 1]] ? 1 : 0);
  }
  encode_wide([lifted](std::size_t i) { return (*lifted)[i]; }, key.size(), key.descending, key.options.nulls, run,
              out);
}

template <class Word>
void encode_packed(const ColumnKey& key, const Column& column, const Run& run, KeyList& out) {
  const auto* const words = reinterpret_cast<const Word*>(column.packed());
  Range range;
  range.nulls = column.nulls() > 0;
  if (column.lane() == Lane::int64) {
    if (column.nulls() < column.rows()) {
      range.least = 1;
      range.greatest = static_cast<std::uint64_t>(column.greatest()) - static_cast<std::uint64_t>(column.least()) + 1;
    }
    return add_codes(PackedSource<Word>{words}, range, key.descending, key.options.nulls, out);
  }
  auto ranks = std::make_shared<const std::vector<std::uint32_t>>(
      text_ranks(column.dictionary().values(), key.options.text, key.options.locale, run));
  if (!ranks->empty()) {
    range.least = 0;
    range.greatest = ranks->size() - 1;
  }
  add_codes(RankSource<Word>{words, std::move(ranks), {}}, range, key.descending, key.options.nulls, out);
}

template <class T>
bool is_nan(const Key& key, std::size_t i) {
  return std::isnan(static_cast<const T*>(key.values())[i]);
}

template <class T>
const T& element(const Key& key, std::size_t row) {
  return static_cast<const T*>(key.values())[row];
}

}  // namespace

void encode(const Key& key, const Run& run, KeyList& out) {
  if (key.options.custom != nullptr) {
    Key plain = key;
    plain.options.custom = nullptr;
    plain.descending = false;
    CustomKey custom{{},
                     [plain](std::size_t row) { return value_at(plain, row); },
                     key.options.custom,
                     key.descending,
                     key.options.nulls};
    encode(plain, run, custom.usual);
    return encode_custom(std::move(custom), key.size(), run, out);
  }

  // By the type of the array's elements.
  switch (key.element()) {
    case Element::int8: return encode_numbers<std::int8_t>(key, run, out);
    case Element::int16: return encode_numbers<std::int16_t>(key, run, out);
    case Element::int32: return encode_numbers<std::int32_t>(key, run, out);
    case Element::int64: return encode_numbers<std::int64_t>(key, run, out);
    case Element::uint8: return encode_numbers<std::uint8_t>(key, run, out);
    case Element::uint16: return encode_numbers<std::uint16_t>(key, run, out);
    case Element::uint32: return encode_numbers<std::uint32_t>(key, run, out);
    case Element::uint64: return encode_numbers<std::uint64_t>(key, run, out);
    case Element::float32: return encode_numbers<float>(key, run, out);
    case Element::float64: return encode_numbers<double>(key, run, out);
    case Element::date: return encode_numbers<Date>(key, run, out);
    case Element::timestamp: return encode_numbers<Timestamp>(key, run, out);
    case Element::decimal: return encode_decimals(key, run, out);
    case Element::view: return encode_texts<std::string_view>(key, run, out);
    case Element::string: return encode_texts<std::string>(key, run, out);
  }
}

void encode_for_grouping(const Key& key, const Run& run, KeyList& out) {
  switch (key.element()) {
    case Element::view: return encode_text_numbers<std::string_view>(key, run, out);
    case Element::string: return encode_text_numbers<std::string>(key, run, out);
    default: return encode(key, run, out);
  }
}

bool number_texts(const Key& key, const Run& run, std::vector<std::uint32_t>& of_row,
                  std::vector<std::uint32_t>& first_rows) {
  if (!key.options.null_mask.empty() || (key.element() != Element::view && key.element() != Element::string))
    return false;
  resize_large(of_row, key.size(), run);
  const auto number = [&](const auto& text) { return number_texts(key.size(), text, 0, run, of_row.data()); };
  first_rows =
      (key.element() == Element::view ? number([&](std::size_t i) { return text_at<std::string_view>(key, i); })
                                      : number([&](std::size_t i) { return text_at<std::string>(key, i); }))
          .first_rows;
  return true;
}

Value value_at(const Key& key, std::size_t row) {
  if (key.options.null_mask.is_null(row)) return {};
  const auto floating = [](double value) { return std::isnan(value) ? Value{} : Value(value + 0.0); };
  switch (key.element()) {
    case Element::int8: return Decimal(element<std::int8_t>(key, row), 0);
    case Element::int16: return Decimal(element<std::int16_t>(key, row), 0);
    case Element::int32: return Decimal(element<std::int32_t>(key, row), 0);
    case Element::int64: return Decimal(element<std::int64_t>(key, row), 0);
    case Element::uint8: return Decimal(element<std::uint8_t>(key, row), 0);
    case Element::uint16: return Decimal(element<std::uint16_t>(key, row), 0);
    case Element::uint32: return Decimal(element<std::uint32_t>(key, row), 0);
    case Element::uint64: return Decimal(int128{element<std::uint64_t>(key, row)}, 0);
    case Element::float32: return floating(element<float>(key, row));
    case Element::float64: return floating(element<double>(key, row));
    case Element::decimal: return element<Decimal>(key, row);
    case Element::date: return element<Date>(key, row);
    case Element::timestamp: return element<Timestamp>(key, row);
    case Element::view: return std::string(element<std::string_view>(key, row));
    case Element::string: return element<std::string>(key, row);
  }
  return {};
}

void encode_nulls(const Key& key, const Run&, KeyList& out) {
  const auto& mask = key.options.null_mask;
  const auto null = [&](std::size_t i) {
    if (mask.is_null(i)) return true;
    return key.element() == Element::float32   ? is_nan<float>(key, i)
           : key.element() == Element::float64 ? is_nan<double>(key, i)
                                               : false;
  };
  if (mask.empty() && key.element() != Element::float32 && key.element() != Element::float64) return;
  std::vector<std::uint8_t> flags;
  for (std::size_t i = 0; i < key.size(); ++i) {
    if (!null(i)) continue;
    if (flags.empty()) flags.resize(key.size());
    flags[i] = 1;
  }
  if (!flags.empty()) out.push_back(array_codes(1, std::move(flags)));
}

void encode(const ColumnKey& key, const Run& run, KeyList& out) {
  const Column& column = *key.column;
  const std::size_t size = column.rows();
  switch (column.lane()) {
    case Lane::int128:
      return encode_wide([&column](std::size_t i) { return column.is_null(i) ? int128_min : column.integer(i); }, size,
                         key.descending, key.options.nulls, run, out);
    case Lane::float64:
      return encode_source(ArraySource<double, false>{reinterpret_cast<const double*>(column.packed()), nullptr}, size,
                           key.descending, key.options.nulls, run, out);
    default: break;
  }
  switch (column.width()) {
    case 1: return encode_packed<std::uint8_t>(key, column, run, out);
    case 2: return encode_packed<std::uint16_t>(key, column, run, out);
    case 4: return encode_packed<std::uint32_t>(key, column, run, out);
    default: return encode_packed<std::uint64_t>(key, column, run, out);
  }
}

void encode_flags(std::vector<std::uint8_t> flags, KeyList& out) { out.push_back(array_codes(1, std::move(flags))); }

void encode_nulls(const Column& column, KeyList& out) {
  if (column.nulls() == 0) return;
  std::vector<std::uint8_t> flags(column.rows());
  column.mark_nulls(flags.data());
  out.push_back(array_codes(1, std::move(flags)));
}

}  // namespace lofty::engine

namespace lofty {

LOFTY_ENUM_NAMES(Nulls, {Nulls::last, "last"}, {Nulls::first, "first"})

LOFTY_ENUM_NAMES(TextOrder, {TextOrder::language, "language"}, {TextOrder::natural, "natural"},
                 {TextOrder::code_point, "code point"})

LOFTY_ENUM_NAMES(Element, {Element::int8, "int8"}, {Element::int16, "int16"}, {Element::int32, "int32"},
                 {Element::int64, "int64"}, {Element::uint8, "uint8"}, {Element::uint16, "uint16"},
                 {Element::uint32, "uint32"}, {Element::uint64, "uint64"}, {Element::float32, "float32"},
                 {Element::float64, "float64"}, {Element::decimal, "decimal"}, {Element::date, "date"},
                 {Element::timestamp, "timestamp"}, {Element::view, "view"}, {Element::string, "string"})

}  // namespace lofty
