#pragma once
// Orders that the caller defines: pinned values and sequences.
// Covered by tests/order/custom_order_test.cpp.

#include <cstdint>
#include <functional>
#include <vector>

#include "lofty/key.hpp"
#include "lofty/run.hpp"
#include "order/key_codes.hpp"

namespace lofty::engine {

struct CustomKey {
  KeyList usual;                                // ascending, its nulls told apart
  std::function<Value(std::size_t row)> value;  // null for null
  const CustomOrder* order = nullptr;
  bool descending = false;
  Nulls nulls = Nulls::last;
};

// What the listed values and the data do not share.
struct CustomReport {
  std::vector<Value> absent;     // listed, but no row has it
  std::vector<Value> forgotten;  // rows have it, but the sequence does not; in their usual order
};

// Appends the codes of one key: first pins, the rest as usual, last pins; or the sequence, and after it the rest. Only
// distinct values are compared with the listed ones.
void encode_custom(CustomKey key, std::size_t rows, const Run& run, KeyList& out, CustomReport* report = nullptr);

}  // namespace lofty::engine
