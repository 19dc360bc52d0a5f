#pragma once
// "Which place would 4,200.00 take?" The place that a row which is not in the data would get.

#include <cstddef>
#include <vector>

#include "lofty/export.hpp"
#include "lofty/key.hpp"
#include "lofty/order.hpp"
#include "lofty/places.hpp"
#include "lofty/value.hpp"

namespace lofty LOFTY_EXPORT {

struct Standing {
  std::size_t better = 0;         // ranked rows of the group before it
  std::size_t better_values = 0;  // different ones among them
  std::size_t equal = 0;          // rows that would be its peers
  std::size_t ranked = 0;         // all ranked rows of the group, without it
  double place(Ties ties) const;  // were it added, after its peers: 1 is the first
};

// `order` was made with `within` and `by`, whose arrays still hold, and without custom
// orders. `group` has a value for each of `within`'s keys (a
// group that does not occur has no rows), `values` one for each of `by`: Decimal for integer and decimal keys (compared
// exactly), double or Decimal for floats, Date, Timestamp or std::string for the others; the first may not be null.
// O(log n) comparisons, and a look at the better rows. Throws Error(wrong_type) for a value that cannot be compared
// with its key. Thread-safe.
[[nodiscard]] Standing place_for(const Order& order, const Groups& within, const std::vector<Key>& by,
                                 const std::vector<Value>& group, const std::vector<Value>& values);

}  // namespace lofty
