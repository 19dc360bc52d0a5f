#include "order/sort.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <cassert>
#include <functional>
#include <memory>
#include <numeric>
#include <random>
#include <utility>

#include "base/access.hpp"
#include "base/bucket_lines.hpp"
#include "base/parallel.hpp"
#include "order/key_bins.hpp"
#include "order/key_string.hpp"
#include "order/unpack.hpp"
#include "order/word_sort.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {
namespace {

constexpr std::size_t bucket_rows = 8 * 1024;  // 64 KiB of words: with its scratch well inside the second-level cache
constexpr std::size_t most_buckets = 2048;     // whose lines take an eighth of a megabyte of the second-level cache
constexpr int implied_bits = 9;                // that keys may be longer than their words' room: a bin implies more
constexpr std::size_t most_sampled = 1024;

// The bits of one run of `length` key bits, from `from` on, that belong to the first `upto` bits of the whole key.
std::uint64_t bits_upto(int upto, int from, int length) {
  const int inside = std::clamp(upto - from, 0, length);
  return low_bits(length) & ~low_bits(length - inside);
}

// Which differences between neighbours start a group, a run of peers, a run of equal keys.
struct Borders {
  std::uint64_t group, peer, key;
  Borders(int group_bits, int peer_bits, int from, int length)
      : group(bits_upto(group_bits, from, length)), peer(bits_upto(peer_bits, from, length)), key(low_bits(length)) {}
  std::uint8_t marks(std::uint64_t difference) const {
    return static_cast<std::uint8_t>(((difference & group) != 0 ? OrderData::group_start : 0) |
                                     ((difference & peer) != 0 ? OrderData::peer_start : 0) |
                                     ((difference & key) != 0 ? OrderData::key_start : 0));
  }
};

// Words (leading key bits - base, row) that are in order after all earlier buckets.
struct Bucket {
  std::uint64_t* words = nullptr;
  std::size_t count = 0, at = 0;  // `at`: its first position in the result
  std::uint64_t base = 0, first_key = 0, last_key = 0;
  std::size_t groups = 0, undecided = 0;  // after its first position
};

class Sorting {
 public:
  Sorting(std::size_t size, const SortKeys& keys, const Run& run)
      : size_(size),
        keys_(keys),
        string_({&keys.within, &keys.by, &keys.tiebreak}),
        group_bits_(bits_of({&keys.within})),
        peer_bits_(bits_of({&keys.within, &keys.by})),
        run_(run),
        row_bits_(std::bit_width(size > 0 ? size - 1 : 0)),
        data_(std::make_shared<OrderData>()),
        progress_(run, passes * size) {}

  std::shared_ptr<OrderData> refine(const OrderData& grouped) {
    data_->rows.allocate(size_);
    data_->marks.allocate(size_);
    stage_bits_ = std::min(string_.bits(), 64 - row_bits_);
    const auto starts = [&](std::size_t at) { return (grouped.marks[at] & OrderData::group_start) != 0; };
    const RowRanges pieces = RowRanges::fixed(size_, size_ / 64 + 1);
    const auto next_group = [&](std::size_t at) {
      while (at > 0 && at < size_ && !starts(at)) ++at;
      return at;
    };

    // Group by group.
    std::vector<std::size_t> groups(pieces.count(), 0), undecided(pieces.count(), 0);
    parallel_for(pieces, run_, [&](const RowRange& piece, std::size_t share) {
      Worker worker(size_);
      std::vector<std::uint64_t> words;
      const std::size_t end = next_group(piece.end);
      for (std::size_t begin = next_group(piece.begin), next = begin; begin < end; begin = next) {
        do ++next;
        while (next < end && !starts(next));
        words.resize(next - begin);
        for (std::size_t i = begin; i < next; ++i) {
          const std::uint32_t row = grouped.rows[i];
          words[i - begin] = (stage_bits_ > 0 ? string_.part(row, 0, stage_bits_) << row_bits_ : 0) | row;
        }
        Bucket bucket{words.data(), words.size(), begin};
        finish(bucket, worker, 0);
        data_->marks[begin] |= OrderData::group_start | OrderData::peer_start | OrderData::key_start;
        groups[share] += bucket.groups + 1;
        undecided[share] += bucket.undecided;
      }
    });
    data_->groups = std::accumulate(groups.begin(), groups.end(), std::size_t{0});
    data_->undecided = std::accumulate(undecided.begin(), undecided.end(), std::size_t{0});
    progress_.finish();
    return data_;
  }

  std::shared_ptr<OrderData> sort() {
    data_->rows.allocate(size_);
    data_->marks.allocate(size_);
    const int room = 64 - row_bits_;
    stage_bits_ = std::min(string_.bits(), room);
    if (size_ == 0) return data_;
    if (string_.bits() == 0)
      all_equal();
    else if (size_ < rows_worth_threads)
      sort_at_once();
    else
      sort_in_buckets();
    progress_.finish();
    return data_;
  }

