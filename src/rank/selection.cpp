// One pass that keeps, for each group, the N least codes seen so far, and every row that was not beyond them when it
// came by. What remains within the last N-th code at the end is sorted exactly.
//
// Threads share the rows. Where groups are few, each keeps its own codes. Where they are many, there is one table,
// and work goes in rounds: first rows are held against it, each thread some of them; then those that reached their
// group's limit are added, each thread to some of the groups. So no thread waits for another within a round, and a
// table is not larger than it has to be.
#include "lofty/selection.hpp"

#include <algorithm>
#include <numeric>

#include "base/budget.hpp"
#include "base/far_memory.hpp"
#include "base/name_table.hpp"
#include "base/parallel.hpp"
#include "lofty/places.hpp"
#include "lofty/sums.hpp"
#include "order/codes.hpp"
#include "order/key_check.hpp"
#include "order/numbering.hpp"
#include "order/sort.hpp"
#include "rank/best_rows.hpp"

namespace lofty {

using namespace engine;

namespace {

// The N least codes of each group, ascending; the N-th is what a further row has to reach. Codes of half the width take
// half the room in the cache, which decides how long a row takes. Threads may add to different groups at once.
template <class Code>
class Least {
 public:
  Least(std::size_t groups, std::size_t count)
      : count_(count), limits_(groups, static_cast<Code>(-1)), codes_(groups * count, static_cast<Code>(-1)) {}

