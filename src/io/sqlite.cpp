// Tables and views of SQLite files, read only.
// Covered by tests/io/sources_test.cpp and tests/reliability/changing_test.cpp.

#include <simdjson.h>
#include <sys/stat.h>

#include <algorithm>
#include <charconv>
#include <exception>
#include <filesystem>
#include <functional>
#include <optional>
#include <system_error>
#include <thread>

#include "base/folded.hpp"
#include "base/parallel.hpp"
#include "io/row_feed.hpp"
#include "io/sqlite_file.hpp"
#include "io/sqlite_words.hpp"
#include "lofty/error.hpp"
#include "lofty/table_files.hpp"

namespace lofty {
namespace {

using engine::sqlite_name;

Error failure(const std::string& file, const SQLite::Exception& error) {
  return engine::sqlite_failure(file, error, Code::cannot_read, "cannot be read");
}

Error damaged(const std::string& file, std::string sentence) {
  Problem p{Code::damaged_file, std::move(sentence), {}, {}, {}};
  p.location.file = file;
  p.advice = "its own shell can save what is left: sqlite3 FILE .recover";
  return Error(std::move(p));
}

// A file that is shorter than its own header says was cut. (SQLite notices only where it reads beyond the end. With a
// write-ahead log the header may be ahead of the file.)
void check_length(const std::string& path) {
  struct stat log {};
  if (::stat((path + "-wal").c_str(), &log) == 0 && log.st_size > 0) return;
  struct stat status {};
  std::FILE* const file = std::fopen(path.c_str(), "rb");
  if (file == nullptr) return;  // SQLite says why
  unsigned char header[100] = {};
  const std::size_t count = std::fread(header, 1, sizeof header, file);
  const bool known = ::fstat(::fileno(file), &status) == 0;
  std::fclose(file);
  if (!known || count == 0) return;
  const auto number = [&](std::size_t at) {
    return std::uint32_t{header[at]} << 24 | std::uint32_t{header[at + 1]} << 16 | std::uint32_t{header[at + 2]} << 8 |
           header[at + 3];
  };
  const std::uint32_t page =
      (std::uint32_t{header[16]} << 8 | header[17]) == 1 ? 65'536 : (header[16] << 8 | header[17]);
  const bool counted = number(24) == number(92);  // else an old program wrote it, which left the count as it was
  if (count < sizeof header ||
      (counted && static_cast<std::uint64_t>(status.st_size) < std::uint64_t{number(28)} * page))
    throw damaged(path, "this is no SQLite file, or a damaged one: it ends too early");
}

// Most texts are, and short: the call that checks UTF-8 would take longer.
bool is_ascii(std::string_view text) {
  unsigned char all = 0;
  for (const char c : text) all = static_cast<unsigned char>(all | static_cast<unsigned char>(c));
  return all < 0x80;
}

// The file open for reading. A writer that was killed leaves a journal; rolling it back takes a connection that may
// write, so that is the second attempt.
std::unique_ptr<SQLite::Database> opened(const std::string& file) {
  constexpr int patience = 2000;  // milliseconds, for a writer that is just committing
  for (const int mode : {SQLite::OPEN_READONLY, SQLite::OPEN_READWRITE}) {
    // One thread at a time uses it (SqliteFile::Reading), so that SQLite need not lock each look at a value.
    auto db = std::make_unique<SQLite::Database>(file, mode | SQLite::OPEN_NOMUTEX, patience);
    try {
      SQLite::Statement first(*db, "select count(*) from sqlite_master");
      first.executeStep();
      return db;
    } catch (const SQLite::Exception& error) {
      if (mode == SQLite::OPEN_READWRITE || error.getErrorCode() != SQLITE_READONLY) throw;
    }
  }
  return nullptr;
}

// Interrupts a statement when the caller asks to stop: a view can compute for ever without a row.
class Stopping {
 public:
  Stopping(SQLite::Database& db, const Run& run) : db_(db) {
    constexpr int instructions = 100'000;  // of SQLite's machine, some milliseconds
    sqlite3_progress_handler(
        db_.getHandle(), instructions,
        [](void* r) { return static_cast<const Run*>(r)->stop.stop_requested() ? 1 : 0; },
        const_cast<Run*>(&run));  // NOLINT: the callback only reads it
  }
  Stopping(const Stopping&) = delete;
  Stopping& operator=(const Stopping&) = delete;
  ~Stopping() { sqlite3_progress_handler(db_.getHandle(), 0, nullptr, nullptr); }

