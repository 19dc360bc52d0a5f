#pragma once
// From a Ladder to a Question, the resolver's insides: what its parts know of one another. Each part is a file of its
// own, resolve_names.cpp and so on; resolve.cpp says in which order they work.

#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "formula/parser.hpp"
#include "question/periods.hpp"
#include "question/question.hpp"

namespace lofty::engine {

// A name as a formula would write it.
Expression name_expression(const std::string& name);

// One pass over the headings, and another one over the tables' types: names resolved stage by stage. Problems gather in
// the caller's list; what a name with a problem stands for has an unknown type, of which nothing more is said.
class Resolver {
 public:
  Resolver(const Ladder& ladder, const Catalog& catalog, std::vector<Problem>& problems, FurtherConditions further)
      : ladder_(ladder), catalog_(catalog), problems_(problems), further_(std::move(further)) {}

  // False when the tables could not all be opened: nothing more can be said then.
  bool open_tables();
  // One pass over the whole ladder, for each of its levels; there is one Question at least.
  std::vector<Question> bind_levels();
  // From then on types are known. A table that cannot be read is a problem like any other, and failed() says so.
  void read_tables(const Run& run);
  bool failed() const { return failed_; }

 private:
  enum class State : unsigned char { fresh, open, done };

  struct Parsed {
    const NamedFormula* formula = nullptr;
    std::shared_ptr<const Origin> origin;
    ExpressionPtr expression;  // null: does not parse
    State state = State::fresh;
    std::size_t column = 0;              // totals: entry column
    NodePtr node = nullptr;              // figures: bound once, and shared by all formulas that name them
    std::vector<Problem> problems = {};  // figures: found in binding it
  };

  struct PeriodSource {
    const Period* period;
    PeriodText text;
    NodePtr on;  // bound, until bind_periods() takes it
    bool usable = false;
  };

