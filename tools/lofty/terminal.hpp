#pragma once
// Where text goes: results to standard output, remarks and problems to standard error.

#include <string>
#include <string_view>

#include "lofty/listing.hpp"

namespace tool {

// Colours only on a terminal, and not where NO_COLOR is set or the terminal is dumb.
lofty::Looks looks_of_output();
lofty::Looks looks_of_errors();

bool output_is_terminal();
bool errors_are_for_people();  // a terminal that can move its cursor

// Throws lofty::Error(Code::cannot_write) when the text cannot be written whole. A closed pipe ends the process
// quietly, as it does for every filter.
void print(std::string_view text);
// The same, through the program of $PAGER where output goes to a terminal that is not high enough for it.
void print_long(std::string_view text);
void remark(std::string_view text);

}  // namespace tool
