#pragma once
// A ladder whose names are resolved: what the stages work from.
//
// Three relations follow one another. Rows: the joined tables, every column a (table, column) pair. Entries: keys,
// carried columns, aggregates and totals, one row an entry. Places: the entries' columns, and the place columns after
// them. A formula's column numbers count in the relation that it is evaluated over.

#include <cstdint>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "formula/binder.hpp"
#include "lofty/catalog.hpp"
#include "lofty/ladder.hpp"
#include "lofty/specimen.hpp"
#include "value/calendar.hpp"
#include "window/call.hpp"

namespace lofty::engine {

struct TableUse {
  std::shared_ptr<const TableSource> source;
  std::string alias;
  std::set<std::size_t> wanted;  // columns that something mentions
};

struct JoinUse {
  struct Pair {
    std::size_t left_table = 0, left_column = 0, right_column = 0;
    friend bool operator==(const Pair&, const Pair&) = default;
  };
  std::size_t table = 0;  // in Question::tables
  std::vector<Pair> on;
  JoinType type = JoinType::left;
  bool many = false;
  bool include = false;  // its rows are there as entries, whether other rows refer to them or not (rank.include)
  bool broken = false;   // some key does not exist
  friend bool operator==(const JoinUse&, const JoinUse&) = default;
};

struct RowColumn {
  static constexpr std::size_t window_table = ~std::size_t{0};  // its columns are Question::row_windows
  std::size_t table = 0, column = 0;
  bool of_window() const { return table == window_table; }
  friend bool operator==(const RowColumn&, const RowColumn&) = default;
};

// A constant over all rows that count.
struct Overall {
  bool greatest = true;
  NodePtr argument;
  std::string text;      // as written, for the answer
  bool written = false;  // by the ladder's author, rather than for the end of a period
};

// A period, and what has to be said of it.
struct PeriodUse {
  std::string name;
  NodePtr condition, on;  // over rows
  NodePtr first, last;    // constants, once the overall ones are known; null where it is open
};

struct SortKey {
  NodePtr node;
  bool descending = false;
  Nulls nulls = Nulls::last;
  std::string text;
};

enum class AggregateKind : unsigned char {
  count_rows,
  count,
  count_distinct,
  sum,
  average,
  variance,
  deviation,
  least,
  greatest,
  percentile_cont,  // these go by an order of the rows
  percentile_disc,
  first,
  last,
  sum_distinct,
  average_distinct,
  joined_texts,  // listagg
};
inline bool goes_by_order(AggregateKind kind) { return kind >= AggregateKind::percentile_cont; }

struct Aggregate {
  AggregateKind kind = AggregateKind::count_rows;
  NodePtr argument, filter;  // over rows; null when there is none
  Type type;
  std::string text;
  Decimal fraction;            // of a percentile
  int less = 0;                // of variances and deviations: 1 of a sample, whose squares are divided by n - 1
  bool descending = false;     // the order that it goes by
  std::vector<SortKey> order;  // of first, last and joined texts
  std::string separator = {};  // of joined texts
};

struct EntryColumn {
  // windowed: a formula of [windows]; window: a window function in one, or in a condition or sort key
  enum class From : unsigned char { key, carried, aggregate, total, row, windowed, window };
  From from = From::key;
  std::string name;
  Type type;
  NodePtr node;           // key, carried, row: over rows; total, windowed: over entries
  std::size_t index = 0;  // aggregate: in Question::aggregates; window: in Question::entry_windows
  // Carried from a table joined by (some of) the entry's keys: it cannot have several values in one entry.
  bool determined = false;
};

// A window function over rows, or over entries.
struct WindowUse {
  std::unique_ptr<WindowCall> call;
  std::string where;       // the ladder's key that it was first met in
  std::size_t column = 0;  // over entries: its entry column
  bool late = false;       // over entries: it sees places
};

// A column of rank.also, as far as it needs names.
struct AlsoUse {
  std::vector<SortKey> by;  // empty: the level's
  int of = -1;              // entry column
};

struct ListColumn {
  std::string name, heading;
  int column = -1;  // in the relation of places
  Type type = {};
  std::optional<Specimen> format = {};
  bool bar = false;
};

struct Question {
  std::vector<TableUse> tables;
  std::vector<JoinUse> joins;
  std::vector<RowColumn> row_columns;
  std::vector<NodePtr> where_first, where_last;  // terms; the last ones see what passed the first
  std::vector<std::unique_ptr<Overall>> overalls;
  std::vector<PeriodUse> periods;
  struct Probe {                       // rows to be looked at more closely (Entries::probed)
    NodePtr condition;                 // null: none
    std::optional<std::uint32_t> row;  // instead: one row of the relation
    bool alone = false;                // where every row is an entry: the other rows are none
    bool any() const { return condition || row; }
  } probe;
  NodePtr mark;  // over places: StandingsData::marked; null: none
  std::vector<std::unique_ptr<Aggregate>> aggregates;
  std::vector<EntryColumn> entry_columns;
  std::vector<std::size_t> totals;                    // entry columns in the order in which they can be computed
  std::vector<WindowUse> row_windows, entry_windows;  // each after those that it needs
  std::vector<std::size_t> windowed;  // entry columns that are computed after rank.having, in their order
  std::vector<std::size_t> each, within;
  std::optional<std::size_t> include;  // in joins: the table whose rows are all entries
  struct Fill {                        // rank.fill: each unit of a key of dates is an entry
    CalendarUnit unit = CalendarUnit::day;
    std::size_t key = 0;                // entry column
    std::optional<std::size_t> period;  // in periods: where its first and last unit are; else the rows say it
  };
  std::optional<Fill> fill;
  std::vector<SortKey> by, tiebreak;
  struct List {  // what is listed, and in which order
    std::vector<SortKey> order;
    std::string text;       // the order as written; empty: by places, or as the rows came
    bool as_input = false;  // the order is "input"
    std::vector<ListColumn> columns;
  } list;
  bool places = false;                   // is anything ranked?
  std::vector<std::string> place_names;  // rank, then rank.also
  std::vector<AlsoUse> also;
  NodePtr having, eligible;            // over entries; null when there is none
  NodePtr keep_where;                  // over places
  std::vector<std::string> orderings;  // by Ladder::orderings: the name of the column that it is for
  bool knows_former_values = false;    // are value_before and value_change place columns?
  bool keeps_states = false;           // entries will be taken together: Entries::regroup
  int slots = 0;

  const Ladder* ladder = nullptr;  // whose question it is
  const Level* level = nullptr;    // of the ladder; null when it has none
  bool row_level() const { return each.empty(); }
};

// What is asked in addition to the ladder; empty: nothing. Its names are resolved with the ladder's.
struct FurtherConditions {
  std::string probe = {};                        // on rows: Question::probe
  std::string mark = {};                         // on entries, places included: Question::mark
  std::optional<std::uint32_t> probed_row = {};  // Question::probed_row
  bool only_probed = false;                      // Question::only_probed
};

// "order_lines" of "folder/order_lines.csv".
std::string stem_of(const std::string& name);

}  // namespace lofty::engine
