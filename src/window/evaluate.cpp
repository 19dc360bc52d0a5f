#include "window/evaluate.hpp"

#include <algorithm>
#include <atomic>
#include <bit>
#include <cstring>
#include <set>

#include "base/access.hpp"
#include "base/parallel.hpp"
#include "formula/problem_at.hpp"
#include "lofty/error.hpp"
#include "lofty/places.hpp"
#include "rank/packed_places.hpp"
#include "window/frame_extremes.hpp"
#include "window/picks.hpp"
#include "window/starts.hpp"

namespace lofty::engine {
namespace {

std::atomic<int> refining_forced{-1};  // 0: never, 1: always

// Inside groups it is sorted where these are many and small, and where the whole key is longer than a word next to the
// row's number, with the bits that a bucket implies. Measured on ten million rows, 20 to 30 bits after a partition of
// 40 to 50: 90 to 150 ns a row from the beginning, 52 to 76 inside groups; and where the key fits, 17 to 35 against as
// many, because values have to be gathered.
bool worth_refining(const OrderData& grouped, int key_bits) {
  if (const int forced = refining_forced.load(std::memory_order_relaxed); forced >= 0) return forced == 1;
  constexpr std::size_t small_group = 16 * 1024;  // rows, on average: their words fit the second-level cache
  constexpr int word = 64, implied = 12;          // bits
  const std::size_t size = grouped.rows.size();
  return size / std::max<std::size_t>(grouped.groups, 1) <= small_group &&
         key_bits + static_cast<int>(std::bit_width(size)) > word + implied;
}

}  // namespace

void force_refining(std::optional<bool> always) { refining_forced = always ? (*always ? 1 : 0) : -1; }

Order WindowSort::sorted(const WindowRelation& relation, const std::vector<SortBy>& keys, std::size_t partition,
                         const Grouped& grouped, const Order* ready) {
  SortKeys sort;
  int bits = 0;
  for (const SortBy& key : keys) {
    const auto& there = grouped.by == nullptr ? columns_ : grouped.by->columns_;  // none yet of its own
    const auto known = there.find(signature(*key.node));
    kept_.push_back(known != there.end() ? known->second : relation.column(*key.node));
    codes_of_.push_back(codes_.size());
    relation.encode(*key.node, *kept_.back(), key.descending, key.nulls, codes_);
  }
  codes_of_.push_back(codes_.size());

  // An order that is there already.
  if (ready != nullptr) {
    // Windows rank nulls where they are; places leave them out.
    auto all_ranked = std::make_shared<OrderData>();
    const OrderData& from = Access::data(*ready);
    all_ranked->rows.allocate(from.rows.size());
    std::copy_n(from.rows.data(), from.rows.size(), all_ranked->rows.data());
    all_ranked->marks.allocate(from.marks.size());
    for (std::size_t i = 0; i < from.marks.size(); ++i)
      all_ranked->marks[i] = static_cast<std::uint8_t>(from.marks[i] | OrderData::is_ranked);
    all_ranked->groups = from.groups;
    return Access::made<Order>(std::move(all_ranked));
  }

  // Else a sort, which may only have to refine another one.
  for (const auto& code : codes_) bits += code->bits();
  const bool refines = grouped.by != nullptr && worth_refining(Access::data(grouped.by->base_), bits);
  for (std::size_t k = refines ? grouped.keys : 0; k < keys.size(); ++k)
    for (std::size_t c = codes_of_[k]; c < codes_of_[k + 1]; ++c)
      (k < partition ? sort.within : sort.by).push_back(lend(*codes_[c]));
  relation.encode_tiebreak(sort.tiebreak);
  return refines ? refine_order(Access::data(grouped.by->base_), sort, run_) : make_order(relation.rows(), sort, run_);
}

std::vector<std::uint32_t> split_tiers(const OrderData& order, const std::vector<std::uint32_t>& tier) {
  std::set<std::uint32_t> found;
  for (std::size_t i = 1; i < tier.size(); ++i)
    if ((order.marks[i] & OrderData::peer_start) == 0 && tier[i] != tier[i - 1] && tier[i - 1] != 0)
      found.insert(tier[i - 1]);
  return {found.begin(), found.end()};
}

WindowSort::WindowSort(const WindowRelation& relation, const std::vector<SortBy>& keys, const Shape& shape,
                       const Run& run, const Grouped& grouped, const Order* ready)
    : run_(run), base_(sorted(relation, keys, shape.partition, grouped, ready)), shape_(shape) {
  for (std::size_t k = 0; k < keys.size(); ++k) columns_.emplace(signature(*keys[k].node), kept_[k]);
}

const OrderData& WindowSort::order(const Shape& shape) {
  const std::size_t keys = codes_of_.size() - 1;
  // The sort itself has the marks of the call whose keys are all of its keys.
  if (shape.partition == shape_.partition && shape.partition + shape.order == keys) return Access::data(base_);
  std::unique_ptr<OrderData>& view = views_[{shape.partition, shape.order}];
  if (view) return *view;

  // From which key on each row differs from the one before: once for all calls.
  const auto rows = base_.rows();
  if (first_difference_.empty() && !rows.empty()) {
    first_difference_.assign(rows.size(), static_cast<std::uint8_t>(std::min<std::size_t>(keys, 255)));
    parallel_for(RowRanges::fixed(rows.size()), run_, [&](const RowRange& piece) {
      const auto [begin, end] = piece;
      for (std::size_t k = keys; k-- > 0;)
        for (std::size_t c = codes_of_[k]; c < codes_of_[k + 1]; ++c) {
          const KeyCodes& code = *codes_[c];
          std::uint64_t before = begin > 0 ? code.at(rows[begin - 1]) : 0;
          for (std::size_t i = begin; i < end; ++i) {
            const std::uint64_t here = code.at(rows[i]);
            if (here != before || i == 0) first_difference_[i] = static_cast<std::uint8_t>(k);
            before = here;
          }
        }
    });
    first_difference_.front() = 0;
  }

  // The marks of this call's keys.
  view = std::make_unique<OrderData>();
  view->rows.allocate(rows.size());
  std::copy(rows.begin(), rows.end(), view->rows.data());
  view->marks.allocate(rows.size());
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const std::size_t different = first_difference_[i];
    const bool group = i == 0 || different < shape.partition,
               peers = i == 0 || different < shape.partition + shape.order;
    view->marks[i] = static_cast<std::uint8_t>(OrderData::is_ranked | (group ? OrderData::group_start : 0) |
                                               (peers || group ? OrderData::peer_start : 0));
    view->groups += group;
  }
  return *view;
}

