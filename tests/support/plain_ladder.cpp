#include "support/plain_ladder.hpp"

#include <algorithm>

namespace plain {

std::string shown(const Cell& cell) {
  if (cell.null()) return "";
  return cell.is_text ? *cell.text : lofty::Decimal(*cell.number, cell.scale).text();
}

namespace {

// -1, 0, 1; nulls last either way.
int compare(const Cell& a, const Cell& b, bool descending) {
  if (a.null() || b.null()) return a.null() == b.null() ? 0 : a.null() ? 1 : -1;
  const int way =
      a.is_text ? (*a.text < *b.text ? -1 : *a.text > *b.text) : (*a.number < *b.number ? -1 : *a.number > *b.number);
  return descending ? -way : way;
}
int compare(const std::vector<Cell>& a, const std::vector<Cell>& b) {
  for (std::size_t i = 0; i < a.size(); ++i)
    if (const int way = compare(a[i], b[i], false); way != 0) return way;
  return 0;
}
int compare(const Entry& a, const Entry& b, const std::vector<Key>& keys) {
  for (const Key& key : keys)
    if (const int way = compare(a.totals[key.total], b.totals[key.total], key.descending); way != 0) return way;
  return 0;
}

std::string list_of(const Question& question, const std::vector<Key>& keys) {
  std::string text;
  for (const Key& key : keys)
    text += (text.empty() ? "" : ", ") + question.totals[key.total].name + (key.descending ? " desc" : " asc");
  return text;
}

// A group's entries, in the order of their places, and which of them are ranked.
struct Group {
  std::vector<Entry> entries;
  std::size_t ranked = 0;
};

}  // namespace

lofty::Ladder ladder_of(const Question& question) {
  lofty::Ladder ladder{.data = {.from = "lines"}, .where = question.where.text};
  for (const Total& total : question.totals) ladder.totals.push_back({total.name, total.text});
  lofty::Level level;
  for (const Column& column : question.within) level.within.push_back(column.name);
  for (const Column& column : question.each) level.each.push_back(column.name);
  level.by = list_of(question, question.by);
  level.tiebreak = list_of(question, question.tiebreak);
  level.having = question.having.text;
  level.eligible = question.eligible.text;
  level.where = question.keep.text;
  level.best = question.best;
  level.worst = question.worst;
  level.cut = question.strict ? lofty::Cut::strict : lofty::Cut::with_ties;
  level.unranked = question.unranked;
  ladder.levels = {level};
  return ladder;
}

lofty::Catalog catalog_of(const std::vector<Row>& rows) {
  std::vector<std::string> valleys, statuses;
  std::vector<std::int64_t> shops, orders;
  std::vector<lofty::Decimal> amounts;
  std::vector<std::uint8_t> no_valley, no_status, no_shop, no_amount;
  for (const Row& row : rows) {
    valleys.push_back(row.valley.value_or(""));
    no_valley.push_back(!row.valley);
    statuses.push_back(row.status.value_or(""));
    no_status.push_back(!row.status);
    shops.push_back(row.shop.value_or(0));
    no_shop.push_back(!row.shop);
    orders.push_back(row.order);
    amounts.emplace_back(row.amount.value_or(0), 2);
    no_amount.push_back(!row.amount);
  }
  lofty::Catalog catalog;
  catalog.add(lofty::TableBuilder("lines")
                  .column("valley", valleys, no_valley)
                  .column("status", statuses, no_status)
                  .column("shop", shops, no_shop)
                  .column("order_no", orders)
                  .column("amount", amounts, no_amount)
                  .build());
  return catalog;
}

std::vector<std::vector<std::string>> answer(const Question& q, const std::vector<Row>& rows) {
  // rows.where, and entries: a new one for every row that no entry has the keys of.
  struct Made {
    Entry entry;
    std::vector<Row> rows;
  };
  std::vector<Made> made;
  for (const Row& row : rows) {
    if (q.where.means && q.where.means(row) != Truth(true)) continue;
    Entry entry;
    for (const Column& column : q.within) entry.within.push_back(column.of(row));
    for (const Column& column : q.each) entry.each.push_back(column.of(row));
    const auto same = std::find_if(made.begin(), made.end(), [&](const Made& other) {
      return compare(other.entry.within, entry.within) == 0 && compare(other.entry.each, entry.each) == 0;
    });
    if (same == made.end())
      made.push_back({std::move(entry), {row}});
    else
      same->rows.push_back(row);
  }
  std::vector<Group> groups;
  for (Made& one : made) {
    for (const Total& total : q.totals) one.entry.totals.push_back(total.of(one.rows));
    if (q.having.means && q.having.means(one.entry) != Truth(true)) continue;
    const auto group = std::find_if(groups.begin(), groups.end(), [&](const Group& g) {
      return compare(g.entries.front().within, one.entry.within) == 0;
    });
    if (group == groups.end())
      groups.push_back({{one.entry}});
    else
      group->entries.push_back(one.entry);
  }
  std::sort(groups.begin(), groups.end(), [](const Group& a, const Group& b) {
    return compare(a.entries.front().within, b.entries.front().within) < 0;
  });

  std::vector<std::vector<std::string>> out;
  for (Group& group : groups) {
    const auto ranked = [&](const Entry& e) {
      return !e.totals[q.by.front().total].null() && (!q.eligible.means || q.eligible.means(e) == Truth(true));
    };
    std::sort(group.entries.begin(), group.entries.end(), [&](const Entry& a, const Entry& b) {
      if (ranked(a) != ranked(b)) return ranked(a);
      if (const int way = compare(a, b, q.by); way != 0) return way < 0;
      if (const int way = compare(a, b, q.tiebreak); way != 0) return way < 0;
      return compare(a.each, b.each) < 0;
    });
    for (Entry& e : group.entries) {
      if (!ranked(e)) continue;
      e.rank = 1 + std::count_if(group.entries.begin(), group.entries.end(),
                                 [&](const Entry& other) { return ranked(other) && compare(other, e, q.by) < 0; });
    }
    const auto kept = [&](const Entry& e) { return !q.keep.means || q.keep.means(e) == Truth(true); };
    std::vector<const Entry*> field;  // ranked, and let through
    for (const Entry& e : group.entries)
      if (ranked(e) && kept(e)) field.push_back(&e);
    const auto among = [&](const Entry& e, bool from_the_front) {
      const std::size_t n = from_the_front ? *q.best : *q.worst;
      if (n >= field.size()) return true;
      const auto at = static_cast<std::size_t>(std::find(field.begin(), field.end(), &e) - field.begin());
      if (from_the_front ? at < n : at >= field.size() - n) return true;
      const Entry& last = from_the_front ? *field[n - 1] : *field[field.size() - n];
      return !q.strict && n > 0 && compare(e, last, q.by) == 0;
    };
    for (const Entry& e : group.entries) {
      if (!kept(e)) continue;
      if (ranked(e) ? (q.best || q.worst) && !((q.best && among(e, true)) || (q.worst && among(e, false)))
                    : !(q.unranked || (!q.best && !q.worst && !q.keep.means)))
        continue;
      out.emplace_back();
      for (const Cell& cell : e.within) out.back().push_back(shown(cell));
      out.back().push_back(e.rank ? std::to_string(*e.rank) : "");
      for (const Cell& cell : e.each) out.back().push_back(shown(cell));
      for (const Cell& cell : e.totals) out.back().push_back(shown(cell));
    }
  }
  return out;
}

}  // namespace plain