  // Separate, because most rows need nothing else.
  Code limit(std::size_t group) const { return limits_[group]; }
  const Code* codes(std::size_t group) const { return codes_.data() + group * count_; }
  // Precondition: code < limit(group).
  void add(std::size_t group, Code code) {
    if (count_ == 0) return;  // no limit
    Code* const codes = codes_.data() + group * count_;
    if (count_ <= few) {
      // Without a branch: the insert position is unpredictable.
      for (std::size_t at = count_ - 1; at > 0; --at) codes[at] = std::min(codes[at], std::max(codes[at - 1], code));
      codes[0] = std::min(codes[0], code);
    } else {
      // A heap with its greatest in front would be the other way round: its root is kept at the end.
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
  // How many rows of each group are selected, and from which end.
  struct Wanted {
    std::size_t count;
    Cut cut;
    bool worst = false;
  };
  Selecting(const Groups& within, const std::vector<Key>& by, const Wanted& wanted, const std::vector<Key>& tiebreak,
            const Run& run)
      : size_(by.front().size()),
        count_(std::min(wanted.count, by.front().size())),
        cut_(wanted.cut),
        run_(run),
        worst_(wanted.worst) {
    for (const Key& key : within.keys) encode_one(key, keys_.within);
    encode_nulls(by.front(), run, keys_.by);
    keys_.flagged = !keys_.by.empty();
    for (const Key& key : by) encode_one(key, keys_.by);
    for (const Key& key : tiebreak) encode_one(key, keys_.tiebreak);
    take_bits();
  }
  // Of keys that are codes already, which have to outlive this: the best, without tie-breakers.
  Selecting(std::size_t size, const SortKeys& keys, std::size_t count, Cut cut, const Run& run)
      : size_(size), count_(std::min(count, size)), cut_(cut), run_(run), worst_(false) {
    for (const auto& key : keys.within) keys_.within.push_back(lend(*key));
    for (const auto& key : keys.by) keys_.by.push_back(lend(*key));
    keys_.flagged = keys.flagged;
    take_bits();
  }

  Selection select() {
    if (count_ == 0 || size_ == 0) return {};
    if (by_bits_ <= 32)
      gather<std::uint32_t>();
    else
      gather<std::uint64_t>();
    std::vector<std::uint32_t> rows;
    rows.reserve(candidates_.size());
    for (const Candidate& candidate : candidates_) rows.push_back(candidate.row);  // in input order, which decides last

    // Codes that are at hand need not be fetched from all over the keys again. No candidate is unranked.
    const auto held = [&](int bits, const auto& code_of) {
      std::vector<std::uint64_t> codes;
      codes.reserve(candidates_.size());
      for (const Candidate& candidate : candidates_) codes.push_back(code_of(candidate));
      return array_codes(bits, std::move(codes));
    };

    // The candidates in their order, and of these the cuts.
    SortKeys keys;
    const KeyString within({&keys_.within}), by({&keys_.by});
    if (coded_)
      keys.within.push_back(held(within.bits(), [](const Candidate& c) { return std::uint64_t{c.group}; }));
    else
      for (const auto& key : keys_.within) keys.within.push_back(picked(*key, rows));
    if (by.bits() == by_bits_)
      keys.by.push_back(held(by_bits_, [&](const Candidate& c) { return c.code ^ flip_; }));
    else
      for (const auto& key : keys_.by) keys.by.push_back(picked(*key, rows));
    for (const auto& key : keys_.tiebreak) keys.tiebreak.push_back(picked(*key, rows));
    const Run quiet{.threads = run_.threads, .stop = run_.stop};  // progress has been told
    return cut_groups(make_order(rows.size(), keys, quiet), rows);
  }

 private:
  void take_bits() {
    by_bits_ = std::min(bits_of({&keys_.by}), 64);
    // The flag of unranked rows is the highest bit. Turned round, the worst are the least.
    flag_ = keys_.flagged ? std::uint64_t{1} << (by_bits_ - 1) : 0;
    flip_ = worst_ ? low_bits(by_bits_) & ~flag_ : 0;
  }
  void encode_one(const Key& key, KeyList& out) const { encode(key, run_, out); }

  // Rows that reached their group's limit when they came by, in input order.
  class Reaching {
   public:
    template <class Code>
    void add(Least<Code>& least, const Candidate& c) {
      const Code limit = least.limit(c.group);
      if (c.code > limit) return;
      if (c.code < limit) least.add(c.group, static_cast<Code>(c.code));
      rows_.push_back(c);
      if (rows_.size() < tidy_at_) return;
      tidy(least);
      tidy_at_ = std::max(tidy_at_, 2 * rows_.size());
    }
    // Forgets rows that better ones have pushed out since they came.
    template <class Code>
    void tidy(const Least<Code>& least) {
      std::erase_if(rows_, [&](const Candidate& c) { return c.code > least.limit(c.group); });
    }
    const std::vector<Candidate>& rows() const { return rows_; }

   private:
    std::vector<Candidate> rows_;
    std::size_t tidy_at_ = 128 * 1024;
  };

  template <class Code>
  void gather() {
    // Groups of a small range of codes need no numbers: the code is one.
    const KeyString within({&keys_.within});
    coded_ = within.bits() < 32 && (std::uint64_t{1} << within.bits()) <= std::max<std::uint64_t>(size_ / 4, 64);
    GroupNumbers numbers;
    if (!coded_) number_rows_of_groups(numbers);
    const std::size_t groups = coded_ ? std::size_t{1} << within.bits() : numbers.size();
    const RowRanges shares = RowRanges::per_thread(size_, run_, key_block);
    const Run run = coded_ ? run_ : run_within(run_, 0.5, 1);
    Progress progress(run, size_);
    if (shares.count() > 1 && groups >= groups_worth_sharing)
      in_rounds<Code>(within, numbers.of_row, groups, shares.count(), progress);
    else
      apart<Code>(within, numbers.of_row, groups, shares, progress);
    progress.finish();
  }

  // Each thread separately.
  template <class Code>
  void apart(const KeyString& within, const std::vector<std::uint32_t>& numbers, std::size_t groups,
             const RowRanges& shares, Progress& progress) {
    std::vector<Least<Code>> least(shares.count(), Least<Code>(groups, held_in_each(groups)));
    std::vector<Reaching> found(shares.count());
    parallel_for(shares, run_, [&](const RowRange& rows, std::size_t t) {
      hold_against(least[t], within, numbers, rows, progress, [&](const Candidate& c) { found[t].add(least[t], c); });
    });
    for (std::size_t t = 1; t < shares.count(); ++t) least[0].add_all(least[t]);
    for (Reaching& part : found) {
      part.tidy(least[0]);
      candidates_.insert(candidates_.end(), part.rows().begin(), part.rows().end());
      part = {};
    }
  }

  template <class Code>
  void in_rounds(const KeyString& within, const std::vector<std::uint32_t>& numbers, std::size_t groups,
                 std::size_t threads, Progress& progress) {
    constexpr std::size_t share = 256 * key_block;  // rows that a thread holds against the table in a round
    Least<Code> least(groups, held_in_each(groups));
    std::vector<Reaching> found(threads);                                       // by who adds
    std::vector<std::vector<Candidate>> reached(threads * threads);             // by who looked, and who will add
    const std::uint64_t scale = ((std::uint64_t{threads} << 32) - 1) / groups;  // group * scale >> 32: who adds it

    // First each thread looks at its rows; then each adds to its groups what all of them found.
    for (std::size_t round = 0; round < size_; round += threads * share) {
      parallel_for(threads, run_, [&](std::size_t t) {
        const std::size_t begin = std::min(size_, round + t * share), end = std::min(size_, begin + share);
        std::vector<Candidate>* const out = reached.data() + t * threads;
        hold_against(least, within, numbers, {begin, end}, progress,
                     [&](const Candidate& c) { out[c.group * scale >> 32].push_back(c); });
      });
      parallel_for(threads, run_, [&](std::size_t adder) {
        for (std::size_t t = 0; t < threads; ++t) {
          std::vector<Candidate>& in = reached[t * threads + adder];
          read_ahead(
              0, in.size(), [&](std::size_t i) { return least.codes(in[i].group); },
              [&](std::size_t i) { found[adder].add(least, in[i]); });
          in.clear();
        }
      });
    }

    // Candidates of all threads, in the order of their rows.
    for (Reaching& part : found) {
      part.tidy(least);
      const auto middle = static_cast<std::ptrdiff_t>(candidates_.size());
      candidates_.insert(candidates_.end(), part.rows().begin(), part.rows().end());
      part = {};
      std::inplace_merge(candidates_.begin(), candidates_.begin() + middle, candidates_.end(),
                         [](const Candidate& a, const Candidate& b) { return a.row < b.row; });
    }
  }

  // How many codes are held for each group: none, so that all rows are candidates, if these would be many more than the
  // rows.
  std::size_t held_in_each(std::size_t groups) const { return count_ / 4 > size_ / groups ? 0 : count_; }

  void number_rows_of_groups(GroupNumbers& numbers) const {
    KeyList lent;
    for (const auto& key : keys_.within) lent.push_back(lend(*key));
    number_rows(std::move(lent), size_, run_within(run_, 0, 0.5), numbers.of_row, numbers.first_rows);
  }

  // Calls reached(candidate) for the ranked rows of a range that are not beyond the limit of their group, as it
  // was when their block of rows began or later.
  template <class Code, class Reached>
  void hold_against(const Least<Code>& least, const KeyString& within, const std::vector<std::uint32_t>& numbers,
                    const RowRange& rows, Progress& progress, const Reached& reached) const {
    const auto [first, last] = rows;
    const KeyString by({&keys_.by});
    std::uint64_t codes[key_block], groups[key_block];
    std::uint16_t near[key_block];
    static_assert(key_block <= 65536);
    constexpr std::size_t stretch = 64 * key_block;
    const std::uint64_t flip = flip_, flag = flag_;
    for (std::size_t begin = first; begin < last; begin += key_block) {
      if ((begin - first) % stretch == 0) progress.add(std::min(stretch, last - begin));
      const std::size_t in_block = std::min(key_block, last - begin);
      if (numbers.empty())
        within.leading(within.bits(), begin, in_block, groups);
      else
        std::copy_n(numbers.begin() + static_cast<std::ptrdiff_t>(begin), in_block, groups);
      by.leading(by_bits_, begin, in_block, codes);

      // Which rows may be in.
      std::size_t count = 0;
      for (std::size_t i = 0; i < in_block; ++i) {  // without a branch: whether it reaches is unpredictable
        near[count] = static_cast<std::uint16_t>(i);
        count += static_cast<std::size_t>((codes[i] ^ flip) <= least.limit(groups[i])) &
                 static_cast<std::size_t>((codes[i] & flag) == 0);
      }
      for (std::size_t n = 0; n < count; ++n) {
        const std::size_t i = near[n];
        reached({codes[i] ^ flip, static_cast<std::uint32_t>(begin + i), static_cast<std::uint32_t>(groups[i])});
      }
    }
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
        const std::size_t border = worst_ ? end - count_ : begin + count_;  // the cut is between its two sides
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
  bool worst_, coded_ = false;
  SortKeys keys_;
  int by_bits_ = 0;  // of the leading ones that fit a word
  std::uint64_t flag_ = 0, flip_ = 0;
  std::vector<Candidate> candidates_;
};

void require_selection(const Groups& within, const std::vector<Key>& by, const std::vector<Key>& tiebreak) {
  require(!by.empty(), "an order needs a key");
  for (const auto* keys : {&within.keys, &by, &tiebreak}) require_keys(*keys, by.front().size());
}

}  // namespace

Selection best(const Groups& within, const std::vector<Key>& by, std::size_t count, Cut cut,
               const std::vector<Key>& tiebreak, const Run& run) {
  const engine::MemoryLimit limit(run);
  require_selection(within, by, tiebreak);
  return Selecting(within, by, {count, cut}, tiebreak, run).select();
}

Selection worst(const Groups& within, const std::vector<Key>& by, std::size_t count, Cut cut,
                const std::vector<Key>& tiebreak, const Run& run) {
  const engine::MemoryLimit limit(run);
  require_selection(within, by, tiebreak);
  return Selecting(within, by, {count, cut, true}, tiebreak, run).select();
}

std::vector<std::uint32_t> engine::best_rows(std::size_t size, const SortKeys& keys, std::size_t count,
                                             const Run& run) {
  std::vector<std::uint32_t> rows = Selecting(size, keys, count, Cut::with_ties, run).select().rows;
  std::sort(rows.begin(), rows.end());
  return rows;
}

LOFTY_ENUM_NAMES(Cut, {Cut::with_ties, "with ties"}, {Cut::strict, "strict"})

}  // namespace lofty
