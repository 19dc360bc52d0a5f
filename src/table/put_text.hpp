#pragma once
// Numbers and dates behind a text, without a text of their own.
// Covered by tests/table/decimal_test.cpp and tests/table/date_test.cpp.

#include <cstdint>
#include <string>

namespace lofty::engine {

// coefficient / 10^scale in full: "-0.05".
void put_decimal(std::int64_t coefficient, int scale, std::string& out);
// "2025-03-01".
void put_date(std::int32_t days, std::string& out);

}  // namespace lofty::engine
