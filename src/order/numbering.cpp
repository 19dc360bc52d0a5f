#include "order/numbering.hpp"

#include <algorithm>
#include <bit>
#include <queue>

#include "table/parallel.hpp"

namespace lofty::engine {
namespace {

constexpr std::size_t stretch = 64 * key_block;  // rows

std::size_t stretches_of(std::size_t size) { return (size + stretch - 1) / stretch; }

// Calls work(begin, count) for the blocks of the rows [begin, end).
template <class Work>
void each_block(std::size_t begin, std::size_t end, const Work& work) {
  for (; begin < end; begin += key_block) work(begin, std::min(key_block, end - begin));
}

// A small range of codes is its own index. A thread takes its share of the rows with an index of its own; what it found
// is then numbered on in the first one's, in the order in which it was found. So numbers follow the first appearance in
// the whole, however many threads there were.
void number_directly(const KeyString& keys, std::size_t size, const Run& run, std::vector<std::uint32_t>& of_row,
                     std::vector<std::uint32_t>& first_rows) {
  // Joining the indexes is worth while only where they are small beside the rows.
  const bool shared = size >= rows_worth_threads && size >> keys.bits() >= 32;
  const std::size_t shares = shared ? static_cast<std::size_t>(thread_count(run)) : 1;
  struct Share {
    std::vector<std::uint32_t> number, first_rows;  // the first row's key needs no place: the row has it
  };
  std::vector<Share> all(shares);
  Progress progress(run, size);
  const auto begin_of = [&](std::size_t s) { return size * s / shares / key_block * key_block; };
  const auto end_of = [&](std::size_t s) { return s + 1 == shares ? size : begin_of(s + 1); };
  parallel_for(shares, run, [&](std::size_t s) {
    Share& own = all[s];
    own.number.assign(std::size_t{1} << keys.bits(), NumberTable::none);
    std::uint64_t block[key_block];
    each_block(begin_of(s), end_of(s), [&](std::size_t begin, std::size_t count) {
      if (begin % stretch == 0) progress.add(std::min(stretch, size - begin));
      keys.leading(keys.bits(), begin, count, block);
      for (std::size_t i = 0; i < count; ++i) {
        std::uint32_t& number = own.number[block[i]];
        if (number == NumberTable::none) {
          number = static_cast<std::uint32_t>(own.first_rows.size());
          own.first_rows.push_back(static_cast<std::uint32_t>(begin + i));
        }
        of_row[begin + i] = number;
      }
    });
  });
  first_rows = std::move(all[0].first_rows);
  for (std::size_t s = 1; s < shares; ++s)
    for (std::uint32_t& one : all[s].first_rows) {
      std::uint64_t code;
      keys.leading(keys.bits(), one, 1, &code);
      std::uint32_t& number = all[0].number[code];
      if (number == NumberTable::none) {
        number = static_cast<std::uint32_t>(first_rows.size());
        first_rows.push_back(one);
      }
      one = number;  // from here on: the number in the whole
    }
  parallel_for(shares - 1, run, [&](std::size_t before) {
    const std::vector<std::uint32_t>& whole = all[before + 1].first_rows;
    for (std::size_t i = begin_of(before + 1); i < end_of(before + 1); ++i) of_row[i] = whole[of_row[i]];
  });
  progress.finish();
}

// A thread takes the keys that fall to it by their hash, so that no key is in two tables and the tables together are no
// larger than one would be: they have to stay in the caches. Afterwards the numbers of all are joined by first row.
class Hashed {
 public:
  Hashed(const KeyString& keys, std::size_t size, const Run& run)
      : keys_(keys),
        size_(size),
        run_(run),
        shares_(size < rows_worth_threads ? 1 : static_cast<std::size_t>(thread_count(run))),
        progress_(run, shares_.size() * size) {}

  void number(std::vector<std::uint32_t>& of_row, std::vector<std::uint32_t>& first_rows) {
    parallel_for(shares_.size(), run_, [&](std::size_t s) { look_up(s); });
    progress_.finish();
    if (shares_.size() == 1) {
      of_row = std::move(shares_[0].numbers);
      first_rows = std::move(shares_[0].first_rows);
      return;
    }
    join(first_rows);
    resize_large(of_row, size_);
    parallel_for(stretches_of(size_), run_, [&](std::size_t at) { renumber(at, of_row); });
  }

