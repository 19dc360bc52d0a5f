// The place of a row that is not in the data.

#include "lofty/place_for.hpp"

#include <cmath>

#include "lofty/error.hpp"
#include "order/codes.hpp"
#include "order/key_check.hpp"
#include "order/sort.hpp"
#include "rank/standing.hpp"
#include "value/exact.hpp"

namespace lofty {

using namespace engine;

namespace {

template <class T>
int three_way(const T& a, const T& b) {
  return a < b ? -1 : b < a ? 1 : 0;
}

[[noreturn]] void mismatch(const Key& key, const Value& value) {
  const bool number = key.element() <= Element::decimal;
  throw Error(Problem{Code::wrong_type,
                      "`" + to_text(value) + "` cannot be compared with a key of " +
                          (number                                ? "numbers"
                           : key.element() == Element::date      ? "dates"
                           : key.element() == Element::timestamp ? "timestamps"
                                                                 : "texts"),
                      {},
                      {},
                      {}});
}

// What a key holds against `value`, before direction and nulls.
int compare_values(const Key& key, const Value& here, const Value& value) {
  if (const auto* left = std::get_if<double>(&here)) {
    if (const auto* number = std::get_if<double>(&value)) return three_way(*left, *number);
    if (const auto* exact = std::get_if<Decimal>(&value)) return three_way(*left, exact->to_double());
  } else if (here.index() == value.index()) {
    const auto* const left_text = std::get_if<std::string>(&here);
    if (left_text == nullptr) return three_way(here, value);
    return compare_texts(*left_text, std::get<std::string>(value), key.options.text, key.options.locale);
  }
  mismatch(key, value);
}

bool is_missing(const Value& value) {
  const auto* const number = std::get_if<double>(&value);
  return is_null(value) || (number != nullptr && std::isnan(*number));
}

// Does `row` come before (negative) or after (positive) a row with these values? The first key of an order has its
// nulls last whatever its options say; so has `first_nulls_last`.
int compare_row(const std::vector<Key>& keys, std::size_t row, const std::vector<Value>& values,
                bool first_nulls_last) {
  for (std::size_t k = 0; k < keys.size(); ++k) {
    const Key& key = keys[k];
    const Value here = value_at(key, row);
    if (is_null(here) || is_missing(values[k])) {
      if (is_null(here) && is_missing(values[k])) continue;
      const bool last = key.options.nulls == Nulls::last || (k == 0 && first_nulls_last);
      return is_null(here) == last ? 1 : -1;
    }
    const int way = compare_values(key, here, values[k]);
    if (way != 0) return key.descending ? -way : way;
  }
  return 0;
}

}  // namespace

double Standing::place(Ties ties) const {
  const auto before = static_cast<double>(better), peers = static_cast<double>(equal);
  switch (ties) {
    case Ties::competition: return before + 1;
    case Ties::modified:
    case Ties::ordinal: return before + peers + 1;
    case Ties::dense: return static_cast<double>(better_values) + 1;
    case Ties::fractional: return before + 1 + peers / 2;
  }
  return 0;
}

Standing place_for(const Order& order, const Groups& within, const std::vector<Key>& by,
                   const std::vector<Value>& group, const std::vector<Value>& values) {
  require(!by.empty() && values.size() == by.size(), "there is a value for each key, and at least one");
  require(group.size() == within.keys.size(), "there is a value for each of the groups' keys");
  require(!is_missing(values.front()), "the first value is not null: without one there is no place");
  for (const auto* keys : {&within.keys, &by}) {
    require_keys(*keys, order.size());
    for (const Key& key : *keys)
      require(key.options.custom == nullptr, "no key has a custom order: it knows the values of the data only");
  }
  const auto rows = order.rows();
  const auto in_group = [&](std::size_t i) { return compare_row(within.keys, rows[i], group, false); };
  const auto against = [&](std::size_t i) { return compare_row(by, rows[i], values, true); };
  const std::size_t begin = first_not(0, order.size(), [&](std::size_t i) { return in_group(i) < 0; });
  const std::size_t end = first_not(begin, order.size(), [&](std::size_t i) { return in_group(i) <= 0; });
  return split_at(order, begin, end, against).standing([&](std::size_t i) { return order.starts_peers(i); });
}

}  // namespace lofty
