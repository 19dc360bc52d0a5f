#include "window/picks.hpp"

#include "base/large_vector.hpp"
#include "base/parallel.hpp"

namespace lofty::engine {

Counted::Counted(const std::vector<std::uint8_t>& null, const Run& run)
    : before_(large_vector<std::uint32_t>(null.size() + 1, run)) {
  const std::size_t size = null.size();
  for (std::size_t i = 0; i < size; ++i) {
    if (i % RowRanges::usual_rows == 0) check_stop(run);
    before_[i] = static_cast<std::uint32_t>(positions_.size());
    if (null[i] == 0) positions_.push_back(static_cast<std::uint32_t>(i));
  }
  before_[size] = static_cast<std::uint32_t>(positions_.size());
}

Buffer<std::uint32_t> shifted_positions(const OrderData& order, const Counted& counted, std::int64_t distance,
                                        const Run& run) {
  const std::size_t size = order.rows.size();
  Buffer<std::uint32_t> out(size);
  const Frame whole = whole_group();
  const WindowJob job{order, whole, nullptr, run};
  slide_in_pieces(job, [&](std::size_t begin, std::size_t end) {
    FrameWalk walk(order, whole, nullptr, begin, end);
    for (std::size_t at = begin; at < end; ++at) {
      walk.next();
      const auto here = static_cast<std::int64_t>(counted.before(at));
      const auto first = static_cast<std::int64_t>(counted.before(walk.group_begin())),
                 last = static_cast<std::int64_t>(counted.before(walk.group_end()));

      // Among those that are counted.
      std::int64_t number = here;
      if (distance > 0) {
        number = distance > here - first ? -1 : here - distance;
      } else if (distance < 0) {
        // Counted from after this position, whether it counts itself or not.
        const auto behind = static_cast<std::int64_t>(counted.before(at + 1));
        number = -distance > last - behind ? -1 : behind - distance - 1;
      }
      out[at] = distance == 0 ? static_cast<std::uint32_t>(at)
                : number < 0  ? no_position
                              : counted.at(static_cast<std::uint32_t>(number));
    }
  });
  return out;
}

Buffer<std::uint32_t> nth_positions(const WindowJob& job, const Counted& counted, std::uint64_t n, bool from_last) {
  Buffer<std::uint32_t> out(job.order.rows.size());
  const auto pick = [&](std::size_t at, const Stretches& frame) {
    std::uint64_t left = n;
    out[at] = no_position;
    for (int k = 0; k < 3; ++k) {
      const int part = from_last ? 2 - k : k;
      const std::uint32_t first = counted.before(frame.begin[part]), last = counted.before(frame.end[part]);
      if (left > last - first) {
        left -= last - first;
        continue;
      }
      const auto step = static_cast<std::uint32_t>(left);
      out[at] = counted.at(from_last ? last - step : first + step - 1);
      break;
    }
  };
  slide_in_pieces(job, [&](std::size_t begin, std::size_t end) {
    const auto one = [&](std::size_t at, std::size_t, std::uint32_t low, std::uint32_t high) {
      pick(at, {{low, high, high}, {high, high, high}});
    };
    each_frame(job, begin, end, one, [&](std::size_t at, std::size_t, const Stretches& frame) { pick(at, frame); });
  });
  return out;
}

}  // namespace lofty::engine
