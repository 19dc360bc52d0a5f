// One pass that keeps, for each group, the N least codes seen so far, and every row that was not beyond them when it
// came by. What remains within the last N-th code at the end is sorted exactly.
//
// Threads share the work by groups where there are many: each then looks at every row, but has to find the best of
// its own groups only, in tables that are that much smaller. Where groups are few they share the rows.
#include "lofty/selection.hpp"

#include <algorithm>
#include <cassert>
#include <numeric>

#include "lofty/places.hpp"
#include "lofty/sums.hpp"
#include "order/numbering.hpp"
#include "order/sort.hpp"
#include "table/parallel.hpp"

namespace lofty {

using namespace engine;

namespace {

// The N least codes of each group, ascending; the N-th is what a further row has to reach. Codes of half the width take
// half the room in the cache, which decides how long a row takes.
template <class Code>
class Least {
 public:
  Least(std::size_t groups, std::size_t count)
      : count_(count), limits_(groups, static_cast<Code>(-1)), codes_(groups * count, static_cast<Code>(-1)) {}

  std::size_t groups() const { return limits_.size(); }
  // By itself, because most rows ask for nothing else.
  Code limit(std::size_t group) const { return limits_[group]; }
  void add(std::size_t group, Code code) {
    Code* const codes = codes_.data() + group * count_;
    if (count_ <= few) {
      // Without a branch: which place it takes is anybody's guess.
      for (std::size_t at = count_ - 1; at > 0; --at) codes[at] = std::min(codes[at], std::max(codes[at - 1], code));
      codes[0] = std::min(codes[0], code);
    } else {
      // A heap with its greatest in front would lie the other way round: its root is kept at the end.
      const auto reversed = std::reverse_iterator(codes + count_);
      std::pop_heap(reversed, reversed + static_cast<std::ptrdiff_t>(count_));
      *(reversed + static_cast<std::ptrdiff_t>(count_ - 1)) = code;
      std::push_heap(reversed, reversed + static_cast<std::ptrdiff_t>(count_));
    }
    limits_[group] = codes[count_ - 1];
  }

  // Precondition: as many groups, and as many codes of each.
  void add_all(const Least& other) {
    for (std::size_t i = 0; i < other.codes_.size(); ++i)
      if (other.codes_[i] < limit(i / count_)) add(i / count_, other.codes_[i]);
  }

 private:
  static constexpr std::size_t few = 16;  // up to here shifting beats a heap
  std::size_t count_;
  std::vector<Code> limits_, codes_;
};

struct Candidate {
  std::uint64_t code;
  std::uint32_t row, group;
};

class Selecting {
 public:
  Selecting(const Groups& within, const std::vector<Key>& by, std::size_t count, Cut cut,
            const std::vector<Key>& tiebreak, const Run& run, bool worst)
      : size_(by.front().size), count_(count), cut_(cut), run_(run), worst_(worst) {
    for (const Key& key : within.keys) encode_checked(key, keys_.within);
    encode_nulls(by.front(), run, keys_.by);
    keys_.flagged = !keys_.by.empty();
    for (const Key& key : by) encode_checked(key, keys_.by);
    for (const Key& key : tiebreak) encode_checked(key, keys_.tiebreak);
  }

  Selection select() {
    if (count_ == 0 || size_ == 0) return {};
    if (KeyString({&keys_.by}).bits() <= 32)
      gather<std::uint32_t>();
    else
      gather<std::uint64_t>();
    std::vector<std::uint32_t> rows;
    rows.reserve(candidates_.size());
    for (const Candidate& candidate : candidates_) rows.push_back(candidate.row);  // in input order, which decides last
    SortKeys keys;
    for (const auto& key : keys_.within) keys.within.push_back(picked(*key, rows));
    for (const auto& key : keys_.by) keys.by.push_back(picked(*key, rows));
    for (const auto& key : keys_.tiebreak) keys.tiebreak.push_back(picked(*key, rows));
    keys.flagged = keys_.flagged;
    const Run quiet{.threads = run_.threads, .stop = run_.stop};  // progress has been told
    return cut_groups(make_order(rows.size(), keys, quiet), rows);
  }

