#pragma once
// Tables from files.

#include <filesystem>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/export.hpp"
#include "lofty/outputs.hpp"

namespace lofty LOFTY_EXPORT {

// Delimited text, by the rules of docs/semantics.md 8 to 11: the delimiter told from the heading line, types told from
// whole columns, misfits null and listed.
//
// open() reads the heading line only. It throws Error(cannot_open, empty_file, bad_heading, bad_encoding,
// unclosed_quote); reading the rows throws Error(ragged_row, unclosed_quote, bad_encoding, too_many_rows) with file and
// line. Reading keeps, of every column asked for, 1 to 8 bytes a row; the file's text passes through in pieces.
[[nodiscard]] std::shared_ptr<const TableSource> open_delimited(const std::filesystem::path& file,
                                                                const ReadOptions& options = {});

// A table or view of a SQLite file; the only one where `table` is empty. Types are told from the values, as for text.
// The file is only read. Throws Error(cannot_open, damaged_file, unknown_table).
[[nodiscard]] std::shared_ptr<const TableSource> open_sqlite(const std::filesystem::path& file,
                                                             const std::string& table, const ReadOptions& options = {});

// JSON lines: an object on each line; columns are all members of all objects. Numbers keep every digit that is written.
// open() looks at every line, and checks it; reading passes over the file once more. Neither holds it in memory. Throws
// Error(cannot_open, damaged_file, bad_encoding, empty_file, changed_file).
[[nodiscard]] std::shared_ptr<const TableSource> open_json_lines(const std::filesystem::path& file,
                                                                 const ReadOptions& options = {});

// A sheet of a workbook (.xlsx); the first where `sheet` is empty. Its first row that holds something names the
// columns; cells with a date format are dates. Throws Error(damaged_file, unknown_table, empty_file, bad_heading).
[[nodiscard]] std::shared_ptr<const TableSource> open_workbook(const std::filesystem::path& file,
                                                               const std::string& sheet,
                                                               const ReadOptions& options = {});

// Saved standings (lofty::saved): the listing, or with part "entries" every entry with its place, whether it was
// listed, and its label. Throws Error(cannot_open, damaged_file, not_in_this_version, unknown_table).
[[nodiscard]] std::shared_ptr<const TableSource> open_standings(const std::filesystem::path& file,
                                                                const std::string& part = {});

// Tables of a folder, called by their file names: "order_lines.csv", "2025/shops.csv", "sales.sqlite#order_lines",
// "plan.xlsx#May". Delimited text may be compressed (.gz). "best.ladder.toml" is the standings of that ladder, whose
// own tables are looked for in its folder; one that feeds itself, through whatever others, is an Error(circular).
// A pattern of names of delimited text ("orders-2026-*.csv", with * ? and [...] as shells have them) is all files that
// it fits, in the order of their names; these, and several names (ReadOptions::more), are one table, read in one pass.
// "postgresql://user@host/sales#order_lines" is a table or view of a database server, which libpq connects to (a
// password comes from the address, the environment or libpq's password file); all tables of a server are read in one
// state. Tables added in memory are found first. All tables of a SQLite file are read in one state. Thread-safe but for add():
// any thread may open tables, and read them, while others do.
class TableFiles : public Catalog {
 public:
  explicit TableFiles(std::filesystem::path folder = ".");
  // Opens only files that lie under `only_under` once all symbolic links are resolved, for ladders from strangers: any
  // other name, also one that a ladder as a table has, is Error(not_allowed). An empty `only_under` allows every file.
  // A stranger who can change the folder itself while a table is opened can still redirect a link.
  TableFiles(std::filesystem::path folder, const std::filesystem::path& only_under);
  std::shared_ptr<const TableSource> open(const std::string& name, const ReadOptions& options) const override;
  // How many seconds a statement on a server may take: 600 unless it is set; 0: any number. For servers that were not
  // used yet.
  void server_timeout(double seconds);

  // The file that a name refers to: "sales.sqlite#order_lines" is in sales.sqlite.
  std::filesystem::path file_of(const std::string& name) const;
  // Every file that was opened so far, including the tables of ladders that are tables.
  FileSet opened() const;

 private:
  struct Shared;
  std::shared_ptr<const TableSource> answer_of(const std::filesystem::path& ladder, const ReadOptions& options) const;
  std::shared_ptr<const TableSource> open_on_server(const std::string& address, const ReadOptions& options) const;
  std::shared_ptr<const TableSource> open_several(const std::string& name, const ReadOptions& options) const;
  bool there(const std::string& name) const;
  void check_there(const std::string& name) const;              // throws Error(unknown_table) with the nearest name
  void check_allowed(const std::filesystem::path& file) const;  // throws Error(not_allowed)

  std::filesystem::path folder_;
  std::shared_ptr<Shared> shared_;              // with the catalogs of ladders that are tables
  std::vector<std::filesystem::path> feeding_;  // the ladders that are being answered, outermost first
};

}  // namespace lofty
