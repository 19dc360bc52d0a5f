#pragma once
// The names of the entries: keys, carried columns, totals, window values, and places.
// Covered by tests/question/check_test.cpp.

#include <string>
#include <vector>

#include "question/row_binder.hpp"

namespace lofty::engine {

class EntryBinder;

class EntryScope : public Scope {
 public:
  // What a formula may have in addition to names: aggregates, places, windows. `stage` is what messages call its place.
  EntryScope(EntryBinder& entries, bool aggregates, bool places, std::string stage, bool windows = true)
      : entries_(entries), aggregates_(aggregates), places_(places), windows_(windows), stage_(std::move(stage)) {}
  NodePtr name(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
  NodePtr window(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
  NodePtr aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
  NodePtr choice(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
  const Zone* zone() const override;
  int first_month() const override;

 private:
  EntryBinder& entries_;
  bool aggregates_, places_, windows_;
  std::string stage_;
};

class EntryBinder : private LevelBinding {
 public:
  EntryBinder(const LevelBinding& parts, RowBinder& rows, FormulaList& totals, FormulaList& window_values,
              WindowBinder& windows)
      : LevelBinding(parts), rows_(rows), totals_(totals), window_values_(window_values), windows_(windows) {}

  RowBinder& rows() { return rows_; }
  bool row_level() const { return question_.row_level(); }

  // A new column of the entries: its number.
  std::size_t add_column(EntryColumn column);
  NodePtr node(std::size_t column, const Expression& e, const std::shared_ptr<const Origin>& origin) const;
  // `places`, `windows`: whether these are known already, at `stage`.
  NodePtr name(const Expression& e, const std::shared_ptr<const Origin>& origin, bool places, const std::string& stage,
               bool windows = true);
  NodePtr aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin);
  // A window over the entries: one of their columns.
  NodePtr window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin);
  // The totals and window values that nothing has named yet.
  void bind_totals();
  void bind_window_values();
  // May it have one value only in each entry, because (some of) the entry's keys found its row?
  bool is_determined(const Node& row) const;

 private:
  NodePtr row_of_entry(const Expression& e, const std::shared_ptr<const Origin>& origin, bool places);
  // A formula of [totals], or of [windows]: makes its column, then binds it in `scope`.
  void bind_named(ParsedFormula& formula, EntryColumn::From from, Scope& scope, std::vector<std::size_t>& order);
  NodePtr named(ParsedFormula& formula, const char* what, const Expression& e,
                const std::shared_ptr<const Origin>& origin);
  void bind_total(ParsedFormula& total);
  void bind_window_value(ParsedFormula& value);
  bool sees_places(const Node& node) const;

  RowBinder& rows_;
  FormulaList &totals_, &window_values_;
  WindowBinder& windows_;
};

}  // namespace lofty::engine
