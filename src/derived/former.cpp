#include "derived/former.hpp"

#include <algorithm>
#include <optional>

#include "base/folded.hpp"
#include "derived/plain_answer.hpp"
#include "formula/parser.hpp"
#include "lofty/error.hpp"
#include "question/prose.hpp"
#include "table/checked_source.hpp"

namespace lofty::engine {
namespace {

[[noreturn]] void fail(Code code, std::string sentence, std::string key, std::string advice = {},
                       std::string nearest = {}) {
  Problem p{code, std::move(sentence), {}, std::move(nearest), std::move(advice)};
  p.location.key = std::move(key);
  throw Error(std::move(p));
}

bool moves(const std::string& name) {
  return equal_folded(name, "was") || equal_folded(name, "moved") || equal_folded(name, "value_before") ||
         equal_folded(name, "value_change");
}

// Does it speak of former places?
bool mentions_moves(const Expression& e) {
  if (e.op == Op::name && e.qualifier.empty() && moves(e.text)) return true;
  return std::any_of(e.args.begin(), e.args.end(),
                     [](const ExpressionPtr& arg) { return arg && mentions_moves(*arg); });
}

FormerPlaces stood_in(const StandingsData& data) {
  FormerPlaces out{data.key_names, {}};
  std::vector<std::uint8_t> listed(data.place->rows(), 0);
  for (const std::uint32_t entry : data.rows) listed[entry] = 1;
  for (std::uint32_t e = 0; e < listed.size(); ++e) {
    out.stood[key_at(data.keys, e)] = {
        data.place->value(e),
        {},
        listed[e] != 0,
        data.label && !data.label->is_null(e) ? to_text(data.label->value(e)) : std::string(),
        data.by ? data.by->value(e) : Value{}};
  }
  return out;
}

// Saved standings say what their entries are and what they were ranked by; those of an earlier version do not.
void check_asked(const Ladder& ladder, const std::vector<std::string>& key_names, const Catalog& catalog,
                 const Run& run) {
  std::shared_ptr<const TableSource> source;
  try {
    source = opened(catalog, ladder.compare.with + "#asked");
  } catch (const Error& error) {
    if (error.code() == Code::unknown_table) return;
    throw;
  }
  const std::vector<std::size_t> both{0, 1};
  const Table asked = read_from(*source, both, run);
  std::string each;
  for (const std::string& key : key_names) each += (each.empty() ? "" : ", ") + key;
  if (const std::string then = to_text(asked.value(0, 0)); !equal_folded(then, each))
    fail(Code::key_mismatch,
         "the entries of " + ladder.compare.with + " are told apart by " + quoted(then) + ", and these by " +
             quoted(each),
         "compare.with", "compare standings of the same entries");

  // The first key decides; further ones break its ties.
  const std::vector<SortItem> items = parse_sort_list(ladder.levels.front().by);
  const SortItem& first = items.front();
  const std::string now =
      ladder.levels.front().by.substr(first.expression->begin, first.expression->end - first.expression->begin) +
      (first.descending ? " desc" : " asc");
  if (const std::string then = to_text(asked.value(0, 1)); !equal_folded(then, now))
    fail(Code::key_mismatch,
         "the places of " + ladder.compare.with + " go by " + quoted(then) + ", and these by " + quoted(now),
         "compare.with", "compare places by the same measure");
}

// Of a level among so many.
FormerPlaces from_table(const Question& question, std::size_t level, std::size_t levels, const Catalog& catalog,
                        const Run& run) {
  const Ladder& ladder = *question.ladder;
  const std::string& place = question.place_names.front();
  std::vector<std::string> key_names;
  for (const auto* part : {&question.within, &question.each})
    for (const std::size_t key : *part) key_names.push_back(question.entry_columns[key].name);

  const std::string& name = ladder.compare.with;
  const bool saved = name.ends_with(".standings.json");
  if (!saved && levels > 1)
    fail(Code::bad_value, "the rows of " + quoted(name) + " do not say which level they are of", "compare.with",
         "levels inside levels are compared with saved standings, or with other choices");
  if (saved && level == 0) check_asked(ladder, key_names, catalog, run);
  const std::string part = level == 0 ? "#entries" : "#level" + std::to_string(level + 1);
  const auto source = opened(catalog, saved ? name + part : name);
  const std::vector<std::string>& headings = source->headings();

  // The columns that say who, and which place.
  std::vector<std::size_t> wanted;
  const auto find = [&](const std::string& column) {
    for (std::size_t c = 0; c < headings.size(); ++c)
      if (equal_folded(headings[c], column)) return c;
    fail(Code::unknown_column, source->name() + " has no column " + quoted(column) + " to compare by", "compare.with",
         "it needs the entries' keys and their places", nearest_word(column, headings));
  };
  for (const std::string& key : key_names) wanted.push_back(find(key));
  wanted.push_back(find(place));
  const std::size_t keys = key_names.size();

  // Saved standings tell also who was listed, and what they are called.
  std::vector<std::size_t> read = wanted;
  std::optional<std::size_t> listed, label, peers;
  for (std::size_t c = 0; c < headings.size(); ++c) {
    if (saved && headings[c] == "listed") listed = c;
    if (saved && headings[c] == "label") label = c;
    if (saved && headings[c] == peers_place) peers = c;
  }
  for (const auto& more : {listed, label, peers})
    if (more) read.push_back(*more);
  std::sort(read.begin(), read.end());
  const Table table = read_from(*source, read, run);

  // Row by row.
  FormerPlaces out{key_names, {}};
  for (std::size_t r = 0; r < table.rows(); ++r) {
    EntryKey key;
    for (std::size_t k = 0; k < keys; ++k) key.push_back(table.value(r, wanted[k]));
    const Value stood = table.value(r, wanted[keys]);
    if (!is_null(stood) && !std::holds_alternative<Decimal>(stood))
      fail(Code::wrong_type,
           quoted(place) + " of " + source->name() + " holds " + quoted(to_text(stood)) + ", which is not a place",
           "compare.with");
    const bool was_listed = !listed || table.value(r, *listed) == Value(true);
    const std::string called = label ? to_text(table.value(r, *label)) : std::string();
    const Value shared = peers ? table.value(r, *peers) : Value{};
    if (!out.stood.emplace(key, FormerPlaces::Stood{stood, shared, was_listed, called}).second)
      fail(Code::key_mismatch, source->name() + " has two rows for " + key_text(key_names, key), "compare.with",
           "each entry is listed once");
  }
  return out;
}

// The number that a period's `last` or `back` is: written, or a choice's value.
std::int64_t units_of(const Ladder& ladder, const std::string& text) {
  if (text.empty()) return 0;
  Value value;
  if (text.starts_with(":")) {
    for (const Choice& choice : ladder.choices)
      if (choice.name == text.substr(1)) value = choice.value;
  } else if (const auto written = Decimal::parse(text)) {
    value = *written;
  }
  const auto* const number = std::get_if<Decimal>(&value);
  return number != nullptr && number->scale() == 0 ? static_cast<std::int64_t>(number->coefficient()) : 0;
}

// The whole stretch before a period, which is as long.
void move_back(Ladder& ladder, const std::string& name) {
  for (Period& period : ladder.periods)
    if (equal_folded(period.name, name))
      period.back = std::to_string(units_of(ladder, period.back) + units_of(ladder, period.last));
}

Ladder former_question(const Ladder& ladder) {
  Ladder before = ladder;
  before.crossed = {};
  for (const auto& [name, value] : ladder.compare.choose) {
    try {
      choose(before, name, to_text(value));
    } catch (const Error& error) {
      std::vector<Problem> problems = error.problems();
      for (Problem& p : problems) p.location.key = "compare.choose." + name;
      throw Error(std::move(problems));
    }
  }
  if (!ladder.compare.period.empty()) move_back(before, ladder.compare.period);
  before.list.first = before.list.last = before.list.sample = std::nullopt;  // who was listed, whichever rows are shown
  without_moves(before);
  return before;
}

}  // namespace

void without_moves(Ladder& ladder) {
  if (ladder.compare.empty()) return;
  ladder.compare = {};
  std::erase_if(ladder.list.columns, moves);
  std::erase_if(ladder.list.headings, [](const auto& heading) { return moves(heading.first); });
  std::erase_if(ladder.list.formats, [](const auto& format) { return moves(format.first); });
  std::erase_if(ladder.list.bars, moves);
  ladder.list.order.clear();
  ladder.list.alternative.clear();
  ladder.alternatives.clear();
  for (Level& level : ladder.levels)
    if (!level.where.empty() && mentions_moves(*parse_expression(level.where))) level.where.clear();
}

FormerQuestion::FormerQuestion(const Ladder& ladder, const Catalog& catalog, const Resolution& now)
    : before_(former_question(ladder)), resolution_(before_, catalog, now) {}

std::vector<FormerPlaces> FormerQuestion::places(Execution& rows, std::size_t question, JoinCache& joins,
                                                 const Run& run) const {
  std::vector<FormerPlaces> out;
  for (const auto& level : answer_levels(rows, question, {}, joins, run).data) out.push_back(stood_in(*level));
  return out;
}

std::vector<FormerPlaces> places_in_table(const std::vector<Question>& questions, const Catalog& catalog,
                                          const Run& run) {
  std::vector<FormerPlaces> out;
  for (const Question& question : questions)
    out.push_back(from_table(question, out.size(), questions.size(), catalog, run));
  return out;
}

}  // namespace lofty::engine
