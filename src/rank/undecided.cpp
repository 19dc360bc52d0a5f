#include "lofty/undecided.hpp"

#include <algorithm>
#include <numeric>

#include "order/key_check.hpp"
#include "order/sort.hpp"
#include "rank/undecided.hpp"
#include "table/budget.hpp"
#include "table/parallel.hpp"

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

}  // namespace

Undecided find_undecided(const Order& order, const std::vector<std::function<void(KeyList&)>>& candidates,
                         const Run& run) {
  Undecided out;
  const OrderData& data = order.data();
  // Runs of positions that are equal on every key, two at the least.
  std::vector<std::pair<std::size_t, std::size_t>> runs;
  Progress progress(run, order.size() * (candidates.size() + 1));
  std::size_t told = 0;
  for (std::size_t begin = 0; begin < order.size();) {
    if (begin >= told + Pieces::usual_rows) {
      progress.add(begin - told);
      told = begin;
    }
    std::size_t end = begin + 1;
    while (end < order.size() && (data.marks[end] & OrderData::key_start) == 0) ++end;
    if (end - begin > 1) {
      runs.emplace_back(begin, end);
      out.rows += end - begin;
    }
    begin = end;
  }

  // Which further key tells most of them apart?
  progress.add(order.size() - told);
  if (runs.empty()) {
    progress.finish();
    return out;
  }
  out.example = {data.rows[runs.front().first], data.rows[runs.front().first + 1]};
  out.left = out.rows;
  const Pieces pieces = Pieces::fixed(runs.size(), Pieces::usual_rows / 4);
  for (std::size_t c = 0; c < candidates.size(); ++c) {
    KeyList codes;
    candidates[c](codes);
    std::vector<std::size_t> left_of(pieces.count(), 0);
    parallel_for(pieces, run, [&](const RowRange& range, std::size_t piece) {
      RunValues values(codes, data);
      std::size_t looked_at = 0;
      for (std::size_t r = range.begin; r < range.end; ++r) {
        left_of[piece] += values.count_alike(runs[r].first, runs[r].second);
        if ((looked_at += runs[r].second - runs[r].first) < Pieces::usual_rows) continue;
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
  return find_undecided(order, encoders, run);
}

}  // namespace lofty
