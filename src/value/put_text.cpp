#include "value/put_text.hpp"

#include <date/date.h>

#include <algorithm>
#include <charconv>
#include <cstdio>

namespace lofty::engine {

char* write_decimal(std::int64_t coefficient, int scale, char* to) {
  const std::uint64_t magnitude =
      coefficient < 0 ? 0 - static_cast<std::uint64_t>(coefficient) : static_cast<std::uint64_t>(coefficient);
  if (coefficient < 0) *to++ = '-';
  char* const end = std::to_chars(to, to + 20, magnitude).ptr;
  if (scale == 0) return end;
  const auto count = end - to, decimals = static_cast<std::ptrdiff_t>(scale);

  // The decimals make way for the point, and for zeros in front of them.
  if (count > decimals) {
    std::copy_backward(end - decimals, end, end + 1);
    end[-decimals] = '.';
    return end + 1;
  }
  const auto zeros = decimals - count;
  std::copy_backward(to, end, end + 2 + zeros);
  std::fill_n(to + 2, zeros, '0');
  to[0] = '0';
  to[1] = '.';
  return end + 2 + zeros;
}

void put_decimal(std::int64_t coefficient, int scale, std::string& out) {
  char text[64];  // 38 decimals at most
  out.append(text, write_decimal(coefficient, scale, text));
}

char* write_date(std::int32_t days, char* to) {
  const date::year_month_day parts{date::sys_days{date::days{days}}};
  const int year = static_cast<int>(parts.year());
  const unsigned month = static_cast<unsigned>(parts.month()), day = static_cast<unsigned>(parts.day());
  if (year < 0 || year > 9999) return to + std::snprintf(to, most_date, "%04d-%02u-%02u", year, month, day);
  const auto digit = [](unsigned number, unsigned unit) { return static_cast<char>('0' + number / unit % 10); };
  const auto y = static_cast<unsigned>(year);
  const char text[10] = {digit(y, 1000),   digit(y, 100),   digit(y, 10), digit(y, 1),    '-',
                         digit(month, 10), digit(month, 1), '-',          digit(day, 10), digit(day, 1)};
  return std::copy_n(text, sizeof text, to);
}

void put_date(std::int32_t days, std::string& out) {
  char text[most_date];
  out.append(text, write_date(days, text));
}

}  // namespace lofty::engine
