#include "report/cells.hpp"

#include <charconv>
#include <cmath>

#include "report/width.hpp"

namespace lofty::report {
namespace {

// Places are shown as whole numbers, unless one of them is a half.
bool any_half(const Standings& s, std::size_t column) {
  for (std::size_t r = 0; r < s.rows(); ++r)
    if (const Value place = s.value(r, column); !is_null(place) && std::get<Decimal>(place).coefficient() % 10 != 0)
      return true;
  return false;
}

// The fewest decimals from `least` on, up to `most`, under which no two neighbours that differ look the same.
template <class TextOf>
int telling_decimals(const Standings& s, std::size_t column, int least, int most, const TextOf& text_of) {
  for (int decimals = least; decimals < most; ++decimals) {
    bool clear = true;
    for (std::size_t r = 0; r + 1 < s.rows() && clear; ++r) {
      const Value a = s.value(r, column), b = s.value(r + 1, column);
      if (is_null(a) || is_null(b) || a == b) continue;
      clear = text_of(a, decimals) != text_of(b, decimals);
    }
    if (clear) return decimals;
  }
  return std::max(least, most);
}

int decimals_shown(const Standings& s, std::size_t column) {
  const StandingColumn& c = s.columns()[column];
  if (c.format && c.format->is_number()) {
    const int most =
        c.type.kind == Kind::floating ? c.format->decimals() + 9 : std::max(0, c.type.scale - c.format->power());
    return telling_decimals(s, column, c.format->decimals(), most,
                            [&](const Value& value, int decimals) { return c.format->text(value, decimals); });
  }
  if (c.type.kind != Kind::decimal) return 0;
  if (c.role == Role::place) return any_half(s, column) ? 1 : 0;
  // All of them where they are few; of quotients as many as tell neighbouring values apart.
  if (c.type.scale <= 4) return c.type.scale;
  return telling_decimals(s, column, 2, c.type.scale,
                          [](const Value& value, int decimals) { return std::get<Decimal>(value).rescaled(decimals); });
}

std::string float_text(double value) {
  const double size = std::fabs(value);
  if (value == 0 || (size >= 1e-4 && size < 1e15)) {
    char buffer[64];
    const auto digits = size >= 1e6
                            ? std::to_chars(buffer, buffer + sizeof buffer, value, std::chars_format::fixed, 1)
                            : std::to_chars(buffer, buffer + sizeof buffer, value, std::chars_format::general, 6);
    const std::string text(buffer, digits.ptr);
    const auto exact = Decimal::parse(text);
    return exact ? exact->grouped_text() : text;
  }
  return to_text(value);
}

}  // namespace

std::optional<double> number_of(const Value& value) {
  if (const auto* const exact = std::get_if<Decimal>(&value)) return exact->to_double();
  const auto* const floating = std::get_if<double>(&value);
  return floating != nullptr && std::isfinite(*floating) ? std::optional(*floating) : std::nullopt;
}

CellTexts::CellTexts(const Standings& standings) : s_(standings) {
  for (std::size_t c = 0; c < s_.columns().size(); ++c) decimals_.push_back(decimals_shown(s_, c));
}

std::string CellTexts::of(std::size_t column, const Value& value) const {
  const StandingColumn& c = s_.columns()[column];
  if (is_null(value))
    return c.role == Role::place || c.role == Role::measure || c.role == Role::cell ? "\xE2\x80\x93" : "(none)";
  if (c.format) return printable(c.format->text(value, decimals_[column]));
  if (const auto* const number = std::get_if<Decimal>(&value)) {
    if (c.role == Role::place) return number->rescaled(decimals_[column])->text();
    const Decimal rounded = number->rescaled(decimals_[column]).value_or(*number);
    // Numbers that count or measure are grouped for the eye; ids are not numbers in that sense.
    return c.role == Role::total || c.role == Role::cell || c.type.kind == Kind::decimal ? rounded.grouped_text()
                                                                                         : rounded.text();
  }
  if (const auto* const floating = std::get_if<double>(&value)) return float_text(*floating);
  return printable(to_text(value, c.type));
}

}  // namespace lofty::report