  // Names of the rows, for figures, conditions on rows, and what stands inside aggregates.
  class RowScope : public Scope {
   public:
    RowScope(Resolver& resolver, bool overall_allowed, std::string stage)
        : r_(resolver), overall_allowed_(overall_allowed), stage_(std::move(stage)) {}
    NodePtr name(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
    NodePtr aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
    NodePtr window(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
    NodePtr choice(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
    const Zone* zone() const override { return r_.zone_; }

   private:
    Resolver& r_;
    bool overall_allowed_;
    std::string stage_;
  };

  // Names of the entries; with `places`, of the places too.
  class EntryScope : public Scope {
   public:
    EntryScope(Resolver& resolver, bool aggregates, bool places, std::string stage, bool windows = true)
        : r_(resolver), aggregates_(aggregates), places_(places), windows_(windows), stage_(std::move(stage)) {}
    NodePtr name(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
    NodePtr window(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
    NodePtr aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
    NodePtr choice(const Expression& e, const std::shared_ptr<const Origin>& origin) override;
    const Zone* zone() const override { return r_.zone_; }

   private:
    Resolver& r_;
    bool aggregates_, places_, windows_;
    std::string stage_;
  };

  // ---- tables, levels, and what is said of them: resolve.cpp

  void find_zone();
  Question bind();
  // [windows] stand beside [rank], and inside a [[level]].
  std::string window_prefix() const;
  // Where the ladder says it: "rank.by", or "level[1].by" where levels are nested.
  std::string key_of(const std::string& key) const;
  // The columns whose values make a group: the keys of the levels outside, then the level's own.
  std::vector<std::string> within_names() const;
  void check_compare();
  void check_level(const Level& level);
  void problem(Code code, std::string sentence, std::string key, Remedy advice = {}, std::string nearest = {},
               const std::string& text = {});
  // Formulas that are used twice, and the second pass, say the same thing again.
  void add(Problem p);
  NodePtr bound(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin);
  void add(const Error& error, const std::string& key);
  bool open(const std::string& name, const std::string& as, const ReadOptions& options, const std::string& key);
  // `null` alone has no type, and a column needs one.
  void check_types();
  void parse_named(const std::vector<NamedFormula>& formulas, const std::string& prefix, std::vector<Parsed>& out);
  void check_names();
  bool nested() const { return ladder_.levels.size() > 1; }
  bool last_level() const { return level_ + 1 >= ladder_.levels.size(); }

  // ---- joins, and the names of columns, figures and choices: resolve_names.cpp

  void bind_joins();
  // "orders.shop_no" -> "shop_no" when `orders` is table t; else the name as it is.
  std::string right_name(const std::string& name, std::size_t t) const;
  std::optional<std::size_t> column_in(std::size_t table, const std::string& name, const std::string& key,
                                       const std::string& text);
  std::optional<std::size_t> find_column(std::size_t table, const std::string& name, bool exact) const;
  // Is this column of a joined table the key that it was joined by under the same name? Then it is one column.
  bool is_shared_key(std::size_t table, std::size_t column) const;
  Problem no_column(const Expression& e, const std::shared_ptr<const Origin>& origin, std::size_t tables,
                    bool with_totals, bool with_places = false);
  // The row relation's column for a table's column.
  NodePtr row_column(std::size_t table, std::size_t column, const Expression& e,
                     const std::shared_ptr<const Origin>& origin);
  Parsed* find_named(std::vector<Parsed>& list, const Expression& e);
  // A column of the tables, or a figure, or a period.
  NodePtr row_name(const Expression& e, const std::shared_ptr<const Origin>& origin);
  NodePtr choice_node(const Expression& e, const std::shared_ptr<const Origin>& origin);
  // A name that does not exist among the rows may exist later on: say so.
  void fail_if_later(const Expression& e, const std::shared_ptr<const Origin>& origin, const std::string& stage);
  void fail_if_windowed(const Expression& e, const std::shared_ptr<const Origin>& origin, const std::string& stage);
  std::vector<std::string> place_names() const;
  // The heading behind a name that was written in another case; figures keep their own name.
  std::string canonical_name(const Node& row, const Expression& e);

  // ---- periods: resolve_periods.cpp

  void make_periods();
  // The column that a period goes by. False: it cannot, which has been said.
  bool bind_dates(PeriodSource& source);
  // One of a period's formulas. They are ours, so problems show the key that they came from, not the text.
  NodePtr period_node(const PeriodSource& source, const std::string& text);
  const PeriodSource* find_period(const Expression& e) const;
  bool mentions_period(const Expression& e) const;
  void bind_periods();

  // ---- windows: resolve_windows.cpp

  void parse_window_defs();
  // Does a formula hold a window, itself or in a figure that it names?
  bool mentions_window(const Expression& e);
  // Bound in `scope`, with every part ready for evaluation. Null: problems have been said.
  std::unique_ptr<WindowCall> window_call(const Expression& e, Scope& scope,
                                          const std::shared_ptr<const Origin>& origin);
  // Over the rows that count: a column of theirs.
  NodePtr row_window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
                     const std::string& stage);
  // Over the entries: one of their columns.
  NodePtr entry_window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin);
  bool sees_places(const Node& node) const;
  // A formula of [windows], bound when it is first named.
  NodePtr windowed(Parsed& window, const Expression& e, const std::shared_ptr<const Origin>& origin);
  void bind_windowed(Parsed& window);
  template <class Work>
  static void each_node(WindowCall& call, const Work& work) {
    for (NodePtr* node : {&call.value, &call.filter, &call.otherwise, &call.range_from, &call.range_to})
      if (*node) work(*node);
    for (auto* keys : {&call.partition, &call.order})
      for (WindowKey& key : *keys) work(key.node);
  }

  // ---- figures, conditions and totals: resolve_formulas.cpp

  NodePtr overall(const Expression& e, const std::shared_ptr<const Origin>& origin);
  NodePtr bind_figure(Parsed& figure, bool report);
  static bool mentions_overall(const Node& node);
  void bind_where();
  std::size_t add_entry_column(EntryColumn column);
  NodePtr entry_node(std::size_t index, const Expression& e, const std::shared_ptr<const Origin>& origin);
  NodePtr entry_name(const Expression& e, const std::shared_ptr<const Origin>& origin, bool places,
                     const std::string& stage, bool windows = true);
  // Does it come from a table whose rows may stand alone? Those without a key are then no partner of anybody's, and yet
  // fall into one entry with the rows that have none: what it holds has to be looked at.
  bool may_be_let_in(const Node& row) const;
  bool is_determined(const Node& row) const;
  Type place_type(std::size_t index) const;
  NodePtr aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin);
  // Of a percentile: a number between 0 and 1, the same for all rows.
  Decimal fraction_of(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin);
  void bind_total(Parsed& total);

  // ---- what is an entry, and what ranks it: resolve_level.cpp

  void bind_keys(const std::vector<std::string>& names, const std::string& key, std::vector<std::size_t>& out);
  void bind_sort(const std::string& text, const std::string& key, Scope& scope, bool directions,
                 std::vector<SortKey>& out);
  // One key of the sort list `text`.
  SortKey sort_key(const SortItem& item, const std::string& text, Scope& scope,
                   const std::shared_ptr<const Origin>& origin, std::vector<Problem>& found);
  void bind_level();
  // A condition on entries; null when there is none.
  NodePtr bind_condition(const std::string& text, const std::string& key, bool places, bool windows = true);
  void bind_also(const Level& level);
  // Which column each custom order is for. Values that cannot occur are said here; those that do not, in the answer.
  void bind_orderings();
  void check_listed(const Ordering& ordering, const Type& type, const std::string& key);

  // ---- what is listed, in which order: resolve_list.cpp

  void bind_list();
  // list.order_by: the groups as they are, and in them the entries by a sort list of which a level takes what it knows.
  void bind_alternative();
  // Does this level have the column that a sort list names? Listed columns do not count: they may come later.
  bool find_item(const Expression& e, const std::shared_ptr<const Origin>& origin);
  // What a reader calls an entry of this level: the first listed column of words that it has of its own, or its keys.
  std::string own_label();
  static std::string sort_name(const std::string& name);
  void bind_columns();
  // What list.formats or list.bars names: a listed column (null: of another level, or of the cells of a crossed table),
  // and its type as far as it is known here.
  struct Shown {
    ListColumn* column = nullptr;
    Type type = {};
    bool known = false;
  };
  Shown shown(const std::string& name);
  // `names` are what may be meant.
  void bind_formats(const std::vector<std::string>& names);
  void bind_bars(const std::vector<std::string>& names);
  // Is it a column that has several values in an entry of this level, or another level's place?
  bool of_another_level(const Expression& e, const std::shared_ptr<const Origin>& origin);
  // Now that all the entries' columns are known, place columns get the numbers behind them.
  void fix_place_columns();
  std::vector<std::string> default_columns();

  const Ladder& ladder_;
  const Catalog& catalog_;
  std::vector<Problem>& problems_;
  FurtherConditions further_;
  std::vector<TableUse> tables_;
  std::vector<Parsed> figures_, totals_, windows_;
  std::vector<NamedWindow> named_windows_;
  std::string without_windows_;  // what is being bound, where it comes before any window
  bool inside_window_ = false;
  const Zone* zone_ = nullptr;  // data.zone
  std::vector<PeriodSource> periods_;
  Question question_;
  bool failed_ = false, circle_said_ = false;
  std::size_t level_ = 0;                      // of the ladder's
  std::set<std::string> known_somewhere_;      // listed columns that some level has
  bool alternative_used_ = false;              // by some level
  std::vector<Problem> alternative_problems_;  // where it could not be
  bool was_read_ = false;
};

}  // namespace lofty::engine
