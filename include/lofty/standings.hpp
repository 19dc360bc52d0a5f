#pragma once
// Asking a ladder, and its answer.

#include <cstddef>
#include <cstdint>
#include <iterator>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/cost.hpp"
#include "lofty/enum_names.hpp"
#include "lofty/error.hpp"
#include "lofty/export.hpp"
#include "lofty/ladder.hpp"
#include "lofty/place_for.hpp"
#include "lofty/remark.hpp"
#include "lofty/run.hpp"
#include "lofty/specimen.hpp"

namespace lofty::engine {
struct Access;
}

namespace lofty LOFTY_EXPORT {

// What a listed column is to the answer.
enum class Role : std::uint8_t {
  place,    // a place column
  group,    // one of rank.within
  key,      // one of rank.each
  label,    // a column with one value per entry; of a row, where every row is an entry
  total,    // a total
  cell,     // a column of a crossed table: a total of an entry across; null where there are no rows
  measure,  // a tier, share or distribution of rank.also
};
[[nodiscard]] const char* to_string(Role value);
template <>
std::optional<Role> from_string<Role>(std::string_view name);

struct StandingColumn {
  std::string name;
  std::string heading;  // the name, unless list.headings has another
  Type type;
  Role role = Role::label;
  Ties ties = Ties::competition;     // of a place column: ordinal places are never shared
  Measure measure = Measure::place;  // of a column of rank.also: what it holds
  int sort_position = 0;             // its place among the sort keys, from 1; 0: not one
  bool descending = false;
  std::optional<Specimen> format = {};  // list.formats
  bool bar = false;                     // list.bars
};

// Every row that was read, from file to listing. Counts of rows up to `counted`, of entries after it.
struct Accounting {
  struct Joined {
    std::string table;
    std::size_t unmatched = 0;     // rows without a partner in it
    std::size_t without_rows = 0;  // its rows that nothing referred to
    std::size_t left_out = 0;      // of the unmatched: an inner or right join left them out
    std::size_t added = 0;         // of those without rows: a right or full join let them in
    std::size_t more = 0;          // rows that there are more because some have several partners
  };
  std::size_t read = 0;
  std::vector<Joined> joins;
  std::size_t left_out = 0;  // rows.where was false
  std::size_t unknown = 0;   // rows.where was unknown, because of a null
  std::size_t counted = 0;   // rows that count
  std::size_t entries = 0;
  std::size_t dropped = 0;          // rank.having was false,
  std::size_t dropped_unknown = 0;  // or unknown
  std::size_t groups = 0;           // of rank.within
  std::size_t ranked = 0;
  std::size_t unranked = 0;             // for whatever reason
  std::size_t ineligible = 0;           // of these: rank.eligible was false,
  std::size_t eligibility_unknown = 0;  // or unknown
  std::size_t not_kept = 0;             // keep.where was not true
  std::size_t listed = 0;
};

// A line under the listed entries of a group (rank.others): the totals of those that are not listed, or all of
// them. Totals are computed anew from the rows, so a distinct count counts nothing twice.
struct SummaryLine {
  enum class Of : std::uint8_t { others, all };
  Of of = Of::others;
  std::size_t after = 0;           // the listed row that it follows
  std::size_t level = 0;           // of nested levels: the one that its entries are of
  std::size_t entries = 0;         // how many it takes together
  std::size_t label_column = 0;    // the listed column under whose entries the label belongs: their names, or keys
  std::string label = {};          // "others, 14 products"
  std::vector<Value> values = {};  // by listed column; null where it is not a total
};
[[nodiscard]] const char* to_string(SummaryLine::Of value);
template <>
std::optional<SummaryLine::Of> from_string<SummaryLine::Of>(std::string_view name);

// Listed rows [begin, end) that share one place, which the cut at the best or worst N runs through. Only where entries
// are listed by their places.
struct CutTie {
  std::size_t begin = 0, end = 0;
  std::size_t cut = 0;  // begin <= cut <= end: how far N alone would go. Of the best rows from here on are beyond N
  bool best = true;     // of the worst those before it are
};

// Who was listed before and is not now ([compare]).
struct Departed {
  std::string name;  // the label, or the keys
  Value was, now;    // places; `now` is null without one, or where there is no such entry any more
  std::vector<std::pair<std::string, Value>> keys = {};  // by the columns that make an entry
  // By listed column, as a row of the listing has it: keys, label, both places, and the value before; null elsewhere.
  // Empty for levels inside levels.
  std::vector<Value> values = {};
};

// Where a value that no entry has would be placed in one group.
struct WouldStand {
  std::vector<Value> group;            // of rank.within; empty without
  Standing standing;                   // by the first key alone: entries equal on it are its peers
  std::optional<Value> ahead, behind;  // the nearest values on either side
};

class StandingRows;

// The answer. Immutable and cheap to copy; safe to share between threads. Getters give references that are valid as
// long as a copy of the answer; of a temporary they give values. Those that take a row or a column throw CallError
// where the listing has none of that number. Standings that were moved from may only be assigned to and destroyed.
class Standings {
 public:
  struct Data;  // what the library holds; not for callers

