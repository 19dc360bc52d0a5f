#include "table/put_text.hpp"

#include <date/date.h>

#include <charconv>
#include <cstdio>

namespace lofty::engine {

void put_decimal(std::int64_t coefficient, int scale, std::string& out) {
  char digits[24];
  const std::uint64_t magnitude =
      coefficient < 0 ? 0 - static_cast<std::uint64_t>(coefficient) : static_cast<std::uint64_t>(coefficient);
  const auto count = static_cast<std::size_t>(std::to_chars(digits, digits + sizeof digits, magnitude).ptr - digits);
  const auto decimals = static_cast<std::size_t>(scale);
  if (coefficient < 0) out += '-';
  if (decimals == 0) {
    out.append(digits, count);
  } else if (count > decimals) {
    out.append(digits, count - decimals).append(1, '.').append(digits + count - decimals, decimals);
  } else {
    out.append("0.").append(decimals - count, '0').append(digits, count);
  }
}

void put_date(std::int32_t days, std::string& out) {
  const date::year_month_day parts{date::sys_days{date::days{days}}};
  const int year = static_cast<int>(parts.year());
  const unsigned month = static_cast<unsigned>(parts.month()), day = static_cast<unsigned>(parts.day());
  if (year < 0 || year > 9999) {
    char text[48];
    std::snprintf(text, sizeof text, "%04d-%02u-%02u", year, month, day);
    out += text;
    return;
  }
  const auto digit = [](unsigned number, unsigned unit) { return static_cast<char>('0' + number / unit % 10); };
  const auto y = static_cast<unsigned>(year);
  const char text[10] = {digit(y, 1000),   digit(y, 100),   digit(y, 10), digit(y, 1),    '-',
                         digit(month, 10), digit(month, 1), '-',          digit(day, 10), digit(day, 1)};
  out.append(text, sizeof text);
}

}  // namespace lofty::engine
