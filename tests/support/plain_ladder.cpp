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

// An entry and its rows.
struct Made {
  Entry entry;
  std::vector<Row> rows;
};

// A group's entries, in the order of their places.
using Group = std::vector<Made>;

std::vector<std::string> names_of(const std::vector<Column>& columns) {
  std::vector<std::string> names;
  for (const Column& column : columns) names.push_back(column.name);
  return names;
}

lofty::Date date_of(long day) { return {lofty::Date::from_parts(2025, 3, 1)->days + static_cast<std::int32_t>(day)}; }

// A column of `T` from optional members.
template <class T, class Item, class Get, class Make>
void add_column(lofty::TableBuilder& builder, const char* name, const std::vector<Item>& items, const Get& get,
                const Make& make) {
  std::vector<T> values;
  std::vector<std::uint8_t> nulls;
  for (const Item& item : items) {
    const auto& value = get(item);
    values.push_back(value ? make(*value) : T{});
    nulls.push_back(!value);
  }
  builder.column(name, values, nulls);
}

// Every row with its partners, and what the kind of join leaves out and lets in.
std::vector<Row> joined(const std::optional<lofty::JoinType>& kind, const std::vector<Row>& rows,
                        const std::vector<Shop>& shops) {
  using lofty::JoinType;
  if (!kind) return rows;
  std::vector<Row> out;
  std::vector<bool> met(shops.size(), false);
  for (const Row& row : rows) {
    const auto partner =
        std::find_if(shops.begin(), shops.end(), [&](const Shop& shop) { return row.shop && shop.shop == row.shop; });
    if (partner == shops.end()) {
      if (*kind == JoinType::left || *kind == JoinType::full) out.push_back(row);
      continue;
    }
    met[static_cast<std::size_t>(partner - shops.begin())] = true;
    out.push_back(row);
    out.back().size = partner->size;
    out.back().since = partner->since;
  }
  for (std::size_t s = 0; s < shops.size(); ++s)
    if (!met[s] && (*kind == JoinType::right || *kind == JoinType::full))
      out.push_back({.shop = shops[s].shop, .size = shops[s].size, .since = shops[s].since});
  return out;
}

std::vector<Row> counted(const Question& q, const std::vector<Row>& rows) {
  std::vector<Row> passed, out;
  for (const Row& row : rows)
    if (!q.where.means || q.where.means(row) == Truth(true)) passed.push_back(row);
  if (!q.last_days) return passed;
  std::optional<long> latest;
  for (const Row& row : passed)
    if (row.day && (!latest || *row.day > *latest)) latest = row.day;
  for (const Row& row : passed)
    if (row.day && *row.day > *latest - *q.last_days) out.push_back(row);
  return out;
}

