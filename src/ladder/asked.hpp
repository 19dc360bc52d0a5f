#pragma once
// A ladder while it is being answered: what the stages hand to one another, and what is said of it.
// Covered by tests/ladder/standings_test.cpp.

#include <algorithm>
#include <cstdint>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "ladder/earlier.hpp"
#include "ladder/question.hpp"
#include "ladder/standings_data.hpp"
#include "ladder/totals.hpp"
#include "lofty/order.hpp"
#include "order/custom_order.hpp"

namespace lofty::engine {

enum Truth : std::uint8_t { is_false, is_true, is_unknown };

struct Asked {
  Asked(const Ladder& asked, Question& resolved, const Run& how) : ladder(asked), question(resolved), run(how) {}

  const Ladder& ladder;
  Question& question;
  const Run run;
  std::size_t level = 0;                 // of nested ones
  const Earlier* earlier = nullptr;      // what to compare with
  const StandingsData* outer = nullptr;  // the level outside: entries count only inside the ones that it lists
  const JoinedRows* joined = nullptr;
  Entries entries;
  std::size_t numbered = 0;            // entries as run_rows() numbered them, where Entries::numbered_as is set
  std::size_t entries_before = 0;      // rank.having
  std::vector<ColumnPtr> columns;      // entries' columns, then places
  std::vector<std::uint8_t> eligible;  // by entry: a Truth; empty: all are
  std::vector<ColumnPtr> by_columns;
  std::optional<Order> order;                        // of the entries, when anything is ranked
  std::vector<std::uint32_t> competition;            // places by position
  std::vector<std::vector<std::uint8_t>> also_tied;  // by column of rank.also: of its own order, if it has one
  std::vector<std::uint8_t> passes;                  // by entry: keep.where is true; empty: all do
  struct TiedCut {
    std::size_t at, before;  // the positions behind the cut, and in front of it
    bool best;               // of the best, or of the worst
  };
  std::vector<TiedCut> cuts;
  std::size_t kept_count = 0;           // before list.first, list.last or list.sample leave rows out
  std::vector<std::uint32_t> group_of;  // by entry: its group, for the listing; empty: one group
  bool groups_mixed = false;            // by the listing's order
  // Distinct counts that entries share: by column of the entries, what they add up to in one group, and what is true.
  struct Overlap {
    std::size_t column = 0;
    std::int64_t added = 0, together = 0;
  };
  std::vector<Overlap> overlaps;
  std::vector<std::pair<std::string, std::vector<std::uint32_t>>> split_tiers;  // by column of rank.also
  std::vector<WindowNotes> window_notes;                                        // by Question::entry_windows
  std::set<std::size_t> orderings_used;
  std::vector<std::pair<std::string, CustomReport>> reports;  // by column, of its own order
  std::shared_ptr<StandingsData> data = std::make_shared<StandingsData>();

  bool kept(std::uint32_t entry) const { return passes.empty() || passes[entry] != 0; }

  Role role_of(std::size_t index) const {
    if (index > question.entry_columns.size() + question.also.size()) return Role::measure;  // was, moved
    if (index > question.entry_columns.size() &&
        question.level->also[index - question.entry_columns.size() - 1].measure != Measure::place)
      return Role::measure;
    if (index >= question.entry_columns.size()) return Role::place;
    if (std::find(question.within.begin(), question.within.end(), index) != question.within.end()) return Role::group;
    if (std::find(question.each.begin(), question.each.end(), index) != question.each.end()) return Role::key;
    const auto from = question.entry_columns[index].from;
    if (from == EntryColumn::From::windowed || from == EntryColumn::From::window) return Role::measure;
    return from == EntryColumn::From::total || from == EntryColumn::From::aggregate ? Role::total : Role::label;
  }

  // Calls work(begin, ranked end, end) for the positions of every group.
  template <class Work>
  void each_group(const Work& work) const {
    for (std::size_t begin = 0; begin < order->size();) {
      std::size_t end = begin + 1, ranked = begin;
      while (end < order->size() && !order->starts_group(end)) ++end;
      while (ranked < end && order->ranked(ranked)) ++ranked;
      work(begin, ranked, end);
      begin = end;
    }
  }
};

}  // namespace lofty::engine
