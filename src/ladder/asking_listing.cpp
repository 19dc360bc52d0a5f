// Answering a level of a ladder: what is kept and listed, and the lines for the rest.
// Covered by tests/ladder/standings_test.cpp.
#include "ladder/asking.hpp"

#include <algorithm>
#include <random>

#include "ladder/prose.hpp"
#include "ladder/sort_codes.hpp"
#include "ladder/windows.hpp"
#include "lofty/places.hpp"
#include "order/custom_order.hpp"
#include "order/sort.hpp"
#include "rank/exact_sum.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

void Asking::account(const JoinedRows& rows) {
  Accounting& a = a_.data->accounting;
  a.read = a_.question.tables.front().table.rows();
  for (std::size_t j = 0; j < a_.question.joins.size(); ++j) {
    const JoinedRows::Report& report = rows.reports()[j];
    const JoinKind kind = a_.question.joins[j].kind;
    a.joins.push_back({a_.question.tables[a_.question.joins[j].table].source->name(), report.unmatched,
                       report.without_rows, kind == JoinKind::inner || kind == JoinKind::right ? report.unmatched : 0,
                       kind == JoinKind::right || kind == JoinKind::full ? report.without_rows : 0, report.more});
  }
  a.left_out = a_.entries.left_out;
  a.unknown = a_.entries.unknown;
  a.counted = a_.entries.counted;
  a.entries = a_.entries_before;
  a.ineligible = static_cast<std::size_t>(std::count(a_.eligible.begin(), a_.eligible.end(), is_false));
  a.eligibility_unknown = static_cast<std::size_t>(std::count(a_.eligible.begin(), a_.eligible.end(), is_unknown));
  if (a_.order) {
    a.groups = a_.order->groups();
    a.ranked = static_cast<std::size_t>(std::count(a_.data->ranked.begin(), a_.data->ranked.end(), 1));
    a.unranked = a_.entries.count - a.ranked;
  }
}

void Asking::keep() {
  if (a_.question.keep_where) {
    a_.passes = truths(*a_.question.keep_where, a_.columns);
    for (std::uint8_t& one : a_.passes) one = one == is_true;
    a_.data->accounting.not_kept = static_cast<std::size_t>(std::count(a_.passes.begin(), a_.passes.end(), 0));
  }
  if (!a_.order) {
    for (std::uint32_t e = 0; e < a_.entries.count; ++e)
      if (a_.kept(e)) a_.data->rows.push_back(e);
    return;
  }
  const auto rows = a_.order->rows();
  const std::optional<std::size_t> best = a_.question.level->best, worst = a_.question.level->worst;
  const bool strict = a_.question.level->cut == Cut::strict;
  const bool with_unranked = a_.question.level->unranked || (!best && !worst && !a_.question.keep_where);
  std::vector<std::size_t> in;  // positions of a group's ranked entries that keep.where lets through
  a_.each_group([&](std::size_t begin, std::size_t ranked, std::size_t end) {
    in.clear();
    for (std::size_t i = begin; i < ranked; ++i)
      if (a_.kept(rows[i])) in.push_back(i);
    // Of these the first `front` are among the best, those from `back` on among the worst. A cut lies between two;
    // when they are peers it goes through a tie.
    const auto tied = [&](std::size_t cut) { return a_.competition[in[cut]] == a_.competition[in[cut - 1]]; };
    const std::size_t count = in.size();
    std::size_t front = best || !worst ? count : 0, back = count;
    if (best && *best < count) {
      front = *best;
      if (tied(front)) a_.cuts.push_back({in[front], in[front - 1], true});
      while (!strict && front < count && tied(front)) ++front;
    }
    if (worst) {
      back = count - std::min(count, *worst);
      if (back > 0 && back < count && tied(back)) a_.cuts.push_back({in[back], in[back - 1], false});
      while (!strict && back > 0 && back < count && tied(back)) --back;
    }
    // The listed rows that are there only because they share the place at the cut.
    const auto peers_begin = [&](std::size_t i) {
      while (i > 0 && a_.competition[in[i - 1]] == a_.competition[in[i]]) --i;
      return i;
    };
    const auto peers_end = [&](std::size_t i) {
      while (i < count && a_.competition[in[i]] == a_.competition[in[i - 1]]) ++i;
      return i;
    };
    const std::size_t listed = a_.data->rows.size();
    if (best && front > *best && front <= back)
      a_.data->cut_ties.push_back({listed + peers_begin(front - 1), listed + front, listed + *best, true});
    if (worst && back + *worst < count && front <= back) {
      const std::size_t before = listed + front;  // where the worst are listed from
      a_.data->cut_ties.push_back({before, before + peers_end(back + 1) - back, before + count - *worst - back, false});
    }
    for (std::size_t i = 0; i < count; ++i) {
      if (i >= front && i < back) continue;
      a_.data->rows.push_back(rows[in[i]]);
      a_.data->passed_over.push_back(i == back && front > 0 && back > front ? static_cast<std::uint32_t>(back - front)
                                                                            : 0);
    }
    for (std::size_t i = ranked; i < end && with_unranked; ++i) {
      if (!a_.kept(rows[i])) continue;
      a_.data->rows.push_back(rows[i]);
      a_.data->passed_over.push_back(0);
    }
  });
}

