// Prices are nanoseconds a row on the machine that docs/performance.md names, taken from measured runs; other machines
// are told by Speeds.
#include "plan/steps.hpp"

#include <algorithm>
#include <cmath>

#include "base/name_table.hpp"
#include "base/parallel.hpp"
#include "plan/step_names.hpp"

namespace lofty::engine {
namespace {

constexpr double ns = 1e-9;

// Nanoseconds of each kind of work, for a row unless the name says otherwise.
namespace price {
constexpr double read_byte = 0.95, read_value = 3.0;
constexpr double join_row = 3.5;
constexpr double scan_row = 2.0, node = 1.6, aggregate = 2.5, carried = 6.0;
constexpr double key = 5.0, further_key = 25.0;            // by its own table, rather than an index
constexpr double far_group = 60.0, many_groups = 100'000;  // a state that no cache holds, and from how many on
constexpr double distinct = 9.0, distinct_of_many = 90.0;  // numbers that ascend within their entries, or do not
constexpr double column_value = 9.0;                       // a formula's values as a column
constexpr double sort_row = 9.0, sort_key = 7.0;           // one key, and each further one
constexpr double gather_row = 10.0, scatter_row = 9.0, slide_row = 5.0, range_row = 24.0, pick_row = 6.0;
constexpr double statistic_row = 80.0;  // an order statistic, its sort included
constexpr double entry_key = 15.0, entry_listed = 15.0;
constexpr double remark_row = 12.0, remark_entry = 30.0;  // looking for what is worth saying
constexpr double inside = 0.1;      // of the rows, those that an inner level totals: the level outside lists few
constexpr double step = 30'000.0;   // of any size: threads called, memory taken
constexpr double file = 100'000.0;  // opening one, its headings and types
constexpr double alone = 2.2;       // rows too few for threads, and for their first ones to be forgotten
constexpr double collation = 450'000.0, text = 600.0;  // the first text that is ordered, and each different one
}  // namespace price

double sort_seconds(double rows, std::size_t keys) {
  // A sort grows with the logarithm; its price is that of ten million rows.
  const double growth = std::max(0.5, std::log2(std::max(rows, 2.0)) / 23.25);
  return rows * ns * growth * (price::sort_row + price::sort_key * static_cast<double>(keys > 0 ? keys - 1 : 0));
}

std::size_t nodes_of(const Node& node) {
  std::size_t count = 0;
  each_node_below(node, [&](const Node& at) { count += at.op != Op::name && at.op != Op::literal; });
  return count;
}

class Steps {
 public:
  Steps(const Plan& plan, const std::vector<Question>& levels, const Sizes& sizes, const Speeds& speeds,
        const Times* times)
      : plan_(plan), questions_(levels), sizes_(sizes), speeds_(speeds), times_(times) {}

  Cost all() {
    cost_.rows_known = sizes_.rows.has_value();
    cost_.rows_kept = plan_.rows;
    cost_.read_twice = plan_.first_look.has_value();
    cost_.decisions = plan_.decisions;
    for (std::size_t t = 0; t < questions_.front().tables.size(); ++t) read(t);
    for (level_ = 0; level_ < questions_.size(); ++level_) level(questions_[level_]);
    return std::move(cost_);
  }

 private:
  // After an answer each step has been timed: one that has not stays without a time, which the tests do not accept.
  struct Work {
    std::optional<double> rows;
    double comparisons = 0, bytes = 0, seconds = 0;
  };
  void add(const StepId& id, std::string purpose, std::string by, const Work& work) {
    CostStep one{id.kind,
                 std::move(purpose),
                 std::move(by),
                 work.rows,
                 work.comparisons,
                 work.bytes,
                 work.seconds * (work.rows && *work.rows < rows_worth_threads ? price::alone : 1) + price::step * ns,
                 {}};
    if (times_ != nullptr)
      if (const auto found = times_->find(id); found != times_->end()) one.measured = found->second;
    cost_.steps.push_back(std::move(one));
  }
  void add(StepKind kind, std::string purpose, std::string by, const Work& work) {
    add({kind, level_, 0, WindowStage::rows}, std::move(purpose), std::move(by), work);
  }

