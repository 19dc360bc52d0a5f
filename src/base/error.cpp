// Errors, and the names of their codes.

#include "lofty/error.hpp"

#include <algorithm>
#include <cassert>

#include "base/call_check.hpp"
#include "base/name_table.hpp"
#include "base/passwords.hpp"

namespace lofty {

bool is_data_fault(Code code) { return code >= Code::empty_file; }

namespace {

std::string summary(const std::vector<Problem>& problems) {
  assert(!problems.empty());
  std::string text;
  for (const Problem& problem : problems) {
    if (!text.empty()) text += '\n';
    if (!problem.location.file.empty()) text += problem.location.file + ": ";
    if (!problem.location.key.empty()) text += problem.location.key + ": ";
    text += problem.sentence;
    if (!problem.nearest.empty()) text += "; nearest: `" + problem.nearest + "`";
  }
  return text;
}

}  // namespace

Error::Error(Problem problem) : Error(std::vector<Problem>{std::move(problem)}) {}
Error::Error(std::vector<Problem> problems)
    : std::runtime_error(summary(problems = engine::without_passwords(std::move(problems)))),
      problems_(std::move(problems)) {}

bool Error::data_fault() const noexcept {
  return std::all_of(problems_.begin(), problems_.end(), [](const Problem& p) { return is_data_fault(p.code); });
}

}  // namespace lofty

namespace lofty::engine {

void refuse_call(const char* precondition) { throw CallError(precondition); }

}  // namespace lofty::engine

namespace lofty {

LOFTY_ENUM_NAMES(
    Code, {Code::syntax, "syntax"}, {Code::unknown_column, "unknown-column"},
    {Code::ambiguous_column, "ambiguous-column"}, {Code::unknown_function, "unknown-function"},
    {Code::unknown_key, "unknown-key"}, {Code::unknown_word, "unknown-word"}, {Code::retired_name, "retired-name"},
    {Code::unknown_table, "unknown-table"}, {Code::unknown_choice, "unknown-choice"}, {Code::bad_choice, "bad-choice"},
    {Code::not_in_this_version, "not-in-this-version"}, {Code::wrong_stage, "wrong-stage"},
    {Code::wrong_type, "wrong-type"}, {Code::wrong_arguments, "wrong-arguments"},
    {Code::missing_direction, "missing-direction"}, {Code::missing_each, "missing-each"},
    {Code::missing_key, "missing-key"}, {Code::name_taken, "name-taken"}, {Code::circular, "circular"},
    {Code::several_values, "several-values"}, {Code::bad_value, "bad-value"}, {Code::unknown_entry, "unknown-entry"},
    {Code::cannot_open, "cannot-open"}, {Code::not_allowed, "not-allowed"}, {Code::replaces_input, "replaces-input"},
    {Code::would_replace, "would-replace"}, {Code::empty_file, "empty-file"}, {Code::bad_heading, "bad-heading"},
    {Code::ragged_row, "ragged-row"}, {Code::unclosed_quote, "unclosed-quote"}, {Code::bad_encoding, "bad-encoding"},
    {Code::damaged_file, "damaged-file"}, {Code::too_many_rows, "too-many-rows"}, {Code::cannot_read, "cannot-read"},
    {Code::changed_file, "changed-file"}, {Code::beyond_limit, "beyond-limit"}, {Code::overflow, "overflow"},
    {Code::division_by_zero, "division-by-zero"}, {Code::bad_cast, "bad-cast"},
    {Code::join_multiplies, "join-multiplies"}, {Code::key_mismatch, "key-mismatch"},
    {Code::nothing_to_draw, "nothing-to-draw"}, {Code::missing_program, "missing-program"},
    {Code::drawing_failed, "drawing-failed"}, {Code::cannot_write, "cannot-write"}, {Code::stopped, "stopped"})

}  // namespace lofty
