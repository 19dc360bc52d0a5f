#pragma once
// The best and the worst N, overall or of each group, without sorting everything.

#include <cstddef>
#include <cstdint>
#include <vector>

#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"
#include "lofty/key.hpp"
#include "lofty/run.hpp"

namespace lofty LOFTY_EXPORT {

enum class Cut : std::uint8_t {
  with_ties,  // rows that tie with the N-th are in too
  strict,     // exactly N; tie-breakers, then the input order, decide
};
[[nodiscard]] const char* to_string(Cut value);
template <>
std::optional<Cut> from_string<Cut>(std::string_view name);

// Chosen rows, group by group (ascending by the groups' keys), in the order of their places within a group: the same
// rows in the same order as a full sort would give.
struct Selection {
  std::vector<std::uint32_t> rows;         // input rows
  std::vector<std::uint32_t> group_begin;  // where in `rows` each group begins; groups without a ranked row have none
  std::size_t tied_cuts = 0;               // groups whose cut goes through a tie: rows let in, or dropped
};

// The best `count` rows of each group by `by` (whose first rows would get place 1), or the worst (whose last rows have
// the greatest places). Rows whose first `by` key is null are unranked, and in neither. With Cut::strict the worst are
// the last rows of the full order.
//
//   auto chosen = lofty::best(lofty::groups(valley), {lofty::descending(spend)}, 3);
//
// One pass over the codes, which keeps a row only while it is among the best N of its group so far; what is left, a
// small part unless N is large, is sorted. Memory: 8 N bytes a group (a thread, if groups are few), 4 MB a thread, 8
// bytes a row for the groups' numbers. Preconditions and errors: as order(). Thread-safe.
[[nodiscard]] Selection best(const Groups& within, const std::vector<Key>& by, std::size_t count,
                             Cut cut = Cut::with_ties, const std::vector<Key>& tiebreak = {}, const Run& run = {});
[[nodiscard]] Selection worst(const Groups& within, const std::vector<Key>& by, std::size_t count,
                              Cut cut = Cut::with_ties, const std::vector<Key>& tiebreak = {}, const Run& run = {});

}  // namespace lofty
