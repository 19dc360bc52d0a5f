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
  int width = 0;
  for (const FunctionDescription& f : all) width = std::max(width, display_width(f.signature));
  std::string out;
  const auto section = [&](CalledIn where, const char* heading) {
    std::string lines;
    for (const FunctionDescription& f : all)
      if (f.where == where)
        lines += "  " + padded(f.signature, width, false) + "  " +
                 wrapped(f.meaning, std::max(30, looks.width - width - 4), width + 4) + "\n";
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
