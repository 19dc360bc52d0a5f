#include "table/column.hpp"

#include <algorithm>
#include <cassert>
#include <cmath>

#include "base/far_memory.hpp"
#include "base/parallel.hpp"
#include "lofty/error.hpp"

namespace lofty::engine {

bool holds(const Type& type, const Value& value) {
  switch (type.kind) {
    case Kind::integer:
    case Kind::decimal: return std::holds_alternative<Decimal>(value);
    case Kind::floating: return std::holds_alternative<double>(value);
    case Kind::date: return std::holds_alternative<Date>(value);
    case Kind::timestamp: return std::holds_alternative<Timestamp>(value);
    case Kind::boolean: return std::holds_alternative<bool>(value);
    case Kind::text: return std::holds_alternative<std::string>(value);
    default: return false;
  }
}

Lane lane_of(const Type& type) {
  switch (type.kind) {
    case Kind::floating: return Lane::float64;
    case Kind::text: return Lane::code;
    default: return Lane::int64;
  }
}

namespace {

template <class Word, class From>
void store(const std::vector<From>& values, From null, std::int64_t least, unsigned char* out) {
  Word* const words = reinterpret_cast<Word*>(out);
  for (std::size_t i = 0; i < values.size(); ++i)
    words[i] = values[i] == null
                   ? Word{0}
                   : static_cast<Word>(static_cast<std::uint64_t>(values[i]) - static_cast<std::uint64_t>(least) + 1);
}

template <class From>
void store(int width, const std::vector<From>& values, From null, std::int64_t least, unsigned char* out) {
  switch (width) {
    case 1: return store<std::uint8_t>(values, null, least, out);
    case 2: return store<std::uint16_t>(values, null, least, out);
    case 4: return store<std::uint32_t>(values, null, least, out);
    default: return store<std::uint64_t>(values, null, least, out);
  }
}

// Bytes for the values 0 (null) to range + 1; 16 when 64 bits are not enough.
int width_for(std::uint64_t range) {
  if (range > std::numeric_limits<std::uint64_t>::max() - 1) return 16;
  const std::uint64_t top = range + 1;
  return top <= 0xff ? 1 : top <= 0xffff ? 2 : top <= 0xffffffff ? 4 : 8;
}

struct Range {
  std::int64_t least = std::numeric_limits<std::int64_t>::max();
  std::int64_t greatest = std::numeric_limits<std::int64_t>::min();
  std::size_t nulls = 0;
};

Range range_of(const std::vector<std::int64_t>& values) {
  Range range;
  for (const std::int64_t value : values) {
    if (value == int64_null) {
      ++range.nulls;
      continue;
    }
    range.least = std::min(range.least, value);
    range.greatest = std::max(range.greatest, value);
  }
  return range;
}

// From one packing to another: 0 stays null, the rest moves by the difference of the least values.
template <class To, class From>
void repack(const Piece::Packed& from, std::int64_t least, unsigned char* out) {
  const auto shift = static_cast<std::uint64_t>(from.least) - static_cast<std::uint64_t>(least);
  const From* const in = reinterpret_cast<const From*>(from.bytes());
  To* const to = reinterpret_cast<To*>(out);
  for (std::size_t i = 0; i < from.rows; ++i) to[i] = in[i] == 0 ? To{0} : static_cast<To>(in[i] + shift);
}

template <class To>
void repack(const Piece::Packed& from, std::int64_t least, unsigned char* out) {
  switch (from.width) {
    case 1: return repack<To, std::uint8_t>(from, least, out);
    case 2: return repack<To, std::uint16_t>(from, least, out);
    case 4: return repack<To, std::uint32_t>(from, least, out);
    default: return repack<To, std::uint64_t>(from, least, out);
  }
}

void repack(int width, const Piece::Packed& from, std::int64_t least, unsigned char* out) {
  switch (width) {
    case 1: return repack<std::uint8_t>(from, least, out);
    case 2: return repack<std::uint16_t>(from, least, out);
    case 4: return repack<std::uint32_t>(from, least, out);
    default: return repack<std::uint64_t>(from, least, out);
  }
}

template <class Word>
void load_int64(const unsigned char* data, std::size_t begin, std::size_t count, std::int64_t least,
                std::int64_t* out) {
  const Word* const words = reinterpret_cast<const Word*>(data) + begin;
  for (std::size_t i = 0; i < count; ++i)
    out[i] = words[i] == 0 ? int64_null : static_cast<std::int64_t>(words[i] + static_cast<std::uint64_t>(least) - 1);
}

void load_int64(int width, const unsigned char* data, std::size_t begin, std::size_t count, std::int64_t least,
                std::int64_t* out) {
  switch (width) {
    case 1: return load_int64<std::uint8_t>(data, begin, count, least, out);
    case 2: return load_int64<std::uint16_t>(data, begin, count, least, out);
    case 4: return load_int64<std::uint32_t>(data, begin, count, least, out);
    default: return load_int64<std::uint64_t>(data, begin, count, least, out);
  }
}

template <class Word>
void load_code(const unsigned char* data, std::size_t begin, std::size_t count, std::uint32_t* out) {
  const Word* const words = reinterpret_cast<const Word*>(data) + begin;
  for (std::size_t i = 0; i < count; ++i) out[i] = static_cast<std::uint32_t>(words[i]) - 1;  // 0 - 1 is `none`
}

void load_code(int width, const unsigned char* data, std::size_t begin, std::size_t count, std::uint32_t* out) {
  switch (width) {
    case 1: return load_code<std::uint8_t>(data, begin, count, out);
    case 2: return load_code<std::uint16_t>(data, begin, count, out);
    case 4: return load_code<std::uint32_t>(data, begin, count, out);
    default: return load_code<std::uint64_t>(data, begin, count, out);
  }
}

}  // namespace

Piece::Room Piece::pack() {
  Room room;
  if (!codes.empty()) {
    packed.least = 0;
    packed.width = width_for(dictionary.size());
    packed.rows = codes.size();
    packed.data.allocate(packed.rows * static_cast<std::size_t>(packed.width));
    store(packed.width, codes, Dictionary::none, 0, packed.data.data());
    room.codes.swap(codes);
    room.codes.clear();
    return room;
  }

  // Integers, where the range needs less than they take.
  if (!ints.empty() && wide.empty()) {
    const Range range = range_of(ints);
    const bool any = range.least <= range.greatest;
    packed.least = any ? range.least : 0;
    packed.greatest = any ? range.greatest : 0;
    const int width = width_for(static_cast<std::uint64_t>(packed.greatest) - static_cast<std::uint64_t>(packed.least));
    if (width > 8) return room;
    packed.width = width;
    packed.rows = ints.size();
    packed.nulls = range.nulls;
    packed.data.allocate(packed.rows * static_cast<std::size_t>(width));
    store(width, ints, int64_null, packed.least, packed.data.data());
    room.ints.swap(ints);
    room.ints.clear();
  }
  return room;
}

void Piece::keep_in(KeptParts& parts) {
  if (packed.width == 0) return;
  packed.kept = parts.keep({packed.data.data(), packed.rows * static_cast<std::size_t>(packed.width)});
  packed.data = {};
}

void Piece::unpack() {
  if (packed.width == 0) return;
  if (type.kind == Kind::text) {
    codes.resize(packed.rows);
    load_code(packed.width, packed.bytes(), 0, packed.rows, codes.data());
  } else {
    ints.resize(packed.rows);
    load_int64(packed.width, packed.bytes(), 0, packed.rows, packed.least, ints.data());
  }
  packed = {};
}

void Piece::widen() {
  wide.reserve(ints.capacity());
  for (const std::int64_t value : ints) wide.push_back(value == int64_null ? int128_min : int128{value});
  ints.clear();
}

void Piece::add_null() {
  switch (lane_of(type)) {
    case Lane::float64: doubles.push_back(std::nan("")); break;
    case Lane::code: codes.push_back(Dictionary::none); break;
    default:
      if (wide.empty())
        ints.push_back(int64_null);
      else
        wide.push_back(int128_min);
  }
}

void Piece::add_integer(std::int64_t value) {
  if (!wide.empty() || value == int64_null)
    add_wide(value);
  else
    ints.push_back(value);
}

void Piece::add_wide(int128 value) {
  if (wide.empty() && fits_int64(value) && value != int64_null) {
    ints.push_back(static_cast<std::int64_t>(value));
    return;
  }
  if (wide.empty()) widen();
  wide.push_back(value);
}

void Piece::add(const Value& value) {
  if (lofty::is_null(value)) return add_null();
  switch (type.kind) {
    case Kind::integer:
    case Kind::decimal: {
      const auto lifted = std::get<Decimal>(value).rescaled(type.scale);
      assert(lifted);
      return add_wide(lifted->coefficient());
    }
    case Kind::floating: return add_double(std::get<double>(value));
    case Kind::date: return add_integer(std::get<Date>(value).days);
    case Kind::timestamp: return add_integer(std::get<Timestamp>(value).microseconds);
    case Kind::boolean: return add_integer(std::get<bool>(value) ? 1 : 0);
    default: return add_text(std::get<std::string>(value));
  }
}

std::size_t Piece::rows() const {
  switch (lane_of(type)) {
    case Lane::float64: return doubles.size();
    case Lane::code: return packed.rows + codes.size();
    default: return packed.rows + ints.size() + wide.size();
  }
}

void Piece::rescale(int scale) {
  const int lift = scale - type.scale;
  type.scale = scale;
  if (lift == 0) return;
  unpack();
  assert(lift > 0);

  // All values at the new scale.
  std::vector<int128> lifted;
  lifted.reserve(rows());
  const auto add = [&](int128 value) {
    int128 out = int128_min;
    if (value != int128_min && !scale_up(value, lift, out))
      throw Error(Problem{Code::overflow,
                          "a decimal column needs more than 38 digits to hold all of its values exactly",
                          {},
                          {},
                          "declare it as float"});
    lifted.push_back(out);
  };
  for (const std::int64_t value : ints) add(value == int64_null ? int128_min : int128{value});
  for (const int128 value : wide) add(value);
  ints.clear();
  wide.clear();

  // In 64 bits again where they fit.
  if (std::all_of(lifted.begin(), lifted.end(),
                  [](int128 v) { return v == int128_min || (fits_int64(v) && v != int64_null); })) {
    for (const int128 value : lifted)
      ints.push_back(value == int128_min ? int64_null : static_cast<std::int64_t>(value));
  } else {
    wide = std::move(lifted);
  }
}

ColumnPtr Column::seal(Piece piece) {
  const Type type = piece.type;
  std::vector<Piece> pieces;
  pieces.push_back(std::move(piece));
  return seal(type, std::move(pieces), Run{.threads = 1});
}

ColumnPtr Column::seal(Type type, std::vector<Piece> pieces, const Run& run) {
  auto column = std::make_shared<Column>();
  column->type_ = type;
  column->lane_ = lane_of(type);
  if (type.kind == Kind::decimal)
    for (Piece& piece : pieces) piece.rescale(type.scale);
  for (const Piece& piece : pieces) column->rows_ += piece.rows();

  const auto is_wide = [](const Piece& piece) { return !piece.wide.empty(); };
  if (column->lane_ == Lane::float64)
    column->take_doubles(pieces);
  else if (column->lane_ == Lane::code)
    column->take_texts(pieces, run);
  else if (std::any_of(pieces.begin(), pieces.end(), is_wide) || !column->take_integers(pieces, run))
    column->take_wide(pieces);
  column->data_.may_leave_memory();
  return column;
}

void Column::take_doubles(const std::vector<Piece>& pieces) {
  width_ = 8;
  data_.allocate(rows_ * 8);
  auto* out = reinterpret_cast<double*>(data_.data());
  for (const Piece& piece : pieces)
    for (const double value : piece.doubles) {
      nulls_ += std::isnan(value);
      *out++ = value == 0 ? 0.0 : value;  // one zero
    }
}

// Calls work(piece's number, where its values go) for every piece, on several threads.
template <class Work>
void Column::each_piece(const std::vector<Piece>& pieces, const Run& run, const Work& work) {
  std::vector<unsigned char*> starts;
  unsigned char* at = data_.data();
  for (const Piece& piece : pieces) {
    starts.push_back(at);
    at += piece.rows() * static_cast<std::size_t>(width_);
  }
  parallel_for(pieces.size(), run, [&](std::size_t p) { work(p, starts[p]); });
}

void Column::take_texts(std::vector<Piece>& pieces, const Run& run) {
  // One dictionary for all, in which texts are numbered in the order of their first appearance.
  auto dictionary = std::make_shared<Dictionary>();
  std::vector<std::vector<std::uint32_t>> codes_of;  // by piece: its codes -> the column's
  for (const Piece& piece : pieces) {
    std::vector<std::uint32_t> code(piece.dictionary.size());
    for (std::size_t i = 0; i < code.size(); ++i)
      code[i] = dictionary->add(piece.dictionary.text(static_cast<std::uint32_t>(i)));
    codes_of.push_back(std::move(code));
  }
  greatest_ = static_cast<std::int64_t>(dictionary->size()) - 1;
  width_ = width_for(dictionary->size());
  data_.allocate(rows_ * static_cast<std::size_t>(width_));
  dictionary_ = std::move(dictionary);

  std::vector<std::size_t> nulls(pieces.size());
  each_piece(pieces, run, [&](std::size_t p, unsigned char* out) {
    pieces[p].unpack();
    for (std::uint32_t& code : pieces[p].codes) {
      if (code != Dictionary::none)
        code = codes_of[p][code];
      else
        ++nulls[p];
    }
    store(width_, pieces[p].codes, Dictionary::none, 0, out);
    pieces[p] = Piece(type_);
  });
  for (const std::size_t n : nulls) nulls_ += n;
}

// False, and nothing taken, where their range does not fit 64 bits together with null.
bool Column::take_integers(std::vector<Piece>& pieces, const Run& run) {
  std::vector<Range> ranges(pieces.size());
  parallel_for(pieces.size(), run, [&](std::size_t p) {
    const Piece::Packed& packed = pieces[p].packed;
    if (packed.width == 0)
      ranges[p] = range_of(pieces[p].ints);
    else if (packed.nulls < packed.rows)
      ranges[p] = {packed.least, packed.greatest, packed.nulls};
    else
      ranges[p].nulls = packed.nulls;
  });
  Range all;
  for (const Range& range : ranges) {
    all.least = std::min(all.least, range.least);
    all.greatest = std::max(all.greatest, range.greatest);
    all.nulls += range.nulls;
  }
  if (all.least > all.greatest) all.least = all.greatest = 0;  // nothing but nulls

  width_ = width_for(static_cast<std::uint64_t>(all.greatest) - static_cast<std::uint64_t>(all.least));
  if (width_ > 8) return false;
  nulls_ = all.nulls;
  least_ = all.least;
  greatest_ = all.greatest;
  data_.allocate(rows_ * static_cast<std::size_t>(width_));
  each_piece(pieces, run, [&](std::size_t p, unsigned char* out) {
    if (pieces[p].packed.width > 0)
      repack(width_, pieces[p].packed, all.least, out);
    else
      store(width_, pieces[p].ints, int64_null, all.least, out);
    pieces[p] = Piece(type_);
  });
  return true;
}

void Column::take_wide(std::vector<Piece>& pieces) {
  lane_ = Lane::int128;
  width_ = 16;
  data_.allocate(rows_ * 16);
  auto* out = reinterpret_cast<int128*>(data_.data());
  const auto put = [&](int128 value) {
    nulls_ += value == int128_min;
    *out++ = value;
  };
  for (Piece& piece : pieces) piece.unpack();
  for (const Piece& piece : pieces) {
    for (const std::int64_t value : piece.ints) put(value == int64_null ? int128_min : int128{value});
    for (const int128 value : piece.wide) put(value);
  }
}

namespace {

template <class T>
std::size_t pick(const T* from, std::span<const std::uint32_t> rows, T null, T* out) {
  std::size_t nulls = 0;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    out[i] = rows[i] == Column::none ? null : from[rows[i]];
    if constexpr (std::is_same_v<T, double>)
      nulls += std::isnan(out[i]);
    else
      nulls += out[i] == null;
  }
  return nulls;
}

}  // namespace

