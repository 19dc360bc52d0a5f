#pragma once
// What a level lists, in which order.
// Covered by tests/question/check_test.cpp.

#include <set>
#include <string>
#include <vector>

#include "question/level_binder.hpp"

namespace lofty::engine {

// What the lists of the levels up to now have found: what one level does not know, another may.
struct ListedSoFar {
  std::set<std::string> known;                // names that some level lists
  bool alternative_used = false;              // list.alternative named something of some level
  std::vector<Problem> alternative_problems;  // where it did not
};

// What a ladder gives names to, in this order.
struct NamedFormulas {
  FormulaList &figures, &totals, &window_values;
};

class ListBinder : private LevelBinding {
 public:
  ListBinder(const LevelBinding& parts, LevelBinder& level, EntryBinder& entries, const NamedFormulas& named,
             ListedSoFar& so_far)
      : LevelBinding(parts),
        level_binder_(level),
        entries_(entries),
        rows_(entries.rows()),
        figures_(named.figures),
        totals_(named.totals),
        window_values_(named.window_values),
        so_far_(so_far) {}

  void bind_all();

 private:
  // What list.formats or list.bars names: a listed column (null: of another level, or of the cells of a crossed table),
  // and its type as far as it is known here.
  struct Shown {
    ListColumn* column = nullptr;
    Type type = {};
    bool known = false;
  };

  void bind_order();
  // list.alternative: the groups as they are, and in them the entries by a sort list of which a level takes what it
  // knows.
  void bind_alternative();
  void bind_alternative_items(const std::string& text, const std::string& key);
  // What a reader calls an entry of this level: the first listed column of words that it has of its own, or its keys.
  std::string own_label();
  bool is_own_words(const std::string& name);
  void bind_columns();
  Shown shown(const std::string& name);
  // `names` are what may be meant.
  void bind_headings(const std::vector<std::string>& names);
  void bind_formats(const std::vector<std::string>& names);
  void bind_bars(const std::vector<std::string>& names);
  // Is it a column that has several values in an entry of this level, or another level's place?
  bool of_another_level(const Expression& e, const std::shared_ptr<const Origin>& origin);
  // Now that all the entries' columns are known, place columns get the numbers after them.
  void fix_place_columns();
  std::vector<std::string> default_columns();

  LevelBinder& level_binder_;
  EntryBinder& entries_;
  RowBinder& rows_;
  FormulaList &figures_, &totals_, &window_values_;
  ListedSoFar& so_far_;
};

}  // namespace lofty::engine
