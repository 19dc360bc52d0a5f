#include "order/custom_order.hpp"

#include <algorithm>
#include <bit>
#include <numeric>
#include <utility>

#include "order/numbering.hpp"

namespace lofty::engine {

namespace {

constexpr std::uint32_t no_number = 0xffffffff;

// The distinct values of a key, by number.
struct Distinct {
  std::vector<Value> values;
  std::vector<std::uint32_t> usual;  // the numbers of those that are not null, in their usual order
  std::uint32_t null = no_number;    // the number of null, where it occurs
};

Distinct distinct_of(const CustomKey& key, const std::vector<std::uint32_t>& first_rows) {
  Distinct out;
  for (const std::uint32_t row : first_rows) out.values.push_back(key.value(row));
  for (std::uint32_t n = 0; n < out.values.size(); ++n) {
    if (is_null(out.values[n]))
      out.null = n;
    else
      out.usual.push_back(n);
  }
  std::sort(out.usual.begin(), out.usual.end(), [&](std::uint32_t a, std::uint32_t b) {
    for (const auto& codes : key.usual) {
      const std::uint64_t x = codes->at(first_rows[a]), y = codes->at(first_rows[b]);
      if (x != y) return x < y;
    }
    return false;
  });
  return out;
}

// The numbers of the distinct values in the custom order.
std::vector<std::uint32_t> in_custom_order(const CustomKey& key, Distinct distinct, CustomReport* report) {
  const std::vector<Value>& values = distinct.values;
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
  const std::vector<std::uint32_t> last = take(key.order->last);

  // Listed ones in their places, the others in their usual order between the sequence and the last ones.
  std::vector<std::uint32_t>& usual = distinct.usual;
  std::erase_if(usual, [&](std::uint32_t n) { return placed[n] != 0; });
  if (report != nullptr && !key.order->sequence.empty())
    for (const std::uint32_t n : usual) report->forgotten.push_back(values[n]);
  if (key.descending) {
    std::reverse(sequence.begin(), sequence.end());
    std::reverse(usual.begin(), usual.end());
  }
  for (const std::vector<std::uint32_t>* part : {&std::as_const(sequence), &std::as_const(usual), &last})
    order.insert(order.end(), part->begin(), part->end());
  if (distinct.null != no_number) order.insert(key.nulls == Nulls::first ? order.begin() : order.end(), distinct.null);
  return order;
}

}  // namespace

void encode_custom(CustomKey key, std::size_t rows, const Run& run, KeyList& out, CustomReport* report) {
  // Rows are numbered by value,
  std::vector<std::uint32_t> of_row, first_rows;
  KeyList to_number;
  for (const auto& codes : key.usual) to_number.push_back(lend(*codes));
  number_rows(std::move(to_number), rows, run, of_row, first_rows);

  // and each row's code is its value's rank.
  const std::vector<std::uint32_t> order = in_custom_order(key, distinct_of(key, first_rows), report);
  std::vector<std::uint32_t> ranks(order.size());
  for (std::uint32_t at = 0; at < order.size(); ++at) ranks[order[at]] = at;
  for (std::uint32_t& number : of_row) number = ranks[number];
  out.push_back(array_codes(std::bit_width(ranks.empty() ? 0 : ranks.size() - 1), std::move(of_row)));
}

}  // namespace lofty::engine