  // The part of the first table's rows that is in memory at once.
  double kept_share() const {
    const TableSize& first = sizes_.tables.front();
    const double two_stretches = 2 * first.stretch_bytes;  // the next one is read meanwhile
    if (plan_.rows == RowsKept::none && first.bytes > two_stretches) return two_stretches / first.bytes;
    if (plan_.rows == RowsKept::counting && sizes_.kept && first.rows.value_or(0) > 0)
      return *sizes_.kept / *first.rows;
    return 1;
  }

  void read(std::size_t t) {
    const TableUse& use = questions_.front().tables[t];
    std::set<std::size_t> wanted;
    for (const Question& question : questions_)
      wanted.insert(question.tables[t].wanted.begin(), question.tables[t].wanted.end());
    const TableSize& size = sizes_.tables[t];
    const double rows = size.rows.value_or(0), columns = static_cast<double>(wanted.size());
    double seconds = 0;
    if (size.bytes > 0)
      seconds = ns * (price::file + size.bytes * price::read_byte + rows * columns * price::read_value);
    if (t == 0 && cost_.read_twice)
      seconds += ns * (size.bytes * price::read_byte +
                       rows * static_cast<double>(plan_.first_look->size()) * price::read_value);
    // Sealed columns, and as much again while they are being sealed.
    add({StepKind::read, 0, t}, use.source->name(), "",
        {size.rows, 0, rows * columns * 2.5 * 2 * (t == 0 ? kept_share() : 1), seconds * speeds_.read});
  }

  double relation() const { return sizes_.rows.value_or(0); }
  double counted() const { return sizes_.counted.value_or(0); }

  const LevelPlan& level_plan() const { return plan_.levels.front()[level_]; }

  void level(const Question& question) {
    for (std::size_t j = 0; j < question.joins.size(); ++j) join(question, j);
    std::size_t conditions = 0;
    for (const auto* terms : {&question.where_first, &question.where_last})
      for (const NodePtr& term : *terms) conditions += nodes_of(*term);
    const double filter = price::scan_row + price::node * static_cast<double>(conditions);
    const bool listed_by_window = row_windows(question, filter);  // a window's sort is the listing's order too
    rows(question, filter);

    const double entries = sizes_.entries[level_];
    if (!question.entry_windows.empty())
      windows(entry_window_items(question, false), level_plan().entry_sorts, entries, entries, WindowStage::entries,
              entry_names(question));
    if (question.places) places(question, entries);
    double listed = question.list.order.empty() ? entries : entries * 2;
    const Level* const kept = question.level;
    if (kept != nullptr && kept->best && question.within.empty() && !question.keep_where)
      listed = std::min(listed, static_cast<double>(*kept->best));  // the others are not looked at
    add(StepKind::list, question.list.text.empty() ? "the listing" : "the listing's order", question.list.text,
        {entries, question.list.order.empty() || listed_by_window ? 0 : compared(entries), 0,
         listed * ns * price::entry_listed * speeds_.entries});
    add(StepKind::remark, "what is worth saying", "",
        {sizes_.counted, 0, 0,
         ns * (question.row_level() ? counted() * price::remark_row : entries * price::remark_entry) * speeds_.rows});
  }

  void join(const Question& question, std::size_t number) {
    const JoinUse& join = question.joins[number];
    const TableUse& use = question.tables[join.table];
    std::string by;
    for (const JoinUse::Pair& pair : join.on)
      by += (by.empty() ? "" : ", ") + use.source->headings()[pair.right_column];
    // Inner levels take the partners that the outermost has found.
    const bool found = level_ > 0 && question.joins == questions_.front().joins;
    const double seconds =
        found ? 0 : relation() * ns * price::join_row * static_cast<double>(std::max<std::size_t>(1, join.on.size()));
    add({StepKind::join, level_, number}, use.source->name(), by,
        {sizes_.rows, 0, 4 * relation() * kept_share(), seconds * speeds_.join});
  }

