#include "lofty/undecided.hpp"

#include <algorithm>

#include "order/key_check.hpp"
#include "order/sort.hpp"
#include "rank/undecided.hpp"
#include "table/parallel.hpp"

namespace lofty {

using namespace engine;

namespace engine {

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
  for (std::size_t c = 0; c < candidates.size(); ++c) {
    KeyList codes;
    candidates[c](codes);
    std::size_t left = 0;
    std::vector<std::vector<std::uint64_t>> values;
    std::size_t looked_at = 0;
    for (const auto& [begin, end] : runs) {
      if ((looked_at += end - begin) >= Pieces::usual_rows) {
        progress.add(looked_at);
        looked_at = 0;
      }
      values.clear();
      for (std::size_t i = begin; i < end; ++i) {
        values.emplace_back();
        for (const auto& code : codes) values.back().push_back(code->at(data.rows[i]));
      }
      std::sort(values.begin(), values.end());
      for (std::size_t i = 0; i < values.size(); ++i)
        left += (i > 0 && values[i] == values[i - 1]) || (i + 1 < values.size() && values[i] == values[i + 1]);
    }
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
  require_keys(candidates, order.size());
  std::vector<std::function<void(KeyList&)>> encoders;
  for (const Key& key : candidates) {
    encoders.push_back([&](KeyList& out) { encode(key, {.threads = run.threads, .stop = run.stop}, out); });
  }
  return find_undecided(order, encoders, run);
}

}  // namespace lofty
