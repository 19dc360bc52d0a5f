#pragma once
// Columns in their two phases: pieces while a table is being read, one sealed column afterwards.
//
// A piece holds the values of one column in one batch of rows, in full width, with its own dictionary. Sealing
// joins the pieces in their order (so that the result does not depend on which thread made which piece), decides the
// width, and gives one dictionary. Only sealed columns are used by the engine.
// Covered by tests/table/column_test.cpp.

#include <cstdint>
#include <limits>
#include <memory>
#include <span>
#include <string_view>
#include <vector>

#include "base/buffer.hpp"
#include "base/kept_parts.hpp"
#include "lofty/run.hpp"
#include "lofty/value.hpp"
#include "table/dictionary.hpp"
#include "value/exact.hpp"

namespace lofty::engine {

inline constexpr std::int64_t int64_null = std::numeric_limits<std::int64_t>::min();

// How values are stored, whatever they mean.
enum class Lane : std::uint8_t { int64, int128, float64, code };

class Piece {
 public:
  explicit Piece(Type of) : type(of) {}

  void add_null();
  void add_integer(std::int64_t value);  // coefficients, days, microseconds, 0/1: every exact kind
  void add_wide(int128 value);
  void add_double(double value) { doubles.push_back(value); }
  void add_text(std::string_view value) { codes.push_back(dictionary.add(value)); }
  void add(const Value& value);  // the value's kind must fit; decimals are rescaled to type.scale
  std::size_t rows() const;
  void rescale(int scale);  // decimals only, upwards; throws Error(overflow)
  // Puts 64-bit integers into the fewest bytes that their range needs, as a sealed column has them: a piece that waits
  // for the others then takes a fraction of the memory. Nothing can be added afterwards. Gives back the room that the
  // values took, for the next piece: fresh memory would cost more than the packing.
  struct Room {
    std::vector<std::int64_t> ints;
    std::vector<std::uint32_t> codes;
  };
  Room pack();
  void keep_in(KeptParts& parts);  // what is packed, until the piece is sealed
  void unpack();

  Type type;
  std::vector<std::int64_t> ints;    // int64_null is null
  std::vector<int128> wide;          // instead of `ints`, once a value needs it; int128_min is null
  std::vector<double> doubles;       // NaN is null
  std::vector<std::uint32_t> codes;  // Dictionary::none is null
  Dictionary dictionary;

  struct Packed {
    Bytes data;
    int width = 0;  // 0: not packed
    std::size_t rows = 0, nulls = 0;
    std::int64_t least = 0, greatest = 0;  // nonsense when all are null
    KeptParts::Part kept = {};             // instead of `data`
    const unsigned char* bytes() const { return kept.data != nullptr ? kept.data : data.data(); }
  };
  Packed packed;

 private:
  void widen();
};

// A sealed column: `rows()` values of one type, immutable, shared freely between threads.
//
// Integers of every kind, and codes, are stored as `value - least + 1` in the fewest whole bytes (1, 2, 4 or 8) that
// the range needs; 0 is null. Doubles are stored as they are (NaN is null), and so do 128-bit integers (int128_min is
// null).
class Column {
 public:
  static std::shared_ptr<const Column> seal(Type type, std::vector<Piece> pieces, const Run& run);
  // One piece that is the whole column.
  static std::shared_ptr<const Column> seal(Piece piece);
  // Values that are packed already, of a type without a dictionary; doubles are stored as they are, in 8 bytes.
  static std::shared_ptr<const Column> of_packed(const Type& type, Piece::Packed packed);
  // Rows of another column, in this order; `none` means null. The dictionary is shared, so it may know texts that
  // do not occur. O(rows).
  static constexpr std::uint32_t none = 0xffffffff;
  static std::shared_ptr<const Column> picked(const Column& from, std::span<const std::uint32_t> rows, const Run& run);

  const Type& type() const { return type_; }
  Lane lane() const { return lane_; }
  std::size_t rows() const { return rows_; }
  std::size_t nulls() const { return nulls_; }
  std::size_t bytes() const { return data_.size(); }
  // Of the values that are not null; meaningless when all are. Lanes int64 and code only.
  std::int64_t least() const { return least_; }
  std::int64_t greatest() const { return greatest_; }
  const Dictionary& dictionary() const { return *dictionary_; }
  const unsigned char* packed() const { return data_.data(); }
  int width() const { return width_; }  // bytes a value

  bool is_null(std::size_t row) const;
  void mark_nulls(std::uint8_t* out) const;    // 1 for null, 0 for a value, of all rows
  std::int64_t int64(std::size_t row) const {  // int64_null for null
    const std::uint64_t stored = raw(row);
    return stored == 0 ? int64_null : static_cast<std::int64_t>(stored + static_cast<std::uint64_t>(least_) - 1);
  }
  int128 integer(std::size_t row) const;  // lanes int64 and int128; not null
  double float64(std::size_t row) const { return reinterpret_cast<const double*>(data_.data())[row]; }
  std::uint32_t code(std::size_t row) const { return static_cast<std::uint32_t>(raw(row)) - 1; }  // none for null
  Value value(std::size_t row) const;

  // Rows [begin, begin + count) in full width; nulls as in Piece.
  void decode_int64(std::size_t begin, std::size_t count, std::int64_t* out) const;
  void pick_int64(std::span<const std::uint32_t> rows, std::int64_t* out) const;  // these rows'
  void decode_int128(std::size_t begin, std::size_t count, int128* out) const;
  void decode_float64(std::size_t begin, std::size_t count, double* out) const;
  void decode_code(std::size_t begin, std::size_t count, std::uint32_t* out) const;

 private:
  // What seal() does, by lane.
  void take_doubles(const std::vector<Piece>& pieces);
  void take_texts(std::vector<Piece>& pieces, const Run& run);
  bool take_integers(std::vector<Piece>& pieces, const Run& run);
  void take_wide(std::vector<Piece>& pieces);
  template <class Work>
  void each_piece(const std::vector<Piece>& pieces, const Run& run, const Work& work);

  std::uint64_t raw(std::size_t row) const {
    switch (width_) {
      case 1: return data_[row];
      case 2: return reinterpret_cast<const std::uint16_t*>(data_.data())[row];
      case 4: return reinterpret_cast<const std::uint32_t*>(data_.data())[row];
      default: return reinterpret_cast<const std::uint64_t*>(data_.data())[row];
    }
  }

  Type type_;
  Lane lane_ = Lane::int64;
  int width_ = 1;
  std::size_t rows_ = 0, nulls_ = 0;
  std::int64_t least_ = 0, greatest_ = 0;
  Bytes data_;
  std::shared_ptr<const Dictionary> dictionary_;
};

using ColumnPtr = std::shared_ptr<const Column>;

// Is this a value of the type, as it is? Null is of none.
bool holds(const Type& type, const Value& value);
// A value's lane as a column would hold it.
Lane lane_of(const Type& type);

}  // namespace lofty::engine
