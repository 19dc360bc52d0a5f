// Ladders answered, level by level.
// Covered by tests/ladder/standings_test.cpp.
#include "lofty/standings.hpp"

#include <algorithm>

#include "ladder/across.hpp"
#include "ladder/answer.hpp"
#include "ladder/asked.hpp"
#include "ladder/asking.hpp"
#include "ladder/cost.hpp"
#include "ladder/prose.hpp"
#include "ladder/read_once.hpp"
#include "ladder/windows.hpp"
#include "ladder/words.hpp"
#include "order/custom_order.hpp"
#include "order/sort.hpp"
#include "rank/exact_sum.hpp"
#include "table/parallel.hpp"
#include "table/stopwatch.hpp"
#include "table/table_data.hpp"

namespace lofty {

using namespace engine;

std::shared_ptr<StandingsData> engine::answer(const Ladder& ladder, std::vector<Question>& questions, const Run& run,
                                              const std::vector<Earlier>& earlier, const Finish& finish) {
  std::vector<std::shared_ptr<StandingsData>> levels;
  for (Question& question : questions) {
    const std::size_t level = levels.size();
    levels.push_back(Asking(ladder, question, level, levels.empty() ? nullptr : levels.back().get(),
                            earlier.empty() ? nullptr : &earlier[level], run)
                         .answer());
  }
  for (std::size_t l = 0; finish && l < levels.size(); ++l) levels[l] = finish(levels[l], l);
  if (run.progress) run.progress(1);
  // The same steps as a plan has, with the sizes that were met.
  Sizes sizes = sizes_before(questions);
  Times times;
  for (std::size_t t = 0; t < questions.front().tables.size(); ++t) {
    sizes.tables[t] = static_cast<double>(questions.front().tables[t].table.rows());
    times[time_name("read", 0, t)] = questions.front().tables[t].seconds;
  }
  sizes.entries.clear();
  for (const auto& level : levels) {
    sizes.entries.push_back(static_cast<double>(level->accounting.entries));
    times.insert(level->times.begin(), level->times.end());
  }
  const Accounting& met = levels.front()->accounting;
  sizes.rows = static_cast<double>(met.counted + met.left_out + met.unknown);
  sizes.counted = static_cast<double>(met.counted);
  const std::shared_ptr<StandingsData> whole =
      levels.size() == 1 ? levels.front() : nest({levels.begin(), levels.end()});
  whole->cost = cost_steps(questions, sizes, {}, &times);
  return whole;
}

namespace {

// What [compare] will want, where its choices may be made.
void want_former(const Ladder& ladder, const ReadOnce& tables) {
  try {
    tables.want(former_question(ladder));
  } catch (const Error&) {
    return;  // said when it is asked
  }
}

}  // namespace

std::vector<Problem> check(const Ladder& ladder, const Catalog& catalog, const Run& run) {
  std::vector<Problem> problems;
  resolve_levels(ladder, catalog, true, run, problems);
  for (Problem& p : check_across(ladder, catalog)) problems.push_back(std::move(p));
  // The orders that the listing might be asked for: their names, without reading the tables again.
  Ladder other = ladder;
  for (const NamedFormula& one : ladder.alternatives) {
    if (one.name == ladder.list.order_by) continue;
    other.list.order_by = one.name;
    std::vector<Problem> found;
    resolve_levels(other, catalog, false, run, found);
    for (Problem& p : found)
      if (p.place.key.starts_with("alternatives.")) problems.push_back(std::move(p));
  }
  return problems;
}

Standings standings(const Ladder& ladder, const Catalog& catalog, const Run& run) {
  // What other questions are asked on the way: their tables are read with those of the first.
  const ReadOnce once(catalog);
  const bool crossed = !ladder.across.empty(), other_choices = !ladder.compare.choose.empty();
  const Catalog& tables = crossed || other_choices ? once : catalog;
  std::vector<Problem> problems = check_across(ladder, tables);
  if (problems.empty()) {
    for (const Ladder& further : crossing_questions(ladder)) once.want(further);
    if (other_choices) want_former(ladder, once);
  }
  std::vector<Problem> found;
  std::vector<Question> questions = resolve_levels(ladder, tables, true, part_of(run, 0, reading_share), found);
  found.insert(found.end(), std::make_move_iterator(problems.begin()), std::make_move_iterator(problems.end()));
  if (!found.empty()) throw Error(std::move(found));
  const Run quiet{.threads = run.threads, .stop = run.stop};
  Stopwatch watch;
  const std::vector<Earlier> before =
      ladder.compare.empty() ? std::vector<Earlier>{} : earlier(ladder, questions, tables, quiet);
  const double compare_seconds = watch.lap();
  double across_seconds = 0;
  std::optional<Crossing> crossing;
  const Finish cross = [&](std::shared_ptr<StandingsData> down, std::size_t level) {
    Stopwatch own;
    if (!crossing) crossing.emplace(ladder, tables, quiet);
    std::shared_ptr<StandingsData> out = crossing->cross(*down, level);
    across_seconds += own.lap();
    return out;
  };
  std::shared_ptr<StandingsData> data = engine::answer(ladder, questions, run, before, crossed ? cross : Finish{});
  add_further_questions(ladder, data->cost, compare_seconds, across_seconds);
  return Standings(std::move(data));
}

const std::string& Standings::title() const { return data_->title; }
const std::string& Standings::question() const { return data_->question; }
const std::string& Standings::shown_of_total() const { return data_->shown_of_total; }
const std::vector<StandingColumn>& Standings::columns() const { return data_->columns; }
std::vector<std::pair<std::string, Value>> Standings::key(std::size_t row) const {
  // A listed row of nested levels is a row of one of them.
  const engine::StandingsData* data = data_.get();
  if (!data_->levels.empty()) {
    data = data_->levels[data_->nested[row].level].get();
    row = data_->nested[row].row;
  }
  std::vector<std::pair<std::string, Value>> out;
  for (std::size_t k = 0; k < data->key_names.size(); ++k)
    out.emplace_back(data->key_names[k], data->keys[k]->value(data->rows[row]));
  return out;
}
const std::vector<CutTie>& Standings::cut_ties() const { return data_->cut_ties; }
std::size_t Standings::rows() const { return data_->nested.empty() ? data_->rows.size() : data_->nested.size(); }
std::size_t Standings::levels() const { return std::max<std::size_t>(data_->levels.size(), 1); }
std::size_t Standings::level(std::size_t row) const { return data_->nested.empty() ? 0 : data_->nested[row].level; }
bool Standings::of_level(std::size_t row, std::size_t column) const {
  if (data_->nested.empty()) return true;
  const std::size_t level = data_->nested[row].level, there = data_->column_in[level][column];
  if (there == StandingsData::none) return false;
  const Role role = data_->levels[level]->columns[there].role;
  if (role != Role::group && role != Role::key && role != Role::label) return true;
  for (std::size_t outer = 0; outer < level; ++outer)
    if (data_->column_in[outer][column] != StandingsData::none) return false;
  return role != Role::group;
}

namespace {

// The data that a row is one of, and its entry there.
struct EntryOf {
  const StandingsData* data;
  std::uint32_t entry;
};
EntryOf entry_of(const StandingsData& data, std::size_t row) {
  if (data.nested.empty()) return {&data, data.rows[row]};
  const StandingsData& level = *data.levels[data.nested[row].level];
  return {&level, level.rows[data.nested[row].row]};
}

}  // namespace

Value Standings::value(std::size_t row, std::size_t column) const {
  if (data_->nested.empty()) return data_->values[column]->value(data_->rows[row]);
  for (bool own = true;; own = false) {
    const StandingsData::NestedRow& at = data_->nested[row];
    const StandingsData& level = *data_->levels[at.level];
    const std::size_t there = data_->column_in[at.level][column];
    if (there != StandingsData::none) {
      const Role role = level.columns[there].role;
      const bool names = role == Role::key || role == Role::group || role == Role::label;
      return own || names ? level.values[there]->value(level.rows[at.row]) : Value{};
    }
    if (at.outer == row) return {};
    row = at.outer;
  }
}
bool Standings::tied(std::size_t row) const {
  const auto [data, entry] = entry_of(*data_, row);
  return !data->tied.empty() && data->tied[entry] != 0;
}
bool Standings::tied(std::size_t row, std::size_t column) const {
  if (data_->columns[column].role != Role::place) return false;
  const auto [data, entry] = entry_of(*data_, row);
  const std::size_t there = data_->nested.empty() ? column : data_->column_in[level(row)][column];
  if (there == StandingsData::none) return false;
  const auto& own = data->tied_by[there];
  return own.empty() ? tied(row) : own[entry] != 0;
}
bool Standings::ranked(std::size_t row) const {
  const auto [data, entry] = entry_of(*data_, row);
  return !data->ranked.empty() && data->ranked[entry] != 0;
}
const std::vector<Departed>& Standings::departed() const { return data_->departed; }
const std::vector<SummaryLine>& Standings::summaries() const { return data_->summaries; }
std::size_t Standings::passed_over(std::size_t row) const {
  return data_->passed_over.empty() ? 0 : data_->passed_over[row];
}
bool Standings::starts_group(std::size_t row) const { return data_->group_start[row] != 0; }
std::vector<WouldStand> Standings::where_would(const std::string& name, const Value& value) const {
  const auto fail = [&](Code code, std::string sentence, std::string advice) {
    return Error(Problem{code, std::move(sentence), {}, {}, std::move(advice)});
  };
  if (!data_->order) throw fail(Code::bad_value, "nothing is ranked here, so nothing has a place", "--by 'spend desc'");
  if (name != data_->by_name)
    throw fail(Code::unknown_word, "places go by " + quoted(data_->by_name) + ", not by " + quoted(name),
               data_->by_name + " = ...");
  const Column& by = *data_->by;
  // Texts are ordered by a language's rules, which single values do not know.
  if (by.type().kind == Kind::text || !holds(by.type(), value))
    throw fail(Code::wrong_type,
               quoted(to_text(value)) + " cannot stand among values of " + quoted(name) + ", which is " +
                   kind_name(by.type().kind),
               {});
  std::vector<WouldStand> out;
  const Order& order = *data_->order;
  const auto rows = order.rows();
  // Without entries there is one place to take, the first; groups there are none.
  if (order.size() == 0 && data_->within.empty()) out.emplace_back();
  for (std::size_t begin = 0; begin < order.size();) {
    std::size_t end = std::min(begin + 1, order.size());
    while (end < order.size() && !order.starts_group(end)) ++end;
    WouldStand one;
    for (const ColumnPtr& group : data_->within) one.group.push_back(group->value(rows[begin]));
    for (std::size_t i = begin; i < end && order.ranked(i); ++i) {
      const Value here = by.value(rows[i]);
      ++one.standing.ranked;
      if (here == value) {
        ++one.standing.equal;
      } else if ((here < value) != data_->descending) {
        ++one.standing.better;
        one.standing.better_values += i == begin || by.value(rows[i - 1]) != here;
        one.ahead = here;
      } else if (!one.behind) {
        one.behind = here;
      }
    }
    out.push_back(std::move(one));
    begin = end;
  }
  return out;
}

Ties Standings::ties() const { return data_->ties; }
const std::vector<Remark>& Standings::remarks() const { return data_->remarks; }
const Accounting& Standings::accounting() const { return data_->accounting; }

}  // namespace lofty
