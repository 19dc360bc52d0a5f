#pragma once
// One level of a ladder on its way from rows to an answer, stage by stage; each group of stages is a file of its own.
// Covered by tests/ladder/standings_test.cpp.

#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "ladder/asked.hpp"
#include "ladder/words.hpp"
#include "table/parallel.hpp"

namespace lofty::engine {

// Of the time that a whole job from files takes, near enough.
inline constexpr double reading_share = 0.88;

class Asking {
 public:
  Asking(const Ladder& ladder, Question& question, std::size_t level, const StandingsData* outer,
         const Earlier* earlier, const Run& run)
      : a_(ladder, question, {.threads = run.threads, .stop = run.stop}),
        words_(a_),
        rows_run_(part_of(run, reading_share, 0.98)) {
    a_.level = level;
    a_.outer = outer;
    a_.earlier = earlier;
  }

  std::shared_ptr<StandingsData> answer();

 private:
  // ---- from rows to ranked entries: asking.cpp

  void took(const char* step, std::size_t number, double seconds);
  void took(const WindowTimes& times, std::size_t first);
  static Problem located(const RowFailure& failure, const std::string& where);
  Problem row_problem(const RowFailure& failure) const;
  Problem entry_problem(const RowFailure& failure) const;
  void work_out_totals();
  std::vector<std::uint8_t> truths(const Node& condition, const std::vector<ColumnPtr>& columns) const;
  // Entries that belong to none that the level outside lists.
  void drop_outside();
  // rank.having: what it does not let through is gone for all that follows.
  void drop();
  // Leaves these entries, which are ascending.
  void pick(const std::vector<std::uint32_t>& left);
  // The codes of one column, in the ladder's locale and the column's own order, of which it is remembered what to say.
  void encode_column(const Column& column, const std::string& name, bool descending, Nulls nulls, bool places,
                     KeyList& out);
  // Sort keys worked out over the entries, as codes, which refer to the columns that are kept beside them.
  KeyList codes_of(const std::vector<SortKey>& keys, const std::vector<ColumnPtr>& columns,
                   std::vector<ColumnPtr>& kept, bool places = false);
  KeyList codes_of(const std::vector<std::size_t>& indices);
  // The order of places by `by`: the level's keys, or those of a column of rank.also.
  Order order_by(const std::vector<SortKey>& by, std::vector<ColumnPtr>& by_columns);
  void rank();

  // ---- what was before: asking_compare.cpp

  // `was` and `moved`: the entries' former places, and how many they have gone up since.
  void compare();
  // Who was listed then and is not now.
  void find_departed();
  // Of a former entry's key, the values that name the entry outside that held it.
  EntryKey outer_part(const EntryKey& key) const;
  // A former entry by the keys that are its own level's.
  std::string own_key_text(const EntryKey& key) const;

  // ---- the columns of places: asking_places.cpp

  // By entry: does it share its place?
  static std::vector<std::uint8_t> tied_in(const Order& order);
  void add_also(const Also& also, const AlsoUse& use);
  void add_column(Piece piece);
  void add_numbers(const std::vector<std::uint32_t>& numbers);
  void add_place_column(const Order& order, Ties ties);
  // (place - less) / (ranked - less), with six decimals: a division of counts.
  void add_ratio(Ties ties, std::uint32_t less);
  // Of each entry, its value's part of the sum over its group, unranked entries included; or the sum up to its peers.
  void add_shares(const Column& of, bool running);

  // ---- what is kept and listed, and the lines for the rest: asking_listing.cpp

  void account(const JoinedRows& rows);
  // The entries to list, in the order of places.
  void keep();
  void list();
  // list.blank_group = "hide"
  void hide_blanks();
  // list.first, list.last, list.sample
  void take_some();
  // The keys that the listing is sorted by: the list's own, or else those of the places.
  void mark_sort(StandingColumn& column, int index) const;
  void mark_groups();
  // The lines for what is not listed, and for all, of every group that lists something.
  void summarize();
  // The totals of entries that are taken together; null pointers for columns that are none.
  std::vector<ColumnPtr> totals_of(const std::vector<std::uint32_t>& group_of, std::size_t groups) const;
  void add_summary(SummaryLine::Of of, std::size_t behind, std::size_t entries, std::string label,
                   const std::vector<ColumnPtr>& totals, std::size_t group);
  // The first listed column of words that is the entries' own, or else the first of their keys.
  std::size_t label_column() const;
  // Distinct counts of entries that count the same things do not add up.
  template <class GroupOf>
  void note_overlaps(const GroupOf& group_of, std::size_t groups, const std::vector<ColumnPtr>& together);

  Asked a_;
  std::map<EntryKey, std::uint32_t> entry_of_;  // by key, where there is something to compare with
  const Words words_;
  const Run rows_run_;  // this one tells how far the rows are; what comes after takes little
};

}  // namespace lofty::engine
