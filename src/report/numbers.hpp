#pragma once
// Values as people read them.

#include <string>

#include "lofty/value.hpp"

namespace lofty::report {

// "12345.60" -> "12,345.60"
std::string grouped(std::string digits);

}  // namespace lofty::report
