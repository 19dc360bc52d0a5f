#include "lofty/undecided.hpp"

#include <algorithm>
#include <atomic>
#include <numeric>

#include "base/access.hpp"
#include "base/budget.hpp"
#include "base/parallel.hpp"
#include "order/key_check.hpp"
#include "order/sort.hpp"
#include "rank/undecided.hpp"

namespace lofty {

using namespace engine;

namespace engine {
namespace {

// The values of a further key in runs of rows.
class RunValues {
 public:
  RunValues(const KeyList& codes, const OrderData& data) : codes_(codes), data_(data) {}

  // How many of the rows at these positions have a value that another of them has too.
  std::size_t count_alike(std::size_t begin, std::size_t end) {
    if (codes_.size() != 1) return count_alike_rows(begin, end);
    const KeyCodes& code = *codes_.front();
    if (end - begin == 2) return code.at(data_.rows[begin]) == code.at(data_.rows[begin + 1]) ? 2 : 0;
    words_.resize(end - begin);
    for (std::size_t i = begin; i < end; ++i) words_[i - begin] = code.at(data_.rows[i]);
    return count_in(words_);
  }

 private:
  // Of a key that needs several words.
  std::size_t count_alike_rows(std::size_t begin, std::size_t end) {
    many_.assign(end - begin, {});
    for (std::size_t i = begin; i < end; ++i)
      for (const auto& code : codes_) many_[i - begin].push_back(code->at(data_.rows[i]));
    return count_in(many_);
  }
  template <class Values>
  static std::size_t count_in(Values& values) {
    std::sort(values.begin(), values.end());
    std::size_t alike = 0;
    for (std::size_t i = 0; i < values.size(); ++i)
      alike += (i > 0 && values[i] == values[i - 1]) || (i + 1 < values.size() && values[i] == values[i + 1]);
    return alike;
  }

  const KeyList& codes_;
  const OrderData& data_;
  std::vector<std::uint64_t> words_;
  std::vector<std::vector<std::uint64_t>> many_;
};

// Positions that are equal on every key, two at the least.
struct RunOfEqual {
  std::size_t begin, end;
};

bool starts_run(const OrderData& data, std::size_t position) {
  return (data.marks[position] & OrderData::key_start) != 0;
}

// All of them, looked for by all threads.
std::vector<RunOfEqual> all_runs(const OrderData& data, Progress& progress, const Run& run) {
  const std::size_t size = data.rows.size();
  const RowRanges pieces = RowRanges::fixed(size, RowRanges::usual_rows);
  std::vector<std::vector<RunOfEqual>> of_piece(pieces.count());
  parallel_for(pieces, run, [&](const RowRange& range, std::size_t piece) {
    // Those that begin here; the last of them may end in another piece.
    std::size_t begin = range.begin;
    while (begin < range.end && !starts_run(data, begin)) ++begin;
    while (begin < range.end) {
      std::size_t end = begin + 1;
      while (end < size && !starts_run(data, end)) ++end;
      if (end - begin > 1) of_piece[piece].push_back({begin, end});
      begin = end;
    }
    progress.add(range.size());
  });
  std::vector<RunOfEqual> runs;
  for (const auto& some : of_piece) runs.insert(runs.end(), some.begin(), some.end());
  return runs;
}

// Those in which these positions are.
std::vector<RunOfEqual> runs_of(const OrderData& data, std::span<const std::size_t> positions) {
  std::vector<RunOfEqual> runs;
  std::size_t looked_at = 0;
  for (const std::size_t position : positions) {
    if (position < looked_at) continue;
    std::size_t begin = position, end = position + 1;
    while (!starts_run(data, begin)) --begin;
    while (end < data.rows.size() && !starts_run(data, end)) ++end;
    if (end - begin > 1) runs.push_back({begin, end});
    looked_at = end;
  }
  return runs;
}

// Does a key ascend from row to row, so that no two are equal?
bool ascends(const KeyList& codes, std::size_t rows, const Run& run) {
  if (codes.size() != 1) return false;
  const RowRanges pieces = RowRanges::fixed(rows, RowRanges::usual_rows);
  constexpr std::size_t block = 4096;
  std::atomic<bool> every = true;
  parallel_for(pieces, run, [&](const RowRange& range) {
    std::vector<std::uint64_t> some(block + 1);
    const std::size_t end = std::min(range.end + 1, rows);  // the next piece's first row, too
    for (std::size_t begin = range.begin; begin + 1 < end && every; begin += block) {
      const std::size_t count = std::min(block + 1, end - begin);
      codes.front()->fill(begin, count, some.data());
      for (std::size_t i = 1; i < count; ++i)
        if (some[i] <= some[i - 1]) every = false;
    }
  });
  return every;
}

}  // namespace

Undecided find_undecided(const Order& order, const std::vector<std::function<void(KeyList&)>>& candidates,
                         const std::optional<std::span<const std::size_t>>& kept, const Run& run) {
  Undecided out;
  const OrderData& data = engine::Access::data(order);
  Progress progress(run, order.size() * (candidates.size() + 1));
  const std::vector<RunOfEqual> runs = kept ? runs_of(data, *kept) : all_runs(data, progress, run);
  for (const RunOfEqual& one : runs) out.rows += one.end - one.begin;
  if (runs.empty()) {
    progress.finish();
    return out;
  }

  // Which further key tells most of them apart?
  out.example = {data.rows[runs.front().begin], data.rows[runs.front().begin + 1]};
  out.left = out.rows;
  const RowRanges pieces = RowRanges::fixed(runs.size(), RowRanges::usual_rows / 4);
  for (std::size_t c = 0; c < candidates.size(); ++c) {
    KeyList codes;
    candidates[c](codes);
    std::vector<std::size_t> left_of(pieces.count(), 0);
    // A column like a line number is found by going over it once, rather than by looking up each row.
    const bool unique = out.rows > order.size() / 8 && ascends(codes, order.size(), run);
    parallel_for(pieces, run, [&](const RowRange& range, std::size_t piece) {
      if (unique) return;
      RunValues values(codes, data);
      std::size_t looked_at = 0;
      for (std::size_t r = range.begin; r < range.end; ++r) {
        left_of[piece] += values.count_alike(runs[r].begin, runs[r].end);
        if ((looked_at += runs[r].end - runs[r].begin) < RowRanges::usual_rows) continue;
        progress.add(looked_at);
        looked_at = 0;
      }
    });
    const std::size_t left = std::accumulate(left_of.begin(), left_of.end(), std::size_t{0});
    if (left >= out.left) continue;
    out.left = left;
    out.would_help = c;
    if (left == 0) {
      out.would_decide = c;
      out.would_help.reset();
      break;
    }
  }
  progress.finish();
  return out;
}

}  // namespace engine

Undecided undecided(const Order& order, const std::vector<Key>& candidates, const Run& run) {
  const engine::MemoryLimit limit(run);
  require_keys(candidates, order.size());
  std::vector<std::function<void(KeyList&)>> encoders;
  for (const Key& key : candidates) {
    encoders.push_back([&](KeyList& out) { encode(key, {.threads = run.threads, .stop = run.stop}, out); });
  }
  return find_undecided(order, encoders, {}, run);
}

}  // namespace lofty
