#pragma once
// A ladder up to one of its stages, to watch an answer being built.

#include <optional>
#include <string_view>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"
#include "lofty/ladder.hpp"

namespace lofty LOFTY_EXPORT {

// In the order in which a ladder runs.
enum class Stage : std::uint8_t {
  joined,    // the rows of all tables, side by side
  figures,   // with the values computed row by row
  counted,   // those that rows.where lets through
  totalled,  // the entries, with their totals
  ranked,    // with their places; what rank.having drops is gone
  kept,      // those that are kept
};
[[nodiscard]] const char* to_string(Stage value);
template <>
std::optional<Stage> from_string<Stage>(std::string_view name);
[[nodiscard]] std::vector<Stage> stages();  // all, in their order

// The same question up to there, with every column that is known there, in the order of its rows or entries. The
// ladder's own listing is left out, but for how many rows it takes. Of nested levels `totalled` has the innermost
// entries. Opens the tables for their headings; throws Error as that does.
[[nodiscard]] Ladder up_to(const Ladder& ladder, Stage stage, const Catalog& catalog);

}  // namespace lofty
