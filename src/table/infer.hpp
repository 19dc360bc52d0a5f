#pragma once
// From text to types: what each value looks like, what a whole column therefore is, and the conversion.
// Covered by tests/table/infer_test.cpp.

#include <array>
#include <cstdint>
#include <limits>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/specimen.hpp"
#include "lofty/value.hpp"
#include "table/column.hpp"

namespace lofty::engine {

// The narrowest reading of one text. `padded` is an integer or decimal with leading zeros, as codes have.
enum class Look : std::uint8_t { blank, integer, padded, decimal, exponent, date, timestamp, zoned, boolean, other };
inline constexpr std::size_t looks = 10;

struct Reading {
  Look look = Look::other;
  int128 coefficient = 0;  // integer, padded, decimal
  int scale = 0;
  std::int64_t instant = 0;  // date (days), timestamp and zoned (microseconds), boolean (0/1)
  double number = 0;         // exponent
};

// Never `blank`: whether an empty text is null is the reader's knowledge.
Reading read_text(std::string_view text);

// What the values of a column, or of a part of it, look like.
struct Census {
  std::array<std::size_t, looks> count{};
  int scale = 0;                                               // most decimals of a `decimal`
  int least_scale = std::numeric_limits<std::int32_t>::max();  // fewest of one

  std::size_t of(Look look) const { return count[static_cast<std::size_t>(look)]; }
  std::size_t values() const;  // those that are not blank
  void merge(const Census& other);
};

// The column's type: the narrowest that at least 99 of 100 values fit, text if none is. One value with leading zeros
// keeps all numbers text; one value with a decimal point makes integers decimals, so that a wider exact type is never
// passed over for a narrower one that would lose values. A column of blanks is text.
Type type_from(const Census& census);

struct Misfit {
  std::size_t row = 0;  // within the piece
  std::string text;
};

// One column's fields in consecutive records of a text that holds no quotes, each followed by one delimiter or line
// end: field r is the bytes from begin[r * stride] up to, but not including, begin[r * stride + 1] - 1. Nothing is
// null. At least `padding` bytes after the last field can be read, whatever they hold.
struct FieldRun {
  static constexpr std::size_t padding = 8;
  const char* text = nullptr;
  const std::uint32_t* begin = nullptr;
  std::size_t stride = 0, count = 0;

  std::string_view operator[](std::size_t r) const {
    const std::uint32_t* const at = begin + r * stride;
    return {text + at[0], at[1] - at[0] - 1};
  }
};

// How many values of a column have the mark of a currency or unit that its example has, and how many have none.
struct Marks {
  std::size_t with = 0, without = 0;
  void merge(const Marks& other) {
    with += other.with;
    without += other.without;
  }
};

// Reads one column of one piece of a file. Without a declared type it guesses from the first value, keeps a census of
// all, and leaves values that do not fit the guess as null; `settled()` then tells whether the guess holds for the
// piece. With a declared type every value is converted to it, or is a misfit.
class PieceReader {
 public:
  PieceReader() : PieceReader(std::nullopt) {}
  // `written`: how the values of a declared type are written, where that is declared too.
  explicit PieceReader(std::optional<Type> forced, std::shared_ptr<const Specimen> written = nullptr);

  // Room for this many rows, where that is known.
  void reserve(std::size_t rows, Piece::Room buffer = {}) {
    room_ = rows;
    buffer_ = std::move(buffer);
  }

  void add(std::string_view text);
  // As add() and add_null() would, field after field, but in loops that know the usual cases: short numbers like the
  // ones before them, and texts equal to the one before.
  void add_fields(const FieldRun& fields);
  void add_null() {
    count_alike();
    ++census_.count[0];
    ++rows_;
    if (started_)
      piece_.add_null();
    else
      ++leading_nulls_;
  }

  Census census() const {
    Census all = census_;
    all.count[static_cast<std::size_t>(alike_look())] += alike_;
    return all;
  }
  const Marks& marks() const { return marks_; }
  std::size_t rows() const { return rows_ + alike_; }
  // Would the values, stored as they are, serve a column of this type without reading the text again?
  bool serves(const Type& type) const;
  std::vector<Misfit>& misfits() { return misfits_; }
  Piece::Room pack() {  // no more values will come
    last_code_ = Dictionary::none;
    dates_ = {};
    return piece_.pack();
  }
  void keep_in(KeptParts& parts) { piece_.keep_in(parts); }  // what pack() packed
  Piece take(const Type& type);                              // precondition: serves(type)

 private:
  std::size_t add_short_numbers(const FieldRun& fields, std::size_t from);
  std::size_t add_same_texts(const FieldRun& fields, std::size_t from);
  std::size_t add_known_dates(const FieldRun& fields, std::size_t from);
  void remember_date(std::string_view text);
  bool reads_dates() const {
    return started_ && piece_.type.kind == Kind::date && last_look_ == Look::date && !written_;
  }
  // Values that went the short way since the last that did not: all of one look, and counted together.
  Look alike_look() const {
    return !short_numbers_ ? last_look_ : piece_.type.scale > 0 ? Look::decimal : Look::integer;
  }
  void count_alike() {
    census_.count[static_cast<std::size_t>(alike_look())] += alike_;
    rows_ += alike_;
    alike_ = 0;
  }
  void start(const Type& type);
  void add_guessing(std::string_view text);
  void convert(std::string_view text, const Reading& reading);
  void misfit(std::string_view text);
  Reading read_written(std::string_view text);

  std::optional<Type> forced_;
  std::shared_ptr<const Specimen> written_;
  Marks marks_;
  bool started_ = false, hopeless_ = false;
  bool short_numbers_ = false;  // a guess of integer or decimal, all of 64 bits so far
  std::uint32_t last_code_ = Dictionary::none;
  Look last_look_ = Look::other;
  std::size_t rows_ = 0, alike_ = 0, leading_nulls_ = 0, room_ = 0;
  Piece::Room buffer_;
  Piece piece_;
  Census census_;
  std::vector<Misfit> misfits_;
  // Dates that were read, by a hash of their ten bytes: most columns have few.
  struct KnownDate {
    std::uint64_t first = 0;   // eight bytes
    std::uint16_t second = 0;  // the other two
    std::int32_t days = 0;
  };
  static constexpr std::size_t known_dates = 512;
  std::vector<KnownDate> dates_;
};

}  // namespace lofty::engine
