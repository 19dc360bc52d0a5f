// The entrance for ordering arrays.

#include "lofty/order.hpp"

#include "base/budget.hpp"
#include "base/large_vector.hpp"
#include "base/parallel.hpp"
#include "order/codes.hpp"
#include "order/key_check.hpp"
#include "order/sort.hpp"

namespace lofty {

std::size_t Order::size() const { return data_->rows.size(); }
std::span<const std::uint32_t> Order::rows() const& { return data_->rows.view(); }

namespace {

std::uint8_t marks_at(const Order::Data& data, std::size_t position) {
  engine::require(position < data.marks.size(), "the position is one of the order");
  return data.marks[position];
}

}  // namespace

bool Order::starts_group(std::size_t position) const {
  return (marks_at(*data_, position) & engine::OrderData::group_start) != 0;
}
bool Order::starts_peers(std::size_t position) const {
  return (marks_at(*data_, position) & engine::OrderData::peer_start) != 0;
}
bool Order::ranked(std::size_t position) const {
  return (marks_at(*data_, position) & engine::OrderData::is_ranked) != 0;
}
std::size_t Order::groups() const { return data_->groups; }
std::size_t Order::undecided() const { return data_->undecided; }

std::vector<std::uint32_t> Order::inverse(const Run& run) const {
  auto positions = engine::large_vector<std::uint32_t>(size(), run);
  engine::Progress progress(run, size());
  engine::parallel_for(engine::RowRanges::fixed(size()), progress, [&](const engine::RowRange& range, std::size_t) {
    for (std::size_t i = range.begin; i < range.end; ++i) positions[data_->rows[i]] = static_cast<std::uint32_t>(i);
  });
  return positions;
}

namespace {

void encode_all(const std::vector<Key>& keys, const Run& run, engine::KeyList& out) {
  for (const Key& key : keys) {
    engine::encode(key, run, out);
  }
}

}  // namespace

Order order(const Groups& within, const std::vector<Key>& by, const std::vector<Key>& tiebreak, const Run& run) {
  const engine::MemoryLimit limit(run);
  engine::require(!by.empty(), "an order needs a key");
  const std::size_t size = by.front().size();
  engine::require_keys(within.keys, size);
  engine::require_keys(by, size);
  engine::require_keys(tiebreak, size);
  engine::SortKeys keys;
  encode_all(within.keys, run, keys.within);
  engine::encode_nulls(by.front(), run, keys.by);
  keys.flagged = !keys.by.empty();
  encode_all(by, run, keys.by);
  encode_all(tiebreak, run, keys.tiebreak);
  return engine::make_order(size, keys, run);
}

Order order(const std::vector<Key>& by, const std::vector<Key>& tiebreak, const Run& run) {
  const engine::MemoryLimit limit(run);
  return order(Groups{}, by, tiebreak, run);
}

}  // namespace lofty
