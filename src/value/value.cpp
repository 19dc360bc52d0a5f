// Values of any kind: comparing them, and writing them as text.

#include "lofty/value.hpp"

#include <charconv>
#include <cstdio>

#include "base/name_table.hpp"
#include "value/zone.hpp"

namespace lofty {

std::string to_text(double value) {
  char buffer[64];
  const auto result = std::to_chars(buffer, buffer + sizeof buffer, value);
  return std::string(buffer, result.ptr);
}

std::string to_text(const Value& value) {
  struct Writer {
    std::string operator()(std::monostate) const { return {}; }
    std::string operator()(const Decimal& v) const { return v.text(); }
    std::string operator()(double v) const { return to_text(v); }
    std::string operator()(const Date& v) const { return v.text(); }
    std::string operator()(const Timestamp& v) const { return v.text(); }
    std::string operator()(bool v) const { return v ? "true" : "false"; }
    std::string operator()(const std::string& v) const { return v; }
  };
  return std::visit(Writer{}, value);
}

std::string to_text(const Value& value, const Type& type) {
  const auto* const moment = std::get_if<Timestamp>(&value);
  if (moment == nullptr || !type.zoned) return to_text(value);
  if (type.zone == nullptr) return moment->text(true);
  const std::int64_t offset = type.zone->offset(moment->microseconds), minutes = offset / 60'000'000;
  const std::int64_t ahead = minutes < 0 ? -minutes : minutes;
  char text[16];
  std::snprintf(text, sizeof text, "%c%02d:%02d", minutes < 0 ? '-' : '+', static_cast<int>(ahead / 60),
                static_cast<int>(ahead % 60));
  return Timestamp{moment->microseconds + offset}.text() + text;
}

LOFTY_ENUM_NAMES(Kind, {Kind::integer, "integer"}, {Kind::decimal, "decimal"}, {Kind::floating, "float"},
                 {Kind::date, "date"}, {Kind::timestamp, "timestamp"}, {Kind::boolean, "boolean"}, {Kind::text, "text"},
                 {Kind::interval, "interval"}, {Kind::unknown, "unknown"})

}  // namespace lofty
