#include "table/put_text.hpp"

#include <date/date.h>

#include <algorithm>
#include <charconv>
#include <cstdio>

namespace lofty::engine {

void put_decimal(std::int64_t coefficient, int scale, std::string& out) {
  char digits[24], text[64];  // 38 decimals at most
  const std::uint64_t magnitude =
      coefficient < 0 ? 0 - static_cast<std::uint64_t>(coefficient) : static_cast<std::uint64_t>(coefficient);
  const auto count = static_cast<std::size_t>(std::to_chars(digits, digits + sizeof digits, magnitude).ptr - digits);
  const auto decimals = static_cast<std::size_t>(scale);
  char* at = text;
  if (coefficient < 0) *at++ = '-';
  if (decimals == 0) {
    at = std::copy_n(digits, count, at);
  } else if (count > decimals) {
    at = std::copy_n(digits, count - decimals, at);
    *at++ = '.';
    at = std::copy_n(digits + count - decimals, decimals, at);
  } else {
    *at++ = '0';
    *at++ = '.';
    at = std::fill_n(at, decimals - count, '0');
    at = std::copy_n(digits, count, at);
  }
  out.append(text, static_cast<std::size_t>(at - text));
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
