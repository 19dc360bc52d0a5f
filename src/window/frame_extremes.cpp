#include "window/frame_extremes.hpp"

#include <array>
#include <bit>
#include <cmath>
#include <limits>
#include <vector>

namespace lofty::engine {
namespace {

// The ascending minima of each stretch: candidates in the order of their positions, each better than all after it.
template <class Better>
class Extremes {
 public:
  explicit Extremes(const Better& better) : better_(better) {}
  void move(std::size_t part, std::uint32_t begin, std::uint32_t end) {
    Queue& queue = queues_[part];
    if (begin >= queue.end) {
      queue.candidates.clear();
      queue.end = begin;
    }
    for (; queue.end < end; ++queue.end) {
      if (better_.null(queue.end)) continue;
      while (!queue.candidates.empty() && better_(queue.end, queue.candidates.back())) queue.candidates.pop_back();
      queue.candidates.push_back(queue.end);
    }
    while (!queue.candidates.empty() && queue.candidates.front() < begin) queue.candidates.pop_front();
  }
  void restart(std::uint32_t at) {
    for (Queue& queue : queues_) {
      queue.candidates.clear();
      queue.end = at;
    }
  }
  std::uint32_t first() const { return queues_[0].candidates.empty() ? no_position : queues_[0].candidates.front(); }
  std::uint32_t best() const {
    std::uint32_t found = no_position;
    for (const Queue& queue : queues_)
      if (!queue.candidates.empty() && (found == no_position || better_(queue.candidates.front(), found)))
        found = queue.candidates.front();
    return found;
  }

 private:
  // A ring that grows: the standard deque costs twice as much a step.
  class Ring {
   public:
    bool empty() const { return first_ == last_; }
    std::uint32_t front() const { return slots_[first_ & mask()]; }
    std::uint32_t back() const { return slots_[(last_ - 1) & mask()]; }
    void pop_front() { ++first_; }
    void pop_back() { --last_; }
    void clear() { first_ = last_ = 0; }
    void push_back(std::uint32_t value) {
      if (last_ - first_ == slots_.size()) {
        std::vector<std::uint32_t> larger(slots_.size() * 2);
        for (std::size_t i = first_; i < last_; ++i) larger[i & (larger.size() - 1)] = slots_[i & mask()];
        slots_.swap(larger);
      }
      slots_[last_++ & mask()] = value;
    }

   private:
    std::size_t mask() const { return slots_.size() - 1; }
    std::vector<std::uint32_t> slots_ = std::vector<std::uint32_t>(64);
    std::size_t first_ = 0, last_ = 0;
  };
  struct Queue {
    Ring candidates;
    std::uint32_t end = 0;
  };
  Better better_;
  std::array<Queue, 3> queues_;
};

template <class T>
struct BetterThan {
  const T* values;
  bool greatest;
  bool null(std::uint32_t at) const {
    if constexpr (std::is_same_v<T, double>)
      return std::isnan(values[at]);
    else
      return values[at] == (std::is_same_v<T, std::int64_t> ? T{int64_null} : static_cast<T>(int128_min));
  }
  bool operator()(std::uint32_t a, std::uint32_t b) const {
    return greatest ? values[a] > values[b] : values[a] < values[b];
  }
};

// What is compared where nothing may depend on the values: numbers of which the greatest is wanted, and `none` for
// null.
constexpr std::int64_t none = int64_null;

template <class Reader>
struct IntegerScore {
  Reader read;
  bool greatest;
  std::int64_t operator()(std::size_t at) const {
    const std::int64_t value = read(at);
    return greatest || (Reader::nulls && value == int64_null) ? value : ~value;
  }
};

// The bits of doubles, so that they compare as the doubles do; both zeros are one.
struct DoubleScore {
  const double* values;
  bool greatest;
  std::int64_t operator()(std::size_t at) const {
    const double value = values[at];
    if (value != value) return none;
    const auto bits = std::bit_cast<std::int64_t>(value == 0 ? 0.0 : value);
    const std::int64_t ascending = bits ^ ((bits >> 63) & std::numeric_limits<std::int64_t>::max());
    return greatest ? ascending : ~ascending;
  }
};

// Would every value have its own score? The least of the greatest integer would be none.
bool scores_tell(const Gathered& values) {
  return values.lane == Gathered::Lane::float64 ||
         (values.lane == Gathered::Lane::int64 && values.magnitude < std::numeric_limits<std::int64_t>::max());
}

bool from_the_start(const Frame& frame) {
  return runs_with_peers(frame) || (plain_rows(frame) && frame.from.edge == Edge::unbounded_preceding);
}

bool between_distances(const Frame& frame) {
  return plain_rows(frame) && frame.from.edge != Edge::unbounded_preceding &&
         frame.to.edge != Edge::unbounded_following;
}

// The best so far, of frames from the group's start.
template <class Score>
struct RunningBest {
  Score score;
  std::uint32_t at = no_position;
  std::int64_t best = none;

