// Standings as a table of a SQLite file.
// Covered by tests/io/write_test.cpp.

#include <sys/stat.h>

#include <algorithm>

#include "io/new_file.hpp"
#include "io/sqlite_words.hpp"
#include "lofty/write.hpp"

namespace lofty {
namespace {

using engine::sqlite_name;

// SQLite's numbers hold 64 bits, or the 15 digits of a double; a column with more is text.
bool holds(const Value& value, const Type& type) {
  const auto* const number = std::get_if<Decimal>(&value);
  if (number == nullptr) return true;
  const int128 digits = number->coefficient() < 0 ? -number->coefficient() : number->coefficient();
  return digits <= (type.scale == 0 ? int128{std::numeric_limits<std::int64_t>::max()} : int128{999'999'999'999'999});
}

class Writing {
 public:
  explicit Writing(const Standings& standings) : s_(standings) {
    for (std::size_t c = 0; c < s_.columns().size(); ++c) {
      const Type& type = s_.columns()[c].type;
      bool fits = true;
      for (std::size_t r = 0; r < s_.rows() && fits; ++r) fits = holds(s_.value(r, c), type);
      kinds_.push_back(!fits                         ? "TEXT"
                       : type.kind == Kind::integer  ? "INTEGER"
                       : type.kind == Kind::boolean  ? "INTEGER"
                       : type.kind == Kind::decimal  ? "REAL"
                       : type.kind == Kind::floating ? "REAL"
                                                     : "TEXT");
    }
  }

  // One transaction. Throws Error(name_taken) where the table is there and not to be replaced.
  void into(SQLite::Database& db, const std::filesystem::path& file, const std::string& table, bool replace) const {
    // The write lock first: what is looked up then stays true until the end.
    SQLite::Transaction all(db, SQLite::TransactionBehavior::IMMEDIATE);
    if (db.tableExists(table)) {
      if (!replace) {
        Problem p{Code::name_taken, "there is a table `" + table + "` in it already", {}, {}, {}};
        p.location.file = file.string();
        p.advice = "another name: " + file.filename().string() + "#" + table + "_2";
        throw Error(std::move(p));
      }
      db.exec("drop table " + sqlite_name(table));
    }

    // The table.
    std::string columns, marks;
    for (std::size_t c = 0; c < kinds_.size(); ++c) {
      columns += (c > 0 ? ", " : "") + sqlite_name(s_.columns()[c].name) + " " + kinds_[c];
      marks += c > 0 ? ", ?" : "?";
    }
    db.exec("create table " + sqlite_name(table) + " (" + columns + ")");

    // Its rows.
    {
      SQLite::Statement insert(db, "insert into " + sqlite_name(table) + " values (" + marks + ")");
      for (std::size_t r = 0; r < s_.rows(); ++r) {
        for (std::size_t c = 0; c < kinds_.size(); ++c)
          bind(insert, static_cast<int>(c) + 1, s_.value(r, c), kinds_[c], s_.columns()[c].type);
        insert.exec();
        insert.reset();
      }
    }
    all.commit();
  }

 private:
  static void bind(SQLite::Statement& to, int at, const Value& value, const std::string& kind, const Type& type) {
    if (is_null(value)) return to.bind(at);
    if (kind == "TEXT") return to.bind(at, to_text(value, type));
    if (const auto* flag = std::get_if<bool>(&value)) return to.bind(at, *flag ? 1 : 0);
    if (const auto* number = std::get_if<double>(&value)) return to.bind(at, *number);
    const Decimal& number = std::get<Decimal>(value);
    if (kind == "INTEGER") return to.bind(at, static_cast<std::int64_t>(number.coefficient()));
    to.bind(at, number.to_double());
  }

  const Standings& s_;
  std::vector<std::string> kinds_;
};

Error failure(const std::filesystem::path& file, const SQLite::Exception& error) {
  const int code = error.getErrorCode();
  const bool closed = code == SQLITE_CANTOPEN || code == SQLITE_READONLY;
  return engine::sqlite_failure(file, error, closed ? Code::cannot_open : Code::cannot_write,
                                closed ? "cannot be written" : "could not be written whole, and was not changed");
}

}  // namespace

void write_sqlite(const Standings& standings, const std::filesystem::path& file, const std::string& table,
                  bool replace) {
  const Writing writing(standings);
  constexpr int patience = 10'000;  // milliseconds that another writer may take
  try {
    struct stat status {};
    if (::stat(file.c_str(), &status) != 0 || (S_ISREG(status.st_mode) && status.st_size == 0)) {
      // A new database is made in a temporary file, which no other process writes to: it needs no journal.
      engine::NewFile fresh(file);
      {
        SQLite::Database db(fresh.path().string(), SQLite::OPEN_READWRITE);
        db.exec("pragma journal_mode = off");
        writing.into(db, file, table, replace);
      }
      if (fresh.become_target()) return;
      // Another run made it meanwhile. Its tables stay.
    }
    SQLite::Database db(engine::output_target(file).string(), SQLite::OPEN_READWRITE, patience);
    writing.into(db, file, table, replace);
  } catch (const SQLite::Exception& error) {
    if (error.getErrorCode() == SQLITE_NOMEM) throw std::bad_alloc();
    throw failure(file, error);
  }
}

}  // namespace lofty
