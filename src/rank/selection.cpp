// One pass that keeps, for each group, the N least codes seen so far, and every row that was not beyond them when it
// came by. What remains within the last N-th code at the end is sorted exactly.
#include "lofty/selection.hpp"

#include <algorithm>
#include <cassert>
#include <numeric>

#include "lofty/places.hpp"
#include "lofty/sums.hpp"
#include "order/key_string.hpp"
#include "order/sort.hpp"
#include "table/parallel.hpp"

namespace lofty {

using namespace engine;

namespace {

// The N least codes of each group, ascending; the N-th is what a further row has to reach.
class Least {
 public:
  Least(std::size_t groups, std::size_t count) : count_(count), codes_(groups * count, ~std::uint64_t{0}) {}

  std::uint64_t limit(std::size_t group) const { return codes_[(group + 1) * count_ - 1]; }
  void add(std::size_t group, std::uint64_t code) {
    std::uint64_t* const codes = codes_.data() + group * count_;
    if (count_ <= few) {
      std::size_t at = count_ - 1;
      for (; at > 0 && codes[at - 1] > code; --at) codes[at] = codes[at - 1];
      codes[at] = code;
      return;
    }
    // A heap with its greatest in front would lie the other way round: its root is kept at the end.
    const auto reversed = std::reverse_iterator(codes + count_);
    std::pop_heap(reversed, reversed + static_cast<std::ptrdiff_t>(count_));
    *(reversed + static_cast<std::ptrdiff_t>(count_ - 1)) = code;
    std::push_heap(reversed, reversed + static_cast<std::ptrdiff_t>(count_));
  }

 private:
  static constexpr std::size_t few = 16;  // up to here shifting beats a heap
  std::size_t count_;
  std::vector<std::uint64_t> codes_;
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
    if (!within.keys.empty()) groups_ = number_groups(within, run);
  }

  Selection select() {
    if (count_ == 0 || size_ == 0) return {};
    gather();
    std::vector<std::uint32_t> rows;
    rows.reserve(candidates_.size());
    for (const Candidate& candidate : candidates_) rows.push_back(candidate.row);
    std::sort(rows.begin(), rows.end());  // input order decides last
    SortKeys keys;
    for (const auto& key : keys_.within) keys.within.push_back(picked(*key, rows));
    for (const auto& key : keys_.by) keys.by.push_back(picked(*key, rows));
    for (const auto& key : keys_.tiebreak) keys.tiebreak.push_back(picked(*key, rows));
    keys.flagged = keys_.flagged;
    return cut_groups(make_order(rows.size(), keys, run_), rows);
  }

 private:
  void encode_checked(const Key& key, KeyList& out) const {
    assert(key.size == size_ && "all keys have the same length");
    encode(key, run_, out);
  }

  void gather() {
    const KeyString by({&keys_.by});
    const int bits = std::min(by.bits(), 64);
    // The flag of unranked rows is the highest bit.
    const std::uint64_t flag = keys_.flagged ? std::uint64_t{1} << (bits - 1) : 0;
    // Turned round, the worst are the least.
    const std::uint64_t flip = worst_ ? low_bits(bits) & ~flag : 0;
    const bool one_group = groups_.of_row.empty();
    Least least(one_group ? 1 : groups_.size(), count_);
    std::uint64_t codes[key_block];
    std::size_t tidy_at = std::max<std::size_t>(2 * (one_group ? 1 : groups_.size()) * count_, 1 << 16);
    for (std::size_t begin = 0; begin < size_; begin += key_block) {
      if (begin % (64 * key_block) == 0) check_stop(run_);
      const std::size_t in_block = std::min(key_block, size_ - begin);
      by.leading(bits, begin, in_block, codes);
      for (std::size_t i = 0; i < in_block; ++i) {
        if ((codes[i] & flag) != 0) continue;
        const std::uint64_t code = codes[i] ^ flip;
        const std::uint32_t group = one_group ? 0 : groups_.of_row[begin + i];
        if (code > least.limit(group)) continue;
        if (code < least.limit(group)) least.add(group, code);
        candidates_.push_back({code, static_cast<std::uint32_t>(begin + i), group});
      }
      if (candidates_.size() < tidy_at) continue;
      tidy(least);
      tidy_at = std::max(tidy_at, 2 * candidates_.size());
    }
    tidy(least);
  }

  // Forgets rows that better ones have pushed out since they came.
  void tidy(const Least& least) {
    std::erase_if(candidates_, [&](const Candidate& c) { return c.code > least.limit(c.group); });
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

  std::size_t size_, count_;
  Cut cut_;
  const Run& run_;
  bool worst_;
  SortKeys keys_;
  GroupNumbers groups_;
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
