// Reading an answer.
// Covered by tests/ladder/standings_test.cpp and tests/ladder/levels_test.cpp.
#include "lofty/standings.hpp"

#include <algorithm>

#include "answer/standings_data.hpp"
#include "formula/evaluator.hpp"
#include "question/prose.hpp"
#include "rank/standing.hpp"

namespace lofty {

using namespace engine;

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
  const auto [data, entry] = entry_of(*data_, row);
  const std::size_t there = data_->nested.empty() ? column : data_->column_in[level(row)][column];
  if (there == StandingsData::none || data->columns[there].role != Role::place) return false;
  if (data->columns[there].ties == Ties::ordinal) return false;
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

  // Each group by itself.
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
    const auto value_at = [&](std::size_t i) { return by.value(rows[i]); };
    const auto against = [&](std::size_t i) {
      const Value here = value_at(i);
      return here == value ? 0 : (here < value) != data_->descending ? -1 : 1;
    };
    const Split split = split_at(order, begin, end, against);
    one.standing = split.standing([&](std::size_t i) { return i == begin || value_at(i - 1) != value_at(i); });
    if (split.equal > begin) one.ahead = value_at(split.equal - 1);
    if (split.after < split.end) one.behind = value_at(split.after);
    out.push_back(std::move(one));
    begin = end;
  }
  return out;
}

Ties Standings::ties() const { return data_->ties; }
const std::vector<Remark>& Standings::remarks() const { return data_->remarks; }
const Accounting& Standings::accounting() const { return data_->accounting; }

}  // namespace lofty
