#include "order/numbering.hpp"

#include <algorithm>
#include <bit>

#include "table/parallel.hpp"

namespace lofty::engine {
namespace {

// Numbers rows by keys of up to 64 bits. `first_rows` gets the first row of each number.
void number_narrow(const KeyString& keys, std::size_t size, const Run& run, std::vector<std::uint32_t>& of_row,
                   std::vector<std::uint32_t>& first_rows) {
  of_row.resize(size);
  first_rows.clear();
  std::uint64_t block[key_block];
  const auto each_block = [&](const auto& work) {
    for (std::size_t begin = 0; begin < size; begin += key_block) {
      if (begin % (64 * key_block) == 0) check_stop(run);
      const std::size_t count = std::min(key_block, size - begin);
      keys.leading(keys.bits(), begin, count, block);
      work(begin, count);
    }
  };
  // A small range of codes is its own index: 4 bytes each, at most some 16 a row.
  if (keys.bits() < 40 && (std::uint64_t{1} << keys.bits()) <= std::max<std::uint64_t>(4 * size, 1024)) {
    std::vector<std::uint32_t> number(std::size_t{1} << keys.bits(), NumberTable::none);
    return each_block([&](std::size_t begin, std::size_t count) {
      for (std::size_t i = 0; i < count; ++i) {
        std::uint32_t& at = number[block[i]];
        if (at == NumberTable::none) {
          at = static_cast<std::uint32_t>(first_rows.size());
          first_rows.push_back(static_cast<std::uint32_t>(begin + i));
        }
        of_row[begin + i] = at;
      }
    });
  }
  NumberTable table;
  each_block([&](std::size_t begin, std::size_t count) {
    constexpr std::size_t ahead = 16;  // look-ups whose cache lines are on their way
    for (std::size_t i = 0; i < std::min(ahead, count); ++i) table.prefetch(block[i]);
    for (std::size_t i = 0; i < count; ++i) {
      if (i + ahead < count) table.prefetch(block[i + ahead]);
      const std::uint32_t number = table.find_or_add(block[i]);
      if (number == first_rows.size()) first_rows.push_back(static_cast<std::uint32_t>(begin + i));
      of_row[begin + i] = number;
    }
  });
}

class NumberCodes final : public KeyCodes {
 public:
  NumberCodes(std::vector<std::uint32_t> numbers, std::size_t count, std::vector<std::uint32_t> ranks)
      : KeyCodes(std::bit_width(count == 0 ? 0 : count - 1)), numbers_(std::move(numbers)), ranks_(std::move(ranks)) {}
  std::uint64_t at(std::size_t row) const override { return ranks_.empty() ? numbers_[row] : ranks_[numbers_[row]]; }
  void fill(std::size_t begin, std::size_t count, std::uint64_t* out) const override {
    for (std::size_t i = 0; i < count; ++i) out[i] = at(begin + i);
  }

 private:
  std::vector<std::uint32_t> numbers_, ranks_;
};

}  // namespace

std::unique_ptr<KeyCodes> number_codes(std::vector<std::uint32_t> of_row, std::size_t count,
                                       std::vector<std::uint32_t> ranks) {
  return std::make_unique<NumberCodes>(std::move(of_row), count, std::move(ranks));
}

void number_rows(KeyList codes, std::size_t size, const Run& run, std::vector<std::uint32_t>& of_row,
                 std::vector<std::uint32_t>& first_rows) {
  KeyList joined;
  // As many keys at a time as 64 bits hold; what they amount to is numbered, and is the first key of the next lot.
  for (std::size_t next = 0; next < codes.size();) {
    int bits = joined.empty() ? 0 : joined.front()->bits();
    while (next < codes.size() && bits + codes[next]->bits() <= 64) {
      bits += codes[next]->bits();
      joined.push_back(std::move(codes[next++]));
    }
    number_narrow(KeyString({&joined}), size, run, of_row, first_rows);
    if (next == codes.size()) break;
    joined.clear();
    joined.push_back(number_codes(std::move(of_row), first_rows.size()));
    if (joined.front()->bits() + codes[next]->bits() > 64) {  // both long: number the next key by itself first
      KeyList alone;
      alone.push_back(std::move(codes[next]));
      number_narrow(KeyString({&alone}), size, run, of_row, first_rows);
      codes[next] = number_codes(std::move(of_row), first_rows.size());
    }
  }
}

}  // namespace lofty::engine
