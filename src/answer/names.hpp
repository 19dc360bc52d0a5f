#pragma once
// What an answer calls its rows and entries.
// Covered by tests/ladder/standings_test.cpp.

#include <cstdint>
#include <string>

#include "answer/standings_data.hpp"
#include "question/prose.hpp"
#include "question/question.hpp"
#include "relation/totals.hpp"

namespace lofty::engine {

// `question`, `rows` and `entries` have to outlive this.
class Names {
 public:
  // `outer`: the level outside, whose labels are not this one's.
  Names(const Question& question, const JoinedRows& rows, const Entries& entries, const StandingsData* outer = nullptr)
      : question_(question), rows_(rows), entries_(entries), outer_(outer) {}

  std::string row_noun() const { return noun_of_table(question_.tables.front().alias); }
  std::string entry_noun() const { return noun(false); }
  std::string entry_nouns() const { return noun(true); }
  std::string plural_entry(std::size_t count) const { return noun(count != 1); }
  std::string counted_entries(std::size_t count) const { return with_commas(count) + " " + plural_entry(count); }
  // What a reader calls an entry: its label where a listed column has one, else its keys.
  std::string entry_name(std::uint32_t entry) const;
  // The same without quotes.
  std::string plain_entry_name(std::uint32_t entry) const;
  // That label, by entry; null where entries are called by their keys.
  ColumnPtr label() const;
  static std::string shown(const Value& value) { return is_null(value) ? "(none)" : to_text(value); }

 private:
  std::string noun(bool of_several) const;

  const Question& question_;
  const JoinedRows& rows_;
  const Entries& entries_;
  const StandingsData* outer_;
};

}  // namespace lofty::engine
