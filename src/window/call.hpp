#pragma once
// A window function whose names are resolved and whose types are known.

#include <memory>
#include <string>
#include <vector>

#include "formula/binder.hpp"
#include "lofty/frame.hpp"

namespace lofty::engine {

enum class WindowFunction : unsigned char {
  row_number,
  rank,
  dense_rank,
  percent_rank,
  cume_dist,
  ntile,
  lag,
  lead,
  first_value,
  last_value,
  nth_value,
  count_rows,
  count,
  count_distinct,
  sum,
  average,
  variance,
  deviation,
  least,
  greatest,
  percentile_cont,  // median too
  percentile_disc,
};

struct WindowKey {
  NodePtr node;
  bool descending = false;
  Nulls nulls = Nulls::last;
  std::string text;  // as written, without the direction
};

struct WindowCall {
  WindowFunction function{};
  std::string name;         // of the function, as written
  std::string text;         // the whole call, as written
  Type type;                // of its result
  NodePtr value;            // null where it takes none
  NodePtr filter;           // of an aggregate
  NodePtr otherwise;        // of lag and lead: where there is no such row
  std::int64_t count = 1;   // of ntile, lag, lead, nth_value; of variances and deviations: Spread::less
  Decimal fraction;         // of percentiles
  bool descending = false;  // the order that a percentile goes by
  bool ignore_nulls = false, from_last = false;
  std::vector<WindowKey> partition, order;
  bool frame_written = false;
  Frame frame;                   // its distances of rows and groups; `by` unused
  NodePtr range_from, range_to;  // the order's key at the frame's ends, for a range with distances

  // Does its result go by the frame at all, or by the whole partition and its order?
  bool uses_frame() const { return function >= WindowFunction::first_value; }
  // Does it see the order of rows that are equal on all of the order's keys?
  bool sees_peers_order() const;
  // Is it the whole partition, whatever the order?
  bool whole_partition() const;
};

// A named window, [named_windows].
struct NamedWindow {
  std::string name;
  WindowClause clause;
  std::shared_ptr<const Origin> origin;
};

// Equal for formulas that mean the same: what a planner compares keys by.
std::string signature(const Node& node);
// Of everything but the text: two calls with the same one give the same column.
std::string signature(const WindowCall& call);
// Of its window alone: partition, order and frame.
std::string frame_signature(const WindowCall& call);

}  // namespace lofty::engine
