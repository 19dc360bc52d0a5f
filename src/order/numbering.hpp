#pragma once
// Equal keys, equal numbers: dense, and in the order of their first appearance.
// Covered by tests/rank/sums_test.cpp.

#include <algorithm>
#include <cstdint>
#include <memory>
#include <utility>
#include <vector>

#include "lofty/run.hpp"
#include "order/key_string.hpp"
#include "order/mix.hpp"
#include "table/buffer.hpp"

namespace lofty::engine {

// Open addressing with linear probing, at most two thirds full, on huge pages; key and number lie side by side, so that
// a look-up touches one cache line nearly always.
class NumberTable {
 public:
  static constexpr std::uint32_t none = 0xffffffff;

  NumberTable() { clear(64); }
  std::size_t size() const { return size_; }

  // `hash` is mix(key).
  std::uint32_t find_or_add(std::uint64_t key, std::uint64_t hash) {
    for (std::size_t at = place(hash);; at = (at + 1) & (slots_.size() - 1)) {
      Slot& slot = slots_[at];
      if (slot.number != none && slot.key == key) return slot.number;
      if (slot.number != none) continue;
      slot = {key, size_};
      if (++size_ * std::uint64_t{3} > slots_.size() * 2) grow();
      return size_ - 1;
    }
  }

 private:
  struct Slot {
    std::uint64_t key;
    std::uint32_t number;
  };
  std::size_t place(std::uint64_t hash) const { return hash & (slots_.size() - 1); }
  void grow() {
    const Buffer<Slot> old = std::move(slots_);
    clear(old.size() * 4);
    for (const Slot& slot : old.view()) {
      if (slot.number == none) continue;
      std::size_t at = place(mix(slot.key));
      while (slots_[at].number != none) at = (at + 1) & (slots_.size() - 1);
      slots_[at] = slot;
    }
  }
  void clear(std::size_t count) {
    slots_.allocate(count);
    std::fill_n(slots_.data(), count, Slot{0, none});
  }
  Buffer<Slot> slots_;
  std::uint32_t size_ = 0;
};

// Numbers rows by keys; `first_rows` gets the first row of each number. O(n).
void number_rows(KeyList codes, std::size_t size, const Run& run, std::vector<std::uint32_t>& of_row,
                 std::vector<std::uint32_t>& first_rows);

// Numbers as codes: those of rows, or through `ranks` (by number) their ranks.
std::unique_ptr<KeyCodes> number_codes(std::vector<std::uint32_t> of_row, std::size_t count,
                                       std::vector<std::uint32_t> ranks = {});

}  // namespace lofty::engine