 private:
  void encode_checked(const Key& key, KeyList& out) const {
    assert(key.size == size_ && "all keys have the same length");
    encode(key, run_, out);
  }

  // What a part of the work leaves: the N least codes of its groups, and the rows that reached them, in input order.
  template <class Code>
  struct Part {
    std::size_t first_row = 0, last_row = 0, first_group = 0;
    Least<Code> least;
    std::vector<Candidate> candidates;
    // Forgets rows that better ones have pushed out since they came.
    void tidy() {
      std::erase_if(candidates, [&](const Candidate& c) { return c.code > least.limit(c.group - first_group); });
    }
  };

  template <class Code>
  void gather() {
    // Groups of a small range of codes need no numbers: the code is one.
    const KeyString within({&keys_.within});
    const bool coded =
        within.bits() < 32 && (std::uint64_t{1} << within.bits()) <= std::max<std::uint64_t>(size_ / 4, 64);
    GroupNumbers numbers;
    if (!coded) number_rows_of_groups(numbers);
    const std::size_t groups = coded ? std::size_t{1} << within.bits() : numbers.size();
    const std::size_t parts = size_ < rows_worth_threads ? 1 : static_cast<std::size_t>(thread_count(run_));
    const bool by_group = groups >= groups_worth_sharing;
    std::vector<Part<Code>> found;
    for (std::size_t p = 0; p < parts; ++p) {
      const std::size_t begin = by_group ? groups * p / parts : 0, end = by_group ? groups * (p + 1) / parts : groups;
      const std::size_t rows = (size_ / parts / key_block + 1) * key_block;
      found.push_back({by_group ? 0 : std::min(size_, p * rows),
                       by_group ? size_ : std::min(size_, (p + 1) * rows),
                       begin,
                       Least<Code>(end - begin, count_),
                       {}});
    }
    const Run run = coded ? run_ : part_of(run_, 0.5, 1);
    Progress progress(run, by_group ? parts * size_ : size_);
    parallel_for(parts, run_, [&](std::size_t p) { gather_part(within, numbers.of_row, found[p], progress); });
    progress.finish();
    join(found, by_group);
  }

  template <class Code>
  void join(std::vector<Part<Code>>& found, bool by_group) {
    if (!by_group) {
      for (std::size_t p = 1; p < found.size(); ++p) found[0].least.add_all(found[p].least);
      for (Part<Code>& part : found) {
        std::erase_if(part.candidates, [&](const Candidate& c) { return c.code > found[0].least.limit(c.group); });
        candidates_.insert(candidates_.end(), part.candidates.begin(), part.candidates.end());
      }
      return;
    }
    for (Part<Code>& part : found) {
      const auto middle = static_cast<std::ptrdiff_t>(candidates_.size());
      candidates_.insert(candidates_.end(), part.candidates.begin(), part.candidates.end());
      part.candidates = {};
      std::inplace_merge(candidates_.begin(), candidates_.begin() + middle, candidates_.end(),
                         [](const Candidate& a, const Candidate& b) { return a.row < b.row; });
    }
  }

  void number_rows_of_groups(GroupNumbers& numbers) const {
    KeyList lent;
    for (const auto& key : keys_.within) lent.push_back(lend(*key));
    number_rows(std::move(lent), size_, part_of(run_, 0, 0.5), numbers.of_row, numbers.first_rows);
  }

