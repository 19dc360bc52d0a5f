#include "answer/kept.hpp"

#include <algorithm>

#include "answer/conditions.hpp"
#include "value/exact.hpp"

namespace lofty::engine {
namespace {

// Positions in the order of places: those from the first to the last, or some of them.
class Positions {
 public:
  Positions(std::size_t first, std::size_t end) : first_(first), count_(end - first) {}
  explicit Positions(std::vector<std::size_t> some) : count_(some.size()), some_(std::move(some)) {}
  std::size_t size() const { return count_; }
  std::size_t operator[](std::size_t i) const { return some_.empty() ? first_ + i : some_[i]; }

 private:
  std::size_t first_ = 0, count_;
  std::vector<std::size_t> some_;
};

// The ranked entries of one group that keep.where lets through, by their positions: the first `front` are among the
// best, those from `back` on among the worst.
class GroupCut {
 public:
  GroupCut(const Places& places, const Level& level, Positions positions)
      : places_(places),
        strict_(level.cut == Cut::strict),
        in_(std::move(positions)),
        best_(so_many(level.best, level.best_percent)),
        worst_(so_many(level.worst, level.worst_percent)),
        front_(in_.size()),
        back_(in_.size()) {}

  // A cut is between two entries; when they are peers it goes through a tie.
  void make(Kept& kept) {
    const std::size_t count = in_.size();
    front_ = best_ || !worst_ ? count : 0;
    if (best_ && *best_ < count) {
      front_ = *best_;
      if (tied(front_)) kept.cuts.push_back({in_[front_], in_[front_ - 1], true});
      while (!strict_ && front_ < count && tied(front_)) ++front_;
    }
    if (worst_) {
      back_ = count - std::min(count, *worst_);
      if (back_ > 0 && back_ < count && tied(back_)) kept.cuts.push_back({in_[back_], in_[back_ - 1], false});
      while (!strict_ && back_ > 0 && back_ < count && tied(back_)) --back_;
    }
  }

  // The kept entries that are there only because they share the place at the cut. Before any of the group is added.
  void note_ties(Kept& kept) const {
    const std::size_t count = in_.size(), first = kept.entries.size();
    if (front_ > back_) return;  // the two ends meet: nothing is cut
    if (best_ && front_ > *best_) {
      std::size_t begin = front_ - 1;
      while (begin > 0 && tied(begin)) --begin;
      kept.cut_ties.push_back({first + begin, first + front_, first + *best_, true});
    }
    if (worst_ && back_ + *worst_ < count) {
      std::size_t end = back_ + 1;
      while (end < count && tied(end)) ++end;
      const std::size_t worst = first + front_;  // where the worst begin
      kept.cut_ties.push_back({worst, worst + end - back_, worst + count - *worst_ - back_, false});
    }
  }

  void add(Kept& kept) const {
    for (std::size_t i = 0; i < front_; ++i) kept.add(in_[i], places_);
    for (std::size_t i = std::max(front_, back_); i < in_.size(); ++i)
      kept.add(in_[i], places_, i == back_ && front_ > 0 ? back_ - front_ : 0);
  }

 private:
  bool tied(std::size_t cut) const { return places_.competition[in_[cut]] == places_.competition[in_[cut - 1]]; }

  // A part of the entries is rounded up.
  std::optional<std::size_t> so_many(const std::optional<std::size_t>& number,
                                     const std::optional<Decimal>& percent) const {
    if (!percent) return number;
    const int128 whole = power_of_ten(percent->scale()) * 100, part = percent->coefficient() * in_.size();
    return static_cast<std::size_t>((part + whole - 1) / whole);
  }

  const Places& places_;
  const bool strict_;
  const Positions in_;
  const std::optional<std::size_t> best_, worst_;
  std::size_t front_, back_;
};

}  // namespace

void Kept::add(std::size_t position, const Places& places, std::size_t passed) {
  entries.push_back(places.order->rows()[position]);
  positions.push_back(position);
  passed_over.push_back(static_cast<std::uint32_t>(passed));
}

Kept keep(const LevelInput& input, const Entries& entries, const Places& places) {
  const Question& question = input.question;
  Kept out;
  if (question.keep_where) {
    out.passes = truths(*question.keep_where, places.columns, entries.count, entries.context, input.run);
    for (std::uint8_t& one : out.passes) one = one == is_true;
    out.not_passed = static_cast<std::size_t>(std::count(out.passes.begin(), out.passes.end(), 0));
  }
  if (!places.order) {
    for (std::uint32_t e = 0; e < entries.count; ++e)
      if (out.lets_through(e)) out.entries.push_back(e);
    return out;
  }

  const Level& level = *question.level;
  const auto rows = places.order->rows();
  if (!level.cuts() && !question.keep_where) {  // all of them, as they stand
    out.entries.assign(rows.begin(), rows.end());
    return out;
  }
  out.all = false;
  const bool with_unranked = level.unranked || (!level.cuts() && !question.keep_where);
  places.each_group([&](std::size_t begin, std::size_t ranked, std::size_t end) {
    std::vector<std::size_t> in;
    for (std::size_t i = begin; i < ranked && !out.passes.empty(); ++i)
      if (out.lets_through(rows[i])) in.push_back(i);
    GroupCut cut(places, level, out.passes.empty() ? Positions(begin, ranked) : Positions(std::move(in)));
    cut.make(out);
    cut.note_ties(out);
    cut.add(out);
    for (std::size_t i = ranked; i < end && with_unranked; ++i) {
      if (out.lets_through(rows[i])) out.add(i, places);
    }
  });
  return out;
}

}  // namespace lofty::engine
