// Covered by tests/derived/compare_test.cpp.
#include "lofty/expected.hpp"

#include <algorithm>
#include <map>
#include <set>

#include "base/folded.hpp"
#include "lofty/error.hpp"

namespace lofty {

namespace {

using Keys = std::vector<Value>;

// Midnight as its date: some forms of files cannot tell the two apart.
Value without_midnight(const Value& value) {
  const auto* const at = std::get_if<Timestamp>(&value);
  constexpr std::int64_t day = 24LL * 3600 * 1'000'000;
  return at == nullptr || at->microseconds % day != 0 ? value : Value(at->day());
}

// Dates of a file may be texts in the other, and 12 is "12" where a column is text.
bool same(const Value& a, const Value& b) {
  // A SQLite file has no booleans: they are 0 and 1 there.
  const auto is_truth = [](const Value& truth, const Value& number) {
    const auto* const value = std::get_if<bool>(&truth);
    const auto* const digit = std::get_if<Decimal>(&number);
    return value != nullptr && digit != nullptr && *digit == Decimal(*value ? 1 : 0, 0);
  };
  if (is_truth(a, b) || is_truth(b, a)) return true;
  if (is_null(a) || is_null(b)) return is_null(a) == is_null(b);
  if (a.index() == b.index()) return a == b;
  if (const auto* exact = std::get_if<Decimal>(&a), *other = std::get_if<Decimal>(&b);
      exact != nullptr || other != nullptr) {
    const auto* const floating = std::get_if<double>(exact != nullptr ? &b : &a);
    if (floating != nullptr) return (exact != nullptr ? exact : other)->to_double() == *floating;
  }
  return to_text(without_midnight(a)) == to_text(without_midnight(b));
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
    out.push_back(is_null(value)      ? std::string("\0", 1)
                  : number != nullptr ? shortest(*number)
                                      : to_text(without_midnight(value)));
  }
  return out;
}

class Comparing {
 public:
  Comparing(const Standings& answer, const Table& expected, const ComparisonOptions& options)
      : answer_(answer), expected_(expected), options_(options) {
    match_columns();
    choose_keys();
    if (repeats(answer_.rows(), &Comparing::here) && repeats(expected_.rows(), &Comparing::there)) keys_.clear();
    std::size_t row = answer_.rows();
    for (const Departed& one : answer_.departed())
      if (!one.values.empty()) gone_.insert(key_of_departed(one, row++));
  }

  Comparison compare() {
    Comparison out;
    for (const Pair& pair : pairs_) out.columns.push_back(expected_.headings()[pair.there]);
    for (const Pair& key : keys_) out.keys.push_back(expected_.headings()[key.there]);

    // Row by row of the table.
    std::map<std::vector<std::string>, std::size_t> listed, wanted;
    for (std::size_t r = 0; r < answer_.rows(); ++r) listed.emplace(key_of(r, &Comparing::here), r);
    std::vector<std::size_t> order;  // listed rows, as the table has them
    for (std::size_t r = 0; r < expected_.rows(); ++r) {
      const auto key = key_of(r, &Comparing::there);
      const std::string name = name_of(r, &Comparing::there);
      if (!wanted.emplace(key, r).second)
        throw Error(Problem{Code::key_mismatch, expected_.name() + " has " + name + " twice", {}, {}, {}});
      const auto at = listed.find(key);
      if (at == listed.end()) {
        if (gone_.contains(key)) continue;  // who left follows the listing in its file
        out.missing.push_back(name);
        continue;
      }
      ++out.rows;
      order.push_back(at->second);
      for (const Pair& pair : pairs_) {
        const Value should = there(r, pair), is = here(at->second, pair);
        if (same(should, is)) continue;
        if (out.differing++ == 0) out.differs = {name, expected_.headings()[pair.there], should, is};
      }
    }

    // What else is listed, and in another order.
    for (std::size_t r = 0; r < answer_.rows(); ++r)
      if (!wanted.contains(key_of(r, &Comparing::here))) out.extra.push_back(name_of(r, &Comparing::here));
    for (std::size_t i = 1; i < order.size() && !out.out_of_order; ++i)
      if (order[i] < order[i - 1]) out.out_of_order = name_of(order[i], &Comparing::here);
    return out;
  }