 private:
  SQLite::Database& db_;
};

// Work over a connection of its own, on a thread of its own. If it fails, what the other connection does is
// interrupted.
class CheckThread {
 public:
  CheckThread(SQLite::Database& other, std::function<void()> work)
      : thread_([this, &other, work = std::move(work)] {
          try {
            work();
          } catch (...) {
            failure_ = std::current_exception();
            sqlite3_interrupt(other.getHandle());
          }
        }) {}
  CheckThread(const CheckThread&) = delete;
  CheckThread& operator=(const CheckThread&) = delete;
  ~CheckThread() {
    if (thread_.joinable()) thread_.join();
  }
  // Waits for its end, and throws what it threw.
  void end() {
    thread_.join();
    if (failure_) std::rethrow_exception(failure_);
  }

 private:
  std::exception_ptr failure_;
  std::thread thread_;
};

class SqliteFeed final : public engine::RowFeed {
 public:
  SqliteFeed(std::string file, std::string table, bool view, std::vector<std::string> columns,
             std::shared_ptr<engine::SqliteFile> open)
      : file_(std::move(file)),
        table_(std::move(table)),
        view_(view),
        columns_(std::move(columns)),
        open_(std::move(open)) {}

  void each(std::size_t, std::span<const std::size_t> columns, const Run& run, const Row& row) const override {
    try {
      engine::SqliteFile::Reading reading(*open_);
      const Stopping stopping(reading.db(), run);
      check_and_read(reading.db(), columns, run, row);
    } catch (const SQLite::Exception& error) {
      if (error.getErrorCode() == SQLITE_INTERRUPT) engine::check_stop(run);
      if (error.getErrorCode() == SQLITE_NOMEM) throw std::bad_alloc();
      throw failure(file_, error);
    }
  }

 private:
  // A damaged page can hide rows without an error in reading them, so the structure is checked: while the rows are
  // read, or before where a thread would not pay or might see another state. Damage that is found comes before what
  // reading met because of it.
  void check_and_read(SQLite::Database& db, std::span<const std::size_t> columns, const Run& run,
                      const Row& row) const {
    std::optional<CheckThread> check;
    if (can_check_meanwhile(db, run)) {
      try {
        check.emplace(db, [&] {
          const auto own = opened(file_);
          const Stopping stopping(*own, run);
          check_structure(*own);
        });
      } catch (const std::system_error&) {
        // The machine gives no more threads.
      }
    }
    if (!check) check_structure(db);

    try {
      read(db, columns, row);
    } catch (...) {
      if (check) check->end();
      throw;
    }
    if (check) check->end();
  }

  // Other connections see the same state as a transaction does for as long as that is open; but with a write-ahead log
  // they may see a later one.
  bool can_check_meanwhile(SQLite::Database& db, const Run& run) const {
    constexpr std::uintmax_t worth_a_thread = 8 << 20;
    std::error_code error;
    if (engine::thread_count(run) == 1 || std::filesystem::file_size(file_, error) < worth_a_thread) return false;
    return db.execAndGet("pragma journal_mode").getString() != "wal";
  }