 private:
  void all_equal() {
    std::iota(data_->rows.data(), data_->rows.data() + size_, 0u);
    std::fill_n(data_->marks.data(), size_, std::uint8_t{OrderData::is_ranked});
    data_->marks[0] = 0xf;
    data_->groups = 1;
    data_->undecided = size_ - 1;
  }

  void sort_at_once() {
    std::array<std::uint64_t, 128> few;
    Buffer<std::uint64_t> many;
    if (size_ > few.size()) many.allocate(size_);
    std::uint64_t* const words = size_ > few.size() ? many.data() : few.data();
    for (std::size_t begin = 0; begin < size_; begin += key_block) {
      const std::size_t count = std::min(key_block, size_ - begin);
      std::uint64_t* const block = words + begin;
      string_.leading(stage_bits_, begin, count, block);
      for (std::size_t i = 0; i < count; ++i) block[i] = block[i] << row_bits_ | (begin + i);
    }
    Bucket all{words, size_, 0};
    Worker worker(size_);
    finish(all, worker, row_bits_);
    count(all, 0xb);
  }

  // ---- partitioning

  void sort_in_buckets() {
    const int room = 64 - row_bits_;
    // Words of longer keys are short of what their buckets imply: ranges of keys that fit the room.
    stage_bits_ = string_.bits() <= room ? string_.bits() : std::min(string_.bits(), room + implied_bits);
    Buffer<std::uint64_t> words(size_);
    std::vector<Bucket> buckets = partition(KeyBins(stage_bits_, sample()), room, words.data());
    std::vector<std::uint32_t> largest_first(buckets.size());
    std::iota(largest_first.begin(), largest_first.end(), 0u);
    std::stable_sort(largest_first.begin(), largest_first.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return buckets[a].count > buckets[b].count; });
    const std::size_t shares = std::min<std::size_t>(buckets.size(), 64);
    parallel_for(shares, run_, [&](std::size_t share) {
      Worker worker(size_);
      for (std::size_t b = share; b < buckets.size(); b += shares) {
        Bucket& bucket = buckets[largest_first[b]];
        finish(bucket, worker, row_bits_);
        progress_.add(bucket.count);
      }
    });
    const Borders borders(group_bits_, peer_bits_, 0, stage_bits_);
    for (std::size_t b = 0; b < buckets.size(); ++b)
      count(buckets[b], b == 0 ? 0xb : borders.marks(buckets[b].first_key ^ buckets[b - 1].last_key));
  }

  // Puts a bucket's figures to those of the whole; its first position is marked only now that its neighbour is known.
  void count(const Bucket& bucket, std::uint8_t first_marks) {
    data_->marks[bucket.at] |= first_marks;
    data_->groups += bucket.groups + (first_marks & OrderData::group_start);
    data_->undecided += bucket.undecided + ((first_marks & OrderData::key_start) == 0);
  }

  // Some of the keys, from everywhere.
  std::vector<std::uint64_t> sample() const {
    const std::size_t wanted = std::min(most_sampled, size_ / 128);
    std::vector<std::uint64_t> keys(wanted);
    std::minstd_rand random(1);  // always the same rows
    for (std::size_t i = 0; i < wanted; ++i) {
      const std::size_t begin = size_ * i / wanted, end = size_ * (i + 1) / wanted;
      string_.leading(stage_bits_, begin + random() % (end - begin), 1, &keys[i]);
    }
    return keys;
  }

  // Calls work(begin, count, keys, bins) for the blocks of a piece of the rows.
  template <class Work>
  void each_block(const KeyBins& bins, const RowRange& rows, const Work& work) {
    std::uint64_t keys[key_block];
    std::uint32_t bin_of[key_block];
    for (std::size_t begin = rows.begin; begin < rows.end; begin += key_block) {
      const std::size_t in_block = std::min(key_block, rows.end - begin);
      string_.leading(stage_bits_, begin, in_block, keys);
      bins.find(keys, in_block, bin_of);
      work(begin, in_block, keys, bin_of);
    }
    progress_.add(rows.size());
  }

