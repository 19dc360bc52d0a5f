#include "order/custom_order.hpp"

#include <algorithm>
#include <bit>
#include <numeric>
#include <utility>

#include "order/numbering.hpp"

namespace lofty::engine {

void encode_custom(CustomKey key, std::size_t rows, const Run& run, KeyList& out, CustomReport* report) {
  // Rows are numbered by value.
  std::vector<std::uint32_t> of_row, first_rows;
  KeyList to_number;
  for (const auto& codes : key.usual) to_number.push_back(lend(*codes));
  number_rows(std::move(to_number), rows, run, of_row, first_rows);
  std::vector<Value> values;
  for (const std::uint32_t row : first_rows) values.push_back(key.value(row));

  // Distinct values in their usual order, nulls apart.
  std::vector<std::uint32_t> usual;
  std::uint32_t null = 0xffffffff;
  for (std::uint32_t n = 0; n < values.size(); ++n) {
    if (is_null(values[n]))
      null = n;
    else
      usual.push_back(n);
  }
  std::sort(usual.begin(), usual.end(), [&](std::uint32_t a, std::uint32_t b) {
    for (const auto& codes : key.usual) {
      const std::uint64_t x = codes->at(first_rows[a]), y = codes->at(first_rows[b]);
      if (x != y) return x < y;
    }
    return false;
  });

  // Those that the order lists: first, in sequence, last.
  std::vector<std::uint8_t> placed(values.size(), 0);
  const auto take = [&](const std::vector<Value>& listed) {
    std::vector<std::uint32_t> found;
    for (const Value& value : listed) {
      const auto at = std::find(values.begin(), values.end(), value);
      if (at == values.end()) {
        if (report != nullptr) report->absent.push_back(value);
        continue;
      }
      const auto n = static_cast<std::uint32_t>(at - values.begin());
      if (std::exchange(placed[n], std::uint8_t{1}) == 0) found.push_back(n);
    }
    return found;
  };
  std::vector<std::uint32_t> order = take(key.order->first), sequence = take(key.order->sequence);
  const std::vector<std::uint32_t> behind = take(key.order->last);

  // All together: listed ones in their places, the others in their usual order between the sequence and the last.
  if (key.descending) std::reverse(sequence.begin(), sequence.end());
  order.insert(order.end(), sequence.begin(), sequence.end());
  std::erase_if(usual, [&](std::uint32_t n) { return placed[n] != 0; });
  if (report != nullptr && !key.order->sequence.empty())
    for (const std::uint32_t n : usual) report->forgotten.push_back(values[n]);
  if (key.descending) std::reverse(usual.begin(), usual.end());
  order.insert(order.end(), usual.begin(), usual.end());
  order.insert(order.end(), behind.begin(), behind.end());
  if (null != 0xffffffff) order.insert(key.nulls == Nulls::first ? order.begin() : order.end(), null);

  // Each row's code is its value's rank.
  std::vector<std::uint32_t> ranks(values.size());
  for (std::uint32_t at = 0; at < order.size(); ++at) ranks[order[at]] = at;
  for (std::uint32_t& number : of_row) number = ranks[number];
  out.push_back(array_codes(std::bit_width(ranks.empty() ? 0 : ranks.size() - 1), std::move(of_row)));
}

}  // namespace lofty::engine