std::size_t WindowSort::most_in_group(const Shape& shape) {
  const auto [place, fresh] = most_in_group_.try_emplace(shape.partition, 0);
  if (fresh) place->second = engine::most_in_group(order(shape), run_);
  return place->second;
}

const WindowSort::Peers& WindowSort::peers(const Shape& shape) {
  const auto [place, fresh] = peers_.try_emplace({shape.partition, shape.order});
  if (!fresh) return place->second;
  const OrderData& of = order(shape);
  const std::uint8_t* const marks = of.marks.data();
  const std::size_t size = of.rows.size();

  // Piece by piece.
  const RowRanges pieces = RowRanges::fixed(size);
  std::vector<Peers> found(pieces.count());
  parallel_for(pieces, run_, [&](const RowRange& range, std::size_t piece) {
    const std::size_t begin = range.begin, end = range.end;
    const auto starts = [&](std::size_t i) { return i == size || (marks[i] & OrderData::peer_start) != 0; };
    std::size_t first = begin, most = 0, alone = 0;
    while (first > 0 && first < size && !starts(first)) --first;
    // Eight at a time where all have no peers, which most do under a key of many values.
    constexpr std::uint64_t all_start = 0x0101010101010101 * OrderData::peer_start;
    const auto alone_from = [&](std::size_t i) {
      std::uint64_t next;
      std::memcpy(&next, marks + i + 1, sizeof next);
      return (next & all_start) == all_start;
    };
    for (std::size_t i = begin; i < end; ++i) {
      while (i + 8 < end && starts(i) && alone_from(i)) {
        alone += 8;
        i += 8;
        most = std::max<std::size_t>(most, 1);
      }
      first = starts(i) ? i : first;
      most = std::max(most, i - first + 1);
      alone += starts(i) && starts(i + 1);
    }
    std::size_t runs = 0;
    for (std::size_t i = begin; i < end; ++i) runs += starts(i);
    found[piece] = {end - begin - alone, most > 1 ? most : 0, runs};
  });

  // All pieces together.
  for (const Peers& piece : found) {
    place->second.rows += piece.rows;
    place->second.runs += piece.runs;
    place->second.most = std::max(place->second.most, piece.most);
  }
  return place->second;
}