  // Neighbouring bins put together until they make a bucket, as long as their keys fit `room` bits. `counts` has the
  // rows of each bin; bucket_of gets each bin's bucket.
  std::vector<Bucket> buckets_of(const KeyBins& bins, const std::vector<std::size_t>& counts, int room,
                                 std::uint64_t* out, std::vector<std::uint16_t>& bucket_of) const {
    const std::size_t wanted = std::max(size_ / most_buckets, bucket_rows);
    const bool whole = room >= stage_bits_;  // then a key needs not be shortened
    std::vector<Bucket> buckets;
    std::size_t at = 0, first_bin = 0;
    for (std::size_t bin = 0; bin < bins.size(); ++bin) {
      if (buckets.empty() || (!whole && bins.least(bin + 1) - bins.least(first_bin) > std::uint64_t{1} << room) ||
          (buckets.back().count > 0 && buckets.back().count + counts[bin] > wanted)) {
        first_bin = bin;
        buckets.push_back({out + at, 0, at, whole ? 0 : bins.least(bin)});
      }
      bucket_of.push_back(static_cast<std::uint16_t>(buckets.size() - 1));
      buckets.back().count += counts[bin];
      at += counts[bin];
    }
    return buckets;
  }

  // Distributes keys and rows, stably, over buckets of about equal size. A bucket's words hold its keys less its base,
  // which have to fit `room` bits.
  std::vector<Bucket> partition(const KeyBins& bins, int room, std::uint64_t* out) {
    const RowRanges pieces = RowRanges::fixed(size_, std::max(4 * bucket_rows, size_ / 64 + key_block), key_block);
    std::vector<std::uint32_t> counts(pieces.count() * bins.size(), 0);
    parallel_for(pieces, run_, [&](const RowRange& rows, std::size_t piece) {
      std::uint32_t* const own = counts.data() + piece * bins.size();
      each_block(bins, rows, [&](std::size_t, std::size_t in_block, const std::uint64_t*, const std::uint32_t* bin_of) {
        for (std::size_t i = 0; i < in_block; ++i) ++own[bin_of[i]];
      });
    });
    std::vector<std::size_t> total(bins.size(), 0);
    for (std::size_t i = 0; i < counts.size(); ++i) total[i % bins.size()] += counts[i];
    std::vector<std::uint16_t> bucket_of;
    std::vector<Bucket> buckets = buckets_of(bins, total, room, out, bucket_of);

    // Where each piece's rows of each bucket begin.
    const std::size_t width = buckets.size();
    std::vector<std::uint32_t> starts(pieces.count() * width, 0);
    for (std::size_t piece = 0; piece < pieces.count(); ++piece)
      for (std::size_t bin = 0; bin < bins.size(); ++bin)
        starts[piece * width + bucket_of[bin]] += counts[piece * bins.size() + bin];
    for (std::size_t b = 0; b < width; ++b) {
      auto start = static_cast<std::uint32_t>(buckets[b].at);
      for (std::size_t piece = 0; piece < pieces.count(); ++piece)
        start += std::exchange(starts[piece * width + b], start);
    }

    parallel_for(pieces, run_, [&](const RowRange& rows, std::size_t piece) {
      deal(bins, rows, buckets, bucket_of, room >= stage_bits_, starts.data() + piece * width, out);
    });
    std::erase_if(buckets, [](const Bucket& bucket) { return bucket.count == 0; });
    return buckets;
  }

  // Writes the words of a piece of the rows into their buckets, from `next` on. `whole`: keys are not shortened.
  void deal(const KeyBins& bins, const RowRange& rows, const std::vector<Bucket>& buckets,
            const std::vector<std::uint16_t>& bucket_of, bool whole, std::uint32_t* next, std::uint64_t* out) {
    std::vector<std::uint64_t> base;
    for (const Bucket& bucket : buckets) base.push_back(bucket.base);
    const std::vector<std::uint32_t> begins(next, next + buckets.size());
    BucketLines<std::uint64_t> lines(begins, out);
    std::uint64_t words[key_block];
    std::uint32_t places[key_block];
    std::uint16_t to[key_block];
    each_block(bins, rows,
               [&](std::size_t begin, std::size_t in_block, const std::uint64_t* keys, const std::uint32_t* bin_of) {
                 for (std::size_t i = 0; i < in_block; ++i) {
                   to[i] = bucket_of[bin_of[i]];
                   places[i] = next[to[i]]++;
                 }
                 if (whole)
                   for (std::size_t i = 0; i < in_block; ++i) words[i] = keys[i] << row_bits_ | (begin + i);
                 else
                   for (std::size_t i = 0; i < in_block; ++i)
                     words[i] = (keys[i] - base[to[i]]) << row_bits_ | (begin + i);
                 lines.put(to, places, words, in_block);
               });
    for (std::size_t b = 0; b < buckets.size(); ++b)
      if (next[b] != begins[b]) lines.finish(b, next[b]);
  }

  // ---- one bucket

  struct Level {  // room for one depth of sort_runs()
    std::vector<std::uint64_t> words;
    std::vector<std::uint32_t> rows;
  };
  struct Worker {
    explicit Worker(std::size_t in_all) : sorter(in_all) {}
    WordSorter sorter;
    std::vector<std::unique_ptr<Level>> levels;  // each stays where it is while deeper ones are added
    Level& level(std::size_t depth) {
      while (levels.size() <= depth) levels.push_back(std::make_unique<Level>());
      return *levels[depth];
    }
  };

