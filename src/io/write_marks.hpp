#pragma once
// By what a file that we wrote is known again, so that a later run may replace it.

#include <string>

#include "lofty/standings.hpp"

namespace lofty::engine {

// How files of each kind begin, or, Markdown, end.
constexpr const char* json_mark = "{\n  \"written_by\": \"Lofty Ladder\",";
constexpr const char* standings_mark = "{\n \"standings\": 2,\n \"written_by\": \"Lofty Ladder\",";
constexpr const char* markdown_mark = "\n<!-- written by Lofty Ladder -->\n";

// The first line of an answer as csv, with its line end.
std::string csv_heading(const Standings& standings);

}  // namespace lofty::engine
