#pragma once
// What is wrong with a question, a table or a call, and where.

#include <cstddef>
#include <stdexcept>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

// Every problem that the library reports has one of these, so that programs need not read sentences.
enum class Code {
  // The question or the call (exit status 2 of the tool)
  syntax,               // a formula, sort list or ladder file that does not parse
  unknown_column,       // a name that no table, figure or total has
  ambiguous_column,     // a bare name that several tables have
  unknown_function,     // a function that does not exist
  unknown_key,          // a key of a ladder file that does not exist
  unknown_word,         // a value that should be one of a few words, and is none of them
  retired_name,         // a key, an option or a function that has another name now
  unknown_table,        // a table or file that is not there
  unknown_choice,       // `:name` without a [choices] entry
  bad_choice,           // a choice's value of another type, or out of its range
  not_in_this_version,  // understood, but later work
  wrong_stage,          // a formula that names something not yet known at its place
  wrong_type,           // text against a number, a sum of dates, ...
  wrong_arguments,      // a function called with too few, too many or unfit arguments
  missing_direction,    // a key of rank.by without asc or desc
  missing_each,         // totals without a level to total at
  missing_key,          // a key of a ladder that has to be there
  name_taken,           // a figure or total called like something that exists
  circular,             // figures, or ladders, that need each other
  several_values,       // a column with several values in one entry, used as if it had one
  bad_value,            // a key's value that cannot be used: a negative best, ...
  unknown_entry,        // no entry, or more than one, where one was wanted
  cannot_open,          // a file that cannot be opened, or is a folder
  not_allowed,          // a file outside of the folder that a catalog is confined to
  replaces_input,       // an output that is also read, or two outputs of one run into one file
  would_replace,        // an output that would replace a file which is not plainly an earlier answer
  // The data (exit status 1 of the tool)
  empty_file,        // no heading line
  bad_heading,       // missing or doubled headings
  ragged_row,        // more or fewer fields than headings
  unclosed_quote,    // a quote that never ends, or text after a closing quote
  bad_encoding,      // bytes that are not UTF-8
  damaged_file,      // a file that is not what its ending says
  too_many_rows,     // more than 4,294,967,294 rows
  cannot_read,       // a file that could not be read to its end: a failing disk, no memory
  changed_file,      // a file that another program changed while it was read
  beyond_limit,      // larger or deeper than docs/limits.md allows
  overflow,          // an exact number of more than 38 digits
  division_by_zero,  // x / 0, on a row that counts
  bad_cast,          // a cast that this row's value does not allow
  join_multiplies,   // a row with several partners
  key_mismatch,      // join keys that cannot be equal: 007 against 7
  nothing_to_draw,   // a picture of an answer without rows, or without two points for a line
  missing_program,   // another program, which does the work, is not installed
  drawing_failed,    // the program that draws pictures failed, or did not end in time
  cannot_write,      // an output that could not be written whole
  stopped,           // the caller asked to stop
};
[[nodiscard]] const char* to_string(Code value);
template <>
std::optional<Code> from_string<Code>(std::string_view name);

// True for the codes that are the data's fault, false for the question's or the call's.
[[nodiscard]] bool is_data_fault(Code code);

// Where a problem is. Every part may be missing (empty or 0).
struct Location {
  std::string file;        // "best.ladder.toml", "order_lines.csv"
  std::size_t line = 0;    // 1-based
  std::size_t column = 0;  // 1-based, in bytes
  std::string key;         // the ladder's key: "figures.amount", "rank.by"; or an option: "--by"
  std::string text;        // the text that holds the problem: a formula, a line of a file
  std::size_t offset = 0;  // the offending part of `text`: [offset, offset + length), in bytes
  std::size_t length = 0;
};

struct Problem {
  Code code = Code::syntax;
  std::string sentence;  // what is wrong: "no column `quantty` in order_lines.csv"
  Location location;
  std::string nearest;  // the right word that is nearest, or empty
  std::string advice;   // what would be right, or empty
  std::string advice_key =
      {};  // the ladder's key that the advice is about, or the beginning of one: "rank.each", "totals."
};

// The one exception that the library throws for bad input. Carries all problems that were found, at least one.
class Error : public std::runtime_error {
 public:
  explicit Error(Problem problem);
  explicit Error(std::vector<Problem> problems);

  const std::vector<Problem>& problems() const noexcept { return problems_; }
  Code code() const noexcept { return problems_.front().code; }
  bool data_fault() const noexcept;  // true when every problem is the data's

 private:
  std::vector<Problem> problems_;
};

}  // namespace lofty
