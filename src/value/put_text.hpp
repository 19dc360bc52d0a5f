#pragma once
// Numbers and dates behind a text, without a text of their own.
// Covered by tests/value/decimal_test.cpp and tests/value/date_test.cpp.

#include <cstddef>
#include <cstdint>
#include <string>

namespace lofty::engine {

// coefficient / 10^scale in full: "-0.05".
void put_decimal(std::int64_t coefficient, int scale, std::string& out);
// "2025-03-01".
void put_date(std::int32_t days, std::string& out);

// The same into memory that has room for 22 characters and `scale`, or for `most_date`. They return where the text
// ends.
inline constexpr std::size_t most_date = 48;
char* write_decimal(std::int64_t coefficient, int scale, char* to);
char* write_date(std::int32_t days, char* to);

}  // namespace lofty::engine
