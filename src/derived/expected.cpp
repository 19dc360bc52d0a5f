// Covered by tests/ladder/compare_test.cpp.
#include "lofty/expected.hpp"

#include <algorithm>
#include <map>

#include "lofty/error.hpp"
#include "table/nearest.hpp"

namespace lofty {

namespace {

using Keys = std::vector<Value>;

// Dates of a file may be texts in the other, and 12 is "12" where a column is text.
bool same(const Value& a, const Value& b) {
  if (is_null(a) || is_null(b)) return is_null(a) == is_null(b);
  if (a.index() == b.index()) return a == b;
  if (const auto* exact = std::get_if<Decimal>(&a), *other = std::get_if<Decimal>(&b);
      exact != nullptr || other != nullptr) {
    const auto* const floating = std::get_if<double>(exact != nullptr ? &b : &a);
    if (floating != nullptr) return (exact != nullptr ? exact : other)->to_double() == *floating;
  }
  return to_text(a) == to_text(b);
}

// Without zeros at the end of its decimals.
std::string shortest(const Decimal& number) {
  std::string text = number.text();
  if (text.find('.') == std::string::npos) return text;
  text.erase(text.find_last_not_of('0') + 1);
  if (text.back() == '.') text.pop_back();
  return text;
}

// Keys are found by what they read as, so that 7 and 7.0 are one.
std::vector<std::string> texts(const Keys& key) {
  std::vector<std::string> out;
  for (const Value& value : key) {
    const auto* const number = std::get_if<Decimal>(&value);
    out.push_back(is_null(value) ? std::string("\0", 1) : number != nullptr ? shortest(*number) : to_text(value));
  }
  return out;
}

}  // namespace

Comparison compare_with(const Standings& answer, const Table& expected) {
  Comparison out;
  struct Pair {
    std::size_t there, here;
  };
  std::vector<Pair> pairs, keys;
  std::vector<std::string> known;
  for (const StandingColumn& column : answer.columns()) known.insert(known.end(), {column.name, column.heading});
  for (std::size_t c = 0; c < expected.headings().size(); ++c) {
    const std::string& heading = expected.headings()[c];
    std::size_t here = answer.columns().size();
    for (std::size_t a = answer.columns().size(); a-- > 0;)
      if (engine::equal_folded(answer.columns()[a].heading, heading) ||
          engine::equal_folded(answer.columns()[a].name, heading))
        here = a;
    if (here == answer.columns().size())
      throw Error(Problem{Code::unknown_column,
                          expected.name() + " expects a column `" + heading + "`, which is not listed",
                          {},
                          engine::nearest_word(heading, known),
                          "list.columns adds columns"});
    pairs.push_back({c, here});
    out.columns.push_back(heading);
  }
  for (const auto& roles : {std::vector<Role>{Role::group, Role::key}, std::vector<Role>{Role::group, Role::label}}) {
    keys.clear();
    bool own = false;
    for (const Pair& pair : pairs) {
      const StandingColumn& column = answer.columns()[pair.here];
      if (std::find(roles.begin(), roles.end(), column.role) == roles.end()) continue;
      if (column.role == Role::label && (own || column.type.kind != Kind::text)) continue;  // the first words
      keys.push_back(pair);
      own = own || column.role != Role::group;
    }
    if (own) break;
    keys.clear();
  }
  for (const Pair& key : keys) out.keys.push_back(expected.headings()[key.there]);

  const auto name_of = [&](std::size_t row, const auto& value) {
    std::string name;
    for (const Pair& key : keys) {
      const Value v = value(row, key);
      name += (name.empty() ? "" : ", ") + expected.headings()[key.there] + " " + (is_null(v) ? "(none)" : to_text(v));
    }
    return keys.empty() ? "row " + std::to_string(row + 1) : name;
  };
  const auto there = [&](std::size_t row, const Pair& pair) { return expected.value(row, pair.there); };
  const auto here = [&](std::size_t row, const Pair& pair) { return answer.value(row, pair.here); };
  const auto key_of = [&](std::size_t row, const auto& value) {
    Keys key;
    for (const Pair& pair : keys) key.push_back(value(row, pair));
    if (keys.empty()) key.emplace_back(Decimal(static_cast<int128>(row), 0));
    return texts(key);
  };
  std::map<std::vector<std::string>, std::size_t> found;
  for (std::size_t r = 0; r < answer.rows(); ++r) found.emplace(key_of(r, here), r);
  std::map<std::vector<std::string>, std::size_t> wanted;
  std::vector<std::size_t> order;  // listed rows, as the table has them
  for (std::size_t r = 0; r < expected.rows(); ++r) {
    const auto key = key_of(r, there);
    if (!wanted.emplace(key, r).second)
      throw Error(Problem{Code::key_mismatch, expected.name() + " has " + name_of(r, there) + " twice", {}, {}, {}});
    const auto at = found.find(key);
    if (at == found.end()) {
      out.missing.push_back(name_of(r, there));
      continue;
    }
    ++out.rows;
    order.push_back(at->second);
    for (const Pair& pair : pairs) {
      const Value should = there(r, pair), is = here(at->second, pair);
      if (same(should, is)) continue;
      if (out.differing++ == 0) out.differs = {name_of(r, there), expected.headings()[pair.there], should, is};
    }
  }
  for (std::size_t r = 0; r < answer.rows(); ++r)
    if (!wanted.contains(key_of(r, here))) out.extra.push_back(name_of(r, here));
  for (std::size_t i = 1; i < order.size() && !out.out_of_order; ++i)
    if (order[i] < order[i - 1]) out.out_of_order = name_of(order[i], here);
  return out;
}

}  // namespace lofty
