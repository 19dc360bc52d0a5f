#pragma once
// Distinct texts, numbered in the order of their first appearance.

#include <tsl/robin_map.h>
#include <xxhash.h>

#include <cstdint>
#include <cstring>
#include <memory>
#include <string_view>
#include <vector>

namespace lofty::engine {

struct TextHash {
  std::size_t operator()(std::string_view text) const noexcept { return XXH3_64bits(text.data(), text.size()); }
};

// Bytes that never move: views into an arena live as long as it does.
class Arena {
 public:
  // Never without data, not even for an empty text: a view without data means null elsewhere.
  std::string_view keep(std::string_view text) {
    if (next_ == nullptr || text.size() > left_) grow(text.size());
    char* const at = next_;
    if (!text.empty()) std::memcpy(at, text.data(), text.size());
    next_ += text.size();
    left_ -= text.size();
    return {at, text.size()};
  }

 private:
  void grow(std::size_t least) {
    const std::size_t size = least > block_size ? least : block_size;
    blocks_.push_back(std::make_unique<char[]>(size));
    next_ = blocks_.back().get();
    left_ = size;
  }
  // Small enough that a chunk with a few distinct values costs little, large enough that allocation never shows.
  static constexpr std::size_t block_size = 16 * 1024;
  std::vector<std::unique_ptr<char[]>> blocks_;
  char* next_ = nullptr;
  std::size_t left_ = 0;
};

// Codes are dense: 0, 1, 2, ... Not thread-safe while it grows; const use is.
class Dictionary {
 public:
  static constexpr std::uint32_t none = 0xffffffff;

  std::uint32_t add(std::string_view text) {
    // Lines of a file often repeat the value of the line before.
    if (last_ != none && values_[last_] == text) return last_;
    const auto found = codes_.find(text);
    if (found != codes_.end()) return last_ = found->second;
    const std::string_view kept = arena_.keep(text);
    const auto code = static_cast<std::uint32_t>(values_.size());
    values_.push_back(kept);
    codes_.emplace(kept, code);
    return last_ = code;
  }
  // `none` when the text does not occur.
  std::uint32_t find(std::string_view text) const {
    const auto found = codes_.find(text);
    return found == codes_.end() ? none : found->second;
  }
  std::string_view text(std::uint32_t code) const { return values_[code]; }
  std::size_t size() const { return values_.size(); }
  const std::vector<std::string_view>& values() const { return values_; }

 private:
  Arena arena_;
  std::vector<std::string_view> values_;
  tsl::robin_map<std::string_view, std::uint32_t, TextHash> codes_;
  std::uint32_t last_ = none;
};

}  // namespace lofty::engine