  const std::string& title() const&;
  std::string title() const&& { return title(); }
  // The question said back in a sentence: entry level, number, direction, what was left out, tie rule, cut.
  const std::string& question() const&;
  std::string question() const&& { return question(); }
  // "10 of 214 shops, 11,931 lines"
  const std::string& shown_of_total() const&;
  std::string shown_of_total() const&& { return shown_of_total(); }
  const std::vector<StandingColumn>& columns() const&;
  std::vector<StandingColumn> columns() const&& { return columns(); }
  // The listed column of this name; nullopt where there is none. Names are compared exactly. O(columns).
  std::optional<std::size_t> find(std::string_view name) const;
  std::size_t rows() const;
  Value value(std::size_t row, std::size_t column) const;
  // All listed values of a column at once: much quicker than value by value. T is std::int64_t (integer columns within
  // 64 bits), Decimal (exact numbers), double (all numbers, exact ones rounded once), Date, Timestamp, bool as
  // std::uint8_t, or std::string (texts). Throws Error(wrong_type) for a column of another type, Error(overflow) where
  // an integer does not fit, CallError for a column that there is not. O(rows).
  template <class T>
  ColumnValues<T> values(std::size_t column) const;
  // The rows as a range, in the order of the listing:
  //   for (const lofty::StandingRow row : answer.each_row()) std::cout << to_text(row["shop"]) << '\n';
  StandingRows each_row() const;
  // How many levels are outside the row's own; 0 where levels are not nested. A row has its own level's places and
  // totals, and the keys and labels of the entries that it is in.
  std::size_t level(std::size_t row) const;
  std::size_t levels() const;  // 1 where they are not nested
  // Is the column one of the row's own level, rather than of an entry that it is in, or that is in it?
  bool of_level(std::size_t row, std::size_t column) const;
  // What makes the entry of a listed row, listed or not: the columns of rank.within and rank.each with their values; of
  // an inner level those of the levels outside too. Empty where every row is an entry.
  std::vector<std::pair<std::string, Value>> key(std::size_t row) const;
  // Does the entry share its place with another one (listed or not)?
  bool tied(std::size_t row) const;
  // Is the place that this column shows for the row shared? It may have its own order (rank.also). False for
  // ordinal places, which are never shared, and for columns without places.
  bool tied(std::size_t row, std::size_t column) const;
  bool ranked(std::size_t row) const;
  // Does a new group of rank.within begin here? Always false when the listing mixes groups.
  bool starts_group(std::size_t row) const;
  // How many ranked entries are between this row and the one before it that keep.best and keep.worst leave out: not 0
  // at the first of a group's worst alone, and only where the listing keeps the order of places.
  std::size_t passed_over(std::size_t row) const;
  // In the order of the rows; empty where no tie is cut, or the cut is strict.
  const std::vector<CutTie>& cut_ties() const&;
  std::vector<CutTie> cut_ties() const&& { return cut_ties(); }
  // By the row that they follow; of each group the others, where there are any, then all.
  const std::vector<SummaryLine>& summaries() const&;
  std::vector<SummaryLine> summaries() const&& { return summaries(); }
  // In the order of their former places; empty without [compare].
  const std::vector<Departed>& departed() const&;
  std::vector<Departed> departed() const&& { return departed(); }
  // "Which place would 4,200.00 take?" By group. `name` is the first key of rank.by as written, and value of its type.
  // Throws Error (bad_value: nothing is ranked, unknown_word: another name, wrong_type). O(entries); the
  // first call orders all rows where these are the best N of single rows.
  std::vector<WouldStand> place_for(const std::string& name, const Value& value) const;
  Ties ties() const;  // of the first place column
  const std::vector<Remark>& remarks() const&;
  std::vector<Remark> remarks() const&& { return remarks(); }
  const Accounting& accounting() const&;
  Accounting accounting() const&& { return accounting(); }
  // What each step took, in the order in which they were done; estimates next to it for the sizes that were met.
  const Cost& cost() const&;
  Cost cost() const&& { return cost(); }

