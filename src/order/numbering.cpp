#include "order/numbering.hpp"

#include <algorithm>
#include <bit>

#include "base/far_memory.hpp"
#include "base/large_vector.hpp"
#include "base/mix.hpp"
#include "base/parallel.hpp"
#include "order/key_table.hpp"
#include "order/parts.hpp"

namespace lofty::engine {
namespace {

constexpr std::size_t stretch = 64 * key_block;  // rows

// A key of up to 64 bits.
struct PackedKey {
  std::uint64_t key;
  std::uint32_t tag() const { return static_cast<std::uint32_t>(mix(key) >> 32); }
  bool same(const PackedKey& other) const { return key == other.key; }
};

// Calls work(begin, count) for the blocks of the rows [begin, end).
template <class Work>
void each_block(std::size_t begin, std::size_t end, const Work& work) {
  for (; begin < end; begin += key_block) work(begin, std::min(key_block, end - begin));
}

// A small range of codes is its own index. A thread takes its share of the rows with its own index; what it found
// is then numbered on in the first one's, in the order in which it was found. So numbers follow the first appearance in
// the whole, however many threads there were.
void number_directly(const KeyString& keys, std::size_t size, const Run& run, std::vector<std::uint32_t>& of_row,
                     std::vector<std::uint32_t>& first_rows) {
  // Joining the indexes is worth while only where they are small compared with the rows.
  const bool shared = size >= rows_worth_threads && size >> keys.bits() >= 32;
  const RowRanges shares = shared ? RowRanges::per_thread(size, run, key_block) : RowRanges::one(size);
  struct Share {
    std::vector<std::uint32_t> number, first_rows;  // the first row's key needs no place: the row has it
  };
  std::vector<Share> all(shares.count());
  Progress progress(run, size);

  // Each share separately.
  parallel_for(shares, run, [&](const RowRange& rows, std::size_t s) {
    Share& own = all[s];
    own.number.assign(std::size_t{1} << keys.bits(), KeyTable<PackedKey>::none);
    std::uint64_t block[key_block];
    each_block(rows.begin, rows.end, [&](std::size_t begin, std::size_t count) {
      if (begin % stretch == 0) progress.add(std::min(stretch, size - begin));
      keys.leading(keys.bits(), begin, count, block);
      const auto index = [&](std::size_t i) { return own.number.data() + block[i]; };
      write_ahead(0, count, index, [&](std::size_t i) {
        std::uint32_t& number = *index(i);
        if (number == KeyTable<PackedKey>::none) {
          number = static_cast<std::uint32_t>(own.first_rows.size());
          own.first_rows.push_back(static_cast<std::uint32_t>(begin + i));
        }
        of_row[begin + i] = number;
      });
    });
  });

  // The later shares' keys in the first one's index, and then in their rows.
  first_rows = std::move(all[0].first_rows);
  for (std::size_t s = 1; s < shares.count(); ++s)
    for (std::uint32_t& one : all[s].first_rows) {
      std::uint64_t code;
      keys.leading(keys.bits(), one, 1, &code);
      std::uint32_t& number = all[0].number[code];
      if (number == KeyTable<PackedKey>::none) {
        number = static_cast<std::uint32_t>(first_rows.size());
        first_rows.push_back(one);
      }
      one = number;  // from here on: the number in the whole
    }
  parallel_for(shares, run, [&](const RowRange& rows, std::size_t s) {
    if (s == 0) return;  // its numbers are those of the whole
    const std::vector<std::uint32_t>& whole = all[s].first_rows;
    for (std::size_t i = rows.begin; i < rows.end; ++i) of_row[i] = whole[of_row[i]];
  });
  progress.finish();
}

// One table, for few rows.
void number_by_table(const KeyString& keys, std::size_t size, const Run& run, std::vector<std::uint32_t>& of_row,
                     std::vector<std::uint32_t>& first_rows) {
  KeyTable<PackedKey> table;
  Progress progress(run, size);
  std::uint64_t block[key_block];
  each_block(0, size, [&](std::size_t begin, std::size_t count) {
    progress.add(count);
    keys.leading(keys.bits(), begin, count, block);
    for (std::size_t i = 0; i < count; ++i) {
      const std::uint32_t number = table.find_or_add({block[i]});
      if (number == first_rows.size()) first_rows.push_back(static_cast<std::uint32_t>(begin + i));
      of_row[begin + i] = number;
    }
  });
  progress.finish();
}

struct PackingKeys {
  using Entry = PackedKey;
  const KeyString& keys;
  // No key is missing.
  void pack(std::size_t begin, std::size_t count, PackedKey* out, std::uint8_t*) const {
    std::uint64_t block[key_block];
    each_block(begin, begin + count, [&](std::size_t from, std::size_t in_block) {
      keys.leading(keys.bits(), from, in_block, block);
      for (std::size_t i = 0; i < in_block; ++i) out[from - begin + i].key = block[i];
    });
  }
};

// Numbers rows by keys of up to 64 bits. `first_rows` gets the first row of each number.
void number_narrow(const KeyString& keys, std::size_t size, const Run& run, std::vector<std::uint32_t>& of_row,
                   std::vector<std::uint32_t>& first_rows) {
  first_rows.clear();
  resize_large(of_row, size, run);
  // An index takes 4 bytes a code, at most some 16 a row.
  if (keys.bits() < 40 && (std::uint64_t{1} << keys.bits()) <= std::max<std::uint64_t>(4 * size, 1024))
    number_directly(keys, size, run, of_row, first_rows);
  else if (size < rows_worth_threads)
    number_by_table(keys, size, run, of_row, first_rows);
  else
    number_in_parts(size, usual_blocks<PackedKey>, PackingKeys{keys}, 0, run, of_row.data(), first_rows);
}

// Numbers below `count` as codes.
std::unique_ptr<KeyCodes> number_codes(std::vector<std::uint32_t> numbers, std::size_t count) {
  return array_codes(std::bit_width(count == 0 ? 0 : count - 1), std::move(numbers));
}

}  // namespace

void number_rows(KeyList codes, std::size_t size, const Run& run, std::vector<std::uint32_t>& of_row,
                 std::vector<std::uint32_t>& first_rows) {
  KeyList joined;
  // As many keys at a time as 64 bits hold; their combination is numbered, and is the first key of the next lot.
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
    if (joined.front()->bits() + codes[next]->bits() > 64) {  // both long: number the next key separately first
      KeyList alone;
      alone.push_back(std::move(codes[next]));
      number_narrow(KeyString({&alone}), size, run, of_row, first_rows);
      codes[next] = number_codes(std::move(of_row), first_rows.size());
    }
  }
}

}  // namespace lofty::engine
