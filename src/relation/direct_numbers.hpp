#pragma once
// Numbers of small keys without a table.
// Covered by tests/ladder/property_test.cpp and tests/order/direct_numbers_test.cpp.

#include <algorithm>
#include <cstdint>
#include <vector>

#include "formula/evaluator.hpp"

namespace lofty::engine {

// Whole numbers from 0 on, and codes of a text column, are their own index: by the number of the keys before, and by
// value, an array holds the number that both have together. It grows to 16 bytes a row, and to 16 MiB, at most; what is
// beyond is looked up in a table, as everything else is.
class DirectNumbers {
 public:
  // For so many rows.
  explicit DirectNumbers(std::size_t rows) : room_(std::min(most, 4 * rows + some)) {}

  // Whether a node's values can be looked up so.
  static bool takes(const Vector& v, const Node& node) {
    return v.lane == Vector::Lane::int64 || (v.lane == Vector::Lane::code && node.op == Op::name);
  }
  // False once many values have turned out to be beyond.
  bool pays() const { return beyond_ < some || beyond_ < seen_ / 8; }

  // Puts numbers in the place of the prefixes, one for each chosen row of the batch that begins at `begin`.
  // look_up(i, prefix) gives the number of the batch's row i. It is called in the order of the rows; once for each
  // prefix and value that is not beyond.
  template <class LookUp>
  void number(const Vector& v, std::size_t begin, const std::vector<std::uint32_t>& chosen,
              std::vector<std::uint32_t>& prefixes, const LookUp& look_up) {
    if (v.lane == Vector::Lane::int64)
      number(v.ints.data(), begin, chosen.data(), chosen.size(), prefixes.data(), look_up);
    else
      number(v.codes.data(), begin, chosen.data(), chosen.size(), prefixes.data(), look_up);
  }

 private:
  static constexpr std::uint32_t unknown = 0xfffffffe;
  static constexpr std::size_t most = std::size_t{1} << 22, some = 4096;
  static constexpr std::size_t each_prefix = sizeof(std::vector<std::uint32_t>) / sizeof(std::uint32_t);

  template <class T, class LookUp>
  void number(const T* values, std::size_t begin, const std::uint32_t* chosen, std::size_t count,
              std::uint32_t* prefixes, const LookUp& look_up) {
    seen_ += count;
    for (std::size_t k = 0; k < count; ++k) {
      const std::size_t i = chosen[k] - begin;
      const std::uint32_t prefix = prefixes[k];
      const auto at = static_cast<std::uint64_t>(values[i]);  // null and negative ones are beyond
      if (prefix < numbers_.size() && at < numbers_[prefix].size() && numbers_[prefix][at] != unknown) {
        prefixes[k] = numbers_[prefix][at];
        continue;
      }
      prefixes[k] = look_up(i, prefix);
      keep(prefix, at, prefixes[k]);
    }
  }

  void keep(std::uint32_t prefix, std::uint64_t at, std::uint32_t number) {
    if (!reach(numbers_, prefix, each_prefix, {}) || !reach(numbers_[prefix], at, 1, unknown))
      ++beyond_;
    else
      numbers_[prefix][at] = number;
  }
  // Makes the array long enough for the index, if there is room. An element takes so many of the room's.
  template <class T>
  bool reach(std::vector<T>& array, std::uint64_t index, std::size_t each, const T& filler) {
    if (index < array.size()) return true;
    const std::size_t longest = array.size() + room_ / each;
    if (index >= longest) return false;
    const std::size_t size = std::min(std::max<std::size_t>(index + 1, 2 * array.size()), longest);
    room_ -= (size - array.size()) * each;
    array.resize(size, filler);
    return true;
  }

  std::vector<std::vector<std::uint32_t>> numbers_;  // by prefix, by value
  std::size_t room_;                                 // for so many more numbers
  std::uint64_t seen_ = 0, beyond_ = 0;
};

}  // namespace lofty::engine
