// The decisions of a plan, one function each: its value, and the reason that `lofty cost` prints.

#include <algorithm>

#include "base/budget.hpp"
#include "plan/plan.hpp"
#include "plan/window_sorts.hpp"
#include "question/prose.hpp"

namespace lofty::engine {

bool joins_row_by_row(const JoinUse& join) {
  return (join.type == JoinType::left || join.type == JoinType::inner) && !join.include;
}

namespace {

bool has_conditions(const Question& level) { return !level.where_first.empty() || !level.where_last.empty(); }
bool has_constants(const std::vector<Question>& levels) {
  return std::any_of(levels.begin(), levels.end(), [](const Question& level) { return !level.overalls.empty(); });
}

// Why a level looks at a row more than once; empty: it does not.
std::string needs_rows_for(const Question& level, bool inner) {
  if (level.row_level()) return "each row is an entry";
  if (!level.row_windows.empty()) return "windows over rows look at them together";
  if (level.probe.any()) return "rows of one entry are looked at";
  if (level.include) return "rank.include adds entries that no row refers to";
  if (level.fill) return "rank.fill adds units that no row has";
  for (const JoinUse& join : level.joins)
    if (!joins_row_by_row(join))
      return "the join with " + level.tables[join.table].source->name() + " adds rows that have no partner";
  for (const auto& aggregate : level.aggregates) {
    if (goes_by_order(aggregate->kind)) return quoted(aggregate->text) + " goes by an order of the rows";
    if (inner && level.keeps_states && aggregate->kind == AggregateKind::count_distinct)
      return "the lines of an inner level would have to keep each value of " + quoted(aggregate->text);
  }
  return {};
}

// The same of all questions.
std::string needs_rows_for(std::span<const Asked> questions) {
  for (const Asked& one : questions)
    for (const Question& level : one.levels)
      if (std::string why = needs_rows_for(level, &level != &one.levels.front()); !why.empty()) return why;
  return {};
}

// The first table's columns that the constants over all rows need, with the conditions that go before them and the
// joins.
void add_columns_of_constants(const Question& level, std::set<std::size_t>& columns) {
  if (level.overalls.empty()) return;
  const auto add_below = [&](const Node& node) {
    each_node_below(node, [&](const Node& below) {
      if (below.op != Op::name || below.column < 0) return;
      const RowColumn& column = level.row_columns[static_cast<std::size_t>(below.column)];
      if (column.table == 0) columns.insert(column.column);
    });
  };
  for (const auto& overall : level.overalls) add_below(*overall->argument);
  for (const NodePtr& term : level.where_first) add_below(*term);
  for (const JoinUse& join : level.joins)
    for (const JoinUse::Pair& pair : join.on)
      if (pair.left_table == 0) columns.insert(pair.left_column);
}

// Bytes of the first table's columns: sealed, and as much again while they are being sealed.
double bytes_when_kept(std::span<const Asked> questions, const Sizes& sizes) {
  constexpr double bytes_of_value = 5;
  std::set<std::size_t> columns;
  for (const Asked& one : questions)
    for (const Question& level : one.levels)
      columns.insert(level.tables.front().wanted.begin(), level.tables.front().wanted.end());
  return sizes.tables.front().rows.value_or(0) * static_cast<double>(columns.size()) * bytes_of_value;
}

// The reason for keeping rows although totals alone need them. Empty: there is none. Constants over all rows have the
// table read twice, and inner levels have all rows totalled, not only those of listed entries. Both take half as long
// again as keeping the rows.
std::string better_kept(std::span<const Asked> questions, const Sizes& sizes, const Means& means) {
  const auto twice = [](const Asked& one) { return one.levels.size() > 1 || has_constants(one.levels); };
  const auto found = std::find_if(questions.begin(), questions.end(), twice);
  if (found == questions.end() || bytes_when_kept(questions, sizes) >= means.memory * means.kept_share) return {};
  return std::string("they fit into memory, and ") + (has_constants(found->levels)
                                                          ? "constants over all rows would need a second reading"
                                                          : "inner levels look at what is listed alone");
}

// The reason for which a question needs rows that do not count. Empty: it does not.
std::string needs_other_rows_for(std::span<const Asked> questions) {
  const std::vector<Question>& levels = questions.front().levels;
  const Question& level = levels.front();
  if (questions.size() > 1 || levels.size() > 1) return "several questions look at them";
  if (!has_conditions(level)) return "all of them count";
  if (!level.overalls.empty()) return "constants over all of them come first";
  if (level.probe.any() || level.mark) return "rows that do not count are looked at";
  if (level.include || !std::all_of(level.joins.begin(), level.joins.end(), joins_row_by_row))
    return "joins add rows that have no partner";
  return {};
}

void decide_rows(std::span<const Asked> questions, const Sizes& sizes, const Means& means, Plan& plan) {
  const std::string& table = questions.front().levels.front().tables.front().source->name();
  const auto decided = [&](RowsKept rows, std::string what, std::string why) {
    plan.rows = rows;
    plan.decisions.push_back({std::move(what), std::move(why)});
  };

  // A table that is read in one piece stays in memory.
  const std::string all = "all rows of " + table + " are kept";
  if (sizes.tables.front().stretch_bytes <= 0) return decided(RowsKept::all, all, "it is read in one piece");

  // Rows that are needed once are totalled as they are read.
  const std::string needed = needs_rows_for(questions);
  if (needed.empty()) {
    if (std::string why = better_kept(questions, sizes, means); !why.empty())
      return decided(RowsKept::all, all, std::move(why));
    decided(RowsKept::none, "rows of " + table + " are totalled as they are read, and not kept",
            "only totals need them");
    if (std::none_of(questions.begin(), questions.end(), [](const Asked& one) { return has_constants(one.levels); }))
      return;
    plan.first_look.emplace();
    for (const Asked& one : questions)
      for (const Question& level : one.levels) add_columns_of_constants(level, *plan.first_look);
    plan.decisions.push_back({"the table " + table + " is read twice",
                              "constants over all rows have to be known before the first row is totalled"});
    return;
  }

  // Rows that count may be enough.
  if (const std::string other = needs_other_rows_for(questions); !other.empty())
    return decided(RowsKept::all, all, needed + ", and " + other);
  decided(RowsKept::counting, "rows of " + table + " that count are kept, and the others are not",
          needed + ", and nothing needs the others");
}

// Rows cannot be distributed over partitions for totals that go by an order of the rows, for entries without rows, and
// for entries that are merged later.
bool may_deal(const Question& level) {
  const auto has_keys = std::any_of(level.entry_columns.begin(), level.entry_columns.end(),
                                    [](const EntryColumn& column) { return column.from == EntryColumn::From::key; });
  return has_keys && !level.row_level() && !level.include && !level.fill && !level.keeps_states &&
         std::none_of(level.aggregates.begin(), level.aggregates.end(),
                      [](const auto& aggregate) { return goes_by_order(aggregate->kind); });
}

// The most entries that a level totals as rows are read.
std::size_t most_entries(bool inner, double rows) {
  // An inner level totals all rows, not only those of listed entries. That pays only with tables that fit the caches.
  if (inner) return static_cast<std::size_t>(std::clamp(rows / 64, 10'000.0, 200'000.0));
  // An entry's states take about as much memory as eight rows that are kept.
  constexpr double worth_saving = 1'000'000;
  return rows > worth_saving ? static_cast<std::size_t>(rows / 8) : ~std::size_t{0};
}

// The reason for which a level of single rows ranks all of them. Empty: its best rows can be selected first.
std::string needs_all_places_for(const Asked& asked, const Question& level) {
  const Level& of = *level.level;
  if (of.worst || of.worst_percent) return "keep.worst counts from the other end";
  if (of.best_percent) return "keep.best is a part of all";
  if (level.keep_where || level.mark) return "a condition looks at places";
  if (level.eligible) return "rank.eligible decides who has a place";
  if (!level.also.empty()) return "further place columns are of all rows";
  if (!level.entry_windows.empty()) return "windows look at all rows";
  if (of.others) return "a line tells of the others";
  if (!asked.ladder.compare.empty()) return "places are compared";
  if (!asked.ladder.crossed.each.empty()) return "the table is crossed";
  if (asked.ladder.levels.size() > 1) return "there are levels inside levels";
  if (!asked.ladder.orderings.empty()) return "there are custom orders";
  return {};
}

// Columns that can be made after the selection: places do not depend on them, and a bare column never fails.
std::vector<bool> made_late(const Question& level) {
  if (level.having || !level.totals.empty() || !level.windowed.empty()) return {};
  std::vector<bool> late;
  for (const EntryColumn& column : level.entry_columns)
    late.push_back(column.from == EntryColumn::From::row && column.node->op == Op::name);
  const auto needs = [&](std::size_t column) {
    if (column < late.size()) late[column] = false;
  };
  for (const std::size_t group : level.within) needs(group);
  for (const auto* keys : {&level.by, &level.tiebreak})
    for (const SortKey& key : *keys)
      each_node_below(*key.node, [&](const Node& below) {
        if (below.op == Op::name && below.column >= 0) needs(static_cast<std::size_t>(below.column));
      });
  return late;
}

// The reason for which the windows over entries come before the order of places. Empty: the order comes first.
std::string needs_windows_for(const Question& level) {
  // A window ignores custom orders, so its order would differ from that of the places.
  if (level.eligible) return "rank.eligible decides who has a place";
  if (!level.orderings.empty()) return "there are custom orders";
  const auto of_window = [&](const Node& node) {
    bool found = false;
    each_node_below(node, [&](const Node& below) {
      if (below.op != Op::name || below.column < 0) return;
      if (const auto at = static_cast<std::size_t>(below.column); at < level.entry_columns.size()) {
        const auto from = level.entry_columns[at].from;
        found = found || from == EntryColumn::From::window || from == EntryColumn::From::windowed;
      }
    });
    return found;
  };
  for (const auto* keys : {&level.by, &level.tiebreak})
    for (const SortKey& key : *keys)
      if (of_window(*key.node)) return quoted(key.text) + " comes from a window";
  return {};
}

LevelPlan decide_level(const Asked& asked, const Question& level, const Sizes& sizes,
                       std::vector<Decision>* decisions) {
  const auto say = [&](std::string what, std::string why) {
    if (decisions != nullptr) decisions->push_back({std::move(what), std::move(why)});
  };
  LevelPlan plan{.may_deal = may_deal(level),
                 .most_entries = most_entries(&level != &asked.levels.front(), sizes.tables.front().rows.value_or(0))};

  // Selecting the best rows first.
  if (level.row_level() && level.places && level.level->best.value_or(0) > 0) {
    const std::string best = "the best " + with_commas(*level.level->best) + " rows";
    if (const std::string why = needs_all_places_for(asked, level); !why.empty()) {
      say("all rows have their places before " + best + " are cut", why);
    } else {
      plan.cuts_early = true;
      plan.made_late = made_late(level);
      say(best + " are chosen before any row has a place, where there are enough", "nothing looks at the other rows");
    }
  }

  // Ordering entries before their windows.
  if (level.places && !level.entry_windows.empty()) {
    const std::string why = needs_windows_for(level);
    plan.places_first = why.empty();
    if (why.empty())
      say("windows over entries share the order of places where they can", "places do not depend on them");
    else
      say("places come after the windows over entries", why);
  }

  plan.row_sorts = row_window_sorts(level);
  plan.entry_sorts = entry_window_sorts(level, false, plan.places_first);
  plan.late_sorts = entry_window_sorts(level, true, plan.places_first);
  return plan;
}

}  // namespace

Means means_of(const Run& run) {
  const double memory = run.memory > 0 ? static_cast<double>(run.memory) : static_cast<double>(half_of_free_memory());
  return {memory, most_kept_share};
}

const char* reason(Outcome outcome) {
  switch (outcome) {
    case Outcome::held: break;
    case Outcome::types_changed: return "a later row changes the type of a column";
    case Outcome::value_impossible: return "a row makes a value impossible";
    case Outcome::several_values: return "a column has several values in one entry";
    case Outcome::many_entries: return "there are too many entries";
    case Outcome::numbers_descended: return "numbers that ascended at first did not later";
    case Outcome::many_count: return "too many of the first rows count";
    case Outcome::many_rows: return "there are more rows than can be numbered";
  }
  return "";
}

Plan make_plan(std::span<const Asked> questions, const Sizes& sizes, const Means& means) {
  Plan plan;
  decide_rows(questions, sizes, means, plan);
  for (const Asked& one : questions) {
    plan.levels.emplace_back();
    for (const Question& level : one.levels)
      plan.levels.back().push_back(
          decide_level(one, level, sizes, &one == &questions.front() ? &plan.decisions : nullptr));
  }
  return plan;
}

}  // namespace lofty::engine
