// Covered by tests/base/nearest_test.cpp.

#include "base/folded.hpp"

#include <algorithm>

namespace lofty {
namespace {

char fold(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c; }

// Optimal string alignment distance, in half edits.
int distance(std::string_view a, std::string_view b) {
  const std::size_t width = b.size() + 1;
  std::vector<int> before(width), above(width), row(width);
  for (std::size_t j = 0; j < width; ++j) above[j] = static_cast<int>(2 * j);
  for (std::size_t i = 1; i <= a.size(); ++i) {
    row[0] = static_cast<int>(2 * i);
    for (std::size_t j = 1; j < width; ++j) {
      const int change = a[i - 1] == b[j - 1] ? 0 : fold(a[i - 1]) == fold(b[j - 1]) ? 1 : 2;
      row[j] = std::min({above[j] + 2, row[j - 1] + 2, above[j - 1] + change});
      if (i > 1 && j > 1 && fold(a[i - 1]) == fold(b[j - 2]) && fold(a[i - 2]) == fold(b[j - 1]))
        row[j] = std::min(row[j], before[j - 2] + 2);
    }
    before.swap(above);
    above.swap(row);
  }
  return above[b.size()];
}

}  // namespace

namespace engine {

std::string folded(std::string_view text) {
  std::string out(text);
  std::transform(out.begin(), out.end(), out.begin(), fold);
  return out;
}

std::string folded_and_trimmed(std::string_view text) {
  const auto first = text.find_first_not_of(" \t");
  if (first == std::string_view::npos) return {};
  return folded(text.substr(first, text.find_last_not_of(" \t") - first + 1));
}

bool equal_folded(std::string_view a, std::string_view b) {
  return a.size() == b.size() &&
         std::equal(a.begin(), a.end(), b.begin(), [](char x, char y) { return fold(x) == fold(y); });
}

}  // namespace engine

std::string nearest_word(std::string_view word, const std::vector<std::string>& candidates) {
  if (word.size() > 200) return {};
  std::string best;
  int least = static_cast<int>(std::max<std::size_t>(2, (word.size() * 2 + 2) / 3)) + 1;
  for (const std::string& candidate : candidates) {
    if (candidate.size() > 200) continue;
    const int edits = distance(word, candidate);
    // Of equally near words the one with the same first letter: dsc is desc, not asc.
    const bool same_start = !word.empty() && !candidate.empty() && fold(word[0]) == fold(candidate[0]) &&
                            !best.empty() && fold(best[0]) != fold(word[0]);
    if (edits < least || (edits == least && same_start)) {
      least = edits;
      best = candidate;
    }
  }
  return best;
}

}  // namespace lofty
