#pragma once
// Standings as the bytes of a workbook.

#include <string>
#include <vector>

#include "lofty/standings.hpp"

namespace lofty::engine {

// Decimals of more than 15 digits are written as texts, because cells hold doubles. Throws Error(cannot_write,
// too_many_rows), Error(beyond_limit) for a text that a cell cannot hold. The library that writes it runs in a child
// process, and the result is read again and compared before it is returned.
// One answer is on a sheet called Standings; several are on sheets called by their titles, after one with an index.
// Precondition: there is an answer.
std::string workbook(const std::vector<Standings>& answers);

// Is every part there that the workbook names, and whole? For what workbook() made: others may hold parts that are no
// XML.
bool is_whole_workbook(const std::string& bytes);

// Is this a workbook that workbook() made?
bool is_our_workbook(const std::string& bytes);

}  // namespace lofty::engine
