#pragma once
// Window calls over the columns of a relation: sorts, frames, results.
// Covered by tests/window/windows_test.cpp and tests/window/forced_plans_test.cpp, against the standard's definition.

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "base/access.hpp"
#include "lofty/order.hpp"
#include "order/codes.hpp"
#include "order/sort.hpp"
#include "table/column_scatter.hpp"
#include "window/aggregates.hpp"
#include "window/call.hpp"

namespace lofty::engine {

// A relation as windows see it. Rows count from 0.
class WindowRelation {
 public:
  virtual ~WindowRelation() = default;
  virtual std::size_t rows() const = 0;
  // A formula's values, one a row. Throws RowFailure.
  virtual ColumnPtr column(const Node& node) const = 0;
  // Appends the codes of a sort key, whose values are `values`, in the relation's own text orders.
  virtual void encode(const Node& node, const Column& values, bool descending, Nulls nulls, KeyList& out) const = 0;
  // Appends what tells equal rows apart; nothing where their sequence does.
  virtual void encode_tiebreak(KeyList& out) const = 0;
  // Does only the input's sequence tell equal rows apart?
  virtual bool input_decides() const = 0;
  // Its columns by their names, as far as they are there: what might tell equal rows apart.
  virtual std::vector<std::pair<std::string, ColumnPtr>> named_columns() const { return {}; }
};

// One sort of a relation, whose keys serve several calls: a call's partition is the first so many of them, in any
// order, and its own keys follow.
class WindowSort {
 public:
  struct Shape {
    std::size_t partition = 0, order = 0;  // how many keys of each
  };
  struct SortBy {
    const Node* node = nullptr;
    bool descending = false;
    Nulls nulls = Nulls::last;
  };
  // Another sort of the relation, whose groups by its whole partition have equal values of the first `keys` keys; none:
  // there is no such sort.
  struct Grouped {
    const WindowSort* by = nullptr;
    std::size_t keys = 0;
  };
  // The rows are sorted here: from the beginning, or inside the groups of another sort where that is given and costs
  // less; or they are as in `ready`, whose groups and peers are those of `shape`. Nodes and `run` have to outlive
  // this.
  WindowSort(const WindowRelation& relation, const std::vector<SortBy>& keys, const Shape& shape, const Run& run,
             const Grouped& grouped, const Order* ready = nullptr);

  // The same rows, with the groups and peers of another call.
  const OrderData& order(const Shape& shape);
  std::span<const std::uint32_t> rows() const { return Access::data(base_).rows.view(); }
  // Rows that have peers, and the most that are peers of one another. Counted once a shape.
  struct Peers {
    std::size_t rows = 0, most = 0, runs = 0;  // runs: of peers, those of one row included
  };
  const Peers& peers(const Shape& shape);
  // A number of rows that no group of the partition has more of; looked for once.
  std::size_t most_in_group(const Shape& shape);
  // A formula's values by position; gathered once.
  const Gathered& values(const Node& node, const WindowRelation& relation, const Run& run);
  // The same for who takes them packed as well as not.
  const Gathered& packed_values(const Node& node, const WindowRelation& relation, const Run& run);
  ColumnPtr column(const Node& node, const WindowRelation& relation);
  // Who asks again has them gathered again.
  void forget_values() { gathered_.clear(); }

 private:
  const Run& run_;
  Order sorted(const WindowRelation& relation, const std::vector<SortBy>& keys, std::size_t partition,
               const Grouped& grouped, const Order* ready);

  std::map<std::string, ColumnPtr> columns_;
  std::vector<ColumnPtr> kept_;        // the keys' values
  std::vector<std::size_t> codes_of_;  // by key: the number of its first code in `codes_`; and their number at the end
  KeyList codes_;
  Order base_;  // after the four, which are filled in while it is made
  Shape shape_;
  std::vector<std::uint8_t> first_difference_;  // by position: the first key that differs from the position before
  std::map<std::pair<std::size_t, std::size_t>, std::unique_ptr<OrderData>> views_;
  std::map<std::pair<std::size_t, std::size_t>, Peers> peers_;
  std::map<std::size_t, std::size_t> most_in_group_;  // by the partition's length
  std::map<std::string, Gathered> gathered_;
};

// What is worth saying of a call.
struct WindowNotes {
  std::size_t sharing = 0;        // rows that share a running value with a peer, under the frame that none wrote
  std::size_t largest_peers = 0;  // the most that share one
  std::size_t short_frames = 0;   // frames that the partition's ends cut short
  std::vector<std::uint32_t> split_tiers;          // those whose border to the next one runs through a tie, ascending
  std::size_t missing_days = 0, doubled_days = 0;  // along the order of a frame of rows, which goes by one date
  std::size_t partitions = 0;
  bool runs = false;                      // its value changes along the order, under the frame that none wrote
  std::size_t filter_unknown = 0;         // rows for which its filter is neither true nor false
  std::vector<std::uint32_t> short_rows;  // those whose frames are cut short, as numbers of the relation's rows
  // Rows whose sequence only the input decides, and that differ in what the call sees: two of them, as numbers of the
  // relation's rows.
  std::size_t undecided = 0;
  std::uint32_t one = Column::none, other = Column::none;
  std::string would_decide;  // a column of the relation that tells all of them apart; empty: none was found
};

// Makes every sort that may refine another do so, whatever it costs, or none; nothing: as it pays. For tests.
void force_refining(std::optional<bool> always);

// The tiers (by position, as tiers() gives them) whose border to the next one runs through a tie.
std::vector<std::uint32_t> split_tiers(const OrderData& order, const std::vector<std::uint32_t>& tier);

// The call's result: by position in the sort, where it can go to its rows together with others; else one value a row of
// the relation. Throws Error and RowFailure.
using WindowResult = std::variant<ColumnPtr, ByPosition>;
WindowResult evaluate_window(const WindowCall& call, WindowSort& sort, const WindowSort::Shape& shape,
                             const WindowRelation& relation, const Run& run, WindowNotes& notes);

}  // namespace lofty::engine
