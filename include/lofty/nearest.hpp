#pragma once
// The right word nearest to a misspelt one: what messages offer.

#include <string>
#include <string_view>
#include <vector>

#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

// The candidate with the fewest edits from `word` (insert, delete, replace, swap of neighbours; case counts half an
// edit), or "" when none is within a third of the word's length. Ties go to the earlier candidate. O(n * m) for each
// candidate, in bytes; thread-safe.
[[nodiscard]] std::string nearest_word(std::string_view word, const std::vector<std::string>& candidates);

}  // namespace lofty