void Asking::list() {
  a_.data->entries = a_.entries.count;
  const std::vector<std::uint32_t> in_order_of_places = a_.data->rows;
  if (a_.question.list_as_input || !a_.question.list_order.empty()) a_.data->passed_over.clear();
  if (a_.question.list_as_input) {
    std::sort(a_.data->rows.begin(), a_.data->rows.end(),
              [&](std::uint32_t a, std::uint32_t b) { return a_.entries.first_rows[a] < a_.entries.first_rows[b]; });
  } else if (!a_.entries.listed.empty() && a_.entries.listed.size() == a_.entries.count && !a_.entries.numbered_as) {
    std::vector<std::uint8_t> in(a_.entries.count, 0);
    for (const std::uint32_t entry : a_.data->rows) in[entry] = 1;
    a_.data->rows.clear();
    for (const std::uint32_t entry : a_.entries.listed)
      if (in[entry] != 0) a_.data->rows.push_back(entry);
  } else if (!a_.question.list_order.empty()) {
    std::vector<ColumnPtr> kept;
    const KeyList codes = codes_of(a_.question.list_order, a_.columns, kept);
    SortKeys keys;  // entries equal on all of the list's keys stay in the order of places, in which they stand
    for (const auto& key : codes) keys.by.push_back(picked(*key, a_.data->rows));
    const Order listed = make_order(a_.data->rows.size(), keys, a_.run);
    std::vector<std::uint32_t> rows;
    for (const std::uint32_t at : listed.rows()) rows.push_back(a_.data->rows[at]);
    a_.data->rows.swap(rows);
  }
  if (a_.ladder.list.hide_blank_groups) hide_blanks();
  a_.kept_count = a_.data->rows.size();
  take_some();
  if (!a_.data->cut_ties.empty() && a_.data->rows != in_order_of_places) a_.data->cut_ties.clear();
  for (const ListColumn& listed : a_.question.list_columns) {
    StandingColumn column;
    column.name = listed.name;
    column.heading = listed.heading == listed.name ? listed.name : filled_in(listed.heading, a_.ladder.choices);
    const auto index = static_cast<std::size_t>(listed.column);
    const ColumnPtr& values = a_.columns[index];
    column.type = values->type();
    column.role = a_.role_of(index);
    if (index >= a_.question.entry_columns.size()) {
      const std::size_t place = index - a_.question.entry_columns.size();
      column.ties = place == 0 || place > a_.question.also.size() ? a_.question.level->ties
                                                                  : a_.question.level->also[place - 1].ties;
      if (place > 0 && place <= a_.question.also.size()) column.measure = a_.question.level->also[place - 1].measure;
    }
    column.format = listed.format;
    column.bar = listed.bar;
    a_.data->tied_by.push_back(index > a_.question.entry_columns.size() &&
                                       index - a_.question.entry_columns.size() <= a_.question.also.size()
                                   ? a_.also_tied[index - a_.question.entry_columns.size() - 1]
                                   : std::vector<std::uint8_t>{});
    mark_sort(column, listed.column);
    a_.data->columns.push_back(std::move(column));
    a_.data->values.push_back(values);
  }
  a_.data->accounting.listed = a_.data->rows.size();
  mark_groups();
}

void Asking::hide_blanks() {
  const auto blank = [&](std::uint32_t entry) {
    const auto null = [&](std::size_t key) { return a_.entries.columns[key]->is_null(entry); };
    return std::any_of(a_.question.within.begin(), a_.question.within.end(), null) ||
           std::any_of(a_.question.each.begin(), a_.question.each.end(), null);
  };
  std::vector<std::uint32_t> rows, gaps;
  for (std::size_t i = 0; i < a_.data->rows.size(); ++i) {
    if (blank(a_.data->rows[i])) continue;
    rows.push_back(a_.data->rows[i]);
    if (!a_.data->passed_over.empty()) gaps.push_back(a_.data->passed_over[i]);
  }
  a_.data->rows.swap(rows);
  a_.data->passed_over.swap(gaps);
}