// The entries that a level lists, group by group.
std::vector<Made> run(const Level& q, const std::vector<Total>& totals, const std::vector<Row>& rows) {
  // Entries: a new one for every row that no entry has the keys of.
  std::vector<Made> made;
  for (const Row& row : rows) {
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
    for (const Total& total : totals) one.entry.totals.push_back(total.of(one.rows));
    if (q.having.means && q.having.means(one.entry) != Truth(true)) continue;
    const auto group = std::find_if(groups.begin(), groups.end(), [&](const Group& g) {
      return compare(g.front().entry.within, one.entry.within) == 0;
    });
    if (group == groups.end())
      groups.push_back({one});
    else
      group->push_back(one);
  }
  std::sort(groups.begin(), groups.end(),
            [](const Group& a, const Group& b) { return compare(a.front().entry.within, b.front().entry.within) < 0; });

  std::vector<Made> out;
  for (Group& group : groups) {
    const auto ranked = [&](const Entry& e) {
      return !e.totals[q.by.front().total].null() && (!q.eligible.means || q.eligible.means(e) == Truth(true));
    };
    std::sort(group.begin(), group.end(), [&](const Made& x, const Made& y) {
      const Entry &a = x.entry, &b = y.entry;
      if (ranked(a) != ranked(b)) return ranked(a);
      if (const int way = compare(a, b, q.by); way != 0) return way < 0;
      if (const int way = compare(a, b, q.tiebreak); way != 0) return way < 0;
      return compare(a.each, b.each) < 0;
    });
    for (Made& one : group) {
      if (!ranked(one.entry)) continue;
      one.entry.rank = 1 + std::count_if(group.begin(), group.end(), [&](const Made& other) {
                         return ranked(other.entry) && compare(other.entry, one.entry, q.by) < 0;
                       });
    }
    const auto kept = [&](const Entry& e) { return !q.keep.means || q.keep.means(e) == Truth(true); };
    std::vector<const Entry*> field;  // ranked, and let through
    for (const Made& one : group)
      if (ranked(one.entry) && kept(one.entry)) field.push_back(&one.entry);
    const auto among = [&](const Entry& e, bool from_the_front) {
      const std::size_t n = from_the_front ? *q.best : *q.worst;
      if (n >= field.size()) return true;
      const auto at = static_cast<std::size_t>(std::find(field.begin(), field.end(), &e) - field.begin());
      if (from_the_front ? at < n : at >= field.size() - n) return true;
      const Entry& last = from_the_front ? *field[n - 1] : *field[field.size() - n];
      return !q.strict && n > 0 && compare(e, last, q.by) == 0;
    };
    for (const Made& one : group) {
      const Entry& e = one.entry;
      if (!kept(e)) continue;
      if (ranked(e) ? (q.best || q.worst) && !((q.best && among(e, true)) || (q.worst && among(e, false)))
                    : !(q.unranked || (!q.best && !q.worst && !q.keep.means)))
        continue;
      out.push_back(one);
    }
  }
  return out;
}

// What belongs to a shop alone is next to it, where an inner level has it for a key: it has one value there.
void show_what_a_shop_has(const Question& q, std::size_t level, const Row& first, std::vector<std::string>& row) {
  bool shop = false;
  std::size_t at = 0;
  for (std::size_t l = 0; l < q.levels.size(); ++l)
    for (const auto* columns : {&q.levels[l].within, &q.levels[l].each})
      for (const Column& column : *columns) {
        shop = shop || (l <= level && column.name == "shop");
        if (l > level && shop && q.join && (column.name == "size" || column.name == "since"))
          row[at] = shown(column.of(first));
        ++at;
      }
}

// By level: which columns of inner levels are next to its entries, because a shop is part of their key.
std::vector<Column> beside_shops(const Question& q, std::size_t level) {
  bool shop = false;
  std::vector<Column> out;
  for (std::size_t l = 0; l < q.levels.size(); ++l)
    for (const auto* columns : {&q.levels[l].within, &q.levels[l].each})
      for (const Column& column : *columns) {
        shop = shop || (l <= level && column.name == "shop");
        if (l > level && shop && q.join && (column.name == "size" || column.name == "since")) out.push_back(column);
      }
  return out;
}

struct SeveralValues {};

// Throws SeveralValues where a column next to shops has several in one of a level's entries.
void check_what_shops_have(const Question& q, std::size_t level, const std::vector<Row>& rows) {
  const auto same = [](const std::vector<Column>& columns, const Row& a, const Row& b) {
    return std::all_of(columns.begin(), columns.end(),
                       [&](const Column& column) { return compare(column.of(a), column.of(b), false) == 0; });
  };
  const std::vector<Column> beside = beside_shops(q, level);
  if (beside.empty()) return;
  for (const Row& a : rows)
    for (const Row& b : rows)
      if (same(q.levels[level].within, a, b) && same(q.levels[level].each, a, b) && !same(beside, a, b))
        throw SeveralValues{};
}

