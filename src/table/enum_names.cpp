// The names of the enumerators of the core.
// Covered by tests/api_test.cpp.

#include "lofty/calendar_unit.hpp"
#include "lofty/error.hpp"
#include "lofty/frame.hpp"
#include "lofty/functions.hpp"
#include "lofty/key.hpp"
#include "lofty/ladder.hpp"
#include "lofty/places.hpp"
#include "lofty/selection.hpp"
#include "lofty/stage.hpp"
#include "lofty/standings.hpp"
#include "lofty/step_kind.hpp"
#include "lofty/value.hpp"
#include "lofty/window.hpp"
#include "table/name_table.hpp"

namespace lofty {

namespace {
constexpr std::pair<CalledIn, const char*> called_in_names[] = {
    {CalledIn::any_formula, "any formula"},
    {CalledIn::totals, "totals"},
    {CalledIn::whole, "whole"},
    {CalledIn::windows, "windows"},
};
}  // namespace
const char* to_string(CalledIn value) { return engine::name_in(called_in_names, value); }
template <>
std::optional<CalledIn> from_string<CalledIn>(std::string_view name) {
  return engine::named_in(called_in_names, name);
}

namespace {
constexpr std::pair<CalendarUnit, const char*> calendar_unit_names[] = {
    {CalendarUnit::day, "day"},         {CalendarUnit::week, "week"}, {CalendarUnit::month, "month"},
    {CalendarUnit::quarter, "quarter"}, {CalendarUnit::year, "year"},
};
}  // namespace
const char* to_string(CalendarUnit value) { return engine::name_in(calendar_unit_names, value); }
template <>
std::optional<CalendarUnit> from_string<CalendarUnit>(std::string_view name) {
  return engine::named_in(calendar_unit_names, name);
}

namespace {
constexpr std::pair<StepKind, const char*> step_kind_names[] = {
    {StepKind::read, "read"},       {StepKind::join, "join"},       {StepKind::count, "count"},
    {StepKind::sort, "sort"},       {StepKind::window, "window"},   {StepKind::total, "total"},
    {StepKind::rank, "rank"},       {StepKind::list, "list"},       {StepKind::remark, "remark"},
    {StepKind::compare, "compare"}, {StepKind::crossed, "crossed"},
};
}  // namespace
const char* to_string(StepKind value) { return engine::name_in(step_kind_names, value); }
template <>
std::optional<StepKind> from_string<StepKind>(std::string_view name) {
  return engine::named_in(step_kind_names, name);
}

namespace {
constexpr std::pair<Cut, const char*> cut_names[] = {
    {Cut::with_ties, "with ties"},
    {Cut::strict, "strict"},
};
}  // namespace
const char* to_string(Cut value) { return engine::name_in(cut_names, value); }
template <>
std::optional<Cut> from_string<Cut>(std::string_view name) {
  return engine::named_in(cut_names, name);
}

namespace {
constexpr std::pair<Role, const char*> role_names[] = {
    {Role::place, "place"}, {Role::group, "group"}, {Role::key, "key"},         {Role::label, "label"},
    {Role::total, "total"}, {Role::cell, "cell"},   {Role::measure, "measure"},
};
}  // namespace
const char* to_string(Role value) { return engine::name_in(role_names, value); }
template <>
std::optional<Role> from_string<Role>(std::string_view name) {
  return engine::named_in(role_names, name);
}

namespace {
constexpr std::pair<SummaryLine::Of, const char*> summary_line_of_names[] = {
    {SummaryLine::Of::others, "others"},
    {SummaryLine::Of::all, "all"},
};
}  // namespace
const char* to_string(SummaryLine::Of value) { return engine::name_in(summary_line_of_names, value); }
template <>
std::optional<SummaryLine::Of> from_string<SummaryLine::Of>(std::string_view name) {
  return engine::named_in(summary_line_of_names, name);
}

namespace {
constexpr std::pair<JoinType, const char*> join_type_names[] = {
    {JoinType::left, "left"},
    {JoinType::inner, "inner"},
    {JoinType::right, "right"},
    {JoinType::full, "full"},
};
}  // namespace
const char* to_string(JoinType value) { return engine::name_in(join_type_names, value); }
template <>
std::optional<JoinType> from_string<JoinType>(std::string_view name) {
  return engine::named_in(join_type_names, name);
}

namespace {
constexpr std::pair<Measure, const char*> measure_names[] = {
    {Measure::place, "place"},
    {Measure::tiers, "tiers"},
    {Measure::share, "share"},
    {Measure::running_share, "running share"},
    {Measure::percent_rank, "percent rank"},
    {Measure::cumulative_distribution, "cumulative distribution"},
};
}  // namespace
const char* to_string(Measure value) { return engine::name_in(measure_names, value); }
template <>
std::optional<Measure> from_string<Measure>(std::string_view name) {
  return engine::named_in(measure_names, name);
}

namespace {
constexpr std::pair<Kind, const char*> kind_names[] = {
    {Kind::integer, "integer"}, {Kind::decimal, "decimal"},     {Kind::floating, "float"},
    {Kind::date, "date"},       {Kind::timestamp, "timestamp"}, {Kind::boolean, "boolean"},
    {Kind::text, "text"},       {Kind::interval, "interval"},   {Kind::unknown, "unknown"},
};
}  // namespace
const char* to_string(Kind value) { return engine::name_in(kind_names, value); }
template <>
std::optional<Kind> from_string<Kind>(std::string_view name) {
  return engine::named_in(kind_names, name);
}

namespace {
constexpr std::pair<From, const char*> from_names[] = {
    {From::first, "first"},
    {From::last, "last"},
};
}  // namespace
const char* to_string(From value) { return engine::name_in(from_names, value); }
template <>
std::optional<From> from_string<From>(std::string_view name) {
  return engine::named_in(from_names, name);
}

namespace {
constexpr std::pair<Ties, const char*> ties_names[] = {
    {Ties::competition, "competition"}, {Ties::modified, "modified"},     {Ties::dense, "dense"},
    {Ties::ordinal, "ordinal"},         {Ties::fractional, "fractional"},
};
}  // namespace
const char* to_string(Ties value) { return engine::name_in(ties_names, value); }
template <>
std::optional<Ties> from_string<Ties>(std::string_view name) {
  return engine::named_in(ties_names, name);
}

namespace {
constexpr std::pair<FrameUnit, const char*> frame_unit_names[] = {
    {FrameUnit::rows, "rows"},
    {FrameUnit::range, "range"},
    {FrameUnit::groups, "groups"},
};
}  // namespace
const char* to_string(FrameUnit value) { return engine::name_in(frame_unit_names, value); }
template <>
std::optional<FrameUnit> from_string<FrameUnit>(std::string_view name) {
  return engine::named_in(frame_unit_names, name);
}

namespace {
constexpr std::pair<Edge, const char*> edge_names[] = {
    {Edge::unbounded_preceding, "unbounded preceding"},
    {Edge::preceding, "preceding"},
    {Edge::current_row, "current row"},
    {Edge::following, "following"},
    {Edge::unbounded_following, "unbounded following"},
};
}  // namespace
const char* to_string(Edge value) { return engine::name_in(edge_names, value); }
template <>
std::optional<Edge> from_string<Edge>(std::string_view name) {
  return engine::named_in(edge_names, name);
}

namespace {
constexpr std::pair<Excluded, const char*> excluded_names[] = {
    {Excluded::no_others, "no others"},
    {Excluded::current_row, "current row"},
    {Excluded::group, "group"},
    {Excluded::ties, "ties"},
};
}  // namespace
const char* to_string(Excluded value) { return engine::name_in(excluded_names, value); }
template <>
std::optional<Excluded> from_string<Excluded>(std::string_view name) {
  return engine::named_in(excluded_names, name);
}

namespace {
constexpr std::pair<Nulls, const char*> nulls_names[] = {
    {Nulls::last, "last"},
    {Nulls::first, "first"},
};
}  // namespace
const char* to_string(Nulls value) { return engine::name_in(nulls_names, value); }
template <>
std::optional<Nulls> from_string<Nulls>(std::string_view name) {
  return engine::named_in(nulls_names, name);
}

namespace {
constexpr std::pair<TextOrder, const char*> text_order_names[] = {
    {TextOrder::language, "language"},
    {TextOrder::natural, "natural"},
    {TextOrder::code_point, "code point"},
};
}  // namespace
const char* to_string(TextOrder value) { return engine::name_in(text_order_names, value); }
template <>
std::optional<TextOrder> from_string<TextOrder>(std::string_view name) {
  return engine::named_in(text_order_names, name);
}

namespace {
constexpr std::pair<Element, const char*> element_names[] = {
    {Element::int8, "int8"},           {Element::int16, "int16"},     {Element::int32, "int32"},
    {Element::int64, "int64"},         {Element::uint8, "uint8"},     {Element::uint16, "uint16"},
    {Element::uint32, "uint32"},       {Element::uint64, "uint64"},   {Element::float32, "float32"},
    {Element::float64, "float64"},     {Element::decimal, "decimal"}, {Element::date, "date"},
    {Element::timestamp, "timestamp"}, {Element::view, "view"},       {Element::string, "string"},
};
}  // namespace
const char* to_string(Element value) { return engine::name_in(element_names, value); }
template <>
std::optional<Element> from_string<Element>(std::string_view name) {
  return engine::named_in(element_names, name);
}

namespace {
constexpr std::pair<Stage, const char*> stage_names[] = {
    {Stage::joined, "joined"},     {Stage::figures, "figures"}, {Stage::counted, "counted"},
    {Stage::totalled, "totalled"}, {Stage::ranked, "ranked"},   {Stage::kept, "kept"},
};
}  // namespace
const char* to_string(Stage value) { return engine::name_in(stage_names, value); }
template <>
std::optional<Stage> from_string<Stage>(std::string_view name) {
  return engine::named_in(stage_names, name);
}

namespace {
constexpr std::pair<Code, const char*> code_names[] = {
    {Code::syntax, "syntax"},
    {Code::unknown_column, "unknown-column"},
    {Code::ambiguous_column, "ambiguous-column"},
    {Code::unknown_function, "unknown-function"},
    {Code::unknown_key, "unknown-key"},
    {Code::unknown_word, "unknown-word"},
    {Code::retired_name, "retired-name"},
    {Code::unknown_table, "unknown-table"},
    {Code::unknown_choice, "unknown-choice"},
    {Code::bad_choice, "bad-choice"},
    {Code::not_in_this_version, "not-in-this-version"},
    {Code::wrong_stage, "wrong-stage"},
    {Code::wrong_type, "wrong-type"},
    {Code::wrong_arguments, "wrong-arguments"},
    {Code::missing_direction, "missing-direction"},
    {Code::missing_each, "missing-each"},
    {Code::missing_key, "missing-key"},
    {Code::name_taken, "name-taken"},
    {Code::circular, "circular"},
    {Code::several_values, "several-values"},
    {Code::bad_value, "bad-value"},
    {Code::unknown_entry, "unknown-entry"},
    {Code::cannot_open, "cannot-open"},
    {Code::not_allowed, "not-allowed"},
    {Code::replaces_input, "replaces-input"},
    {Code::would_replace, "would-replace"},
    {Code::empty_file, "empty-file"},
    {Code::bad_heading, "bad-heading"},
    {Code::ragged_row, "ragged-row"},
    {Code::unclosed_quote, "unclosed-quote"},
    {Code::bad_encoding, "bad-encoding"},
    {Code::damaged_file, "damaged-file"},
    {Code::too_many_rows, "too-many-rows"},
    {Code::cannot_read, "cannot-read"},
    {Code::changed_file, "changed-file"},
    {Code::beyond_limit, "beyond-limit"},
    {Code::overflow, "overflow"},
    {Code::division_by_zero, "division-by-zero"},
    {Code::bad_cast, "bad-cast"},
    {Code::join_multiplies, "join-multiplies"},
    {Code::key_mismatch, "key-mismatch"},
    {Code::nothing_to_draw, "nothing-to-draw"},
    {Code::missing_program, "missing-program"},
    {Code::drawing_failed, "drawing-failed"},
    {Code::cannot_write, "cannot-write"},
    {Code::stopped, "stopped"},
};
}  // namespace
const char* to_string(Code value) { return engine::name_in(code_names, value); }
template <>
std::optional<Code> from_string<Code>(std::string_view name) {
  return engine::named_in(code_names, name);
}

}  // namespace lofty
