#include "window/frames.hpp"

#include <algorithm>

#include "window/starts.hpp"

namespace lofty::engine {

FrameWalk::FrameWalk(const OrderData& order, const Frame& frame, const RangeKey* range, std::size_t begin,
                     std::size_t end)
    : order_(order), frame_(frame), range_(range), size_(order.rows.size()), at_(begin) {
  if (begin >= end) return;
  group_begin_ = last_start(order_, begin, OrderData::group_start);
  peers_begin_ = last_start(order_, begin, OrderData::peer_start);
  const std::size_t peers = peers_begin_;
  enter_group();
  peers_begin_ = peers;
  peers_end_ = next_start(order_, peers_begin_ + 1, OrderData::peer_start);
  if (!peer_starts_.empty())
    peer_ = static_cast<std::size_t>(std::lower_bound(peer_starts_.begin(), peer_starts_.end(), peers) -
                                     peer_starts_.begin());
  --at_;  // next() steps onto the first one
}

void FrameWalk::enter_group() {
  group_end_ = next_start(order_, group_begin_ + 1, OrderData::group_start);
  low_ = high_ = static_cast<std::uint32_t>(group_begin_);
  if (frame_.unit == FrameUnit::groups) {
    peer_starts_.clear();
    for (std::size_t i = group_begin_; i < group_end_; ++i)
      if ((order_.marks[i] & OrderData::peer_start) != 0) peer_starts_.push_back(static_cast<std::uint32_t>(i));
    peer_starts_.push_back(static_cast<std::uint32_t>(group_end_));
    peer_ = 0;
  }
  if (range_ != nullptr) {  // nulls are together, at one end
    value_begin_ = group_begin_;
    value_end_ = group_end_;
    while (value_begin_ < value_end_ && range_->null[value_begin_] != 0) ++value_begin_;
    while (value_end_ > value_begin_ && range_->null[value_end_ - 1] != 0) --value_end_;
  }
}

void FrameWalk::enter_peers() { peers_end_ = next_start(order_, peers_begin_ + 1, OrderData::peer_start); }

void FrameWalk::next() {
  ++at_;
  if (at_ >= group_end_) {
    group_begin_ = peers_begin_ = at_;
    enter_group();
    enter_peers();
  } else if (at_ >= peers_end_) {
    peers_begin_ = at_;
    ++peer_;
    enter_peers();
  } else if (frame_.unit != FrameUnit::rows && at_ != peers_begin_ && high_ != low_) {
    return;  // peers share their frame
  }
  switch (frame_.unit) {
    case FrameUnit::rows: rows_frame(); break;
    case FrameUnit::groups: groups_frame(); break;
    case FrameUnit::range: range_frame(); break;
  }
  high_ = std::max(low_, high_);
}

void FrameWalk::rows_frame() {
  const auto begin = static_cast<std::int64_t>(group_begin_), end = static_cast<std::int64_t>(group_end_),
             at = static_cast<std::int64_t>(at_);
  // Distances beyond the group's length are as good as its length: no sum of them overflows.
  const auto reach = [&](const Bound& bound, std::int64_t behind) {
    const std::int64_t distance = std::min(bound.distance, end - begin + 1);
    switch (bound.edge) {
      case Edge::unbounded_preceding: return begin;
      case Edge::preceding: return at - distance + behind;
      case Edge::current_row: return at + behind;
      case Edge::following: return at + distance + behind;
      case Edge::unbounded_following: return end;
    }
    return at;
  };
  const std::int64_t low = reach(frame_.from, 0), high = reach(frame_.to, 1);
  cut_short_ = low < begin || high > end;
  low_ = static_cast<std::uint32_t>(std::clamp(low, begin, end));
  high_ = static_cast<std::uint32_t>(std::clamp(high, begin, end));
}

void FrameWalk::groups_frame() {
  const auto count = static_cast<std::int64_t>(peer_starts_.size()) - 1, at = static_cast<std::int64_t>(peer_);
  const auto reach = [&](const Bound& bound, std::int64_t behind) {
    const std::int64_t distance = std::min(bound.distance, count + 1);
    switch (bound.edge) {
      case Edge::unbounded_preceding: return std::int64_t{0};
      case Edge::preceding: return at - distance + behind;
      case Edge::current_row: return at + behind;
      case Edge::following: return at + distance + behind;
      case Edge::unbounded_following: return count;
    }
    return at;
  };
  const std::int64_t low = reach(frame_.from, 0), high = reach(frame_.to, 1);
  cut_short_ = low < 0 || high > count;
  low_ = peer_starts_[static_cast<std::size_t>(std::clamp<std::int64_t>(low, 0, count))];
  high_ = peer_starts_[static_cast<std::size_t>(std::clamp<std::int64_t>(high, 0, count))];
}

void FrameWalk::range_frame() {
  const auto begin = static_cast<std::uint32_t>(group_begin_), end = static_cast<std::uint32_t>(group_end_);
  const bool blank = range_ != nullptr && range_->null[at_] != 0;
  cut_short_ = range_ != nullptr && !blank && range_->with([&](const auto& key) {
    return (range_->has_from && key.from[at_] < key.at[value_begin_]) ||
           (range_->has_to && key.to[at_] > key.at[value_end_ - 1]);
  });

  // The first position whose value is not before `bound` (or, `beyond`, after it), from where the last search ended.
  const auto search = [&](std::uint32_t from, const auto& values, auto bound, bool beyond) {
    const auto before = [&](std::size_t i) { return beyond ? values[i] <= bound : values[i] < bound; };
    std::size_t low = std::max<std::size_t>(from, value_begin_), step = 1, high = low;
    if (low >= value_end_ || !before(low)) return static_cast<std::uint32_t>(std::min(low, value_end_));
    while (high < value_end_ && before(high)) {  // galloping: the frame has not moved far
      low = high;
      high += step;
      step *= 2;
    }
    high = std::min(high, value_end_);
    while (high - low > 1) {
      const std::size_t middle = low + (high - low) / 2;
      (before(middle) ? low : high) = middle;
    }
    return static_cast<std::uint32_t>(high);
  };

  // Where it begins, and where it ends.
  switch (frame_.from.edge) {
    case Edge::unbounded_preceding: low_ = begin; break;
    case Edge::current_row: low_ = static_cast<std::uint32_t>(peers_begin_); break;
    default:
      if (blank)
        low_ = static_cast<std::uint32_t>(peers_begin_);
      else
        low_ = range_->with([&](const auto& key) { return search(low_, key.at, key.from[at_], false); });
  }
  switch (frame_.to.edge) {
    case Edge::unbounded_following: high_ = end; break;
    case Edge::current_row: high_ = static_cast<std::uint32_t>(peers_end_); break;
    default:
      if (blank)
        high_ = static_cast<std::uint32_t>(peers_end_);
      else
        high_ = range_->with([&](const auto& key) { return search(high_, key.at, key.to[at_], true); });
  }
}

Stretches FrameWalk::stretches() const {
  const auto at = static_cast<std::uint32_t>(at_);
  std::uint32_t out_begin = 0, out_end = 0;  // the stretch to be left out
  switch (frame_.excluded) {
    case Excluded::no_others: return {{low_, high_, high_}, {high_, high_, high_}};
    case Excluded::current_row:
      out_begin = at;
      out_end = at + 1;
      break;
    case Excluded::group:
    case Excluded::ties:
      out_begin = static_cast<std::uint32_t>(peers_begin_);
      out_end = static_cast<std::uint32_t>(peers_end_);
      break;
  }
  // Clamped to the frame, both ends still only ever advance.
  const std::uint32_t first_end = std::clamp(out_begin, low_, high_), last_begin = std::clamp(out_end, low_, high_);
  const bool self = frame_.excluded == Excluded::ties && at >= low_ && at < high_;
  return {{low_, self ? at : first_end, last_begin}, {first_end, self ? at + 1 : first_end, high_}};
}

}  // namespace lofty::engine