  void reset() {
    at = no_position;
    best = none;
  }
  void add(std::uint32_t position) {
    const std::int64_t here = score(position);
    at = here > best ? position : at;
    best = std::max(best, here);
  }
  void remove(std::uint32_t) {}  // nothing leaves before the group ends
};

// Frames between two distances: block by block of one frame's length, from where the piece's first frame begins.
template <class Score, class Put>
class BlockExtremes {
 public:
  BlockExtremes(const WindowJob& job, const Score& score, const Put& put) : job_(job), score_(score), put_(put) {}

  void over(std::size_t begin, std::size_t end) {
    std::size_t group = last_start(job_.order, begin, OrderData::group_start);
    while (group < end) {
      const std::size_t group_end = next_start(job_.order, group + 1, OrderData::group_start);
      in_group(static_cast<std::int64_t>(group), static_cast<std::int64_t>(group_end),
               static_cast<std::int64_t>(std::max(begin, group)), static_cast<std::int64_t>(std::min(end, group_end)));
      group = group_end;
    }
  }

 private:
  // The frames of [from, to), within the group [first, last).
  void in_group(std::int64_t first, std::int64_t last, std::int64_t from, std::int64_t to) {
    const std::int64_t a = reach(job_.frame.from, job_.order.rows.size()),
                       b = reach(job_.frame.to, job_.order.rows.size());
    const std::int64_t width = std::max<std::int64_t>(b - a + 1, 1);
    const std::int64_t until = std::min(last, to + b);  // the end of the last frame

    // The block [begin, end), how far the walk has come in it, and the best that it saw there. All of it, and copies of
    // what is called, are local: nothing that is written could be a part of them.
    std::int64_t begin = std::max(first, from + a), end = begin, next = begin;
    std::uint32_t best_at = no_position;
    std::int64_t best = none;
    suffixes_begin_ = -1;
    const Score score = score_;
    const Put put = put_;

    // Frame by frame, each of which may begin a new block.
    for (std::int64_t at = from; at < to; ++at) {
      const std::int64_t low = std::max(at + a, first), high = std::min(at + b, last - 1);
      if (low > high) {
        put(static_cast<std::size_t>(at), no_position);
        continue;
      }
      for (; next <= high; ++next) {
        if (next == end) {
          if (begin != end) find_suffixes(begin, end);  // for the frames that begin in it
          begin = end;
          end = std::min(end + width, until);
          best_at = no_position;
          best = none;
        }
        const std::int64_t here = score(static_cast<std::size_t>(next));
        best_at = here > best ? static_cast<std::uint32_t>(next) : best_at;
        best = std::max(best, here);
      }

      // A frame ends where the walk has arrived. At the block's begin it is what the walk has seen. Before it, the end
      // of the block before comes first. Inside it, the block ends there too, with the group.
      std::uint32_t found = best_at;
      std::int64_t found_score = best;
      if (low != begin) {
        const bool inside = low > begin;
        if (inside && suffixes_begin_ != begin) find_suffixes(begin, end);
        const std::uint32_t other = suffixes_[static_cast<std::size_t>(low - suffixes_begin_)];
        const std::int64_t there = other == no_position ? none : score(other);
        if (inside || there >= best) {
          found = other;
          found_score = there;
        }
      }
      put(static_cast<std::size_t>(at), found_score == none ? no_position : found);
    }
  }