  void read(SQLite::Database& db, std::span<const std::size_t> columns, const Row& row) const {
    std::vector<engine::FedField> fields(columns.size());
    std::vector<std::string> texts(columns.size());
    std::string names;
    for (const std::size_t column : columns) names += (names.empty() ? "" : ", ") + sqlite_name(columns_[column]);
    SQLite::Statement query(db, "select " + (names.empty() ? "1" : names) + " from " + sqlite_name(table_));
    std::vector<SQLite::Column> values;  // always of the row that was read last
    for (std::size_t at = 0; query.executeStep(); ++at) {
      for (std::size_t i = values.size(); i < fields.size(); ++i)
        values.push_back(query.getColumn(static_cast<int>(i)));
      for (std::size_t i = 0; i < fields.size(); ++i) fields[i] = field(values[i], columns_[columns[i]], at, texts[i]);
      row(fields);
    }
  }

  // Of the whole file where that is cheap, which also finds a table that begins at a wrong page, else of the table. (A
  // table of two million rows takes some 200 ns a row.)
  void check_structure(SQLite::Database& db) const {
    constexpr std::uintmax_t cheap = 64 << 20;
    std::error_code error;
    const bool whole = view_ || std::filesystem::file_size(file_, error) <= cheap;
    SQLite::Statement check(
        db, whole ? std::string("pragma quick_check(1)") : "pragma quick_check(" + sqlite_name(table_) + ")");
    while (check.executeStep())
      if (const std::string found = check.getColumn(0).getString(); found != "ok")
        throw damaged(file_, "this SQLite file is damaged: " + found.substr(found.rfind('\n') + 1));
  }

  engine::FedField field(const SQLite::Column& value, const std::string& column, std::size_t row,
                         std::string& text) const {
    const int type = value.getType();
    if (type == SQLITE_NULL) return {};
    const auto wrong = [&](Code code, const std::string& what) {
      Problem p{
          code, "`" + column + "` in row " + std::to_string(row + 1) + " of `" + table_ + "` " + what, {}, {}, {}};
      p.location.file = file_;
      return Error(std::move(p));
    };
    if (type == SQLITE_BLOB) throw wrong(Code::damaged_file, "holds bytes, not a value");
    if (type == SQLITE_FLOAT) {
      // The shortest digits that mean this double: 12.85 is 12.85 again, and exact from here on.
      char buffer[40];
      const auto end = std::to_chars(buffer, buffer + sizeof buffer, value.getDouble()).ptr;
      text.assign(buffer, end);
      return {text, false};
    }

    // Whole numbers, and texts.
    if (type == SQLITE_INTEGER) {
      char buffer[24];
      text.assign(buffer, std::to_chars(buffer, buffer + sizeof buffer, value.getInt64()).ptr);
      return {text, false};
    }
    const char* const bytes = value.getText();  // SQLite's own, until the next row
    const std::string_view own(bytes, static_cast<std::size_t>(value.getBytes()));
    if (!is_ascii(own) && !simdjson::validate_utf8(own.data(), own.size()))
      throw wrong(Code::bad_encoding, "is not UTF-8");
    return {own, false};
  }

