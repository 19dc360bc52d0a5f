#pragma once
// From text to types: what each value looks like, what a whole column therefore is, and the conversion.
// Covered by tests/table/infer_test.cpp.

#include <array>
#include <bit>
#include <cstdint>
#include <cstring>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

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
  int scale = 0;  // most decimals of a `decimal`

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

// Reads one column of one piece of a file. Without a declared type it guesses from the first value, keeps a census of
// all, and leaves values that do not fit the guess as null; `settled()` then tells whether the guess holds for the
// piece. With a declared type every value is converted to it, or is a misfit.
class PieceReader {
 public:
  PieceReader() : PieceReader(std::nullopt) {}
  explicit PieceReader(std::optional<Type> forced);

  // Room for this many rows, where somebody knows.
  void reserve(std::size_t rows, Piece::Room buffer = {}) {
    room_ = rows;
    buffer_ = std::move(buffer);
  }

  void add(std::string_view text);
  // The usual cases, for a text behind which at least `padding` bytes can be read, whatever they hold: a short number
  // like the ones before it, or the text of the line before. False: it is another case, for add().
  static constexpr std::size_t padding = 8;
  bool add_usual(std::string_view padded) {
    return short_numbers_ ? add_short_number(padded) : last_code_ != Dictionary::none && add_same_text(padded);
  }
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
  std::size_t rows() const { return rows_ + alike_; }
  // Would the values, stored as they are, serve a column of this type without reading the text again?
  bool serves(const Type& type) const;
  std::vector<Misfit>& misfits() { return misfits_; }
  Piece::Room pack() {  // no more values will come
    last_code_ = Dictionary::none;
    return piece_.pack();
  }
  Piece take(const Type& type);  // precondition: serves(type)

 private:
  // Up to eight digits at once: subtracting '0' from each byte, then joining neighbours (a well-known trick; here after
  // D. Lemire, "Parsing 8-digit integers", 2018). False when some byte is no digit.
  static bool eight_digits(const char* text, std::size_t size, std::uint64_t& value) {
    std::uint64_t word;
    std::memcpy(&word, text, sizeof word);
    if constexpr (std::endian::native == std::endian::big) return false;
    word = size == 0 ? 0 : (word ^ 0x3030303030303030) << (64 - 8 * size);  // digits to the end, zeros in front
    if (((word + 0x7676767676767676) | word) & 0x8080808080808080) return false;
    word = word * 10 + (word >> 8);
    value = (((word & 0x000000FF000000FF) * 0x000F424000000064) +
             (((word >> 16) & 0x000000FF000000FF) * 0x0000271000000001)) >>
            32;
    return true;
  }
  // The commonest numbers: up to eight digits, with exactly as many decimals as the piece has, no sign.
  bool add_short_number(std::string_view text) {
    const auto scale = static_cast<std::size_t>(piece_.type.scale);
    const std::size_t whole = scale == 0 ? text.size() : text.size() - scale - 1;  // wraps round for too short a text
    if (whole - 1 > 7 || scale > 7 || (whole > 1 && text[0] == '0')) return false;
    std::uint64_t value = 0;
    if (!eight_digits(text.data(), whole, value)) return false;
    if (scale > 0) {
      std::uint64_t decimals = 0;
      if (text[whole] != '.' || !eight_digits(text.data() + whole + 1, scale, decimals)) return false;
      value = value * static_cast<std::uint64_t>(power_of_ten(piece_.type.scale)) + decimals;
    }
    piece_.ints.push_back(static_cast<std::int64_t>(value));
    ++alike_;
    return true;
  }
  bool add_same_text(std::string_view text) {
    const std::string_view last = piece_.dictionary.text(last_code_);
    if (last.size() != text.size()) return false;
    for (std::size_t i = 0; i < text.size(); ++i)  // short texts: a call would cost more
      if (last[i] != text[i]) return false;
    piece_.codes.push_back(last_code_);
    ++alike_;
    return true;
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

  std::optional<Type> forced_;
  bool started_ = false, hopeless_ = false;
  bool short_numbers_ = false;  // a guess of integer or decimal, all of 64 bits so far
  std::uint32_t last_code_ = Dictionary::none;
  Look last_look_ = Look::other;
  std::size_t rows_ = 0, alike_ = 0, leading_nulls_ = 0, room_ = 0;
  Piece::Room buffer_;
  Piece piece_;
  Census census_;
  std::vector<Misfit> misfits_;
};

}  // namespace lofty::engine