  // The best from each position of a block to its end. Only once a frame needs it: a first block that no frame leaves
  // needs none.
  void find_suffixes(std::int64_t begin, std::int64_t end) {
    suffixes_begin_ = begin;
    if (suffixes_.size() < static_cast<std::size_t>(end - begin))
      suffixes_.resize(static_cast<std::size_t>(end - begin));
    const Score score = score_;
    std::uint32_t* const to = suffixes_.data();
    std::uint32_t found = no_position;
    std::int64_t best = none;
    for (std::int64_t i = end; i-- > begin;) {
      const std::int64_t here = score(static_cast<std::size_t>(i));
      found = here >= best && here != none ? static_cast<std::uint32_t>(i) : found;
      best = std::max(best, here);
      to[i - begin] = found;
    }
  }

  const WindowJob& job_;
  Score score_;
  Put put_;
  std::vector<std::uint32_t> suffixes_;  // of the block from suffixes_begin_: that of the walk, or the one before it
  std::int64_t suffixes_begin_ = -1;
};

// Any frames.
template <class T, class Put>
void queued_extremes(const WindowJob& job, std::size_t begin, std::size_t end, const BetterThan<T>& better,
                     const Put& put) {
  Extremes<BetterThan<T>> found(better);
  std::size_t group = ~std::size_t{0};
  const auto enter_group = [&](std::size_t first) {
    if (first == group) return;
    group = first;
    found.restart(static_cast<std::uint32_t>(group));
  };
  const auto one = [&](std::size_t at, std::size_t first, std::uint32_t low, std::uint32_t high) {
    enter_group(first);
    found.move(0, low, high);
    put(at, found.first());
  };
  each_frame(job, begin, end, one, [&](std::size_t at, std::size_t first, const Stretches& frame) {
    enter_group(first);
    for (std::size_t part = 0; part < 3; ++part) found.move(part, frame.begin[part], frame.end[part]);
    put(at, found.best());
  });
}

// By scores, on several threads where that pays: put(position, the best's position). Two functions, because the
// compiler keeps less of each in registers when they are one.
template <class Score, class Put>
[[gnu::noinline]] void running_extremes(const WindowJob& job, const Score& score, const Put& put) {
  using Best = RunningBest<Score>;
  slide_all(
      job, [&] { return Best{score}; }, [put](std::size_t at, std::size_t, const Best& best) { put(at, best.at); });
}
template <class Score, class Put>
[[gnu::noinline]] void block_extremes(const WindowJob& job, const Score& score, const Put& put) {
  slide_in_pieces(
      job, [&job, score, put](std::size_t begin, std::size_t end) { BlockExtremes(job, score, put).over(begin, end); });
}
template <class Score, class Put>
void scored(const WindowJob& job, const Score& score, const Put& put) {
  if (from_the_start(job.frame))
    running_extremes(job, score, put);
  else
    block_extremes(job, score, put);
}

template <class T, class Put>
void queued(const WindowJob& job, const BetterThan<T>& better, const Put& put) {
  slide_in_pieces(job, [&](std::size_t begin, std::size_t end) { queued_extremes(job, begin, end, better, put); });
}

template <class Put>
void each_extreme(const WindowJob& job, const Gathered& values, bool greatest, const Put& put) {
  const bool by_score = scores_tell(values) && goes_by_scores(job.frame);
  switch (values.lane) {
    case Gathered::Lane::int64:
      if (by_score)
        return with_integers(values, [&](const auto& read) {
          scored(job, IntegerScore<std::decay_t<decltype(read)>>{read, greatest}, put);
        });
      return queued(job, BetterThan<std::int64_t>{values.ints.data(), greatest}, put);
    case Gathered::Lane::float64:
      if (by_score) return scored(job, DoubleScore{values.doubles.data(), greatest}, put);
      return queued(job, BetterThan<double>{values.doubles.data(), greatest}, put);
    case Gathered::Lane::int128: return queued(job, BetterThan<int128>{values.wide.data(), greatest}, put);
  }
}

}  // namespace

bool goes_by_scores(const Frame& frame) { return from_the_start(frame) || between_distances(frame); }

Buffer<std::uint32_t> frame_extremes(const WindowJob& job, const Gathered& values, bool greatest) {
  Buffer<std::uint32_t> out(job.order.rows.size());
  frame_extremes(job, values, greatest, nullptr, out.data());
  return out;
}

void frame_extremes(const WindowJob& job, const Gathered& values, bool greatest, const std::uint32_t* rows,
                    std::uint32_t* out) {
  if (rows == nullptr)
    each_extreme(job, values, greatest, [=](std::size_t at, std::uint32_t position) { out[at] = position; });
  else
    each_extreme(job, values, greatest, [=](std::size_t at, std::uint32_t position) {
      out[at] = position == no_position ? position : rows[position];
    });
}

Buffer<std::int64_t> frame_extreme_values(const WindowJob& job, const Gathered& values, bool greatest) {
  Buffer<std::int64_t> out(job.order.rows.size());
  const auto put = [&](const auto& read) {
    return [out = out.data(), read](std::size_t at, std::uint32_t position) {
      out[at] = position == no_position ? int64_null : read(position);
    };
  };
  if (scores_tell(values) && goes_by_scores(job.frame))
    with_integers(values, [&](const auto& read) {
      scored(job, IntegerScore<std::decay_t<decltype(read)>>{read, greatest}, put(read));
    });
  else
    queued(job, BetterThan<std::int64_t>{values.ints.data(), greatest}, put(IntReader<true>{values.ints.data()}));
  return out;
}

namespace {

// Of frames from the group's start the best word itself. Where there may be nulls, null is 0 and thereby the least of
// all; where the least is wanted, words are then compared less one, so that it is the greatest.
template <bool greatest, class Word>
void running_best_words(const WindowJob& job, const Word* words, Word up, bool nulls, Word* out) {
  struct Best {
    const Word* words;
    std::uint64_t up, best;  // `up`: what makes a word what is compared; may wrap
    void reset() { best = greatest ? 0 : ~std::uint64_t{0}; }
    void add(std::uint32_t at) {
      const std::uint64_t here = words[at] + up;
      best = greatest ? std::max(best, here) : std::min(best, here);
    }
    void remove(std::uint32_t) {}  // nothing leaves before the group ends
  };
  const std::uint64_t less = !greatest && nulls;
  slide_all(
      job,
      [=] {
        Best best{words, up - less, 0};
        best.reset();
        return best;
      },
      [=](std::size_t at, std::size_t, const Best& best) { out[at] = static_cast<Word>(best.best + less); });
}

}  // namespace

PackedNumbers packed_extreme_values(const WindowJob& job, const Gathered& values, bool greatest) {
  const PackedNumbers& packed = values.packed;
  if (!packed || !goes_by_scores(job.frame)) return {};
  PackedNumbers out = PackedNumbers::between(packed.least, packed.greatest, packed.nulls || may_be_empty(job.frame));
  if (out.width != packed.width) return {};
  out.allocate(packed.size);
  const auto in_words = [&](auto word) {
    using Word = decltype(word);
    const Word* const words = packed.data<Word>();
    Word* const to = out.data<Word>();
    const auto up = static_cast<Word>(packed.before - out.before);  // by one, where null comes in
    if (from_the_start(job.frame))
      return greatest ? running_best_words<true>(job, words, up, out.nulls, to)
                      : running_best_words<false>(job, words, up, out.nulls, to);
    with_words<Word>(packed, [&](const auto& read) {
      scored(job, IntegerScore<std::decay_t<decltype(read)>>{read, greatest},
             [=](std::size_t at, std::uint32_t position) {
               to[at] = position == no_position ? Word{0} : static_cast<Word>(words[position] + up);
             });
    });
  };

  // In words of two or four bytes.
  if (packed.width == 2)
    in_words(std::uint16_t{});
  else
    in_words(std::uint32_t{});
  return out;
}

}  // namespace lofty::engine