ColumnPtr WindowSort::column(const Node& node, const WindowRelation& relation) {
  ColumnPtr& column = columns_[signature(node)];
  if (!column) column = relation.column(node);
  return column;
}

const Gathered& WindowSort::values(const Node& node, const WindowRelation& relation, const Run& run) {
  const std::string name = signature(node);
  auto found = gathered_.find(name);
  if (found == gathered_.end()) found = gathered_.emplace(name, gather(*column(node, relation), rows(), run)).first;
  found->second.unpack(run);
  return found->second;
}

const Gathered& WindowSort::packed_values(const Node& node, const WindowRelation& relation, const Run& run) {
  const std::string name = signature(node);
  const auto found = gathered_.find(name);
  if (found != gathered_.end()) return found->second;
  return gathered_.emplace(name, gather_packed(*column(node, relation), rows(), run)).first->second;
}

namespace {

class Evaluation {
 public:
  Evaluation(const WindowCall& call, WindowSort& sort, const WindowSort::Shape& shape, const WindowRelation& relation,
             const Run& run, WindowNotes& notes)
      : call_(call),
        sort_(sort),
        shape_(shape),
        order_(sort.order(shape)),
        relation_(relation),
        run_(run),
        notes_(notes),
        frame_(call.frame),
        job_{order_, frame_, nullptr, run} {
    if (!call.frame_written) frame_ = Frame{};
    if (call.whole_partition()) frame_ = whole_group();
    if (call.range_from || call.range_to) {
      make_range();
      job_.range = &range_;
    }
  }

  WindowResult result() {
    note();
    switch (call_.function) {
      case WindowFunction::row_number: return packed_place(Ties::ordinal);
      case WindowFunction::rank: return packed_place(Ties::competition);
      case WindowFunction::dense_rank: return packed_place(Ties::dense);
      case WindowFunction::percent_rank: return ratios(Ties::competition, 1);
      case WindowFunction::cume_dist: return ratios(Ties::modified, 0);
      case WindowFunction::ntile: return tiles();
      case WindowFunction::lag:
      case WindowFunction::lead: return shifted();
      case WindowFunction::first_value:
      case WindowFunction::last_value:
      case WindowFunction::nth_value: {
        const bool last = call_.function == WindowFunction::last_value;
        const std::uint64_t n =
            call_.function == WindowFunction::nth_value ? static_cast<std::uint64_t>(call_.count) : 1;
        return picked(nth_positions(job_, counted(), n, last || call_.from_last));
      }
      case WindowFunction::count_rows:
        if (!call_.filter) return ByPosition{{.kind = Kind::integer}, packed_counts(job_, sort_.most_in_group(shape_))};
        return numbers(frame_counts(job_, &filter_flags()));
      case WindowFunction::count: return numbers(frame_counts(job_, &values()));
      case WindowFunction::count_distinct: {
        std::size_t distinct = 0;
        const std::vector<std::uint32_t> codes = distinct_codes(values(), run_, distinct);
        return numbers(frame_distinct_counts(job_, codes, distinct));
      }
      case WindowFunction::sum: {
        const Gathered& of = packed_values();
        if (PackedNumbers sums = packed_sums(job_, of, sort_.most_in_group(shape_)))
          return ByPosition{call_.type, std::move(sums)};
        return column_of(frame_sums(job_, of));
      }
      case WindowFunction::average: return column_of(frame_averages(job_, values(), call_.type.scale));
      case WindowFunction::variance:
      case WindowFunction::deviation:
        return column_of(frame_spreads(job_, values(),
                                       {call_.function == WindowFunction::deviation, static_cast<int>(call_.count)},
                                       call_.type.scale));
      case WindowFunction::least: return extreme(false);
      case WindowFunction::greatest: return extreme(true);
      case WindowFunction::percentile_cont: {
        const ValueRanks ranks = value_ranks(order_, values(), run_);
        return column_of(frame_percentiles(job_, values(), ranks, call_.fraction, call_.descending, call_.type.scale));
      }
      case WindowFunction::percentile_disc: {
        if (call_.value->type.numeric())
          return picked(
              frame_percentile_positions(job_, value_ranks(order_, values(), run_), call_.fraction, call_.descending));
        return picked(frame_percentile_positions(job_, ordered_ranks(), call_.fraction, false));
      }
    }
    return ColumnPtr();
  }