// A level's entries with what is inside each. `keys` are the texts of the entries outside.
void list(const Question& q, std::size_t level, const std::vector<Row>& rows, const std::vector<std::string>& keys,
          std::vector<std::vector<std::string>>& out) {
  check_what_shops_have(q, level, rows);
  std::size_t all_keys = 0;
  for (const Level& one : q.levels) all_keys += one.within.size() + one.each.size();
  for (const Made& one : run(q.levels[level], q.totals, rows)) {
    std::vector<std::string> own = keys;
    for (const auto* cells : {&one.entry.within, &one.entry.each})
      for (const Cell& cell : *cells) own.push_back(shown(cell));
    std::vector<std::string>& row = out.emplace_back(own);
    row.resize(all_keys);
    show_what_a_shop_has(q, level, one.rows.front(), row);
    row.push_back(one.entry.rank ? std::to_string(*one.entry.rank) : "");
    for (const Cell& cell : one.entry.totals) row.push_back(shown(cell));
    if (level + 1 < q.levels.size()) list(q, level + 1, one.rows, own, out);
  }
}

}  // namespace

lofty::Ladder ladder_of(const Question& question) {
  lofty::Ladder ladder{.data = {.from = "lines"}, .where = question.where.text};
  if (question.join) ladder.data.joins = {{.with = "shops", .on = {"shop"}, .type = *question.join}};
  if (question.last_days) {
    ladder.periods = {{.name = "recent", .on = "day", .last = std::to_string(*question.last_days)}};
    ladder.where = ladder.where.empty() ? "recent" : "(" + ladder.where + ") and recent";
  }
  for (const Total& total : question.totals) ladder.totals.push_back({total.name, total.text});
  for (const Level& one : question.levels) {
    lofty::Level level;
    level.within = names_of(one.within);
    level.each = names_of(one.each);
    level.by = list_of(question, one.by);
    level.tiebreak = list_of(question, one.tiebreak);
    level.having = one.having.text;
    level.eligible = one.eligible.text;
    level.where = one.keep.text;
    level.best = one.best;
    level.worst = one.worst;
    level.cut = one.strict ? lofty::Cut::strict : lofty::Cut::with_ties;
    level.unranked = one.unranked;
    for (const auto* names : {&level.within, &level.each})
      ladder.list.columns.insert(ladder.list.columns.end(), names->begin(), names->end());
    ladder.levels.push_back(std::move(level));
  }
  ladder.list.columns.emplace_back("rank");
  for (const Total& total : question.totals) ladder.list.columns.push_back(total.name);
  return ladder;
}

lofty::Catalog catalog_of(const std::vector<Row>& rows, const std::vector<Shop>& shops) {
  using Text = std::string;
  const auto same = [](const auto& value) { return value; };
  const auto money = [](long value) { return lofty::Decimal(value, 2); };
  lofty::TableBuilder lines("lines"), other("shops");
  add_column<Text>(
      lines, "valley", rows, [](const Row& r) { return r.valley; }, same);
  add_column<Text>(
      lines, "status", rows, [](const Row& r) { return r.status; }, same);
  add_column<std::int64_t>(
      lines, "shop", rows, [](const Row& r) { return r.shop; }, same);
  add_column<std::int64_t>(
      lines, "order_no", rows, [](const Row& r) { return r.order; }, same);
  add_column<lofty::Decimal>(
      lines, "amount", rows, [](const Row& r) { return r.amount; }, money);
  add_column<lofty::Date>(
      lines, "day", rows, [](const Row& r) { return r.day; }, date_of);
  add_column<std::int64_t>(
      other, "shop", shops, [](const Shop& s) { return s.shop; }, same);
  add_column<Text>(
      other, "size", shops, [](const Shop& s) { return s.size; }, same);
  add_column<std::int64_t>(
      other, "since", shops, [](const Shop& s) { return s.since; }, same);
  lofty::Catalog catalog;
  catalog.add(lines.build());
  catalog.add(other.build());
  return catalog;
}

bool has_several_values(const Question& q, const std::vector<Row>& rows, const std::vector<Shop>& shops) {
  try {
    answer(q, rows, shops);
  } catch (const SeveralValues&) {
    return true;
  }
  return false;
}

std::vector<std::vector<std::string>> answer(const Question& q, const std::vector<Row>& rows,
                                             const std::vector<Shop>& shops) {
  std::vector<std::vector<std::string>> out;
  list(q, 0, counted(q, joined(q.join, rows, shops)), {}, out);
  return out;
}

}  // namespace plain
