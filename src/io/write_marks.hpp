#pragma once
// By what a file that we wrote is known again, so that a later run may replace it.

#include <string>

#include "lofty/standings.hpp"

namespace lofty::engine {

// How files of each kind begin, or, Markdown, end.
constexpr const char* json_mark = "{\n  \"written_by\": \"Lofty Ladder\",";
constexpr const char* standings_mark = "{\n \"standings\": 2,\n \"written_by\": \"Lofty Ladder\",";
constexpr const char* markdown_mark = "\n<!-- written by Lofty Ladder -->\n";

constexpr const char* svg_mark = "<desc>written by Lofty Ladder</desc>";
constexpr const char* pdf_mark = "% written by Lofty Ladder\n";
constexpr const char* page_mark = "<!doctype html>\n<!-- written by Lofty Ladder -->\n";

// The mark of a PNG is a chunk of text after the header's.
std::string marked_png(const std::string& png);
bool is_marked_png(const std::string& beginning);  // of a file, its first 256 bytes

// The first line of an answer as csv, with its line end.
std::string csv_heading(const Standings& standings);

}  // namespace lofty::engine