 private:
  std::size_t size() const { return order_.rows.size(); }
  Order as_order() const {  // lent: it does not outlive this
    return Access::made<Order>(std::shared_ptr<const OrderData>(std::shared_ptr<const OrderData>(), &order_));
  }

  // The argument by position, null where the filter does not pass.
  const Gathered& values() {
    const Gathered& all = sort_.values(*call_.value, relation_, run_);
    if (!call_.filter) return all;
    if (own_.size() == 0 && all.size() > 0) {
      own_ = gather(*sort_.column(*call_.value, relation_), sort_.rows(), run_);
      const Gathered& passes = sort_.values(*call_.filter, relation_, run_);
      for (std::size_t i = 0; i < size(); ++i)
        if (passes.ints[i] != 1) own_.make_null(i);
    }
    return own_;
  }
  const Gathered& packed_values() {
    return call_.filter ? values() : sort_.packed_values(*call_.value, relation_, run_);
  }
  // Ranks in the relation's own order: of texts by language, or as a ladder defines it for the column. A descending
  // order is no mirror image of the ascending one if values are pinned, so these ranks descend themselves.
  ValueRanks ordered_ranks() {
    const Gathered& of = values();
    std::vector<std::uint32_t> group(size()), position_of(size());  // by row of the relation
    for (std::size_t i = 0, number = 0; i < size(); ++i) {
      if (i % RowRanges::usual_rows == 0) check_stop(run_);
      number += i > 0 && (order_.marks[i] & OrderData::group_start) != 0;
      group[order_.rows[i]] = static_cast<std::uint32_t>(number);
      position_of[order_.rows[i]] = static_cast<std::uint32_t>(i);
    }
    SortKeys keys;
    engine::encode(ascending(group), run_, keys.within);
    relation_.encode(*call_.value, *sort_.column(*call_.value, relation_), call_.descending, Nulls::last, keys.by);
    const Order sorted = make_order(size(), keys, run_);
    ValueRanks out{std::vector<std::uint32_t>(size()), std::vector<std::uint32_t>(size())};
    for (std::size_t rank = 0; rank < size(); ++rank) {
      const std::uint32_t position = position_of[sorted.rows()[rank]];
      out.position_at[rank] = position;
      out.rank_at[position] = of.is_null(position) ? no_position : static_cast<std::uint32_t>(rank);
    }
    return out;
  }

  // For count(*) with a filter: a value where it passes.
  const Gathered& filter_flags() {
    own_ = gather(*sort_.column(*call_.filter, relation_), sort_.rows(), run_);
    for (std::size_t i = 0; i < size(); ++i)
      if (own_.ints[i] != 1) own_.make_null(i);
    return own_;
  }

  Counted counted() {
    if (!call_.ignore_nulls) return Counted();
    const Gathered& all = sort_.values(*call_.value, relation_, run_);
    std::vector<std::uint8_t> null(size());
    for (std::size_t i = 0; i < size(); ++i) null[i] = all.is_null(i);
    return Counted(null, run_);
  }

  // ---- the order's key at the ends of a range