 private:
  struct Share {
    std::vector<std::uint32_t> first_rows;  // by number within the share; later: the number in the whole
    std::vector<std::uint32_t> numbers;     // of the share's rows, in input order
    std::vector<std::size_t> before;        // how many of them lie before each stretch
  };

  std::size_t share_of(std::uint64_t hash) const { return (hash >> 32) * shares_.size() >> 32; }

  void look_up(std::size_t s) {
    Share& own = shares_[s];
    NumberTable table;
    own.numbers.reserve(size_ / shares_.size() + size_ / 64);
    std::uint64_t keys[key_block], hashes[key_block];
    each_block(0, size_, [&](std::size_t begin, std::size_t count) {
      if (begin % stretch == 0) {
        progress_.add(std::min(stretch, size_ - begin));
        own.before.push_back(own.numbers.size());
      }
      keys_.leading(keys_.bits(), begin, count, keys);
      std::uint16_t mine[key_block];
      static_assert(key_block <= 65536);
      std::size_t found = 0;
      for (std::size_t i = 0; i < count; ++i) {
        hashes[i] = mix(keys[i]);
        mine[found] = static_cast<std::uint16_t>(i);
        found += share_of(hashes[i]) == s;
      }
      constexpr std::size_t ahead = 16;  // look-ups whose cache lines are on their way
      for (std::size_t m = 0; m < std::min(ahead, found); ++m) table.prefetch(hashes[mine[m]]);
      for (std::size_t m = 0; m < found; ++m) {
        if (m + ahead < found) table.prefetch(hashes[mine[m + ahead]]);
        const std::size_t i = mine[m];
        const std::uint32_t number = table.find_or_add(keys[i], hashes[i]);
        if (number == own.first_rows.size()) own.first_rows.push_back(static_cast<std::uint32_t>(begin + i));
        own.numbers.push_back(number);
      }
    });
  }

  void join(std::vector<std::uint32_t>& first_rows) {
    using Next = std::pair<std::uint32_t, std::size_t>;  // a share's next first row
    std::priority_queue<Next, std::vector<Next>, std::greater<>> next;
    std::vector<std::size_t> done(shares_.size(), 0);
    const auto push = [&](std::size_t s) {
      if (done[s] < shares_[s].first_rows.size()) next.emplace(shares_[s].first_rows[done[s]], s);
    };
    for (std::size_t s = 0; s < shares_.size(); ++s) push(s);
    while (!next.empty()) {
      const auto [row, s] = next.top();
      next.pop();
      shares_[s].first_rows[done[s]++] = static_cast<std::uint32_t>(first_rows.size());
      first_rows.push_back(row);
      push(s);
    }
  }

  void renumber(std::size_t at, std::vector<std::uint32_t>& of_row) const {
    std::vector<std::size_t> next;
    for (const Share& share : shares_) next.push_back(share.before[at]);
    std::uint64_t keys[key_block];
    each_block(at * stretch, std::min(size_, (at + 1) * stretch), [&](std::size_t begin, std::size_t count) {
      keys_.leading(keys_.bits(), begin, count, keys);
      for (std::size_t i = 0; i < count; ++i) {
        const std::size_t s = share_of(mix(keys[i]));
        of_row[begin + i] = shares_[s].first_rows[shares_[s].numbers[next[s]++]];
      }
    });
  }

  const KeyString& keys_;
  std::size_t size_;
  const Run& run_;
  std::vector<Share> shares_;
  Progress progress_;
};

// Numbers rows by keys of up to 64 bits. `first_rows` gets the first row of each number.
void number_narrow(const KeyString& keys, std::size_t size, const Run& run, std::vector<std::uint32_t>& of_row,
                   std::vector<std::uint32_t>& first_rows) {
  first_rows.clear();
  // An index takes 4 bytes a code, at most some 16 a row.
  if (keys.bits() < 40 && (std::uint64_t{1} << keys.bits()) <= std::max<std::uint64_t>(4 * size, 1024)) {
    resize_large(of_row, size);
    return number_directly(keys, size, run, of_row, first_rows);
  }
  Hashed(keys, size, run).number(of_row, first_rows);
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