  // The words' lowest `rising` bits rise already.
  void finish(Bucket& bucket, Worker& worker, int rising) {
    std::uint64_t* const end = bucket.words + bucket.count;
    if (std::is_sorted(bucket.words, end, std::greater<>()))
      std::reverse(bucket.words, end);  // no two are equal; a radix sort would wait for one counter again and again
    else if (!std::is_sorted(bucket.words, end))
      worker.sorter.sort(bucket.words, bucket.count, rising);

    // What the sorted words say.
    const std::uint64_t* const words = bucket.words;
    std::uint32_t* const rows = data_->rows.data() + bucket.at;
    std::uint8_t* const marks = data_->marks.data() + bucket.at;
    const Borders borders(group_bits_, peer_bits_, 0, stage_bits_);
    // The flag that leaves rows unranked follows the group's bits.
    const int flag_at = stage_bits_ - 1 - group_bits_;
    const std::uint64_t flag = keys_.flagged && flag_at >= 0 ? std::uint64_t{1} << flag_at : 0;
    unpack(words, bucket.count, {bucket.base, row_bits_, borders.group, borders.peer, borders.key, flag}, rows, marks);
    bucket.first_key = bucket.base + (words[0] >> row_bits_);
    bucket.last_key = bucket.base + (words[bucket.count - 1] >> row_bits_);

    // And what their keys are too long to say.
    if (string_.bits() > stage_bits_) sort_runs(bucket.at, bucket.count, stage_bits_, 0, worker);
    if (keys_.flagged && flag == 0)
      for (std::size_t i = 0; i < bucket.count; ++i)
        if (keys_.by.front()->at(rows[i]) != 0) marks[i] &= static_cast<std::uint8_t>(~OrderData::is_ranked);
    std::size_t groups = 0, undecided = 0;
    for (std::size_t i = 1; i < bucket.count; ++i) {
      groups += marks[i] & OrderData::group_start;
      undecided += (marks[i] & OrderData::key_start) == 0;
    }
    bucket.groups = groups;
    bucket.undecided = undecided;
  }

  // Positions [begin, begin + count) are sorted by the first `from` key bits: sorts runs that are equal on them.
  void sort_runs(std::size_t begin, std::size_t count, int from, std::size_t depth, Worker& worker) {
    const std::uint8_t* const marks = data_->marks.data();
    for (std::size_t first = begin; first < begin + count;) {
      std::size_t last = first + 1;
      while (last < begin + count && (marks[last] & OrderData::key_start) == 0) ++last;
      if (last - first > 1) sort_run(first, last - first, from, depth, worker);
      first = last;
    }
  }

  void sort_run(std::size_t begin, std::size_t count, int from, std::size_t depth, Worker& worker) {
    const int place_bits = std::bit_width(count - 1), length = std::min(string_.bits() - from, 64 - place_bits);
    const std::uint64_t place_mask = low_bits(place_bits);
    Level& level = worker.level(depth);
    std::uint32_t* const rows = data_->rows.data() + begin;
    std::uint8_t* const marks = data_->marks.data() + begin;
    level.rows.assign(rows, rows + count);
    level.words.resize(count);
    for (std::size_t i = 0; i < count; ++i) level.words[i] = string_.part(rows[i], from, length) << place_bits | i;
    worker.sorter.sort(level.words.data(), count, place_bits);
    const Borders borders(group_bits_, peer_bits_, from, length);
    for (std::size_t i = 0; i < count; ++i) {
      rows[i] = level.rows[level.words[i] & place_mask];
      if (i > 0) marks[i] |= borders.marks((level.words[i] ^ level.words[i - 1]) >> place_bits);
    }
    if (from + length < string_.bits()) sort_runs(begin, count, from + length, depth + 1, worker);
  }

  std::size_t size_;
  const SortKeys& keys_;
  KeyString string_;
  int group_bits_, peer_bits_;
  const Run& run_;
  int row_bits_, stage_bits_ = 0;
  std::shared_ptr<OrderData> data_;
  static constexpr std::size_t passes = 3;  // counting, distributing, sorting
  Progress progress_;
};

// It is not written to any longer.
Order made(std::shared_ptr<OrderData> data) {
  data->rows.may_leave_memory();
  data->marks.may_leave_memory();
  return Access::made<Order>(std::move(data));
}

}  // namespace

Order make_order(std::size_t size, const SortKeys& keys, const Run& run) {
  assert(size <= most_rows);
  return made(Sorting(size, keys, run).sort());
}

Order refine_order(const OrderData& grouped, const SortKeys& keys, const Run& run) {
  assert(!keys.flagged);
  return made(Sorting(grouped.rows.size(), keys, run).refine(grouped));
}

}  // namespace lofty::engine
