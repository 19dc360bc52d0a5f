#include "relation/aggregate_states.hpp"

#include <algorithm>
#include <cmath>

#include "relation/ordered_totals.hpp"

namespace lofty::engine {

void AggregateStates::add(const std::vector<std::uint32_t>& rows, const std::vector<std::uint32_t>& ids,
                          std::size_t begin, const Vector* v, const Vector* filter, std::size_t groups) {
  grow(groups);
  if (v != nullptr && v->lane == Vector::Lane::int64 && filter == nullptr) {  // the usual cases, without a call a row
    if (aggregate_->kind == AggregateKind::sum) return sum_integers(rows, ids, begin, v->ints.data());
    if (aggregate_->kind == AggregateKind::count_distinct) return tell_integers_apart(rows, ids, begin, v->ints.data());
  }
  const auto passes = [&](std::size_t i) { return filter == nullptr || filter->ints[i] == 1; };
  const bool any_value = aggregate_->kind == AggregateKind::first || aggregate_->kind == AggregateKind::last;
  for (std::size_t k = 0; k < rows.size(); ++k) {
    const std::size_t i = rows[k] - begin;
    if (!passes(i)) continue;
    if (goes_by_order(aggregate_->kind) && (any_value || !v->is_null(i))) {
      collected_rows_.push_back(rows[k]);
      collected_ids_.push_back(ids[k]);
      ++counts_[ids[k]];
      continue;
    }
    if (v != nullptr && v->is_null(i))
      blank(ids[k]);
    else
      take(ids[k], v, i);
  }
  distinct_.settle();
}

void AggregateStates::merge(const AggregateStates& other, const std::vector<std::uint32_t>& ids, std::size_t groups,
                            std::uint32_t outside) {
  grow(groups);
  for (std::size_t g = 0; g < ids.size(); ++g) merge_totals(other, g, ids[g]);
  merge_distinct(other, ids, outside);
  collected_rows_.insert(collected_rows_.end(), other.collected_rows_.begin(), other.collected_rows_.end());
  for (const std::uint32_t id : other.collected_ids_) collected_ids_.push_back(ids[id]);
}

void AggregateStates::merge_group(const AggregateStates& other, std::uint32_t g, std::uint32_t id) {
  merge_totals(other, g, id);
  if (other.elsewhere_begin_.empty()) return;
  for (std::uint32_t at = other.elsewhere_begin_[g]; at < other.elsewhere_begin_[g + 1]; ++at)
    distinct_.add(id, cells_->translate(other.distinct_.cell(other.elsewhere_[at]), *other.cells_));
}

void AggregateStates::tell_distinct_by_group() {
  if (aggregate_->kind != AggregateKind::count_distinct) return;
  std::vector<std::uint32_t>& begin = elsewhere_begin_;  // first counted, then where each group's next one goes
  begin.assign(counts_.size() + 2, 0);
  for (std::uint32_t at = 0; at < distinct_.size(); ++at) ++begin[distinct_.group(at) + 2];
  for (std::size_t g = 2; g < begin.size(); ++g) begin[g] += begin[g - 1];
  elsewhere_.resize(distinct_.size());
  for (std::uint32_t at = 0; at < distinct_.size(); ++at) elsewhere_[begin[distinct_.group(at) + 1]++] = at;
  begin.pop_back();
}

void AggregateStates::merge_totals(const AggregateStates& other, std::size_t g, std::uint32_t id) {
  blanks_[id] += other.blanks_[g];
  if (other.counts_[g] == 0) return;
  switch (aggregate_->kind) {
    case AggregateKind::sum:
    case AggregateKind::average:
      if (floating())
        float_sums_[id].add(other.float_sums_[g]);
      else
        add_exact(id, other.exact_[g]);
      break;
    case AggregateKind::variance:
    case AggregateKind::deviation:
      if (floating())
        float_moments_[id].add(other.float_moments_[g]);
      else
        add_moments(id, other.exact_moments_[g]);
      break;
    case AggregateKind::least:
    case AggregateKind::greatest: better(id, other.best_of(g)); break;
    default: break;
  }
  counts_[id] += other.counts_[g];
}

AggregateStates::Range AggregateStates::distinct_range() const {
  Range range;
  for (std::uint32_t at = 0; at < distinct_.size(); ++at) {
    const Cell cell = distinct_.cell(at);
    const auto value = static_cast<std::int64_t>(cell.code);
    range.others = range.others || cell.tag != CellMaker::number;
    range.least = std::min(range.least, value);
    range.greatest = std::max(range.greatest, value);
  }
  return range;
}

AggregateStates::NewNumbers AggregateStates::new_numbers() const {
  NewNumbers out;
  if (!distinct_.in_order()) return {.in_order = false};
  for (std::uint32_t at = distinct_.settled(); at < distinct_.size(); ++at) {
    const auto value = static_cast<std::int64_t>(distinct_.cell(at).code);
    out.least = std::min(out.least, value);
    out.greatest = std::max(out.greatest, value);
    ++out.count;
  }
  return out;
}

void AggregateStates::settle_between(std::int64_t least, std::int64_t greatest) {
  alone_.resize(counts_.size());
  distinct_.settle_between(least, greatest, [this](std::uint32_t group) { ++alone_[group]; });
}

void AggregateStates::set_apart(const std::vector<Range>& others) {
  alone_.resize(counts_.size());
  elsewhere_.clear();
  const bool texts = std::any_of(others.begin(), others.end(), [](const Range& r) { return r.others; });
  for (std::uint32_t at = 0; at < distinct_.size(); ++at) {
    const Cell cell = distinct_.cell(at);
    const auto value = static_cast<std::int64_t>(cell.code);
    if (texts || cell.tag != CellMaker::number || std::any_of(others.begin(), others.end(), [&](const Range& r) {
          return value >= r.least && value <= r.greatest;
        }))
      elsewhere_.push_back(at);
    else
      ++alone_[distinct_.group(at)];
  }
}

Entries::Mean AggregateStates::mean(int column, std::size_t groups) const {
  const auto count = static_cast<std::ptrdiff_t>(groups);
  return {column, {exact_.begin(), exact_.begin() + count}, {counts_.begin(), counts_.begin() + count}};
}

ColumnPtr AggregateStates::finish(std::size_t groups, Entries::Blank& blank_report, const ByOrder& by_order) {
  if (!goes_by_order(aggregate_->kind)) return Column::seal(values(groups, blank_report));
  grow(groups);
  report_blanks(groups, blank_report);
  return by_order(*aggregate_, {collected_rows_, collected_ids_, groups});
}

Piece AggregateStates::values(std::size_t groups, Entries::Blank& blank_report) {
  grow(groups);
  report_blanks(groups, blank_report);
  if (aggregate_->kind == AggregateKind::count_distinct) {
    counts_.assign(counts_.size(), 0);
    for (std::size_t g = 0; g < alone_.size(); ++g) counts_[g] = alone_[g];
    for (std::uint32_t at = 0; at < distinct_.size(); ++at) ++counts_[distinct_.group(at)];
  }
  Piece piece(aggregate_->type);
  for (std::size_t g = 0; g < groups; ++g) put(piece, g);
  return piece;
}

void AggregateStates::report_blanks(std::size_t groups, Entries::Blank& report) const {
  for (const std::uint32_t rows : blanks_) {
    report.rows += rows;
    report.entries += rows > 0;
  }
  if (report.rows > 0) report.by_entry.assign(blanks_.begin(), blanks_.begin() + static_cast<std::ptrdiff_t>(groups));
}

void AggregateStates::merge_distinct(const AggregateStates& other, const std::vector<std::uint32_t>& ids,
                                     std::uint32_t outside) {
  if (aggregate_->kind != AggregateKind::count_distinct) return;
  alone_.resize(std::max(alone_.size(), counts_.size()));
  for (std::size_t g = 0; g < ids.size(); ++g) alone_[ids[g]] += other.alone_[g];
  for (const std::uint32_t at : other.elsewhere_)
    if (const std::uint32_t id = ids[other.distinct_.group(at)]; id != outside)
      distinct_.add(id, cells_->translate(other.distinct_.cell(at), *other.cells_));
  distinct_.settle();
}

void AggregateStates::sum_integers(const std::vector<std::uint32_t>& rows, const std::vector<std::uint32_t>& ids,
                                   std::size_t begin, const std::int64_t* values) {
  std::int64_t* const counts = counts_.data();
  int128* const sums = exact_.data();
  for (std::size_t k = 0; k < rows.size(); ++k) {
    const std::int64_t value = values[rows[k] - begin];
    if (value == int64_null) {
      blank(ids[k]);
      continue;
    }
    ++counts[ids[k]];
    sums[ids[k]] += value;  // fewer than 2^32 rows of 64 bits each
  }
}

void AggregateStates::tell_integers_apart(const std::vector<std::uint32_t>& rows, const std::vector<std::uint32_t>& ids,
                                          std::size_t begin, const std::int64_t* values) {
  std::int64_t last = int64_null;  // the lines of an order follow one another
  std::uint32_t last_id = no_row;
  for (std::size_t k = 0; k < rows.size(); ++k) {
    const std::int64_t value = values[rows[k] - begin];
    if (value == int64_null) {
      blank(ids[k]);
    } else if (value != last || ids[k] != last_id) {
      distinct_.add(ids[k], {static_cast<std::uint64_t>(value), CellMaker::number});
      last = value;
      last_id = ids[k];
    }
  }
  distinct_.settle();
}

void AggregateStates::grow(std::size_t groups) {
  if (counts_.size() >= groups) return;
  const std::size_t room = std::max(groups, counts_.size() * 2);  // groups come one batch at a time
  counts_.resize(room);
  blanks_.resize(room);
  switch (aggregate_->kind) {
    case AggregateKind::sum:
    case AggregateKind::average:
      if (floating())
        float_sums_.resize(room);
      else
        exact_.resize(room);
      break;
    case AggregateKind::variance:
    case AggregateKind::deviation:
      if (floating())
        float_moments_.resize(room);
      else
        exact_moments_.resize(room);
      break;
    case AggregateKind::least:
    case AggregateKind::greatest:
      if (texts())
        best_texts_.resize(room);
      else if (floating())
        best_numbers_.resize(room);
      else
        exact_.resize(room);
      break;
    default: break;
  }
}

void AggregateStates::add_exact(std::uint32_t id, int128 value) {
  if (__builtin_add_overflow(exact_[id], value, &exact_[id]))
    throw Error(problem(Code::overflow, "the sum has more than 38 digits"));
}

template <class Added>
void AggregateStates::add_moments(std::uint32_t id, const Added& added) {
  if (!exact_moments_[id].add(added))
    throw Error(problem(Code::overflow, "the sum of the squares has more than 38 digits"));
}

Problem AggregateStates::problem(Code code, std::string sentence) const {
  Problem p{code, std::move(sentence), {}, {}, "cast the values as float"};
  const Node& node = *aggregate_->argument;
  p.location.key = node.origin->key;
  p.location.text = node.origin->text;
  p.location.offset = node.begin;
  p.location.length = node.end - node.begin;
  return p;
}

void AggregateStates::take(std::uint32_t id, const Vector* v, std::size_t i) {
  switch (aggregate_->kind) {
    case AggregateKind::count_rows:
    case AggregateKind::count: break;
    case AggregateKind::count_distinct: distinct_.add(id, cells_->cell(*v, i)); break;
    case AggregateKind::sum:
    case AggregateKind::average:
      if (floating())
        float_sums_[id].add(v->doubles[i]);
      else
        add_exact(id, v->exact(i));
      break;
    case AggregateKind::variance:
    case AggregateKind::deviation:
      if (floating())
        float_moments_[id].add(v->doubles[i]);
      else
        add_moments(id, v->exact(i));
      break;
    case AggregateKind::least:
    case AggregateKind::greatest: {
      Best best{};
      if (texts())
        best.text = v->text(i);
      else if (floating())
        best.number = v->doubles[i];
      else
        best.exact = v->exact(i);
      better(id, best);
      break;
    }
    default: break;  // collected
  }
  ++counts_[id];
}

AggregateStates::Best AggregateStates::best_of(std::size_t g) const {
  Best best{};
  if (texts())
    best.text = best_texts_[g];
  else if (floating())
    best.number = best_numbers_[g];
  else
    best.exact = exact_[g];
  return best;
}

void AggregateStates::better(std::uint32_t id, const Best& candidate) {
  const bool greatest = aggregate_->kind == AggregateKind::greatest;
  const bool first = counts_[id] == 0;
  if (texts()) {
    const std::string_view old = best_texts_[id];
    if (first || (greatest ? candidate.text > old : candidate.text < old))
      best_texts_[id] = std::string(candidate.text);
  } else if (floating()) {
    if (first || (greatest ? candidate.number > best_numbers_[id] : candidate.number < best_numbers_[id]))
      best_numbers_[id] = candidate.number;
  } else if (first || (greatest ? candidate.exact > exact_[id] : candidate.exact < exact_[id])) {
    exact_[id] = candidate.exact;
  }
}

// Null for a sample of one value.
void AggregateStates::put_spread(Piece& piece, std::size_t g) const {
  const int less = aggregate_->less;
  const bool root = aggregate_->kind == AggregateKind::deviation;
  if (counts_[g] <= less) return piece.add_null();
  if (floating()) {
    const double variance = float_moments_[g].variance(less);
    if (!std::isfinite(variance)) {
      Problem beyond = problem(Code::overflow, "the squares are beyond the range of floats");
      beyond.advice = smaller_values;
      throw Error(std::move(beyond));
    }
    return piece.add_double(root ? std::sqrt(variance) : variance);
  }
  if (root) return piece.add_double(exact_moments_[g].deviation(less, aggregate_->argument->type.scale));
  int128 variance = 0;
  if (!exact_moments_[g].variance(less, aggregate_->type.scale - 2 * aggregate_->argument->type.scale, variance))
    throw Error(problem(Code::overflow, "the variance has more than 38 digits"));
  piece.add_wide(variance);
}

void AggregateStates::put(Piece& piece, std::size_t g) const {
  const std::int64_t count = counts_[g];
  switch (aggregate_->kind) {
    case AggregateKind::count_rows:
    case AggregateKind::count:
    case AggregateKind::count_distinct: return piece.add_integer(count);
    default: break;
  }

  // Of nothing: null. Then sums and means, then the least and the greatest.
  if (count == 0) return piece.add_null();
  if (aggregate_->kind == AggregateKind::sum || aggregate_->kind == AggregateKind::average) {
    const bool mean = aggregate_->kind == AggregateKind::average;
    if (floating()) {
      const double sum = float_sums_[g].value();
      if (!std::isfinite(sum)) throw Error(problem(Code::overflow, "the sum is beyond the range of floats"));
      return piece.add_double(mean ? sum / static_cast<double>(count) : sum);
    }
    int128 value = exact_[g];
    const int scale = aggregate_->argument->type.scale;
    if (!fits_decimal(value) || (mean && !divide_decimals(value, scale, count, 0, aggregate_->type.scale, value)))
      throw Error(problem(Code::overflow, "the sum has more than 38 digits"));
    return piece.add_wide(value);
  }
  if (aggregate_->kind == AggregateKind::variance || aggregate_->kind == AggregateKind::deviation)
    return put_spread(piece, g);
  if (texts()) return piece.add_text(best_texts_[g]);
  if (floating()) return piece.add_double(best_numbers_[g]);
  piece.add_wide(exact_[g]);
}

}  // namespace lofty::engine