ColumnPtr Column::of_packed(const Type& type, Piece::Packed packed) {
  auto column = std::make_shared<Column>();
  column->type_ = type;
  column->lane_ = lane_of(type);
  column->width_ = packed.width;
  column->rows_ = packed.rows;
  column->nulls_ = packed.nulls;
  column->least_ = packed.least;
  column->greatest_ = packed.greatest;
  column->data_ = std::move(packed.data);
  column->data_.may_leave_memory();
  return column;
}

ColumnPtr Column::picked(const Column& from, std::span<const std::uint32_t> rows, const Run& run) {
  auto column = std::make_shared<Column>();
  column->type_ = from.type_;
  column->lane_ = from.lane_;
  column->width_ = from.width_;
  column->rows_ = rows.size();
  column->least_ = from.least_;  // bounds, if not the closest ones
  column->greatest_ = from.greatest_;
  column->dictionary_ = from.dictionary_;
  const auto width = static_cast<std::size_t>(from.width_);
  column->data_.allocate(rows.size() * width);

  // Piece by piece, in the numbers that the column is stored in.
  const RowRanges pieces = RowRanges::fixed(rows.size());
  std::vector<std::size_t> nulls(pieces.count());
  parallel_for(pieces, run, [&](const RowRange& range, std::size_t piece) {
    const std::size_t begin = range.begin;
    const auto part = rows.subspan(begin, range.size());
    const auto as = [&](auto null) {
      using T = decltype(null);
      nulls[piece] = pick(reinterpret_cast<const T*>(from.data_.data()), part, null,
                          reinterpret_cast<T*>(column->data_.data()) + begin);
    };
    if (from.lane_ == Lane::float64) return as(std::numeric_limits<double>::quiet_NaN());
    switch (width) {
      case 1: return as(std::uint8_t{0});
      case 2: return as(std::uint16_t{0});
      case 4: return as(std::uint32_t{0});
      case 8: return as(std::uint64_t{0});
      default: return as(int128_min);
    }
  });
  for (const std::size_t n : nulls) column->nulls_ += n;
  column->data_.may_leave_memory();
  return column;
}