  // Whether one of their sorts is the listing's order.
  bool row_windows(const Question& question, double filter) {
    if (question.row_windows.empty()) return false;
    add(StepKind::count, "the rows that windows see", "",
        {sizes_.rows, 0, 8 * relation(), relation() * ns * filter * speeds_.rows});
    const std::vector<SortStep>& sorts = level_plan().row_sorts;
    windows(row_window_items(question), sorts, counted(), sizes_.counted, WindowStage::rows,
            [&](std::size_t item) { return last_part(question.row_windows[item].where); });
    return std::any_of(sorts.begin(), sorts.end(), [](const SortStep& step) { return step.also_needed; });
  }

  void places(const Question& question, double entries) {
    const std::size_t keys =
        question.within.size() + question.by.size() + question.tiebreak.size() + question.each.size();
    std::string by;
    for (const SortKey& key : question.by) by += (by.empty() ? "" : ", ") + key.text + (key.descending ? " desc" : "");
    std::size_t orders = 1;
    for (const AlsoUse& also : question.also) orders += !also.by.empty();
    const double seconds =
        entries * ns * price::entry_key +
        static_cast<double>(orders) *
            (sort_seconds(entries, keys) + entries * ns * price::column_value * static_cast<double>(keys));
    add(StepKind::rank, "places", by,
        {entries, compared(entries) * static_cast<double>(orders), 13 * entries,
         (seconds + text_seconds(question, entries)) * speeds_.entries});
    std::vector<std::string> late;
    for (const WindowUse& use : question.entry_windows)
      if (use.late) late.push_back(last_part(use.where));
    windows(entry_window_items(question, true), level_plan().late_sorts, entries, entries, WindowStage::places,
            [&](std::size_t item) { return late[item]; });
  }

  // Labels among the keys of places are taken to be texts, which are ordered by a language's rules.
  static double text_seconds(const Question& question, double entries) {
    double labels = 0;
    for (const auto* keys : {&question.by, &question.tiebreak})
      for (const SortKey& key : *keys)
        labels += key.node->op == Op::name && key.node->column >= 0 &&
                  static_cast<std::size_t>(key.node->column) < question.entry_columns.size() &&
                  question.entry_columns[static_cast<std::size_t>(key.node->column)].from == EntryColumn::From::carried;
    return labels == 0 ? 0 : ns * (price::collation + labels * entries * price::text);
  }

  static double compared(double rows) { return rows < 2 ? 0 : rows * std::log2(rows); }

  template <class Name>
  void windows(const std::vector<WindowItem>& items, const std::vector<SortStep>& plan, double rows,
               const std::optional<double>& shown, WindowStage stage, const Name& name) {
    for (std::size_t s = 0; s < plan.size(); ++s) {
      std::vector<std::string> names;
      for (const std::size_t item : plan[s].serves)
        if (std::find(names.begin(), names.end(), name(item)) == names.end()) names.push_back(name(item));

      // The keys and the purpose of the sort.
      std::string by, purpose;
      const bool refines = plan[s].refines != SortStep::none;
      for (std::size_t k = 0; k < plan[s].keys.size(); ++k) {
        if (k == 0 && refines) by = "in ";
        if (k > 0) by += refines && k == plan[s].refined_keys ? ": " : ", ";
        by += key_of(items, plan[s].keys[k]).text + (plan[s].keys[k].descending ? " desc" : "");
      }
      for (const std::string& one : names) purpose += (purpose.empty() ? "" : ", ") + one;
      const bool stands = stage != WindowStage::rows && plan[s].also_needed;
      if (stands) {
        purpose += " (in the order of places)";
        by.clear();
      }

      // Its price, and that of each window on it.
      const std::size_t keys = stands ? 0 : plan[s].keys.size();
      const double sorting =
          keys == 0 ? rows * ns * 2
                    : sort_seconds(rows, keys) + rows * ns * price::column_value * static_cast<double>(keys);
      add({StepKind::sort, level_, s, stage}, purpose, by,
          {shown, keys == 0 ? 0 : compared(rows), rows * (13 + 8 * static_cast<double>(keys)), sorting * speeds_.sort});
      for (const std::size_t item : plan[s].serves)
        add({StepKind::window, level_, item, stage}, name(item), "",
            {shown, 0, rows * 24, rows * ns * window_price(*items[item].call) * speeds_.windows});
    }
  }

