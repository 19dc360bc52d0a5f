// Errors, and the names of their codes.

#include "lofty/error.hpp"

#include <algorithm>
#include <cassert>

namespace lofty {

std::string_view code_name(Code code) {
  switch (code) {
    case Code::syntax: return "syntax";
    case Code::unknown_column: return "unknown-column";
    case Code::ambiguous_column: return "ambiguous-column";
    case Code::unknown_function: return "unknown-function";
    case Code::unknown_key: return "unknown-key";
    case Code::unknown_word: return "unknown-word";
    case Code::unknown_table: return "unknown-table";
    case Code::unknown_choice: return "unknown-choice";
    case Code::bad_choice: return "bad-choice";
    case Code::not_in_this_version: return "not-in-this-version";
    case Code::wrong_stage: return "wrong-stage";
    case Code::wrong_type: return "wrong-type";
    case Code::wrong_arguments: return "wrong-arguments";
    case Code::missing_direction: return "missing-direction";
    case Code::missing_each: return "missing-each";
    case Code::missing_key: return "missing-key";
    case Code::name_taken: return "name-taken";
    case Code::circular: return "circular";
    case Code::several_values: return "several-values";
    case Code::bad_value: return "bad-value";
    case Code::unknown_entry: return "unknown-entry";
    case Code::cannot_open: return "cannot-open";
    case Code::replaces_input: return "replaces-input";
    case Code::would_replace: return "would-replace";
    case Code::empty_file: return "empty-file";
    case Code::bad_heading: return "bad-heading";
    case Code::ragged_row: return "ragged-row";
    case Code::unclosed_quote: return "unclosed-quote";
    case Code::bad_encoding: return "bad-encoding";
    case Code::damaged_file: return "damaged-file";
    case Code::too_many_rows: return "too-many-rows";
    case Code::cannot_read: return "cannot-read";
    case Code::changed_file: return "changed-file";
    case Code::beyond_limit: return "beyond-limit";
    case Code::overflow: return "overflow";
    case Code::division_by_zero: return "division-by-zero";
    case Code::bad_cast: return "bad-cast";
    case Code::join_multiplies: return "join-multiplies";
    case Code::key_mismatch: return "key-mismatch";
    case Code::nothing_to_draw: return "nothing-to-draw";
    case Code::missing_program: return "missing-program";
    case Code::cannot_write: return "cannot-write";
    case Code::stopped: return "stopped";
  }
  return "unknown";
}

bool is_data_fault(Code code) { return code >= Code::empty_file; }

namespace {

std::string summary(const std::vector<Problem>& problems) {
  assert(!problems.empty());
  std::string text;
  for (const Problem& problem : problems) {
    if (!text.empty()) text += '\n';
    if (!problem.place.file.empty()) text += problem.place.file + ": ";
    if (!problem.place.key.empty()) text += problem.place.key + ": ";
    text += problem.sentence;
    if (!problem.nearest.empty()) text += "; nearest: `" + problem.nearest + "`";
  }
  return text;
}

}  // namespace

Error::Error(Problem problem) : Error(std::vector<Problem>{std::move(problem)}) {}
Error::Error(std::vector<Problem> problems) : std::runtime_error(summary(problems)), problems_(std::move(problems)) {}

bool Error::data_fault() const noexcept {
  return std::all_of(problems_.begin(), problems_.end(), [](const Problem& p) { return is_data_fault(p.code); });
}

}  // namespace lofty
