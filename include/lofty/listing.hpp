#pragma once
// Text made for reading: listings, problems, remarks, first acquaintance.

#include <string>
#include <string_view>
#include <vector>

#include "lofty/cost.hpp"
#include "lofty/enum_names.hpp"
#include "lofty/error.hpp"
#include "lofty/expected.hpp"
#include "lofty/export.hpp"
#include "lofty/memory.hpp"
#include "lofty/profile.hpp"
#include "lofty/remark.hpp"
#include "lofty/standings.hpp"
#include "lofty/why.hpp"

namespace lofty LOFTY_EXPORT {

// How text may look. Nothing is said by colour alone.
struct Looks {
  bool colour = false;     // ANSI colours
  int width = 100;         // columns, for sentences
  int table_width = 0;     // columns, for listings: what does not fit is cut or left out, and it is said; 0: any number
  bool fold_ties = false;  // of a tie at the cut that runs to more than 20 entries beyond it, show five
  // Advice beside a note in a listing, in the words of the program that shows it; empty: none.
  std::string fold_advice = {};  // how to list all tied entries, or none of them
  std::string cut_advice = {};   // how to see columns and texts that did not fit
};

// Any text, fit for a terminal: line ends, tabs and the colours of this library stay; all other control characters,
// escape sequences and bidirectional overrides are made visible. For what the functions below return this changes
// nothing; csv and JSON, which hold data as it is, should go through it before a terminal shows them.
[[nodiscard]] std::string safe_for_terminal(std::string_view text);

// Title, question, table and foot. Columns are aligned by display width; sort keys are marked in the headings (↓ or ↑,
// numbered when there are several); a place shared by several entries carries `=`; groups are set apart.
[[nodiscard]] std::string listing(const Standings& standings, const Looks& looks = {});

// One paragraph a problem: what, where with the text marked, and what would be right.
[[nodiscard]] std::string problems_text(const std::vector<Problem>& problems, const Looks& looks = {});

// What became of every row and entry, on one line: "lines: 12,034 read, 103 left out, ...".
[[nodiscard]] std::string accounting_text(const Standings& standings, const Looks& looks = {});

// full: each whole; brief: a line each, cut where it does not fit; none: nothing.
enum class Detail : std::uint8_t { none, brief, full };
[[nodiscard]] const char* to_string(Detail value);
template <>
std::optional<Detail> from_string<Detail>(std::string_view name);
// Is it the expected answer, and if not, what differs: a few lines. `expected` is the table's name.
[[nodiscard]] std::string comparison_text(const Comparison& comparison, const std::string& expected,
                                          const Looks& looks = {});
[[nodiscard]] std::string remarks_text(const std::vector<Remark>& remarks, const Looks& looks = {},
                                       Detail detail = Detail::full);

// Place, neighbours, totals, what was left out, and the first `most_lines` rows.
[[nodiscard]] std::string workings_text(const Workings& workings, std::size_t most_lines = 20, const Looks& looks = {});

// What formulas may call, with arguments and meaning; only those whose name, arguments or meaning contain `word`.
[[nodiscard]] std::string functions_text(const std::string& word = {}, const Looks& looks = {});

// The plan as a table: step, what it is for, rows, comparisons, memory, estimated and, once it has run, measured time;
// then their totals, and the advice.
[[nodiscard]] std::string cost_text(const Cost& cost, const Looks& looks = {});
// A line that says how much memory that may take, and where what does not fit will lie.
[[nodiscard]] std::string memory_text(const Cost& cost, const MemoryForecast& memory, const Looks& looks = {});

// `form` says how the table was read (TableSource::form), or is empty.
[[nodiscard]] std::string profile_text(const TableProfile& profile, const Looks& looks = {},
                                       const std::string& form = {});

}  // namespace lofty
