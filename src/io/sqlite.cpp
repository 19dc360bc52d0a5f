// Tables and views of SQLite files, read only.
// Covered by tests/io/sources_test.cpp.

#include <simdjson.h>

#include <algorithm>
#include <charconv>

#include "io/row_feed.hpp"
#include "io/sqlite_words.hpp"
#include "lofty/error.hpp"
#include "lofty/table_files.hpp"
#include "table/nearest.hpp"

namespace lofty {
namespace {

using engine::sqlite_name;

Error failure(const std::string& file, const SQLite::Exception& error) {
  return engine::sqlite_failure(file, error, Code::cannot_open, "cannot be read");
}

class SqliteFeed final : public engine::RowFeed {
 public:
  SqliteFeed(std::string file, std::string table, std::vector<std::string> columns)
      : file_(std::move(file)), table_(std::move(table)), columns_(std::move(columns)) {}

  void each(std::span<const std::size_t> columns, const Row& row) const override {
    std::vector<engine::FedField> fields(columns.size());
    std::vector<std::string> texts(columns.size());
    try {
      const SQLite::Database db(file_, SQLite::OPEN_READONLY);
      std::string names;
      for (const std::size_t column : columns) names += (names.empty() ? "" : ", ") + sqlite_name(columns_[column]);
      SQLite::Statement query(db, "select " + (names.empty() ? "1" : names) + " from " + sqlite_name(table_));
      for (std::size_t at = 0; query.executeStep(); ++at) {
        for (std::size_t i = 0; i < fields.size(); ++i)
          fields[i] = field(query.getColumn(static_cast<int>(i)), columns_[columns[i]], at, texts[i]);
        row(fields);
      }
    } catch (const SQLite::Exception& error) {
      throw failure(file_, error);
    }
  }

 private:
  engine::FedField field(const SQLite::Column& value, const std::string& column, std::size_t row,
                         std::string& text) const {
    if (value.isNull()) return {};
    const auto wrong = [&](Code code, const std::string& what) {
      Problem p{
          code, "`" + column + "` in row " + std::to_string(row + 1) + " of `" + table_ + "` " + what, {}, {}, {}};
      p.place.file = file_;
      return Error(std::move(p));
    };
    if (value.isBlob()) throw wrong(Code::damaged_file, "holds bytes, not a value");
    if (value.isFloat()) {
      // The shortest digits that mean this double: 12.85 is 12.85 again, and exact from here on.
      char buffer[40];
      const auto end = std::to_chars(buffer, buffer + sizeof buffer, value.getDouble()).ptr;
      text.assign(buffer, end);
    } else {
      text = value.getString();
    }
    if (!simdjson::validate_utf8(text)) throw wrong(Code::bad_encoding, "is not UTF-8");
    return {text, false};
  }

  std::string file_, table_;
  std::vector<std::string> columns_;
};

}  // namespace

std::shared_ptr<const TableSource> open_sqlite(const std::filesystem::path& file, const std::string& table,
                                               const ReadOptions& options) {
  const std::string path = file.string();
  try {
    const SQLite::Database db(path, SQLite::OPEN_READONLY);
    std::vector<std::string> names;
    SQLite::Statement all(db,
                          "select name from sqlite_master where type in ('table', 'view') and name not like 'sqlite_%' "
                          "order by rowid");
    while (all.executeStep()) names.push_back(all.getColumn(0).getString());
    const auto fail = [&](std::string sentence, std::string nearest) {
      std::string advice;
      for (std::size_t i = 0; i < std::min<std::size_t>(names.size(), 8); ++i)
        advice += (i > 0 ? ", " : "") + (file.filename().string() + "#" + names[i]);
      Problem p{Code::unknown_table, std::move(sentence), {}, std::move(nearest), std::move(advice)};
      p.place.file = path;
      return Error(std::move(p));
    };
    std::string chosen = table;
    if (names.empty()) throw fail("there is no table in it", {});
    if (table.empty() && names.size() > 1) throw fail("it has several tables: which one?", {});
    if (table.empty()) chosen = names.front();
    if (std::find(names.begin(), names.end(), chosen) == names.end())
      throw fail("there is no table `" + chosen + "` in it", engine::nearest_word(chosen, names));
    const SQLite::Statement head(db, "select * from " + sqlite_name(chosen) + " limit 0");
    std::vector<std::string> headings;
    for (int i = 0; i < head.getColumnCount(); ++i) headings.emplace_back(head.getColumnName(i));
    auto feed = std::make_unique<SqliteFeed>(path, chosen, headings);
    return engine::fed_table(file.filename().string() + "#" + chosen, "a table of a SQLite file", std::move(headings),
                             std::move(feed), options);
  } catch (const SQLite::Exception& error) {
    throw failure(path, error);
  }
}

}  // namespace lofty
