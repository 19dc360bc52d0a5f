#pragma once
// A SQLite file open for reading: one connection, and one state of the database, for all tables that a run takes from
// it. Covered by tests/reliability/changing_test.cpp.

#include <SQLiteCpp/SQLiteCpp.h>

#include <filesystem>
#include <memory>
#include <mutex>
#include <string>

#include "lofty/catalog.hpp"

namespace lofty::engine {

// Reading goes in transactions, each of which has to see the state that there was when the file was opened: SQLite's
// data_version tells whether another program has committed since. So no lock is held while rows are worked on, and no
// two passes, or tables, mix two states. Thread-safe: a transaction holds the mutex.
class SqliteFile {
 public:
  explicit SqliteFile(const std::filesystem::path& file);  // throws Error(cannot_open, damaged_file)

  // A transaction for as long as it lives.
  class Reading {
   public:
    explicit Reading(SqliteFile& file);  // throws Error(changed_file), SQLite::Exception
    Reading(const Reading&) = delete;
    Reading& operator=(const Reading&) = delete;
    ~Reading();
    SQLite::Database& db() { return *file_.db_; }

   private:
    SqliteFile& file_;
    std::scoped_lock<std::mutex> lock_;
  };

 private:
  int state();
  std::string file_;
  std::unique_ptr<SQLite::Database> db_;
  std::mutex mutex_;
  int state_ = 0;
};

// As lofty::open_sqlite(), from a file that is open.
std::shared_ptr<const TableSource> open_sqlite(std::shared_ptr<SqliteFile> open, const std::filesystem::path& file,
                                               const std::string& table, const ReadOptions& options);

}  // namespace lofty::engine
