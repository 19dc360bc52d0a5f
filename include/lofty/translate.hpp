#pragma once
// A ladder as one statement of ISO SQL.

#include <string>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/export.hpp"
#include "lofty/ladder.hpp"

namespace lofty LOFTY_EXPORT {

struct Translation {
  std::string statement;             // common table expressions, one a stage, with a comment each; no semicolon
  std::vector<std::string> differs;  // where the statement, or a server's answer to it, may differ from the ladder's
};

// Returns the statement for a warehouse. Tables have the names that formulas use, columns their headings. The tables are
// opened for their headings; no row is read. Throws Error for a ladder with problems. Throws Error(not_in_this_version)
// for a ladder with one of these:
//   levels inside levels, a crossed table, a comparison, an ordering, another order of the listing;
//   a line for others, a part of all entries, an included table, filled units, a strict cut of the worst;
//   a right or full join, a table that is a ladder, a period of weeks, months, quarters or years;
//   the order of the input, or a part of the listing.
[[nodiscard]] Translation translate(const Ladder& ladder, const Catalog& catalog);

}  // namespace lofty
