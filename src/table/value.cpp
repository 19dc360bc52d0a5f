#include "lofty/value.hpp"

#include <charconv>

namespace lofty {

const char* kind_name(Kind kind) {
  switch (kind) {
    case Kind::integer: return "integer";
    case Kind::decimal: return "decimal";
    case Kind::floating: return "float";
    case Kind::date: return "date";
    case Kind::timestamp: return "timestamp";
    case Kind::boolean: return "boolean";
    case Kind::text: return "text";
    case Kind::interval: return "interval";
    case Kind::unknown: break;
  }
  return "unknown";
}

std::string to_text(double value) {
  char buffer[64];
  const auto result = std::to_chars(buffer, buffer + sizeof buffer, value);
  return std::string(buffer, result.ptr);
}

std::string to_text(const Value& value, bool zoned) {
  struct Writer {
    bool zoned;
    std::string operator()(std::monostate) const { return {}; }
    std::string operator()(const Decimal& v) const { return v.text(); }
    std::string operator()(double v) const { return to_text(v); }
    std::string operator()(const Date& v) const { return v.text(); }
    std::string operator()(const Timestamp& v) const { return v.text(zoned); }
    std::string operator()(bool v) const { return v ? "true" : "false"; }
    std::string operator()(const std::string& v) const { return v; }
  };
  return std::visit(Writer{zoned}, value);
}

}  // namespace lofty
