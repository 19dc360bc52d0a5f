#pragma once
// ASCII case folding, the one that names use.

#include <string>
#include <string_view>

#include "lofty/nearest.hpp"

namespace lofty::engine {

std::string folded(std::string_view text);
// Without blanks at its ends, too: what two spellings of one text have in common.
std::string folded_and_trimmed(std::string_view text);
bool equal_folded(std::string_view a, std::string_view b);

}  // namespace lofty::engine
