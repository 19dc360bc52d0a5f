#pragma once
// Standings and ladders into files. Values are written in full: every decimal, no separators; null as nothing in
// delimited text, as null in JSON, as "(none)" in Markdown, as an empty cell in a workbook. Pages show what listings
// do. The formats of Listing::formats are followed by Markdown, workbooks and pages, never by delimited text and JSON.

#include <filesystem>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"
#include "lofty/remark.hpp"
#include "lofty/run.hpp"
#include "lofty/standings.hpp"

namespace lofty LOFTY_EXPORT {

enum class Format : std::uint8_t { csv, json, markdown, workbook, page };
[[nodiscard]] const char* to_string(Format value);
template <>
std::optional<Format> from_string<Format>(std::string_view name);

// "csv", "json", "md", "xlsx", "html". Throws Error(Code::unknown_word) with the nearest.
[[nodiscard]] Format format_from(std::string_view ending);

struct WriteOptions {
  // In csv, texts that an office program would run as formulas (they begin with = + - @ or a tab) get an apostrophe in
  // front. The values are then no longer exact.
  bool guard_cells = false;
  // In Markdown, ties at the cut are listed whole, however long; other files always have them so.
  bool whole_ties = false;
  // Rows that a page shows at most; it states how many it leaves out. Other files have all rows always.
  std::size_t page_rows = 10'000;
};

// The whole file's bytes. Numbers of more than 15 digits in JSON and in workbooks are written as texts, because readers
// hold doubles. A workbook is written in a child process, read again and compared. Throws Error: bad_heading where two
// columns of JSON would have one name, and for workbooks cannot_write, too_many_rows, beyond_limit (a text of more than
// 32,767 characters).
// A page has no pictures and no workings: lofty/page.hpp.
[[nodiscard]] std::string written(const Standings& standings, Format format, const WriteOptions& options = {});

// Where the bytes of a file go, part by part.
using TextSink = std::function<void(std::string_view)>;

// The same, handed over part by part. csv and JSON are formatted by run.threads, a block of rows at a time, so that
// they take the same little memory for any number of rows. Throws as written() does, and Error(stopped).
void write(const Standings& standings, Format format, const TextSink& sink, const WriteOptions& options = {},
           const Run& run = {});

// Several answers as one workbook: a sheet for each, called by its title, and an index. Throws as written() does.
[[nodiscard]] std::string workbook(const std::vector<Standings>& answers);

// What there is to say about this form of the answer: `cells-run-as-formulas` for csv, `page-cut` for a page.
[[nodiscard]] std::vector<Remark> write_remarks(const Standings& standings, Format format,
                                                const WriteOptions& options = {});

// The listing as a new table of a SQLite file, which is made where it is not there: columns under their names (not
// their headings), whole numbers as integers, decimals as reals; a column with more digits than these hold, dates and
// timestamps are texts. Whole or not at all, also where several processes write into one file: the others wait, ten
// seconds at most. A table of that name is replaced where `replace` says so. Throws Error: name_taken where the file
// has such a table, cannot_open, cannot_write, damaged_file.
void write_sqlite(const Standings& standings, const std::filesystem::path& file, const std::string& table,
                  bool replace = false);

// The whole standings, to be compared with or asked for again ("march.standings.json" as a table): the listing, and
// every entry with its place before anything was left out. Values are written in full, as texts. Of nested levels the
// listing alone.
[[nodiscard]] std::string saved(const Standings& standings);
// The same, handed over part by part: see write().
void save(const Standings& standings, const TextSink& sink, const Run& run = {});

// Writes a temporary file in the same folder, then renames it: the file is there whole or not at all, and an old one
// stays until then, whose mode the new one gets. A symbolic link is followed. Throws Error: cannot_open when the folder
// is not there or not writable, cannot_write when the disk is full.
void write_file(const std::filesystem::path& file, std::string_view text);
// The same with what `fill` hands to its sink. What `fill` throws leaves the old file as it was.
void write_file(const std::filesystem::path& file, const std::function<void(const TextSink&)>& fill);

// Removes the temporary files that are being written in this process, and kills the programs that draw pictures for
// it. For signal handlers that end the process: it is
// async-signal-safe. A run that is killed without it leaves files called .lofty-new-*, which the next write to the same
// target removes.
void remove_unfinished_files() noexcept;

}  // namespace lofty
