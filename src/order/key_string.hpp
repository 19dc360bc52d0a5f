#pragma once
// Several keys as one.
// Covered by tests/order/sort_test.cpp.

#include <algorithm>
#include <cstdint>
#include <initializer_list>
#include <vector>

#include "order/key_codes.hpp"

namespace lofty::engine {

inline constexpr std::size_t key_block = 1024;  // codes are computed so many at a time, in the first-level cache

inline std::uint64_t low_bits(int bits) { return bits >= 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << bits) - 1; }

// How many bits the keys of these lists have together.
inline int bits_of(std::initializer_list<const KeyList*> lists) {
  int bits = 0;
  for (const KeyList* list : lists)
    for (const auto& key : *list) bits += key->bits();
  return bits;
}

// All keys of a row, one after the other, as one string of bits. Refers to the keys.
class KeyString {
 public:
  explicit KeyString(std::initializer_list<const KeyList*> lists) : bits_(bits_of(lists)) {
    for (const KeyList* list : lists)
      for (const auto& key : *list)
        if (key->bits() > 0) keys_.push_back(key.get());
  }

  int bits() const { return bits_; }

  // The first `wanted` bits (at most 64) of rows [begin, begin + count); count is at most key_block.
  void leading(int wanted, std::size_t begin, std::size_t count, std::uint64_t* out) const {
    std::uint64_t more[key_block];
    int have = 0;
    for (const KeyCodes* key : keys_) {
      if (have == wanted) return;
      const int take = std::min(key->bits(), wanted - have), drop = key->bits() - take;
      if (have == 0) {
        key->fill(begin, count, out);
        if (drop > 0)
          for (std::size_t i = 0; i < count; ++i) out[i] >>= drop;
      } else {
        key->fill(begin, count, more);
        for (std::size_t i = 0; i < count; ++i) out[i] = out[i] << take | more[i] >> drop;
      }
      have += take;
    }
    if (have == 0) std::fill(out, out + count, 0);
  }

  // Bits [from, from + count) of one row; count is at most 63.
  std::uint64_t part(std::size_t row, int from, int count) const {
    std::uint64_t out = 0;
    int begin = 0;  // of the key
    for (const KeyCodes* key : keys_) {
      const int end = begin + key->bits(), first = std::max(from, begin), last = std::min(from + count, end);
      if (first < last) {
        const std::uint64_t code = key->at(row) >> (end - last) & low_bits(last - first);
        out = (last - first >= 64 ? 0 : out << (last - first)) | code;
      }
      begin = end;
    }
    return out;
  }

 private:
  std::vector<const KeyCodes*> keys_;
  int bits_;
};

}  // namespace lofty::engine