  void make_range() {
    const Gathered key = gather(*relation_.column(*call_.order.front().node), order_.rows.view(), run_);
    const bool down = call_.order.front().descending;
    const auto end = [&](const NodePtr& node) {
      return node ? gather(*relation_.column(*node), order_.rows.view(), run_) : Gathered{};
    };
    const Gathered from = end(call_.range_from), to = end(call_.range_to);

    // What the ends are.
    range_.has_from = call_.range_from != nullptr;
    range_.has_to = call_.range_to != nullptr;
    range_.null.allocate(size());
    for (std::size_t i = 0; i < size(); ++i) range_.null[i] = key.is_null(i);
    const auto floats = [](const Gathered& g, bool used) { return used && g.lane == Gathered::Lane::float64; };
    const auto put_all = [&](auto& ends, const auto& put) {
      return put(key, ends.at) && (!range_.has_from || put(from, ends.from)) && (!range_.has_to || put(to, ends.to));
    };

    // As floats.
    if (floats(key, true) || floats(from, range_.has_from) || floats(to, range_.has_to)) {
      range_.lane = RangeKey::Lane::float64;
      put_all(range_.floats, [&](const Gathered& in, Buffer<double>& out) {
        out.allocate(size());
        for (std::size_t i = 0; i < size(); ++i) {
          double value = 0;
          if (in.lane == Gathered::Lane::float64)
            value = in.doubles[i];
          else if (!in.is_null(i))
            value = Decimal(in.lane == Gathered::Lane::int64 ? int128{in.ints[i]} : in.wide[i], in.scale).to_double();
          out[i] = down ? -value : value;
        }
        return true;
      });
      return;
    }

    // As exact numbers of one scale: in 64 bits if all fit them.
    const int scale = std::max({key.scale, range_.has_from ? from.scale : 0, range_.has_to ? to.scale : 0});
    const auto put_exact = [&](const Gathered& in, auto& out) {
      using Number = std::decay_t<decltype(out[0])>;
      out.allocate(size());
      const int128 factor = power_of_ten(scale - in.scale);
      for (std::size_t i = 0; i < size(); ++i) {
        int128 value = 0;
        if (!in.is_null(i) && range_.null[i] == 0) {
          const int128 given = in.lane == Gathered::Lane::int64 ? int128{in.ints[i]} : in.wide[i];
          if (__builtin_mul_overflow(given, factor, &value) || !fits_decimal(value))
            throw Error(Problem{Code::overflow,
                                "the key of a range has more than 38 digits: " + call_.order.front().text,
                                {},
                                {},
                                "cast(... as float) shortens it"});
        }
        value = down ? -value : value;
        if (sizeof(Number) == 8 && !fits_int64(value)) return false;
        out[i] = static_cast<Number>(value);
      }
      return true;
    };
    if (put_all(range_.narrow, put_exact)) return;
    range_.lane = RangeKey::Lane::int128;
    put_all(range_.wide, put_exact);
  }

  // ---- results by position

  static WindowResult numbers(Buffer<std::uint32_t> by_position) {
    return ByPosition{{.kind = Kind::integer}, std::move(by_position)};
  }

  WindowResult packed_place(Ties ties) {
    return ByPosition{{.kind = Kind::integer}, packed_places(as_order(), ties, sort_.most_in_group(shape_), run_)};
  }
  Buffer<std::uint32_t> placed(Ties ties) const {
    Buffer<std::uint32_t> out(size());
    places(as_order(), ties, std::span(out.data(), size()), run_);
    return out;
  }

  // The same rules as for places: (place - less) / (rows - less), a division of counts with six decimals.
  WindowResult ratios(Ties ties, std::uint32_t less) const {
    const Buffer<std::uint32_t> place = placed(ties);
    Buffer<std::int64_t> millionths(size());
    for (std::size_t begin = 0; begin < size();) {
      std::size_t end = begin + 1;
      while (end < size() && (order_.marks[end] & OrderData::group_start) == 0) ++end;
      const auto whole = static_cast<std::int64_t>(end - begin) - less;
      for (std::size_t i = begin; i < end; ++i)
        millionths[i] =
            whole == 0
                ? 0
                : static_cast<std::int64_t>(divide_half_even(int128{place[i] - less} * 1'000'000, int128{whole}));
      begin = end;
    }
    return ByPosition{{.kind = Kind::decimal, .scale = 6}, std::move(millionths)};
  }

  WindowResult tiles() {
    const auto count = static_cast<std::uint32_t>(std::min<std::int64_t>(call_.count, 0xffffffff));
    const std::vector<std::uint32_t> tier = tiers(as_order(), count, run_);
    notes_.split_tiers = split_tiers(order_, tier);
    Buffer<std::uint32_t> out(size());
    std::copy(tier.begin(), tier.end(), out.data());
    return numbers(std::move(out));
  }

  WindowResult extreme(bool greatest) {
    const Gathered& of = goes_by_scores(frame_) ? packed_values() : values();
    if (PackedNumbers values = packed_extreme_values(job_, of, greatest))
      return ByPosition{call_.type, std::move(values)};
    if (call_.type.kind != Kind::text && of.lane == Gathered::Lane::int64)
      return ByPosition{call_.type, frame_extreme_values(job_, of, greatest)};
    return picked(frame_extremes(job_, of, greatest));
  }

