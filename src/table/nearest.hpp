#pragma once
// The right word nearest to a misspelt one.

#include <string>
#include <string_view>
#include <vector>

namespace lofty::engine {

// The candidate with the fewest edits from `word` (insert, delete, replace, swap of neighbours; case counts half an
// edit), or "" when none is within a third of the word's length. Ties go to the earlier candidate. O(n * m) each.
std::string nearest_word(std::string_view word, const std::vector<std::string>& candidates);

// ASCII case folding, the one that names use.
std::string folded(std::string_view text);
bool equal_folded(std::string_view a, std::string_view b);

}  // namespace lofty::engine
