#pragma once
// Everything that is ordered becomes an unsigned integer.
//
// A key's codes compare as its values do, direction and nulls included: value - least, or greatest - value, in as few
// bits as the range needs; null takes the code before all others, or the one behind them.
// Covered by tests/order/order_test.cpp.

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/key.hpp"
#include "lofty/order.hpp"
#include "table/column.hpp"

namespace lofty::engine {

// A run of code bits for every row. Keys of over 64 bits are two of them, the higher first.
struct Codes {
  std::vector<std::uint64_t> values;
  int bits = 0;  // 0: all rows are equal
};

// Appends the codes of one key.
void encode(const Key& key, std::vector<Codes>& out);

struct ColumnKey {
  const Column* column = nullptr;
  bool descending = false;
  KeyOptions options = {};  // null_mask unused
};
void encode(const ColumnKey& key, std::vector<Codes>& out);

// Where each distinct text stands among them, from 0. O(d log d); collation keys are made once a text.
std::vector<std::uint32_t> text_ranks(const std::vector<std::string_view>& distinct, TextOrder order,
                                      const std::string& locale);

struct OrderData {
  std::vector<std::uint32_t> rows;
  std::vector<std::uint8_t> marks;  // by position: the bits below
  std::size_t groups = 0, undecided = 0;

  static constexpr std::uint8_t group_start = 1, peer_start = 2, is_ranked = 4, key_start = 8;
};

// Sorts `rows` rows by the codes of `within`, `by` and `tiebreak`, in this order. `unranked` is empty or has a 1 where
// the first `by` key is null; those rows stand last in their group.
Order make_order(std::size_t rows, std::vector<Codes> within, std::vector<Codes> by, std::vector<Codes> tiebreak,
                 const std::vector<std::uint8_t>& unranked);

}  // namespace lofty::engine
