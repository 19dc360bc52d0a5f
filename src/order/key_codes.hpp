#pragma once
// The codes of a sort key: unsigned integers, one a row, that compare as its values do (codes.hpp makes them).
// Covered by tests/order/order_test.cpp.

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <utility>
#include <vector>

namespace lofty::engine {

// The codes of one key, computed on demand: the values stay where they are, and have to outlive this.
// Keys of over 64 bits are two of them, the higher first. Safe to share between threads.
class KeyCodes {
 public:
  explicit KeyCodes(int bits) : bits_(bits) {}
  KeyCodes(const KeyCodes&) = delete;
  KeyCodes& operator=(const KeyCodes&) = delete;
  virtual ~KeyCodes() = default;

  int bits() const { return bits_; }  // 0: all rows are equal
  virtual void fill(std::size_t begin, std::size_t count, std::uint64_t* out) const = 0;
  virtual std::uint64_t at(std::size_t row) const = 0;

 private:
  int bits_;
};

// Codes that are in an array.
template <class T>
class ArrayCodes final : public KeyCodes {
 public:
  ArrayCodes(int bits, std::vector<T> codes) : KeyCodes(bits), codes_(std::move(codes)) {}
  std::uint64_t at(std::size_t row) const override { return codes_[row]; }
  void fill(std::size_t begin, std::size_t count, std::uint64_t* out) const override {
    std::copy_n(codes_.begin() + static_cast<std::ptrdiff_t>(begin), count, out);
  }

 private:
  std::vector<T> codes_;
};

using KeyList = std::vector<std::unique_ptr<KeyCodes>>;

template <class T>
std::unique_ptr<KeyCodes> array_codes(int bits, std::vector<T> codes) {
  return std::make_unique<ArrayCodes<T>>(bits, std::move(codes));
}
// The same codes, to be owned by a list; `key` has to outlive it.
std::unique_ptr<KeyCodes> lend(const KeyCodes& key);
// The codes of some rows: row i of this is row rows[i] of `key`. Both have to outlive it.
std::unique_ptr<KeyCodes> picked(const KeyCodes& key, const std::vector<std::uint32_t>& rows);

}  // namespace lofty::engine
