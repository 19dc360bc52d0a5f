#pragma once
// Which entry a condition means, and what it is called.

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "derived/entry_view.hpp"
#include "lofty/standings.hpp"
#include "question/question.hpp"
#include "relation/rows.hpp"

namespace lofty::engine {

// "line 17", "line 17 of order_lines.csv" or "row 3", as messages name a row; nothing for other conditions.
struct NamedRow {
  std::string what;  // "line" or "row": Table::Data::numbered
  std::size_t number = 0;
};
std::optional<NamedRow> row_named(std::string_view condition);

// The entries, as they are answered.
struct EntryField {
  std::vector<Question> questions;
  Tables tables;
  std::optional<Standings> standings;

  // The row of the relation that an entry comes from: its first.
  std::uint32_t relation_row(std::size_t row) const;
};

struct FoundEntry {
  EntryField field;                // that it was found in
  std::optional<std::size_t> row;  // of the field; none: every row of it was left out
  bool dropped = false;            // by rank.having: the field is that without it
  std::vector<Value> keys;         // of rank.within, then rank.each
  std::uint32_t relation_row = 0;  // its first; it is the entry where every row is one

  // Its row in a field, which may have no row for it.
  std::optional<std::size_t> row_in(const EntryField& other, bool of_rows) const;
};

// Looks for the one entry that `condition` holds for: among the ladder's own, then among those that rank.having drops,
// then among those that rows.where leaves out. Throws Error(Code::unknown_entry) with the nearest value where there is
// none, and with some of them where there are several.
FoundEntry find_entry(const Ladder& ladder, const EntryView& view, const ReadOnce& tables, const std::string& condition,
                      const Run& run);

// What a reader calls the entries of a field: by label, by key, or by the line where every row is one.
class EntryNames {
 public:
  EntryNames(const EntryView& view, std::size_t within, const EntryField& field, const Run& run)
      : view_(view), within_(within), field_(field), run_(run) {}

  std::string name(std::size_t row) const;
  std::string whole_name(std::size_t row) const;  // for a title: a line of which file?
  std::string keys(std::size_t row) const;        // "shop 3, product 17"
  RowOrigin origin(std::size_t row) const;        // of a row that is an entry

 private:
  const EntryView& view_;
  const std::size_t within_;  // how many of the keys are rank.within's
  const EntryField& field_;
  const Run& run_;
  mutable std::unique_ptr<JoinedRows> joined_;
};

// "(none)" for null.
std::string shown(const Value& value, const Type& type);

}  // namespace lofty::engine
