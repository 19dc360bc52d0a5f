#pragma once
// What a run is about to write, held against what it reads and what is there already. Nothing here writes.

#include <cstdint>
#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"
#include "lofty/standings.hpp"

namespace lofty LOFTY_EXPORT {

// Files by what they are, not by how they are called: a hard link, a symbolic link and another spelling are the same
// file. A file keeps its identity from when it was added, and its name too, in case it is replaced meanwhile.
class FileSet {
 public:
  // One system call. A file that is not there is remembered by its name alone.
  void add(const std::filesystem::path& file);
  // All files of another set, with the identities that they had there.
  void add(const FileSet& other);
  // The name under which this file was added; nothing where it was not. Symbolic links are followed.
  std::optional<std::filesystem::path> find(const std::filesystem::path& file) const;

 private:
  std::vector<std::filesystem::path> names_;
  std::vector<std::filesystem::path> canonical_;
  std::vector<std::pair<std::uint64_t, std::uint64_t>> identities_;  // device and inode; 0, 0: none
};

struct Output {
  enum class Kind : std::uint8_t { csv, json, markdown, workbook, page, svg, png, pdf, standings, ladder, table };
  std::string option;  // "--to": what messages call it
  std::filesystem::path file;
  Kind kind = Kind::csv;
  std::string table = {};  // Kind::table: its name inside the SQLite file
};
[[nodiscard]] const char* to_string(Output::Kind value);
template <>
std::optional<Output::Kind> from_string<Output::Kind>(std::string_view name);

// Throws Error(replaces_input) where an output is one of the files that are read, or the file of another output. A new
// table may go into a SQLite file that is read.
void check_apart(std::span<const Output> outputs, const FileSet& inputs);

// What writing an output replaces.
struct Replaces {
  enum class What : std::uint8_t { nothing, earlier_answer, other } what = What::nothing;
  std::uintmax_t bytes = 0;  // of the file
};
[[nodiscard]] const char* to_string(Replaces::What value);
template <>
std::optional<Replaces::What> from_string<Replaces::What>(std::string_view name);

// What is there: an earlier answer is known by the mark that our json, Markdown, workbooks and standings carry, and in
// csv by the heading line that `answer` has too (without an answer it is not known). Ladders, and tables of SQLite
// files, count as `other` always. Devices and pipes are nothing that can be replaced. Reads the file, or its beginning.
// Throws Error(cannot_open, cannot_read).
[[nodiscard]] Replaces what_it_replaces(const Output& output, const Standings* answer);

// Throws Error(would_replace) where an output would replace something other than an earlier answer.
void check_replaces(const Output& output, const Replaces& found);

}  // namespace lofty