  WindowResult picked(const Buffer<std::uint32_t>& positions) {
    // Numbers are available by position already; texts stay what their dictionary says.
    if (call_.type.kind != Kind::text) {
      const Gathered& at = sort_.values(*call_.value, relation_, run_);
      if (at.lane == Gathered::Lane::int64) {
        Buffer<std::int64_t> values(size());
        parallel_for(RowRanges::fixed(size()), run_, [&](const RowRange& piece) {
          for (std::size_t i = piece.begin; i < piece.end; ++i)
            values[i] = positions[i] == no_position ? int64_null : at.ints[positions[i]];
        });
        return ByPosition{call_.type, std::move(values)};
      }
    }
    const ColumnPtr from = sort_.column(*call_.value, relation_);
    Buffer<std::uint32_t> rows(size());
    for (std::size_t i = 0; i < size(); ++i)
      rows[order_.rows[i]] = positions[i] == no_position ? Column::none : order_.rows[positions[i]];
    return Column::picked(*from, rows.view(), run_);
  }

  WindowResult shifted() {
    const std::int64_t distance = call_.function == WindowFunction::lag ? call_.count : -call_.count;
    const Buffer<std::uint32_t> positions = shifted_positions(order_, counted(), distance, run_);
    if (!call_.otherwise) return picked(positions);
    const ColumnPtr from = sort_.column(*call_.value, relation_), other = relation_.column(*call_.otherwise);
    Buffer<std::uint32_t> rows(size());
    for (std::size_t i = 0; i < size(); ++i)
      rows[order_.rows[i]] = positions[i] == no_position ? Column::none : order_.rows[positions[i]];
    Piece piece(call_.type);
    const auto lifted = [&](const Value& value) -> Value {
      const auto* number = std::get_if<Decimal>(&value);
      return number != nullptr && call_.type.kind == Kind::floating ? Value(number->to_double()) : value;
    };
    for (std::size_t row = 0; row < size(); ++row)
      piece.add(lifted(rows[row] == Column::none ? other->value(row) : from->value(rows[row])));
    return Column::seal(std::move(piece));
  }

  WindowResult column_of(Results results) const {
    Piece piece(call_.type);
    switch (results.lane) {
      case Results::Lane::int64: return ByPosition{call_.type, std::move(results.ints)};
      case Results::Lane::float64: return ByPosition{call_.type, std::move(results.doubles)};
      case Results::Lane::int128:
        piece.wide.resize(size());
        for (std::size_t i = 0; i < size(); ++i) piece.wide[order_.rows[i]] = results.wide[i];
        if (std::all_of(piece.wide.begin(), piece.wide.end(), [](int128 value) {
              return value == int128_min || (fits_int64(value) && value != int64_null);
            })) {
          for (const int128 value : piece.wide)
            piece.ints.push_back(value == int128_min ? int64_null : static_cast<std::int64_t>(value));
          piece.wide.clear();
        }
        break;
    }
    return Column::seal(std::move(piece));
  }

  // ---- what is worth saying

  // Peers that differ in what the call sees, where only the input tells them apart.
  void note_undecided() {
    if (!relation_.input_decides() || call_.order.empty() || !call_.sees_peers_order() ||
        call_.function == WindowFunction::ntile || sort_.peers(shape_).rows == 0)
      return;
    const ColumnPtr value = call_.value ? sort_.column(*call_.value, relation_) : nullptr,
                    filter = call_.filter ? sort_.column(*call_.filter, relation_) : nullptr;
    const bool numbers = call_.function == WindowFunction::row_number;
    const auto differ = [&](std::size_t a, std::size_t b) {
      const std::uint32_t x = order_.rows[a], y = order_.rows[b];
      return numbers || (value && !same_value(*value, x, y)) || (filter && !same_value(*filter, x, y));
    };

    // Tie by tie.
    std::vector<std::pair<std::size_t, std::size_t>> ties;
    for (std::size_t begin = 0, group = 0; begin < size();) {
      if ((order_.marks[begin] & OrderData::group_start) != 0) group = begin;
      std::size_t end = begin + 1;
      while (end < size() && (order_.marks[end] & OrderData::peer_start) == 0) ++end;
      bool decides = end - begin > 1 && may_be_chosen(begin, end, group);
      std::size_t apart = begin + 1;
      while (decides && apart < end && !differ(begin, apart)) ++apart;
      decides = decides && apart < end;
      if (decides) {
        if (ties.empty()) {
          notes_.one = std::min(order_.rows[begin], order_.rows[apart]);
          notes_.other = std::max(order_.rows[begin], order_.rows[apart]);
        }
        notes_.undecided += end - begin;
        ties.emplace_back(begin, end);
      }
      begin = end;
    }
    if (!ties.empty()) notes_.would_decide = deciding_column(ties);
  }

