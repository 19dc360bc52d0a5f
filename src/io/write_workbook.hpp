#pragma once
// Standings as the bytes of a workbook.

#include <string>

#include "lofty/standings.hpp"

namespace lofty::engine {

// Decimals of more than 15 digits are written as texts, because cells hold doubles. Throws Error(cannot_write,
// too_many_rows), Error(beyond_limit) for a text that a cell cannot hold. The library that writes it runs in a child
// process, and the result is read again and compared before it is returned.
std::string workbook(const Standings& standings);

// Is this a workbook that workbook() made?
bool is_our_workbook(const std::string& bytes);

}  // namespace lofty::engine
