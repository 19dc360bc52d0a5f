// Reading an answer.
// Covered by tests/ladder/standings_test.cpp and tests/answer/levels_test.cpp.
#include "lofty/standings.hpp"

#include <algorithm>

#include "answer/standings_data.hpp"
#include "base/call_check.hpp"
#include "base/name_table.hpp"
#include "formula/evaluator.hpp"
#include "lofty/nearest.hpp"
#include "question/prose.hpp"
#include "rank/standing.hpp"

namespace lofty {

using namespace engine;

namespace {

constexpr const char *a_row = "the row is one of the listing",
                     *a_cell = "the row and the column are ones of the listing";

}  // namespace

const std::string& Standings::title() const& { return data_->title; }
const std::string& Standings::question() const& { return data_->question; }
const std::string& Standings::shown_of_total() const& { return data_->shown_of_total; }
const std::vector<StandingColumn>& Standings::columns() const& { return data_->columns; }
std::vector<std::pair<std::string, Value>> Standings::key(std::size_t row) const {
  require(row < rows(), a_row);
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
const std::vector<CutTie>& Standings::cut_ties() const& { return data_->cut_ties; }
std::size_t Standings::rows() const { return data_->nested.empty() ? data_->rows.size() : data_->nested.size(); }
std::size_t Standings::levels() const { return std::max<std::size_t>(data_->levels.size(), 1); }
std::size_t Standings::level(std::size_t row) const {
  require(row < rows(), a_row);
  return data_->nested.empty() ? 0 : data_->nested[row].level;
}
bool Standings::of_level(std::size_t row, std::size_t column) const {
  require(row < rows() && column < data_->columns.size(), a_cell);
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
  require(row < (data.nested.empty() ? data.rows.size() : data.nested.size()), a_row);
  if (data.nested.empty()) return {&data, data.rows[row]};
  const StandingsData& level = *data.levels[data.nested[row].level];
  return {&level, level.rows[data.nested[row].row]};
}

}  // namespace

Value Standings::value(std::size_t row, std::size_t column) const {
  require(row < rows() && column < data_->columns.size(), a_cell);
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
  require(column < data_->columns.size(), a_cell);
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
const std::vector<Departed>& Standings::departed() const& { return data_->departed; }
const std::vector<SummaryLine>& Standings::summaries() const& { return data_->summaries; }
std::size_t Standings::passed_over(std::size_t row) const {
  require(row < rows(), a_row);
  return data_->passed_over.empty() ? 0 : data_->passed_over[row];
}
bool Standings::starts_group(std::size_t row) const {
  require(row < rows(), a_row);
  return data_->group_start[row] != 0;
}
std::vector<WouldStand> Standings::place_for(const std::string& name, const Value& value) const {
  const auto fail = [&](Code code, std::string sentence, std::string advice) {
    return Error(Problem{code, std::move(sentence), {}, {}, std::move(advice)});
  };
  if (!data_->order)
    throw fail(Code::bad_value, "nothing is ranked here, so nothing has a place", "rank.by = \"spend desc\"");
  if (name != data_->by_name)
    throw fail(Code::unknown_word, "places go by " + quoted(data_->by_name) + ", not by " + quoted(name),
               data_->by_name + " = ...");
  const std::vector<ColumnPtr>& within = data_->whole ? data_->whole->within() : data_->within;
  const Column& by = data_->whole ? *data_->whole->by() : *data_->by;
  // Texts are ordered by a language's rules, which single values do not know.
  if (by.type().kind == Kind::text || !holds(by.type(), value))
    throw fail(Code::wrong_type,
               quoted(to_text(value)) + " cannot be compared with values of " + quoted(name) + ", which is " +
                   to_string(by.type().kind),
               {});

  // Each group separately.
  std::vector<WouldStand> out;
  const Order& order = data_->whole ? data_->whole->order() : *data_->order;
  const auto rows = order.rows();
  // Without entries there is one place to take, the first; groups there are none.
  if (order.size() == 0 && within.empty()) out.emplace_back();
  for (std::size_t begin = 0; begin < order.size();) {
    std::size_t end = std::min(begin + 1, order.size());
    while (end < order.size() && !order.starts_group(end)) ++end;
    WouldStand one;
    for (const ColumnPtr& group : within) one.group.push_back(group->value(rows[begin]));
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
const std::vector<Remark>& Standings::remarks() const& { return data_->remarks; }
const Accounting& Standings::accounting() const& { return data_->accounting; }

std::optional<std::size_t> Standings::find(std::string_view name) const {
  for (std::size_t c = 0; c < data_->columns.size(); ++c)
    if (data_->columns[c].name == name) return c;
  return std::nullopt;
}

StandingRows Standings::each_row() const { return StandingRows(*this); }

Value StandingRow::operator[](std::string_view column) const {
  if (const auto found = standings_.find(column)) return standings_.value(row_, *found);
  std::vector<std::string> names;
  for (const StandingColumn& one : standings_.columns()) names.push_back(one.name);
  throw Error(Problem{
      Code::unknown_column, "no listed column `" + std::string(column) + "`", {}, nearest_word(column, names), {}});
}

namespace {

// Does T hold the values of a column of this type?
template <class T>
bool fits(const Type& type) {
  if constexpr (std::is_same_v<T, std::int64_t>) return type.kind == Kind::integer;
  if constexpr (std::is_same_v<T, Decimal>) return type.exact();
  if constexpr (std::is_same_v<T, double>) return type.numeric();
  if constexpr (std::is_same_v<T, Date>) return type.kind == Kind::date;
  if constexpr (std::is_same_v<T, Timestamp>) return type.kind == Kind::timestamp;
  if constexpr (std::is_same_v<T, std::uint8_t>) return type.kind == Kind::boolean;
  if constexpr (std::is_same_v<T, std::string>) return type.kind == Kind::text;
}

template <class T>
T as(const Value& value) {
  if constexpr (std::is_same_v<T, std::int64_t>) {
    const Decimal& number = std::get<Decimal>(value);
    if (!fits_int64(number.coefficient()))
      throw Error(Problem{Code::overflow, to_text(value) + " is beyond 64 bits", {}, {}, "values<lofty::Decimal>()"});
    return static_cast<std::int64_t>(number.coefficient());
  } else if constexpr (std::is_same_v<T, double>) {
    const auto* const exact = std::get_if<Decimal>(&value);
    return exact != nullptr ? exact->to_double() : std::get<double>(value);
  } else if constexpr (std::is_same_v<T, std::uint8_t>) {
    return static_cast<std::uint8_t>(std::get<bool>(value));
  } else {
    return std::get<T>(value);
  }
}

// A value of a column that is stored in 64 bits, without the way through Value.
template <class T>
T from_int64(std::int64_t stored, const Type& type) {
  if constexpr (std::is_same_v<T, Decimal>) return Decimal(stored, type.scale);
  if constexpr (std::is_same_v<T, double>) return Decimal(stored, type.scale).to_double();
  if constexpr (std::is_same_v<T, Date>) return Date{static_cast<std::int32_t>(stored)};
  if constexpr (std::is_same_v<T, Timestamp>) return Timestamp{stored};
  if constexpr (std::is_integral_v<T>) return static_cast<T>(stored);
  return {};
}

}  // namespace

template <class T>
ColumnValues<T> Standings::values(std::size_t column) const {
  require(column < columns().size(), "the column is one of the listing");
  const Type& type = columns()[column].type;
  if (!fits<T>(type))
    throw Error(Problem{Code::wrong_type,
                        "the column `" + columns()[column].name + "` is of type " + to_string(type.kind),
                        {},
                        {},
                        {}});
  ColumnValues<T> out;
  out.values.resize(rows());
  const auto set_null = [&](std::size_t row) {
    if (out.nulls.empty()) out.nulls.resize(rows());
    out.nulls[row] = 1;
  };

  // Straight from the column, where it is one and its values are small numbers.
  const Column* const stored = data_->nested.empty() ? data_->values[column].get() : nullptr;
  if (stored != nullptr && stored->lane() == Lane::int64 && !std::is_same_v<T, std::string>) {
    for (std::size_t row = 0; row < rows(); ++row) {
      const std::int64_t value = stored->int64(data_->rows[row]);
      if (value == int64_null)
        set_null(row);
      else
        out.values[row] = from_int64<T>(value, type);
    }
    return out;
  }
  for (std::size_t row = 0; row < rows(); ++row) {
    const Value value = this->value(row, column);
    if (is_null(value))
      set_null(row);
    else
      out.values[row] = as<T>(value);
  }
  return out;
}

template ColumnValues<std::int64_t> Standings::values(std::size_t) const;
template ColumnValues<Decimal> Standings::values(std::size_t) const;
template ColumnValues<double> Standings::values(std::size_t) const;
template ColumnValues<Date> Standings::values(std::size_t) const;
template ColumnValues<Timestamp> Standings::values(std::size_t) const;
template ColumnValues<std::uint8_t> Standings::values(std::size_t) const;
template ColumnValues<std::string> Standings::values(std::size_t) const;

LOFTY_ENUM_NAMES(Role, {Role::place, "place"}, {Role::group, "group"}, {Role::key, "key"}, {Role::label, "label"},
                 {Role::total, "total"}, {Role::cell, "cell"}, {Role::measure, "measure"})

LOFTY_ENUM_NAMES(SummaryLine::Of, {SummaryLine::Of::others, "others"}, {SummaryLine::Of::all, "all"})

}  // namespace lofty
