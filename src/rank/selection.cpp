// One pass that keeps, for each group, the N least codes seen so far, and every row that was not beyond them when it
// came by. What remains within the last N-th code at the end is sorted exactly.
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

  // Precondition: as many groups, and as many codes of each.
  void add_all(const Least& other) {
    for (std::size_t i = 0; i < other.codes_.size(); ++i)
      if (other.codes_[i] < limit(i / count_)) add(i / count_, other.codes_[i]);
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

  // What one stretch of the rows leaves: the N least codes of each group, and the rows that reached them.
  struct Stretch {
    Least least;
    std::vector<Candidate> candidates;
    // Forgets rows that better ones have pushed out since they came.
    void tidy() {
      std::erase_if(candidates, [&](const Candidate& c) { return c.code > least.limit(c.group); });
    }
  };

  void gather() {
    // Groups of a small range of codes need no numbers: the code is one.
    const KeyString within({&keys_.within});
    const bool coded =
        within.bits() < 32 && (std::uint64_t{1} << within.bits()) <= std::max<std::uint64_t>(size_ / 4, 64);
    GroupNumbers numbers;
    if (!coded) number_rows_of_groups(numbers);
    const std::size_t groups = coded ? std::size_t{1} << within.bits() : numbers.size();
    // Each stretch has to find the best of every group anew, so there are few. Their number depends on the data only.
    const std::size_t stretches =
        size_ < rows_worth_threads ? 1 : std::clamp<std::size_t>(size_ / (groups * count_ * 16 + 1), 1, 4);
    const std::size_t rows = (size_ / stretches / key_block + 1) * key_block;
    std::vector<Stretch> found(stretches, Stretch{Least(groups, count_), {}});
    parallel_for(stretches, run_, [&](std::size_t s) {
      gather_stretch(std::min(size_, s * rows), std::min(size_, (s + 1) * rows), within, numbers.of_row, found[s]);
    });
    for (std::size_t s = 1; s < stretches; ++s) {
      found[0].least.add_all(found[s].least);
      found[0].candidates.insert(found[0].candidates.end(), found[s].candidates.begin(), found[s].candidates.end());
      found[s].candidates = {};
    }
    found[0].tidy();
    candidates_ = std::move(found[0].candidates);
  }

  void number_rows_of_groups(GroupNumbers& numbers) const {
    KeyList lent;
    for (const auto& key : keys_.within) lent.push_back(lend(*key));
    number_rows(std::move(lent), size_, run_, numbers.of_row, numbers.first_rows);
  }

  void gather_stretch(std::size_t first, std::size_t last, const KeyString& within,
                      const std::vector<std::uint32_t>& numbers, Stretch& out) const {
    const KeyString by({&keys_.by});
    const int bits = std::min(by.bits(), 64);
    // The flag of unranked rows is the highest bit.
    const std::uint64_t flag = keys_.flagged ? std::uint64_t{1} << (bits - 1) : 0;
    // Turned round, the worst are the least.
    const std::uint64_t flip = worst_ ? low_bits(bits) & ~flag : 0;
    std::uint64_t codes[key_block], groups[key_block];
    std::size_t tidy_at = 1 << 20;
    for (std::size_t begin = first; begin < last; begin += key_block) {
      if (begin % (64 * key_block) == 0) check_stop(run_);
      const std::size_t in_block = std::min(key_block, last - begin);
      by.leading(bits, begin, in_block, codes);
      if (numbers.empty())
        within.leading(within.bits(), begin, in_block, groups);
      else
        std::copy_n(numbers.begin() + static_cast<std::ptrdiff_t>(begin), in_block, groups);
      for (std::size_t i = 0; i < in_block; ++i) {
        const std::uint64_t code = codes[i] ^ flip, limit = out.least.limit(groups[i]);
        if (code > limit || (codes[i] & flag) != 0) continue;
        if (code < limit) out.least.add(groups[i], code);
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
