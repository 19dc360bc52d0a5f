#pragma once
// The names of the rows: columns of the joined tables, figures, periods, choices and constants over all rows.
// Covered by tests/question/check_test.cpp.

#include <string>
#include <vector>

#include "question/periods.hpp"
#include "question/window_binder.hpp"

namespace lofty::engine {

class RowBinder;

// For figures, conditions on rows, and the inside of aggregates.
class RowScope : public Scope {
 public:
  // `stage` is what messages call the place that the formula is in.
  RowScope(RowBinder& rows, bool overall_allowed, std::string stage)
      : rows_(rows), overall_allowed_(overall_allowed), stage_(std::move(stage)) {}
  NodePtr name(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
  NodePtr aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
  NodePtr window(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
  NodePtr choice(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
  const Zone* zone() const override;
  int first_month() const override;

 private:
  RowBinder& rows_;
  bool overall_allowed_;
  std::string stage_;
};

// The ladder's periods: each a condition on the rows, by its name.
class PeriodBinder : private LevelBinding {
 public:
  PeriodBinder(const LevelBinding& parts, RowBinder& rows) : LevelBinding(parts), rows_(rows) {}

  // Reads the periods, and finds the columns that they go by.
  void make();
  // Fills Question::periods.
  void bind_all();
  // The period's condition, as a formula that names it has it. Null: no period has this name.
  NodePtr condition(const Expression& name, const std::shared_ptr<const Origin>& origin) const;
  bool mentioned_in(const Expression& e) const;

 private:
  struct Source {
    const Period* period;
    PeriodText text;
    NodePtr on;  // bound, until bind_all() takes it
    bool usable = false;
  };
  const Source* find(const Expression& name) const;
  // False: it cannot go by dates, which has been said.
  bool bind_dates(Source& source);
  // One of a period's formulas. They are ours, so problems show the key that they came from, not the text.
  NodePtr node(const Source& source, const std::string& text) const;

  RowBinder& rows_;
  std::vector<Source> sources_;
};

class RowBinder : private LevelBinding {
 public:
  // What is known later than the rows, for the messages on names that come too early; and what sees windows.
  RowBinder(const LevelBinding& parts, FormulaList& figures, FormulaList& totals, FormulaList& later,
            WindowBinder& windows)
      : LevelBinding(parts),
        figures_(figures),
        totals_(totals),
        later_(later),
        windows_(windows),
        periods_(parts, *this) {}

  // Joins, figures, periods, and the conditions on rows; Question::probe is a further one.
  void bind_all(const FurtherConditions& further);

  // A column of the tables, or a figure, or a period.
  NodePtr name(const Expression& e, const std::shared_ptr<const Origin>& origin);
  NodePtr choice(const Expression& e, const std::shared_ptr<const Origin>& origin) const;
  NodePtr overall(const Expression& e, const std::shared_ptr<const Origin>& origin);
  // A window over the rows that count: a column of theirs.
  NodePtr window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
                 const std::string& stage);
  const Zone* zone() const { return tables_.zone(); }
  int first_month() const { return tables_.first_month(); }

  // A name that does not exist among the rows may exist later on: say so.
  void fail_if_later(const Expression& e, const std::shared_ptr<const Origin>& origin, const std::string& stage) const;
  void fail_if_windowed(const Expression& e, const std::shared_ptr<const Origin>& origin,
                        const std::string& stage) const;
  // No column is called that; `further` names may be meant, too.
  Problem no_column(const Expression& e, const std::shared_ptr<const Origin>& origin, std::size_t tables,
                    std::vector<std::string> further = {}) const;
  // The heading of a name that was written in another case; figures keep their own name.
  std::string canonical_name(const Node& row, const Expression& e) const;

 private:
  void bind_joins();
  JoinUse bind_join(std::size_t number);
  void bind_where();
  NodePtr figure(ParsedFormula& figure, bool report);
  // Does a formula hold a window, itself or in a figure that it names?
  bool mentions_window(const Expression& e) const;
  // Question::row_columns' number for it, a new one where it had none.
  int row_column(const RowColumn& wanted);

  FormulaList &figures_, &totals_, &later_;
  WindowBinder& windows_;
  PeriodBinder periods_;
  std::string without_windows_;  // what is being bound, where it comes before any window
  bool circle_said_ = false;
};

}  // namespace lofty::engine