  static double window_price(const WindowCall& call) {
    double nanoseconds = price::scatter_row;
    if (call.value) nanoseconds += price::gather_row + price::column_value;
    if (call.range_from) nanoseconds += price::range_row;
    if (call.range_to) nanoseconds += price::range_row;
    switch (call.function) {
      case WindowFunction::percentile_cont:
      case WindowFunction::percentile_disc: nanoseconds += price::statistic_row; break;
      case WindowFunction::lag:
      case WindowFunction::lead:
      case WindowFunction::first_value:
      case WindowFunction::last_value:
      case WindowFunction::nth_value: nanoseconds += price::pick_row; break;
      default: nanoseconds += price::slide_row;
    }
    return nanoseconds;
  }

  // Conditions, figures, groups and totals, in one pass.
  void rows(const Question& question, double filter) {
    double nanoseconds = filter, kept = 4;
    const double passing = relation() > 0 ? sizes_.counted.value_or(relation()) / relation() : 1;
    std::size_t keys = 0;
    std::vector<std::string> names;
    for (const EntryColumn& column : question.entry_columns) {
      if (column.node && column.from != EntryColumn::From::total && column.from != EntryColumn::From::windowed)
        nanoseconds += price::node * static_cast<double>(nodes_of(*column.node));
      switch (column.from) {
        case EntryColumn::From::key: nanoseconds += keys++ == 0 ? price::key : price::further_key; break;
        case EntryColumn::From::carried: nanoseconds += column.determined ? 0 : price::carried; break;
        case EntryColumn::From::row:
          nanoseconds += price::column_value * passing;
          kept += 4;
          break;
        case EntryColumn::From::total: names.push_back(column.name); break;
        default: break;
      }
    }

    // Totals of each entry. An inner level totals only rows of listed entries, if rows are kept.
    const double before = nanoseconds;
    for (const auto& aggregate : question.aggregates) {
      nanoseconds += aggregate->kind != AggregateKind::count_distinct ? price::aggregate
                     : keys > 2                                       ? price::distinct_of_many
                                                                      : price::distinct;
      for (const NodePtr* node : {&aggregate->argument, &aggregate->filter})
        if (*node) nanoseconds += price::node * static_cast<double>(nodes_of(**node));
      if (aggregate->kind >= AggregateKind::percentile_cont)
        nanoseconds += price::sort_row + price::sort_key + 2 * price::column_value + price::gather_row;
    }

    // All of it is one step.
    std::string purpose;
    for (const std::string& name : names) purpose += (purpose.empty() ? "" : ", ") + name;
    if (purpose.empty()) purpose = question.row_level() ? "the rows that count" : "entries";
    const double entries = sizes_.entries[level_];
    if (!question.row_level() && entries > price::many_groups)
      nanoseconds += price::far_group * static_cast<double>(1 + question.aggregates.size());
    if (level_ > 0 && kept_share() == 1) nanoseconds = before + price::inside * (nanoseconds - before);
    add(StepKind::total, purpose, "",
        {sizes_.rows, 0,
         question.row_level() ? kept * entries : entries * 24 * static_cast<double>(1 + question.aggregates.size()),
         relation() * ns * nanoseconds * speeds_.rows});
  }

  const Plan& plan_;
  const std::vector<Question>& questions_;
  const Sizes& sizes_;
  const Speeds& speeds_;
  const Times* const times_;
  std::size_t level_ = 0;
  Cost cost_;
};

}  // namespace

Cost priced(const Plan& plan, const std::vector<Question>& levels, const Sizes& sizes, const Speeds& speeds,
            const Times* times) {
  return Steps(plan, levels, sizes, speeds, times).all();
}

}  // namespace lofty::engine

namespace lofty {

LOFTY_ENUM_NAMES(StepKind, {StepKind::read, "read"}, {StepKind::join, "join"}, {StepKind::count, "count"},
                 {StepKind::sort, "sort"}, {StepKind::window, "window"}, {StepKind::total, "total"},
                 {StepKind::rank, "rank"}, {StepKind::list, "list"}, {StepKind::remark, "remark"},
                 {StepKind::compare, "compare"}, {StepKind::crossed, "crossed"})

LOFTY_ENUM_NAMES(RowsKept, {RowsKept::all, "all"}, {RowsKept::counting, "counting"}, {RowsKept::none, "none"})

}  // namespace lofty