 private:
  // A column of the table, and the listed one that it is compared with.
  struct Pair {
    std::size_t there, here;
  };
  using Side = Value (Comparing::*)(std::size_t, const Pair&) const;

  void match_columns() {
    const std::vector<StandingColumn>& columns = answer_.columns();
    for (std::size_t c = 0; c < expected_.headings().size(); ++c) {
      const std::string& heading = expected_.headings()[c];
      const auto found = std::ranges::find_if(columns, [&](const StandingColumn& column) {
        return engine::equal_folded(column.heading, heading) || engine::equal_folded(column.name, heading);
      });
      if (found == columns.end()) {
        std::vector<std::string> known;
        for (const StandingColumn& column : columns) known.insert(known.end(), {column.name, column.heading});
        throw Error(Problem{Code::unknown_column,
                            expected_.name() + " expects a column `" + heading + "`, which is not listed",
                            {},
                            nearest_word(heading, known),
                            "list.columns adds columns"});
      }
      pairs_.push_back({c, static_cast<std::size_t>(found - columns.begin())});
    }
  }

  // Rows are told apart by groups and keys; else by groups and the first words; else by their numbers.
  void choose_keys() {
    for (const Role own_role : {Role::key, Role::label}) {
      keys_.clear();
      bool own = false;
      for (const Pair& pair : pairs_) {
        const StandingColumn& column = answer_.columns()[pair.here];
        if (column.role != Role::group && column.role != own_role) continue;
        if (column.role == Role::label && (own || column.type.kind != Kind::text)) continue;
        keys_.push_back(pair);
        own = own || column.role != Role::group;
      }
      if (own) return;
    }
    keys_.clear();
  }

  // Do several rows have one key? They are then told apart by their numbers.
  bool repeats(std::size_t rows, Side side) const {
    std::set<std::vector<std::string>> seen;
    for (std::size_t r = 0; r < rows; ++r)
      if (!seen.insert(key_of(r, side)).second) return true;
    return false;
  }
  // `row`: its own, after those of the listing.
  std::vector<std::string> key_of_departed(const Departed& one, std::size_t row) const {
    Keys key;
    for (const Pair& pair : keys_) key.push_back(one.values[pair.here]);
    if (keys_.empty()) key.emplace_back(Decimal(static_cast<int128>(row), 0));
    return texts(key);
  }

  Value there(std::size_t row, const Pair& pair) const { return expected_.value(row, pair.there); }
  Value here(std::size_t row, const Pair& pair) const {
    Value value = answer_.value(row, pair.here);
    const auto* const text = std::get_if<std::string>(&value);
    return options_.nulls_are_empty_texts && text != nullptr && text->empty() ? Value{} : value;
  }

  std::string name_of(std::size_t row, Side side) const {
    std::string name;
    for (const Pair& key : keys_) {
      const Value v = (this->*side)(row, key);
      name += (name.empty() ? "" : ", ") + expected_.headings()[key.there] + " " + (is_null(v) ? "(none)" : to_text(v));
    }
    return keys_.empty() ? "row " + std::to_string(row + 1) : name;
  }
  std::vector<std::string> key_of(std::size_t row, Side side) const {
    Keys key;
    for (const Pair& pair : keys_) key.push_back((this->*side)(row, pair));
    if (keys_.empty()) key.emplace_back(Decimal(static_cast<int128>(row), 0));
    return texts(key);
  }

  const Standings& answer_;
  const Table& expected_;
  const ComparisonOptions options_;
  std::vector<Pair> pairs_, keys_;
  std::set<std::vector<std::string>> gone_;
};

}  // namespace

Comparison compare_with(const Standings& answer, const Table& expected, const ComparisonOptions& options) {
  return Comparing(answer, expected, options).compare();
}

}  // namespace lofty
