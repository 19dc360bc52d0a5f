#pragma once
// Many small arrays that wait until all of them are there.
// Covered by tests/base/budget_test.cpp.

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <memory>
#include <mutex>
#include <span>
#include <vector>

#include "base/buffer.hpp"

namespace lofty::engine {

// Copies of bytes, one after the other in blocks of some megabytes. A block that is full may leave memory, which small
// arrays of their own could not; it is given back with the last of its parts. Thread-safe.
class KeptParts {
 public:
  struct Part {
    std::shared_ptr<const Bytes> block;
    const unsigned char* data = nullptr;  // null: no part
  };

  Part keep(std::span<const unsigned char> bytes) {
    const std::size_t size = (bytes.size() + alignment - 1) / alignment * alignment;
    const std::scoped_lock lock(mutex_);
    if (!block_ || block_->size() - used_ < size) {
      if (block_) block_->may_leave_memory();
      block_ = std::make_shared<Bytes>(std::max(block_size, size));
      used_ = 0;
    }
    unsigned char* const data = block_->data() + used_;
    std::memcpy(data, bytes.data(), bytes.size());
    used_ += size;
    return {block_, data};
  }

 private:
  static constexpr std::size_t block_size = 4 * 1024 * 1024, alignment = alignof(std::max_align_t);
  std::mutex mutex_;
  std::shared_ptr<Bytes> block_;
  std::size_t used_ = 0;
};

// An array of plain values, kept so.
template <class T>
class KeptArray {
 public:
  KeptArray() = default;
  KeptArray(const std::vector<T>& values, KeptParts& parts) : size_(values.size()) {
    if (size_ > 0) part_ = parts.keep({reinterpret_cast<const unsigned char*>(values.data()), size_ * sizeof(T)});
  }
  std::span<const T> values() const { return {reinterpret_cast<const T*>(part_.data), size_}; }

 private:
  KeptParts::Part part_;
  std::size_t size_ = 0;
};

// One for each column where there are so many pieces that each is small; else none.
using KeptColumns = std::vector<std::unique_ptr<KeptParts>>;
inline KeptColumns kept_columns(std::size_t columns, std::uint64_t pieces) {
  constexpr std::uint64_t worth_keeping = 64;
  KeptColumns kept;
  if (pieces >= worth_keeping)
    for (std::size_t i = 0; i < columns; ++i) kept.push_back(std::make_unique<KeptParts>());
  return kept;
}

}  // namespace lofty::engine
