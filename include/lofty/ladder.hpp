#pragma once
// One ranking question as a plain value.

#include <cstddef>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "lofty/calendar_unit.hpp"
#include "lofty/catalog.hpp"
#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"
#include "lofty/places.hpp"
#include "lofty/selection.hpp"
#include "lofty/value.hpp"

namespace lofty LOFTY_EXPORT {

// A name and its formula: a figure (row by row) or a total (per entry).
struct NamedFormula {
  std::string name;
  std::string formula;
  friend bool operator==(const NamedFormula&, const NamedFormula&) = default;
};

// Which rows a join keeps, as in ISO SQL.
enum class JoinType : std::uint8_t {
  left,   // every row of the tables before it; those without a partner have nulls
  inner,  // only those with a partner
  right,  // those with a partner, and every row of the second table; those that nothing refers to have nulls
  full,   // all of both
};
[[nodiscard]] const char* to_string(JoinType value);
template <>
std::optional<JoinType> from_string<JoinType>(std::string_view name);

// A second table brought alongside by keys. A row with several partners is an error, because it would count more than
// once, unless `many` asks for just that.
struct Join {
  std::string with;             // a table of the catalog
  std::vector<std::string> on;  // "shop_no", or "buyer_no = shop_no": left = right
  std::string as = {};          // what formulas call it; empty: its name without the ending
  ReadOptions read = {};
  JoinType type = JoinType::left;
  bool many = false;
};

struct Data {
  std::string from;  // a table of the catalog
  std::string as = {};
  ReadOptions read = {};
  std::vector<Join> joins = {};
  std::string locale = {};  // whose rules order text ("sv", "en_GB"); empty: ICU's root, never the environment's
  // Where timestamps that were written with an offset are shown, and in whose days and months they are counted:
  // "Europe/Oslo"; empty: UTC. Those without an offset are wall clocks, whatever it is.
  std::string zone = {};
};

// A value that a reader may change from outside, `:name` in formulas.
struct Choice {
  std::string name;
  Value value;
  std::string label = {}, unit = {};
  Value least = {}, most = {};    // null: no limit
  std::vector<Value> among = {};  // empty: any
};

// A stretch of time, named in formulas as a condition that is true for rows within it: the last N calendar units up to
// and including the one that `ends` is in, or from one day through another, both included.
struct Period {
  std::string name;
  std::string on = {};                    // a column of dates or timestamps
  std::string last = {};                  // how many units, "30", or a choice, ":days"
  std::optional<CalendarUnit> unit = {};  // nothing: day
  std::string ends = {};  // "data" (the default): the latest of `on` over the rows that the conditions without a
                          // period let through; a date; or "today" (UTC)
  std::string from = {}, through = {};  // instead of `last`: dates, or choices; either may be left open
  // Only units that are complete: the last N of them that end on or before `ends` ("today": before today).
  bool whole = false;
  // The same stretch so many units earlier, "1", or a choice: with months and back = 12 the same months last
  // year.
  std::string back = {};
  friend bool operator==(const Period&, const Period&) = default;
};

// An order that the ladder defines for the values of a column. It affects sorting only: never equality, groups, min, or
// the places of numbers.
struct Ordering {
  std::string column;
  std::vector<Value> first = {}, last = {};  // pinned first and last, in either direction; the rest as usual
  std::vector<Value> sequence = {};          // the full order; values that it forgets follow, as usual
  TextOrder text = TextOrder::language;
};

// What a further place column holds.
enum class Measure : std::uint8_t {
  place,                    // a place, under its own rule, and by other keys where it says so
  tiers,                    // equal-sized tiers from 1, as ISO SQL's ntile
  share,                    // a column's share of its sum over the group
  running_share,            // the same summed up to this place; tied entries share one value
  percent_rank,             // (place - 1) / (ranked - 1)
  cumulative_distribution,  // entries that are as good or better / ranked
};
[[nodiscard]] const char* to_string(Measure value);
template <>
std::optional<Measure> from_string<Measure>(std::string_view name);

// A further place column.
struct Also {
  std::string name;
  Ties ties = Ties::competition;  // place
  Measure measure = Measure::place;
  std::string by = {};    // place: its own sort list, "spend asc"; empty: the level's
  std::string of = {};    // shares: of what, a column or total
  std::size_t count = 0;  // tiers: how many
  friend bool operator==(const Also&, const Also&) = default;
};

// What is ranked, by what, and how much of it is kept. Of several levels each one's groups are the entries of those
// outside it; its totals are computed anew from the rows, and it runs inside the entries that they keep.
struct Level {
  std::vector<std::string> each = {};    // columns that make an entry; none: every row is one
  std::vector<std::string> within = {};  // places start anew in each of these groups
  // A joined table whose values of `each` and `within` are all entries, whichever rows count: those without any have
  // totals over no rows (a count of 0, a sum of null). All columns of `each` and `within` have to be its own, or of the
  // levels outside.
  std::string include = {};
  // `each` has one column of dates or start_of(...), and each unit from the first to the last is an entry for every
  // combination of its other keys, with rows or without. Nothing: only units with rows are entries.
  std::optional<CalendarUnit> fill = {};
  std::string by = {};        // sort list with a direction for every key; empty: no places
  std::string tiebreak = {};  // sort list that orders tied entries
  Ties ties = Ties::competition;
  std::vector<Also> also = {};
  std::string having = {};    // condition on entries, totals included: others are dropped before anything is ranked
  std::string eligible = {};  // condition on entries: others stay listed, but have no place
  std::string rank_as = {};   // the place column's name; empty: rank
  // Values computed over the entries that `having` let through, after the totals: formulas with `over (...)`, which
  // see all of those entries. In force from `eligible` on.
  std::vector<NamedFormula> windows = {};
  std::string where = {};                 // condition on entries, places included: others are not kept (keep.where)
  std::optional<std::size_t> best = {};   // keep the first N of every group
  std::optional<std::size_t> worst = {};  // and, or instead, the last N
  // The same as a part of each group's entries, rounded up: 10 of a hundred. Instead of `best` and `worst`.
  std::optional<Decimal> best_percent = {}, worst_percent = {};
  Cut cut = Cut::with_ties;
  // Is only a part of the places kept?
  bool cuts() const { return best || worst || best_percent || worst_percent; }
  bool unranked = false;  // keep unranked entries too, after the ranked ones
  bool others = false;    // under each group's listed entries a line for the rest, and one for all of them
  friend bool operator==(const Level&, const Level&) = default;
};

struct Listing {
  std::string order = {};                 // sort list, "input" for the rows' order, empty for the order of places
  std::vector<std::string> columns = {};  // empty: places, keys and totals
  std::vector<std::pair<std::string, std::string>> headings = {};  // column, heading
  // Column, and how its values are shown to people, by an example: "12.5 % = 0.125" (see lofty::Specimen). Listings,
  // pages, pictures, Markdown and workbooks follow it; csv and JSON never do.
  std::vector<std::pair<std::string, std::string>> formats = {};
  std::vector<std::string> bars = {};  // columns of numbers with a bar next to each number, in listings and pages
  // One of Ladder::alternatives, or "name": entries are listed by it inside their group, at every level, instead of by
  // `order` or their places. Places, and who is kept, stay.
  std::string alternative = {};
  // Leave out entries without a value for one of their keys or groups, which are else listed as (none). It is said how
  // many rows that hides, and how much they held.
  bool hide_blank_groups = false;
  // Only some of the listed rows: the first, the last, or both; or a sample, the same for the same seed. The answer
  // says so. None: all of them.
  std::optional<std::size_t> first = {}, last = {}, sample = {};
  std::size_t seed = 1;
};

// A crossed table: the level's entries down, and these across, a column for each of them in their own order, with one
// total in the cells. Where an entry has no rows there is nothing, which is not zero.
struct Crossed {
  std::vector<std::string> each = {};    // columns that make an entry across
  std::string by = {};                   // its order, with directions; ties go by the entry's key
  std::string cell = {};                 // a total
  std::optional<std::size_t> best = {};  // only the first so many, and their ties; the rest is left out, and said
  bool empty() const { return each.empty() && by.empty() && cell.empty() && !best; }
  friend bool operator==(const Crossed&, const Crossed&) = default;
};

// The same question as it was answered before, to see who moved: with other choices, or from a table of the catalog
// that has the entries' keys and places: saved standings ("march.standings.json"), or a listing ("march.csv").
struct Compare {
  std::vector<std::pair<std::string, Value>> choose = {};
  std::string with = {};
  // A period with `last`: the same question over the stretch of the same length before it, which is `back` raised by
  // `last`.
  std::string period = {};
  bool empty() const { return choose.empty() && with.empty() && period.empty(); }
  friend bool operator==(const Compare&, const Compare&) = default;
};

// One ranking question. Every member has a default, so name just what you need:
//
//   lofty::Ladder ladder{.data = {.from = "order_lines"},
//                        .figures = {{"amount", "quantity * unit_price"}},
//                        .totals = {{"spend", "sum(amount)"}},
//                        .levels = {{.each = {"shop_no"}, .by = "spend desc", .best = 3}}};
struct Ladder {
  std::string title = {};
  Data data = {};
  std::vector<Choice> choices = {};
  std::vector<Period> periods = {};
  int first_month = 1;  // that years begin in, and quarters with them: 4 for April (calendar.first_month)
  std::vector<NamedFormula> figures = {};        // row by row; with `over (...)` over the rows that count
  std::vector<NamedFormula> named_windows = {};  // windows by name: "partition by shop_no order by ordered_on"
  std::string where = {};                        // condition on rows; empty: all rows count
  std::vector<NamedFormula> totals = {};
  std::vector<Level> levels = {};               // several: levels inside levels, outermost first
  std::vector<NamedFormula> alternatives = {};  // names and sort lists, for Listing::alternative
  Listing list = {};
  std::vector<Ordering> orderings = {};
  Crossed crossed = {};
  Compare compare = {};  // adds the columns `was` and `moved`
};

// "10 %" as 10, as `best` and `worst` have it; nothing for other texts.
[[nodiscard]] std::optional<Decimal> percent_of(std::string_view text);

// Sets a choice from text, as an option does: "days", "90". Throws Error (unknown_choice, bad_choice).
void choose(Ladder& ladder, const std::string& name, const std::string& text);

// The same question over another table: instead of the first one, or of the joined table that formulas call `joined`.
// Formulas go on calling it so. How it is read stays, but for a table on a server, which has types and headings of its
// own. Throws Error(unknown_table), with the nearest name, where no joined table is called `joined`.
void replace_source(Ladder& ladder, const std::string& source, const std::string& joined = {});

}  // namespace lofty
