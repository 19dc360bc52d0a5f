#pragma once
// What the answer calls its rows and entries, and the question said back.
// Covered by tests/ladder/standings_test.cpp.

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "ladder/asked.hpp"
#include "ladder/prose.hpp"

namespace lofty::engine {

class Words {
 public:
  explicit Words(const Asked& asked) : a_(asked) {}

  std::string row_noun() const { return noun_of_table(a_.question.tables.front().alias); }
  std::string entry_noun() const;
  std::string entry_nouns() const { return plural_entry(2); }
  std::string plural_entry(std::size_t count) const;
  std::string counted_entries(std::size_t count) const { return with_commas(count) + " " + plural_entry(count); }
  // What a reader calls an entry: its label where a listed column has one, else its keys.
  std::string entry_name(std::uint32_t entry) const;
  // That label, by entry; null where entries are called by their keys.
  ColumnPtr label() const;
  static std::string shown(const Value& value) { return is_null(value) ? "(none)" : to_text(value); }

  // The question said back in a sentence; and the listing's last line.
  std::string sentence() const;
  std::string foot() const;

  // A constant that is a day; none where the period is open, or over no rows.
  std::optional<std::int64_t> day_of(const NodePtr& node) const;
  static std::string day_text(std::int64_t day) { return Date{static_cast<std::int32_t>(day)}.text(); }

 private:
  std::string directions(const std::vector<SortKey>& keys) const;
  std::string period_sentence(std::size_t period) const;
  std::string kept_words() const;

  const Asked& a_;
};

}  // namespace lofty::engine