void Asking::take_some() {
  const Listing& list = a_.ladder.list;
  std::vector<std::uint32_t>& rows = a_.data->rows;
  const std::size_t count = rows.size();
  std::vector<std::uint8_t> taken(count, 0);
  if (list.sample) {
    // Selection sampling (Knuth, The Art of Computer Programming 2, 3.4.2 S): each row with the chance that it needs.
    std::mt19937_64 random(list.seed);
    std::size_t wanted = std::min(*list.sample, count);
    for (std::size_t i = 0; i < count && wanted > 0; ++i) {
      const auto draw = static_cast<std::size_t>(static_cast<uint128>(random()) * (count - i) >> 64);
      taken[i] = draw < wanted;
      wanted -= taken[i];
    }
  } else if (list.first || list.last) {
    std::fill_n(taken.begin(), std::min(list.first.value_or(0), count), 1);
    std::fill_n(taken.rbegin(), std::min(list.last.value_or(0), count), 1);
  } else {
    return;
  }
  std::vector<std::uint32_t> left, gaps;
  for (std::size_t i = 0, before = 0; i < count; ++i) {
    if (taken[i] == 0) {
      ++before;
      continue;
    }
    left.push_back(rows[i]);
    gaps.push_back(list.sample || left.size() == 1 ? 0 : static_cast<std::uint32_t>(before));
    before = 0;
  }
  rows.swap(left);
  a_.data->passed_over.swap(gaps);
}

void Asking::mark_sort(StandingColumn& column, int index) const {
  if (a_.question.list_as_input) return;
  const auto& keys = !a_.question.list_order.empty() ? a_.question.list_order : a_.question.by;
  for (std::size_t k = 0; k < keys.size(); ++k)
    if (keys[k].node->op == Op::name && keys[k].node->column == index) {
      column.sort_position = static_cast<int>(k) + 1;
      column.descending = keys[k].descending;
    }
}

void Asking::mark_groups() {
  std::vector<std::uint8_t>& start = a_.data->group_start;
  start.assign(a_.data->rows.size(), 0);
  if (a_.question.within.empty() || !a_.order) return;
  // The number of each entry's group.
  std::vector<std::uint32_t>& group = a_.group_of;
  group.resize(a_.entries.count);
  std::uint32_t number = 0;
  for (std::size_t i = 0; i < a_.order->size(); ++i) {
    number += a_.order->starts_group(i);
    group[a_.order->rows()[i]] = number;
  }
  std::vector<bool> seen(number + 1, false);
  for (std::size_t i = 0; i < a_.data->rows.size(); ++i) {
    const std::uint32_t g = group[a_.data->rows[i]];
    start[i] = i == 0 || g != group[a_.data->rows[i - 1]];
    if (start[i] && seen[g]) {  // groups are mixed: breaks would tell lies
      start.assign(a_.data->rows.size(), 0);
      a_.groups_mixed = true;
      return;
    }
    seen[g] = true;
  }
}

void Asking::summarize() {
  const std::size_t groups = a_.group_of.empty() || a_.groups_mixed
                                 ? 1
                                 : *std::max_element(a_.group_of.begin(), a_.group_of.end()) + std::size_t{1};
  const auto group_of = [&](std::uint32_t entry) { return groups == 1 ? 0 : a_.group_of[entry]; };
  std::vector<std::uint8_t> listed(a_.entries.count, 0);
  std::vector<std::size_t> last(groups, a_.data->rows.size()), all(groups, 0), left(groups, 0);
  for (std::size_t r = 0; r < a_.data->rows.size(); ++r) {
    listed[a_.data->rows[r]] = 1;
    last[group_of(a_.data->rows[r])] = r;
  }
  std::vector<std::uint32_t> of_all, of_left;  // by entry as it was first numbered
  const auto outside = static_cast<std::uint32_t>(groups);
  of_all.assign(a_.entries.numbered_as ? a_.numbered : a_.entries.count, outside);
  of_left = of_all;
  for (std::uint32_t e = 0; e < a_.entries.count; ++e) {
    const std::uint32_t first_number = a_.entries.numbered_as ? (*a_.entries.numbered_as)[e] : e;
    of_all[first_number] = group_of(e);
    ++all[group_of(e)];
    if (listed[e]) continue;
    of_left[first_number] = group_of(e);
    ++left[group_of(e)];
  }
  const std::vector<ColumnPtr> left_totals = totals_of(of_left, groups), all_totals = totals_of(of_all, groups);
  std::vector<std::size_t> in_order;  // groups, as they are listed
  for (std::size_t g = 0; g < groups; ++g)
    if (last[g] < a_.data->rows.size()) in_order.push_back(g);
  std::sort(in_order.begin(), in_order.end(), [&](std::size_t a, std::size_t b) { return last[a] < last[b]; });
  for (const std::size_t g : in_order) {
    if (left[g] > 0)
      add_summary(SummaryLine::Of::others, last[g], left[g], "others, " + words_.counted_entries(left[g]), left_totals,
                  g);
    add_summary(SummaryLine::Of::all, last[g], all[g], "all " + words_.counted_entries(all[g]), all_totals, g);
  }
  note_overlaps(group_of, groups, all_totals);
}

