#include "answer/listed.hpp"

#include <algorithm>
#include <random>

#include "base/access.hpp"
#include "order/order_data.hpp"
#include "order/sort.hpp"
#include "question/prose.hpp"

namespace lofty::engine {
namespace {

// The kept entries in the listing's order.
void put_in_order(const LevelInput& input, const Entries& entries, const Places& places, SortKeyMaker& keys,
                  Listed& out) {
  const Question& question = input.question;
  if (question.list.as_input) {
    out.passed_over.clear();
    std::sort(out.rows.begin(), out.rows.end(),
              [&](std::uint32_t a, std::uint32_t b) { return entries.first_rows[a] < entries.first_rows[b]; });
    return;
  }
  if (!question.list.order.empty()) out.passed_over.clear();

  // A window's sort has made this order already.
  if (!entries.windows.listed.empty() && entries.windows.listed.size() == entries.count && !entries.numbered_as) {
    std::vector<std::uint8_t> in(entries.count, 0);
    for (const std::uint32_t entry : out.rows) in[entry] = 1;
    out.rows.clear();
    for (const std::uint32_t entry : entries.windows.listed)
      if (in[entry] != 0) out.rows.push_back(entry);
    return;
  }
  if (question.list.order.empty()) return;

  // Entries equal on all of the list's keys stay in the order of places, in which they are.
  std::vector<ColumnPtr> values;
  const KeyList codes = keys.codes(question.list.order, places.columns, values);
  SortKeys sort;
  for (const auto& key : codes) sort.by.push_back(picked(*key, out.rows));
  const Order order = make_order(out.rows.size(), sort, input.run);
  std::vector<std::uint32_t> rows;
  for (const std::uint32_t at : order.rows()) rows.push_back(out.rows[at]);
  out.rows.swap(rows);
}

// list.blank_group = "hide"
void hide_blanks(const Question& question, const Entries& entries, Listed& out) {
  const auto blank = [&](std::uint32_t entry) {
    const auto null = [&](std::size_t key) { return entries.columns[key]->is_null(entry); };
    return std::any_of(question.within.begin(), question.within.end(), null) ||
           std::any_of(question.each.begin(), question.each.end(), null);
  };
  std::vector<std::uint32_t> rows, gaps;
  for (std::size_t i = 0; i < out.rows.size(); ++i) {
    if (blank(out.rows[i])) continue;
    rows.push_back(out.rows[i]);
    if (!out.passed_over.empty()) gaps.push_back(out.passed_over[i]);
  }
  out.rows.swap(rows);
  out.passed_over.swap(gaps);
}

// list.first, list.last, list.sample
void take_some(const Listing& list, Listed& out) {
  const std::size_t count = out.rows.size();
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
    left.push_back(out.rows[i]);
    gaps.push_back(list.sample || left.size() == 1 ? 0 : static_cast<std::uint32_t>(before));
    before = 0;
  }
  out.rows.swap(left);
  out.passed_over.swap(gaps);
}

// The keys that the listing is sorted by: the list's own, or else those of the places.
void mark_sort(const Question& question, int index, StandingColumn& column) {
  if (question.list.as_input) return;
  const auto& keys = !question.list.order.empty() ? question.list.order : question.by;
  for (std::size_t k = 0; k < keys.size(); ++k)
    if (keys[k].node->op == Op::name && keys[k].node->column == index) {
      column.sort_position = static_cast<int>(k) + 1;
      column.descending = keys[k].descending;
    }
}

void add_columns(const LevelInput& input, const Places& places, Listed& out) {
  const Question& question = input.question;
  for (const ListColumn& listed : question.list.columns) {
    const auto index = static_cast<std::size_t>(listed.column);
    StandingColumn column;
    column.name = listed.name;
    column.heading = listed.heading == listed.name ? listed.name : filled_in(listed.heading, input.ladder().choices);
    column.type = places.columns[index]->type();
    column.role = role_of(question, index);
    column.format = listed.format;
    column.bar = listed.bar;
    mark_sort(question, listed.column, column);

    // A place column has a tie rule, and one of rank.also its own measure and, where it has its own keys, ties.
    std::vector<std::uint8_t> tied;
    if (index >= question.entry_columns.size()) {
      const std::size_t place = index - question.entry_columns.size();
      const bool also = place > 0 && place <= question.also.size();
      column.ties = also ? question.level->also[place - 1].ties : question.level->ties;
      if (also) {
        column.measure = question.level->also[place - 1].measure;
        tied = places.also_tied[place - 1];
      }
    }
    out.tied_by.push_back(std::move(tied));
    out.columns.push_back(std::move(column));
    out.values.push_back(places.columns[index]);
  }
}

// Marks the groups of rows that are listed in the order of places: then both can be gone through together. False: they
// are not.
bool follow_places(const Places& places, Listed& out) {
  const OrderData& order = Access::data(*places.order);
  const std::size_t count = places.order->size();
  std::size_t at = 0;
  for (std::size_t i = 0; i < out.rows.size(); ++i) {
    bool starts = i == 0;
    for (; at < count && order.rows[at] != out.rows[i]; ++at)
      starts = starts || (order.marks[at] & OrderData::group_start) != 0;
    if (at == count) {
      out.group_start.assign(out.rows.size(), 0);
      return false;
    }
    out.group_start[i] = starts || (order.marks[at] & OrderData::group_start) != 0;
    ++at;
  }
  return true;
}

void mark_groups(const Question& question, const Entries& entries, const Places& places, Listed& out) {
  out.group_start.assign(out.rows.size(), 0);
  if (question.within.empty() || !places.order) return;
  if (follow_places(places, out) && !question.keeps_states) return;  // nobody asks for the groups of entries

  // The number of each entry's group.
  out.group_of.resize(entries.count);
  std::uint32_t number = 0;
  for (std::size_t i = 0; i < places.order->size(); ++i) {
    number += places.order->starts_group(i);
    out.group_of[places.order->rows()[i]] = number;
  }

  std::vector<bool> seen(number + 1, false);
  for (std::size_t i = 0; i < out.rows.size(); ++i) {
    const std::uint32_t group = out.group_of[out.rows[i]];
    out.group_start[i] = i == 0 || group != out.group_of[out.rows[i - 1]];
    if (out.group_start[i] && seen[group]) {  // groups are mixed: breaks would mislead
      out.group_start.assign(out.rows.size(), 0);
      out.groups_mixed = true;
      return;
    }
    seen[group] = true;
  }
}

}  // namespace

Listed list(const LevelInput& input, const Entries& entries, const Places& places, const Kept& kept,
            SortKeyMaker& keys) {
  Listed out;
  out.rows = kept.entries;
  out.passed_over = kept.passed_over;
  put_in_order(input, entries, places, keys, out);
  if (input.ladder().list.hide_blank_groups) hide_blanks(input.question, entries, out);
  out.kept = out.rows;
  out.kept_count = out.rows.size();
  take_some(input.ladder().list, out);
  if (out.rows == kept.entries) out.cut_ties = kept.cut_ties;
  add_columns(input, places, out);
  mark_groups(input.question, entries, places, out);
  return out;
}

}  // namespace lofty::engine
