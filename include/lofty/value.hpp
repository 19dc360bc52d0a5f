#pragma once
// Types of columns, and single values: what one cell holds.

#include <cstdint>
#include <string>
#include <variant>

#include "lofty/date.hpp"
#include "lofty/decimal.hpp"
#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

class Zone;  // opaque: see Type::zone

enum class Kind : std::uint8_t {
  integer,    // exact, up to 38 digits
  decimal,    // exact, up to 38 digits, with a fixed number of decimals
  floating,   // IEEE double; only where a file's text has exponents, or it is declared
  date,       // a day
  timestamp,  // a moment
  boolean,    // true, false
  text,       // UTF-8
  interval,   // a length of time; only inside formulas
  unknown,    // not known yet: the table has not been read
};
[[nodiscard]] const char* to_string(Kind value);
template <>
std::optional<Kind> from_string<Kind>(std::string_view name);

struct Type {
  Kind kind = Kind::unknown;
  int scale = 0;               // decimals: digits after the point
  bool zoned = false;          // timestamps: were they written with an offset?
  const Zone* zone = nullptr;  // where such ones are shown, and their days counted; null: UTC

  bool numeric() const { return kind == Kind::integer || kind == Kind::decimal || kind == Kind::floating; }
  bool exact() const { return kind == Kind::integer || kind == Kind::decimal; }
  // The zone is a way of showing values, not another type.
  friend bool operator==(const Type& a, const Type& b) {
    return a.kind == b.kind && a.scale == b.scale && a.zoned == b.zoned;
  }
};

// One cell. `std::monostate` is null. Integers are decimals of scale 0.
using Value = std::variant<std::monostate, Decimal, double, Date, Timestamp, bool, std::string>;

[[nodiscard]] inline bool is_null(const Value& value) { return std::holds_alternative<std::monostate>(value); }

// The value in full, as files carry it: every decimal, no separators, "" for null.
[[nodiscard]] std::string to_text(const Value& value);
// The same, of a column: timestamps that were written with an offset show one.
[[nodiscard]] std::string to_text(const Value& value, const Type& type);

// Shortest text that reads back as the same double: "0.1", "1e+300".
[[nodiscard]] std::string to_text(double value);

}  // namespace lofty