  template <class Code>
  void gather_part(const KeyString& within, const std::vector<std::uint32_t>& numbers, Part<Code>& out,
                   Progress& progress) const {
    const KeyString by({&keys_.by});
    const int bits = std::min(by.bits(), 64);
    // The flag of unranked rows is the highest bit.
    const std::uint64_t flag = keys_.flagged ? std::uint64_t{1} << (bits - 1) : 0;
    // Turned round, the worst are the least.
    const std::uint64_t flip = worst_ ? low_bits(bits) & ~flag : 0;
    std::uint64_t codes[key_block], groups[key_block];
    std::uint16_t mine[key_block];
    static_assert(key_block <= 65536);
    const std::size_t group_count = out.least.groups();
    constexpr std::size_t stretch = 64 * key_block;
    std::size_t tidy_at = 1 << 20;
    for (std::size_t begin = out.first_row; begin < out.last_row; begin += key_block) {
      if ((begin - out.first_row) % stretch == 0) progress.add(std::min(stretch, out.last_row - begin));
      const std::size_t in_block = std::min(key_block, out.last_row - begin);
      if (numbers.empty())
        within.leading(within.bits(), begin, in_block, groups);
      else
        std::copy_n(numbers.begin() + static_cast<std::ptrdiff_t>(begin), in_block, groups);
      std::size_t count = 0;
      for (std::size_t i = 0; i < in_block; ++i) {  // without a branch: whose group it is is anybody's guess
        mine[count] = static_cast<std::uint16_t>(i);
        count += groups[i] - out.first_group < group_count;
      }
      by.leading(bits, begin, in_block, codes);
      for (std::size_t m = 0; m < count; ++m) {
        const std::size_t i = mine[m], group = groups[i] - out.first_group;
        const std::uint64_t code = codes[i] ^ flip, limit = out.least.limit(group);
        if (code > limit || (codes[i] & flag) != 0) continue;
        if (code < limit) out.least.add(group, static_cast<Code>(code));
        out.candidates.push_back({code, static_cast<std::uint32_t>(begin + i), static_cast<std::uint32_t>(groups[i])});
      }
      if (out.candidates.size() < tidy_at) continue;
      out.tidy();
      tidy_at = std::max(tidy_at, 2 * out.candidates.size());
    }
    out.tidy();
  }

  Selection cut_groups(const Order& order, const std::vector<std::uint32_t>& rows) const {
    Selection out;
    const std::size_t size = order.size();
    for (std::size_t begin = 0; begin < size;) {
      std::size_t end = begin + 1;
      while (end < size && !order.starts_group(end)) ++end;
      // Positions [from, to) are in.
      std::size_t from = begin, to = end;
      if (end - begin > count_) {
        const std::size_t border = worst_ ? end - count_ : begin + count_;  // between its two sides lies the cut
        const bool tied = !order.starts_peers(border);
        out.tied_cuts += tied;
        std::size_t moved = border;
        if (tied && cut_ == Cut::with_ties) {
          if (worst_)
            while (moved > begin && !order.starts_peers(moved)) --moved;
          else
            while (moved < end && !order.starts_peers(moved)) ++moved;
        }
        (worst_ ? from : to) = moved;
      }
      out.group_begin.push_back(static_cast<std::uint32_t>(out.rows.size()));
      for (std::size_t i = from; i < to; ++i) out.rows.push_back(rows[order.rows()[i]]);
      begin = end;
    }
    return out;
  }

  static constexpr std::size_t groups_worth_sharing = 1024;
  std::size_t size_, count_;
  Cut cut_;
  const Run& run_;
  bool worst_;
  SortKeys keys_;
  std::vector<Candidate> candidates_;
};

}  // namespace

Selection best(const Groups& within, const std::vector<Key>& by, std::size_t count, Cut cut,
               const std::vector<Key>& tiebreak, const Run& run) {
  assert(!by.empty() && "an order needs a key");
  return Selecting(within, by, count, cut, tiebreak, run, false).select();
}

Selection worst(const Groups& within, const std::vector<Key>& by, std::size_t count, Cut cut,
                const std::vector<Key>& tiebreak, const Run& run) {
  assert(!by.empty() && "an order needs a key");
  return Selecting(within, by, count, cut, tiebreak, run, true).select();
}

}  // namespace lofty