void Column::mark_nulls(std::uint8_t* out) const {
  const auto mark = [&](const auto* stored, const auto& null) {
    for (std::size_t i = 0; i < rows_; ++i) out[i] = null(stored[i]);
  };
  const auto is_zero = [](auto stored) { return stored == 0; };
  const unsigned char* const data = data_.data();
  switch (lane_) {
    case Lane::float64: return mark(reinterpret_cast<const double*>(data), [](double x) { return x != x; });
    case Lane::int128: return mark(reinterpret_cast<const int128*>(data), [](int128 x) { return x == int128_min; });
    default: break;
  }
  switch (width_) {
    case 1: return mark(data, is_zero);
    case 2: return mark(reinterpret_cast<const std::uint16_t*>(data), is_zero);
    case 4: return mark(reinterpret_cast<const std::uint32_t*>(data), is_zero);
    default: return mark(reinterpret_cast<const std::uint64_t*>(data), is_zero);
  }
}

bool Column::is_null(std::size_t row) const {
  switch (lane_) {
    case Lane::float64: return std::isnan(float64(row));
    case Lane::int128: return reinterpret_cast<const int128*>(data_.data())[row] == int128_min;
    default: return raw(row) == 0;
  }
}

int128 Column::integer(std::size_t row) const {
  return lane_ == Lane::int128 ? reinterpret_cast<const int128*>(data_.data())[row] : int128{int64(row)};
}

