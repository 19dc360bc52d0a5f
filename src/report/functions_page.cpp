// The page of `lofty functions`.

#include "lofty/functions.hpp"

#include <algorithm>

#include "lofty/listing.hpp"
#include "report/width.hpp"

namespace lofty {

using namespace report;

std::string functions_text(const std::string& word, const Looks& looks) {
  std::vector<FunctionDescription> all = functions();
  std::erase_if(all, [&](const FunctionDescription& f) {
    return (f.name + "\n" + f.signature + "\n" + f.meaning).find(word) == std::string::npos;
  });
  // Meanings in a column of their own; below a signature that is too long for that.
  constexpr int most_width = 38;
  int width = 0;
  for (const FunctionDescription& f : all) width = std::max(width, std::min(most_width, display_width(f.signature)));
  const int margin = width + 4;
  std::string out;

  // Section by section.
  const auto section = [&](CalledIn where, const char* heading) {
    std::string lines;
    for (const FunctionDescription& f : all)
      if (f.where == where) {
        std::string meaning = wrapped(f.meaning, std::max(30, looks.width - margin));
        for (std::size_t at = 0; (at = meaning.find('\n', at)) != std::string::npos; at += 1)
          meaning.insert(at + 1, static_cast<std::size_t>(margin), ' ');
        const bool below = display_width(f.signature) > width;
        lines += "  " +
                 (below ? std::string(f.signature) + "\n" + std::string(static_cast<std::size_t>(margin), ' ')
                        : padded(f.signature, width, false) + "  ") +
                 meaning + "\n";
      }
    if (!lines.empty()) out += (out.empty() ? "" : "\n") + inked(heading, Ink::strong, looks) + "\n" + lines;
  };
  section(CalledIn::any_formula, "In any formula");
  section(CalledIn::totals,
          "In totals, over the rows of each entry; `filter (where ...)` may follow, and then `over (...)`");
  section(CalledIn::whole, "In any formula, over all rows that count");
  section(CalledIn::windows, "With `over (...)`, over the rows that count in figures, over the entries in [windows]");
  return out;
}

}  // namespace lofty
