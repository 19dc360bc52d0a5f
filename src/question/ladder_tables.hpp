#pragma once
// The tables of a ladder, opened by name.
// Covered by tests/question/check_test.cpp.

#include <optional>
#include <string>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/ladder.hpp"
#include "question/problem_list.hpp"
#include "question/question.hpp"
#include "question/tables.hpp"

namespace lofty::engine {

class LadderTables {
 public:
  // False when not all could be opened: nothing more can be said then.
  bool open(const Ladder& ladder, const Catalog& catalog, ProblemList& problems);
  // From now on, types are those of these tables.
  void set_types(const Tables& tables) { read_ = tables; }
  bool types_known() const { return !read_.read.empty(); }

  const std::vector<TableUse>& uses() const { return uses_; }
  std::size_t size() const { return uses_.size(); }
  const TableUse& operator[](std::size_t table) const { return uses_[table]; }
  const std::vector<std::string>& headings(std::size_t table) const { return uses_[table].source->headings(); }
  void want_nothing() {
    for (TableUse& use : uses_) use.wanted.clear();
  }
  // Something mentions this column.
  void want(std::size_t table, std::size_t column) { uses_[table].wanted.insert(column); }

  // The column with this heading; else, unless `exact`, the only one with these letters in another case.
  std::optional<std::size_t> find_column(std::size_t table, const std::string& name, bool exact) const;
  // "orders.shop_no" -> "shop_no" when `orders` is table t; else the name as it is.
  std::string without_alias(const std::string& name, std::size_t t) const;
  // Unknown before set_types().
  Type type(std::size_t table, std::size_t column) const;
  const Zone* zone() const { return zone_; }  // data.zone
  // Has a column of text no value at all? Then its type was never told.
  bool is_blank(std::size_t table, std::size_t column) const;
  int first_month() const { return first_month_; }  // calendar.first_month

 private:
  bool open_one(const Catalog& catalog, const std::string& name, const std::string& as, const ReadOptions& options,
                const std::string& key, ProblemList& problems);
  void find_zone(const std::string& name, ProblemList& problems);

  std::vector<TableUse> uses_;
  const Zone* zone_ = nullptr;
  int first_month_ = 1;
  Tables read_;  // none: types are not known yet
};

}  // namespace lofty::engine