  std::string file_, table_;
  bool view_;
  std::vector<std::string> columns_;
  std::shared_ptr<engine::SqliteFile> open_;
};

}  // namespace

namespace engine {

SqliteFile::SqliteFile(const std::filesystem::path& file) : file_(file.string()) {
  try {
    db_ = opened(file_);
    check_length(file_);  // after what a killed writer left was rolled back
    db_->exec("begin");
    state_ = state();
    db_->exec("commit");
  } catch (const SQLite::Exception& error) {
    if (error.getErrorCode() == SQLITE_NOMEM) throw std::bad_alloc();
    throw sqlite_failure(file, error, Code::cannot_open, "cannot be opened");
  }
}

// The first statement of a transaction fixes what it sees.
int SqliteFile::state() {
  SQLite::Statement first(*db_, "select count(*) from sqlite_master");
  first.executeStep();
  SQLite::Statement version(*db_, "pragma data_version");
  version.executeStep();
  return version.getColumn(0).getInt();
}

SqliteFile::Reading::Reading(SqliteFile& file) : file_(file), lock_(file.mutex_) {
  db().exec("begin");
  if (file_.state() == file_.state_) return;
  db().exec("commit");
  Problem p{Code::changed_file, "it was changed while it was read", {}, {}, {}};
  p.location.file = file_.file_;
  p.advice = "try again when no other program is writing to it, or take a copy";
  throw Error(std::move(p));
}

SqliteFile::Reading::~Reading() {
  // Nothing was written, so there is nothing that could fail; without memory the connection ends with the file.
  if (sqlite3_get_autocommit(db().getHandle()) == 0)
    sqlite3_exec(db().getHandle(), "commit", nullptr, nullptr, nullptr);
}

std::shared_ptr<const TableSource> open_sqlite(std::shared_ptr<SqliteFile> open, const std::filesystem::path& file,
                                               const std::string& table, const ReadOptions& options) {
  const std::string path = file.string();
  try {
    SqliteFile::Reading reading(*open);
    SQLite::Database& db = reading.db();

    // Its tables and views.
    std::vector<std::string> names;
    std::vector<bool> views;
    {
      SQLite::Statement all(
          db,
          "select name, type = 'view' from sqlite_master where type in ('table', 'view') and name not "
          "like 'sqlite_%' order by rowid");
      while (all.executeStep()) {
        names.push_back(all.getColumn(0).getString());
        views.push_back(all.getColumn(1).getInt() != 0);
      }
    }
    const auto fail = [&](std::string sentence, std::string nearest) {
      std::string advice;
      for (std::size_t i = 0; i < std::min<std::size_t>(names.size(), 8); ++i)
        advice += (i > 0 ? ", " : "") + (file.filename().string() + "#" + names[i]);
      Problem p{Code::unknown_table, std::move(sentence), {}, std::move(nearest), std::move(advice)};
      p.location.file = path;
      return Error(std::move(p));
    };

    // A column whose definition is damaged could vanish.
    SQLite::Statement definitions(db, "select sql from sqlite_master where sql is not null");
    while (definitions.executeStep())
      if (!simdjson::validate_utf8(definitions.getColumn(0).getString()))
        throw damaged(path, "this SQLite file is damaged: the definition of a table is not UTF-8");
    definitions.reset();

    // The one that is wanted.
    if (names.empty()) throw fail("there is no table in it", {});
    if (table.empty() && names.size() > 1) throw fail("it has several tables: which one?", {});
    const std::string chosen = table.empty() ? names.front() : table;
    const auto found = std::find(names.begin(), names.end(), chosen);
    if (found == names.end()) throw fail("there is no table `" + chosen + "` in it", nearest_word(chosen, names));

    // Its columns.
    std::vector<std::string> headings;
    {
      const SQLite::Statement head(db, "select * from " + sqlite_name(chosen) + " limit 0");
      for (int i = 0; i < head.getColumnCount(); ++i) headings.emplace_back(head.getColumnName(i));
    }
    auto feed = std::make_unique<SqliteFeed>(path, chosen, views[static_cast<std::size_t>(found - names.begin())],
                                             headings, open);
    return fed_table(file.filename().string() + "#" + chosen, "a table of a SQLite file", std::move(headings),
                     std::move(feed), options);
  } catch (const SQLite::Exception& error) {
    if (error.getErrorCode() == SQLITE_NOMEM) throw std::bad_alloc();
    throw sqlite_failure(path, error, Code::cannot_open, "cannot be opened");
  }
}

}  // namespace engine

std::shared_ptr<const TableSource> open_sqlite(const std::filesystem::path& file, const std::string& table,
                                               const ReadOptions& options) {
  return engine::open_sqlite(std::make_shared<engine::SqliteFile>(file), file, table, options);
}

}  // namespace lofty
