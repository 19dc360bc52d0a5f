#pragma once
// Everything that is ordered becomes an unsigned integer.
//
// A key's codes compare as its values do, direction and nulls included: value - least, or greatest - value, in as few
// bits as the range needs; null takes the code before all others, or the one after them.
// Covered by tests/order/order_test.cpp.

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/key.hpp"
#include "lofty/run.hpp"
#include "order/key_codes.hpp"
#include "table/column.hpp"

namespace lofty::engine {

// Appends the codes of one key. Two passes over the values, one of them on demand; distinct texts are
// sorted here.
void encode(const Key& key, const Run& run, KeyList& out);
// Codes that are equal where the key's values are, in no particular order: texts then need no sort.
void encode_for_grouping(const Key& key, const Run& run, KeyList& out);
// Numbers rows by a key of texts without nulls, in the order of their first appearance; `first_rows` gets the first row
// of each number. False, and nothing done, where the key is not such a one.
bool number_texts(const Key& key, const Run& run, std::vector<std::uint32_t>& of_row,
                  std::vector<std::uint32_t>& first_rows);

// What a key has at a row; null for NaN.
Value value_at(const Key& key, std::size_t row);

// 1 where a row's value is null; nothing is appended when there is none. Put before a key, it makes nulls sort
// last.
void encode_nulls(const Key& key, const Run& run, KeyList& out);

struct ColumnKey {
  const Column* column = nullptr;
  bool descending = false;
  KeyOptions options = {};  // null_mask unused
};
void encode(const ColumnKey& key, const Run& run, KeyList& out);
void encode_nulls(const Column& column, KeyList& out);
// One bit a row: 1 sorts after 0.
void encode_flags(std::vector<std::uint8_t> flags, KeyList& out);

// The rank of each distinct text, from 0. O(d log d); collation keys are made once a text.
std::vector<std::uint32_t> text_ranks(const std::vector<std::string_view>& distinct, TextOrder order,
                                      const std::string& locale, const Run& run);
// Is this a language's code, perhaps with a country's and more?
bool is_locale(const std::string& name);
// The same order for two texts: negative, 0 (only for equal ones) or positive.
int compare_texts(std::string_view a, std::string_view b, TextOrder order, const std::string& locale);

}  // namespace lofty::engine