Value Column::value(std::size_t row) const {
  if (is_null(row)) return std::monostate{};
  switch (type_.kind) {
    case Kind::integer: return Decimal(integer(row), 0);
    case Kind::decimal: return Decimal(integer(row), type_.scale);
    case Kind::floating: return float64(row);
    case Kind::date: return Date{static_cast<std::int32_t>(int64(row))};
    case Kind::timestamp: return Timestamp{int64(row)};
    case Kind::boolean: return int64(row) != 0;
    default: return std::string(dictionary_->text(code(row)));
  }
}

void Column::decode_int64(std::size_t begin, std::size_t count, std::int64_t* out) const {
  load_int64(width_, data_.data(), begin, count, least_, out);
}

void Column::pick_int64(std::span<const std::uint32_t> rows, std::int64_t* out) const {
  const auto from = [&](const auto* packed) {
    const std::uint64_t before = static_cast<std::uint64_t>(least_) - 1;
    read_ahead(
        0, rows.size(), [&](std::size_t i) { return packed + rows[i]; },
        [&](std::size_t i) {
          const std::uint64_t stored = packed[rows[i]];
          out[i] = stored == 0 ? int64_null : static_cast<std::int64_t>(stored + before);
        });
  };
  switch (width_) {
    case 1: return from(data_.data());
    case 2: return from(reinterpret_cast<const std::uint16_t*>(data_.data()));
    case 4: return from(reinterpret_cast<const std::uint32_t*>(data_.data()));
    default: return from(reinterpret_cast<const std::uint64_t*>(data_.data()));
  }
}

void Column::decode_int128(std::size_t begin, std::size_t count, int128* out) const {
  const auto* in = reinterpret_cast<const int128*>(data_.data()) + begin;
  std::copy(in, in + count, out);
}

void Column::decode_float64(std::size_t begin, std::size_t count, double* out) const {
  const auto* in = reinterpret_cast<const double*>(data_.data()) + begin;
  std::copy(in, in + count, out);
}

void Column::decode_code(std::size_t begin, std::size_t count, std::uint32_t* out) const {
  load_code(width_, data_.data(), begin, count, out);
}

}  // namespace lofty::engine
