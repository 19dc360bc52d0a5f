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

// For whoever runs the warehouse: the tables are called as formulas call them, and columns by their headings. Opens the
// tables for their headings, and reads no row. Throws Error for a ladder with problems, and Error(not_in_this_version)
// for what it does not translate yet: levels inside levels, crossed and compared answers, orderings, lines for others,
// parts of all entries, included tables, filled units, right and full joins, tables that are ladders, periods but those
// of days and dates, the order of the input, and a part of the listing.
[[nodiscard]] Translation translate(const Ladder& ladder, const Catalog& catalog);

}  // namespace lofty
