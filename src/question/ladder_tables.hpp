#pragma once
// The tables of a ladder: opened by name, then read.
// Covered by tests/ladder/check_test.cpp.

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/ladder.hpp"
#include "lofty/run.hpp"
#include "question/problem_list.hpp"
#include "question/question.hpp"
#include "table/table_stretches.hpp"

namespace lofty::engine {

class LadderTables {
 public:
  // False when not all could be opened: nothing more can be said then.
  bool open(const Ladder& ladder, const Catalog& catalog, ProblemList& problems);
  // Reads the columns that are wanted. A table that cannot be read is a problem like any other; false then.
  bool read(const Run& run, ProblemList& problems);
  bool was_read() const { return was_read_; }
  // Reads the other tables, and of the first one the first stretch of its rows only; null where that cannot be, and
  // nothing is read then. The run has to outlive it. Throws Error.
  std::unique_ptr<TableStretches> begin_stretches(const char* and_what, const Run& run);
  void set_first_table(Table table, double seconds) {
    uses_.front().table = std::move(table);
    uses_.front().seconds += seconds;
  }
  // What another question over the same tables has read.
  void take_read(const LadderTables& other) {
    for (std::size_t t = 0; t < uses_.size(); ++t) uses_[t].table = other.uses_[t].table;
    was_read_ = other.was_read_;
  }
  // The first table is to be read anew. The others are there, and are read again only if further columns are wanted.
  void forget() {
    uses_.front().table = {};
    uses_.front().seconds = 0;
    was_read_ = false;
  }

  const std::vector<TableUse>& uses() const { return uses_; }
  std::size_t size() const { return uses_.size(); }
  const TableUse& operator[](std::size_t table) const { return uses_[table]; }
  const std::vector<std::string>& headings(std::size_t table) const { return uses_[table].source->headings(); }
  // Something mentions this column.
  void want(std::size_t table, std::size_t column) { uses_[table].wanted.insert(column); }

  // The column with this heading; else, unless `exact`, the only one with these letters in another case.
  std::optional<std::size_t> find_column(std::size_t table, const std::string& name, bool exact) const;
  // "orders.shop_no" -> "shop_no" when `orders` is table t; else the name as it is.
  std::string without_alias(const std::string& name, std::size_t t) const;
  // Unknown before the table is read.
  Type type(std::size_t table, std::size_t column) const;
  const Zone* zone() const { return zone_; }  // data.zone
  // Has a column of text no value at all? Then its type was never told.
  bool is_blank(std::size_t table, std::size_t column) const;
  int first_month() const { return first_month_; }  // calendar.first_month

 private:
  bool open_one(const Catalog& catalog, const std::string& name, const std::string& as, const ReadOptions& options,
                const std::string& key, ProblemList& problems);
  static std::vector<std::size_t> wanted_of(const TableUse& use) { return {use.wanted.begin(), use.wanted.end()}; }
  void read_one(std::size_t table, const Run& run);
  void find_zone(const std::string& name, ProblemList& problems);

  std::vector<TableUse> uses_;
  const Zone* zone_ = nullptr;
  int first_month_ = 1;
  bool was_read_ = false;
  std::map<std::size_t, std::set<std::size_t>> there_;  // by table, not the first: the columns that were read
};

}  // namespace lofty::engine