std::vector<ColumnPtr> Asking::totals_of(const std::vector<std::uint32_t>& group_of, std::size_t groups) const {
  std::vector<ColumnPtr> columns = a_.entries.regroup->totals(group_of, groups), filled = columns;
  for (std::size_t c = 0; c < columns.size(); ++c) {
    const Type type = a_.question.entry_columns[c].type;
    if (columns[c]) continue;
    Piece nothing(type);  // a key has no one value here
    for (std::size_t g = 0; g < groups; ++g) nothing.add_null();
    filled[c] = Column::seal(std::move(nothing));
  }
  for (const std::size_t total : a_.question.totals) {
    filled[total] = evaluate_column(*a_.question.entry_columns[total].node, ColumnSource(groups, filled),
                                    a_.question.slots, a_.run);
    columns[total] = filled[total];
  }
  return columns;
}

void Asking::add_summary(SummaryLine::Of of, std::size_t behind, std::size_t entries, std::string label,
                         const std::vector<ColumnPtr>& totals, std::size_t group) {
  SummaryLine line{.of = of, .behind = behind, .entries = entries, .label = std::move(label)};
  line.label_column = label_column();
  for (const ListColumn& column : a_.question.list_columns) {
    const auto c = static_cast<std::size_t>(column.column);
    line.values.push_back(c < totals.size() && totals[c] ? totals[c]->value(group) : Value{});
  }
  a_.data->summaries.push_back(std::move(line));
}

std::size_t Asking::label_column() const {
  const std::vector<StandingColumn>& columns = a_.data->columns;
  const auto first = [&](const auto& fits) {
    return static_cast<std::size_t>(std::find_if(columns.begin(), columns.end(), fits) - columns.begin());
  };
  const auto is = [](const StandingColumn& c, Role role) { return c.role == role; };
  std::size_t at = first([&](const StandingColumn& c) { return is(c, Role::label) && c.type.kind == Kind::text; });
  // Of an inner level, a label of the entry outside is none of its own.
  if (at < columns.size() && a_.outer != nullptr) {
    const auto outside = [&](const StandingColumn& c) {
      return std::any_of(a_.outer->columns.begin(), a_.outer->columns.end(),
                         [&](const StandingColumn& o) { return o.name == c.name; });
    };
    at = first([&](const StandingColumn& c) { return is(c, Role::label) && c.type.kind == Kind::text && !outside(c); });
  }
  if (at == columns.size()) at = first([&](const StandingColumn& c) { return is(c, Role::key); });
  return at == columns.size() ? 0 : at;
}

template <class GroupOf>
void Asking::note_overlaps(const GroupOf& group_of, std::size_t groups, const std::vector<ColumnPtr>& together) {
  for (const ListColumn& column : a_.question.list_columns) {
    const auto c = static_cast<std::size_t>(column.column);
    if (c >= a_.question.entry_columns.size()) continue;
    const EntryColumn& total = a_.question.entry_columns[c];
    if (total.from != EntryColumn::From::total || total.node->op != Op::name) continue;
    const EntryColumn& behind = a_.question.entry_columns[static_cast<std::size_t>(total.node->column)];
    if (behind.from != EntryColumn::From::aggregate ||
        a_.question.aggregates[behind.index]->kind != AggregateKind::count_distinct)
      continue;
    std::vector<std::int64_t> added(groups, 0);
    for (std::uint32_t e = 0; e < a_.entries.count; ++e) added[group_of(e)] += a_.entries.columns[c]->int64(e);
    for (std::size_t g = 0; g < groups; ++g)
      if (added[g] > together[c]->int64(g)) {
        a_.overlaps.push_back({c, added[g], together[c]->int64(g)});
        break;
      }
  }
}

}  // namespace lofty::engine
