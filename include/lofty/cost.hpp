#pragma once
// What a ladder costs: step by step, before and after it is run.

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"
#include "lofty/ladder.hpp"
#include "lofty/run.hpp"
#include "lofty/step_kind.hpp"

namespace lofty LOFTY_EXPORT {

// How fast this machine is, compared with the one that the engine's own numbers were measured on: 1 is as fast, 2 takes
// twice as long. By kind of work, since memory, disk and arithmetic differ apart.
struct Speeds {
  double read = 1;     // delimited text into columns
  double join = 1;     // rows to their partners
  double rows = 1;     // conditions, figures, groups and totals
  double sort = 1;     // keys to codes, and sorting them
  double windows = 1;  // gathering values, sliding frames over them
  double entries = 1;  // ranking and listing
  friend bool operator==(const Speeds&, const Speeds&) = default;
};

// One step of the work.
struct CostStep {
  StepKind step = StepKind::read;
  std::string purpose;             // what it is for: a table, the windows on a sort, totals
  std::string by;                  // of a sort: its keys
  std::optional<double> rows;      // that it looks at; nothing where it is not known before reading
  double comparisons = 0;          // of a sort: rows * log2(rows), about what comparing would take
  double bytes = 0;                // memory held at once
  double estimated = 0;            // seconds
  std::optional<double> measured;  // seconds, once it has run
};

// A change to the question that would make it cheaper.
struct Advice {
  std::string sentence;  // what to change, and what it saves
  double saves = 0;      // seconds, estimated
  std::string changes;   // how the answer would differ; empty: not at all
};

// Which rows of the first table stay once they have been read.
enum class RowsKept : std::uint8_t {
  all,
  counting,  // those that count, if they are less than a quarter of the first ones
  none,      // rows are totalled as they are read
};
[[nodiscard]] const char* to_string(RowsKept value);
template <>
std::optional<RowsKept> from_string<RowsKept>(std::string_view name);

// What a plan decides, and why; in words.
struct Decision {
  std::string what;          // "rows of order_lines.csv are totalled as they are read, and not kept"
  std::string why;           // "only totals need them"
  std::string instead = {};  // once it has run: what was done instead, and why; empty: the plan held
};

struct Cost {
  std::vector<CostStep> steps;  // in the order in which they are done
  std::vector<Advice> advice;
  RowsKept rows_kept = RowsKept::all;  // as planned; once measured: as it was done
  bool read_twice = false;             // the first table: constants over all its rows have to be known first
  std::vector<Decision> decisions = {};
  bool rows_known = true;                  // false where a table's size is not known before it is read
  double estimated() const;                // seconds, of all steps
  std::optional<double> measured() const;  // of all steps; nothing before it has run
  double bytes() const;                    // the most that is held at once: columns, and the greatest step
  std::size_t sorts() const;
};

// The plan and its price, from the tables' headings and sizes alone: no row is read. How many rows pass a condition,
// and how many entries they make, is not known then, and guessed: an equality lets one row in twenty pass, a comparison
// one in two; an entry that has its own table, joined by its key, is counted there, others are the square root of
// the rows. Of `run` its memory counts: where rows do not fit it, a question may be planned otherwise. Throws Error as
// check() reports it, types apart. Under a millisecond, without opening the tables.
[[nodiscard]] Cost plan(const Ladder& ladder, const Catalog& catalog, const Speeds& speeds = {}, const Run& run = {});

// A plan with the measured times of its ladder's answer (Standings::cost()) next to its estimates.
[[nodiscard]] Cost with_measured(Cost planned, const Cost& measured);

// Measures this machine with a small job, in about two seconds and 60 MB of the temporary folder.
[[nodiscard]] Speeds measure_speeds(const Run& run = {});
// As the text of a small file, and back; nothing for other texts.
[[nodiscard]] std::string speeds_text(const Speeds& speeds);
[[nodiscard]] std::optional<Speeds> speeds_from(const std::string& text);

}  // namespace lofty
