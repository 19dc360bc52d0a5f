#pragma once
// Standings and ladders into files. Values are written in full: every decimal, no separators; null as nothing in
// delimited text, as null in JSON, as "(none)" in Markdown, as an empty cell in a workbook.

#include <filesystem>
#include <string>
#include <string_view>

#include "lofty/standings.hpp"

namespace lofty {

enum class Format : std::uint8_t { csv, json, markdown, workbook };

// "csv", "json", "md", "xlsx". Throws Error(Code::unknown_word) with the nearest.
Format format_from(std::string_view ending);

// The whole file's bytes. Numbers of more than 15 digits in JSON and in workbooks are written as texts, because readers
// hold doubles.
std::string written(const Standings& standings, Format format);

// The listing as a new table of a SQLite file, which is made where it is not there: columns under their names (not
// their headings), whole numbers as integers, decimals as reals; a column with more digits than these hold, dates and
// timestamps are texts. Whole or not at all. Throws Error: name_taken where the file has such a table, cannot_open,
// cannot_write, damaged_file.
void write_sqlite(const Standings& standings, const std::filesystem::path& file, const std::string& table);

// The whole standings, to be compared with or asked for again ("march.standings.json" as a table): the listing, and
// every entry with its place before anything was left out. Values are written in full, as texts. Of nested levels the
// listing alone.
std::string saved(const Standings& standings);

// Writes beside the file, then renames: it is there whole or not at all, and an old one stays until then. Throws
// Error: cannot_open when the folder is not there or not writable, cannot_write when the disk is full.
void write_file(const std::filesystem::path& file, std::string_view text);

}  // namespace lofty