  // Can the result be taken from among these peers? The first value of a frame from the start is one of the first.
  bool may_be_chosen(std::size_t begin, std::size_t end, std::size_t group) const {
    if (call_.ignore_nulls || frame_.excluded != Excluded::no_others) return true;
    if (call_.function == WindowFunction::first_value && frame_.from.edge == Edge::unbounded_preceding)
      return begin == group;
    if (call_.function == WindowFunction::last_value && frame_.to.edge == Edge::unbounded_following)
      return end == size() || (order_.marks[end] & OrderData::group_start) != 0;
    return true;
  }

  static bool same_value(const Column& column, std::uint32_t a, std::uint32_t b) {
    if (column.is_null(a) || column.is_null(b)) return column.is_null(a) == column.is_null(b);
    switch (column.lane()) {
      case Lane::int64: return column.int64(a) == column.int64(b);
      case Lane::code: return column.code(a) == column.code(b);
      case Lane::float64: return column.float64(a) == column.float64(b);
      case Lane::int128: return column.integer(a) == column.integer(b);
    }
    return false;
  }

  // A column whose values differ within every tie. Long ties are left to others: most columns repeat in them.
  std::string deciding_column(const std::vector<std::pair<std::size_t, std::size_t>>& ties) const {
    constexpr std::size_t longest = 256;
    for (const auto& named : relation_.named_columns()) {
      const Column& column = *named.second;
      const bool apart = std::all_of(ties.begin(), ties.end(), [&](const auto& tie) {
        if (tie.second - tie.first > longest) return false;
        for (std::size_t a = tie.first; a < tie.second; ++a)
          for (std::size_t b = a + 1; b < tie.second; ++b)
            if (same_value(column, order_.rows[a], order_.rows[b])) return false;
        return true;
      });
      if (apart) return named.first;
    }
    return {};
  }

  void note() {
    notes_.partitions = order_.groups;
    note_undecided();
    const bool running = call_.uses_frame() && !call_.frame_written && !call_.order.empty();
    if (running) {
      notes_.sharing = sort_.peers(shape_).rows;
      notes_.largest_peers = sort_.peers(shape_).most;
      notes_.runs = sort_.peers(shape_).runs > order_.groups;
    }
    if (call_.filter) notes_.filter_unknown = sort_.column(*call_.filter, relation_)->nulls();

    // Frames that are shorter than they ask for.
    if (!call_.uses_frame() || !call_.frame_written || call_.whole_partition()) return;
    const auto distance = [](Edge edge) { return edge == Edge::preceding || edge == Edge::following; };
    if (!distance(frame_.from.edge) && !distance(frame_.to.edge)) return;
    constexpr std::size_t most = 1'000'000;
    notes_.short_frames = engine::short_frames(job_, notes_.short_rows, most);
    for (std::uint32_t& at : notes_.short_rows) at = order_.rows[at];

    // One row before or after is a neighbour; several are likely to be meant as days.
    const bool days = frame_.unit == FrameUnit::rows && call_.order.size() >= 1 &&
                      std::max(frame_.from.distance, frame_.to.distance) > 1 &&
                      call_.order.front().node->type.kind == Kind::date;
    if (!days) return;

    // Days that are missing, or there more than once.
    const Gathered& day = sort_.values(*call_.order.front().node, relation_, run_);
    for (std::size_t i = 1; i < size(); ++i) {
      if ((order_.marks[i] & OrderData::group_start) != 0 || day.is_null(i) || day.is_null(i - 1)) continue;
      const std::int64_t step = std::abs(day.ints[i] - day.ints[i - 1]);
      if (step == 0)
        ++notes_.doubled_days;
      else
        notes_.missing_days += static_cast<std::size_t>(step - 1);
    }
  }

  const WindowCall& call_;
  WindowSort& sort_;
  const WindowSort::Shape shape_;
  const OrderData& order_;
  const WindowRelation& relation_;
  const Run& run_;
  WindowNotes& notes_;
  Frame frame_;
  RangeKey range_;
  WindowJob job_;
  Gathered own_;
};

}  // namespace

WindowResult evaluate_window(const WindowCall& call, WindowSort& sort, const WindowSort::Shape& shape,
                             const WindowRelation& relation, const Run& run, WindowNotes& notes) {
  try {
    return Evaluation(call, sort, shape, relation, run, notes).result();
  } catch (const Error& error) {
    if (error.code() == Code::stopped || !call.value) throw;
    throw placed(error, *call.value);
  }
}

}  // namespace lofty::engine