 private:
  friend struct engine::Access;
  friend class StandingRow;
  friend class StandingRows;
  // The same data, which others keep.
  Standings lent() const { return Standings(std::shared_ptr<const Data>(std::shared_ptr<const Data>(), data_.get())); }
  explicit Standings(std::shared_ptr<const Data> data) : data_(std::move(data)) {}
  std::shared_ptr<const Data> data_;
};

// One listed row. A view that may be stored: valid as long as its Standings, or any copy of it.
class StandingRow {
 public:
  StandingRow(const Standings& standings, std::size_t row) : standings_(standings.lent()), row_(row) {}
  std::size_t index() const { return row_; }
  Value operator[](std::size_t column) const { return standings_.value(row_, column); }
  // Throws Error(unknown_column), with the nearest name.
  Value operator[](std::string_view column) const;
  bool tied() const { return standings_.tied(row_); }
  bool ranked() const { return standings_.ranked(row_); }

 private:
  Standings standings_;  // shares no ownership
  std::size_t row_;
};

// All listed rows, in their order. Holds a copy of the standings, so a temporary answer may be iterated over.
class StandingRows {
 public:
  explicit StandingRows(Standings standings) : standings_(std::move(standings)) {}

  class Iterator {
   public:
    using value_type = StandingRow;
    using difference_type = std::ptrdiff_t;
    using iterator_category = std::input_iterator_tag;
    Iterator(const Standings& standings, std::size_t row) : standings_(standings.lent()), row_(row) {}
    StandingRow operator*() const { return {standings_, row_}; }
    Iterator& operator++() {
      ++row_;
      return *this;
    }
    Iterator operator++(int) {
      Iterator before = *this;
      ++row_;
      return before;
    }
    friend bool operator==(const Iterator& a, const Iterator& b) { return a.row_ == b.row_; }

   private:
    Standings standings_;  // shares no ownership
    std::size_t row_;
  };
  Iterator begin() const { return {standings_, 0}; }
  Iterator end() const { return {standings_, standings_.rows()}; }
  std::size_t size() const { return standings_.rows(); }

 private:
  Standings standings_;
};

// All that is wrong with a ladder, in the order of its keys; empty when nothing is. Reads the tables (only the columns
// that the ladder mentions) when names and grammar are right, because types are known only then.
[[nodiscard]] std::vector<Problem> check(const Ladder& ladder, const Catalog& catalog, const Run& run = {});

// The answer. Throws Error with all problems that check() would report, or with the first row that makes a value
// impossible. Thread-safe for different catalogs.
//
//   lofty::Standings answer = lofty::standings(ladder, tables);
//   for (std::size_t row = 0; row < answer.rows(); ++row) ... answer.value(row, 0) ...
[[nodiscard]] Standings standings(const Ladder& ladder, const Catalog& catalog, const Run& run = {});

// The listing as a table, for another ladder: the listed entries in their order, columns under their names (not their
// headings), values whole. What was said of the answer is said of the table. O(rows x columns).
[[nodiscard]] Table table_of(const Standings& answer, std::string name);

}  // namespace lofty
