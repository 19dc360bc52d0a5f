#pragma once
// Standings as the bytes of a workbook.

#include <string>

#include "lofty/standings.hpp"

namespace lofty::engine {

// Decimals of more than 15 digits are written as texts, because cells hold doubles. Throws Error(cannot_write,
// too_many_rows).
std::string workbook(const Standings& standings);

}  // namespace lofty::engine
