#include "lofty/table_files.hpp"

#include "lofty/error.hpp"
#include "table/nearest.hpp"

namespace lofty {
namespace {

std::vector<std::string> neighbours(const std::filesystem::path& file) {
  std::vector<std::string> names;
  std::error_code error;
  const auto folder = file.has_parent_path() ? file.parent_path() : std::filesystem::path(".");
  for (const auto& entry : std::filesystem::directory_iterator(folder, error)) {
    if (names.size() >= 10'000) break;
    if (entry.is_regular_file(error)) names.push_back(entry.path().filename().string());
  }
  return names;
}

}  // namespace

std::shared_ptr<const TableSource> TableFiles::open(const std::string& name, const ReadOptions& options) const {
  try {
    return Catalog::open(name, options);
  } catch (const Error&) {
    // Not in memory: a file, then.
  }
  const std::size_t mark = name.find('#');
  const std::filesystem::path file = (folder_ / name.substr(0, mark)).lexically_normal();
  const std::string part = mark == std::string::npos ? "" : name.substr(mark + 1);
  const std::string ending = engine::folded(file.extension().string());
  Problem p;
  if (name.ends_with(".ladder.toml")) {
    p.code = Code::not_in_this_version;
    p.sentence = "`" + name + "`: standings as a table are not in this version";
    throw Error(std::move(p));
  }
  std::error_code error;
  if (!std::filesystem::exists(file, error)) {
    p.code = Code::unknown_table;
    p.sentence = "no file " + file.string();
    p.nearest = engine::nearest_word(file.filename().string(), neighbours(file));
    throw Error(std::move(p));
  }
  const bool sqlite = ending == ".sqlite" || ending == ".sqlite3" || ending == ".db", workbook = ending == ".xlsx";
  if (mark != std::string::npos && !sqlite && !workbook) {
    p.code = Code::unknown_table;
    p.sentence = "`" + name + "`: only SQLite files and workbooks have several tables inside";
    p.advice = file.filename().string();
    throw Error(std::move(p));
  }
  if (std::filesystem::is_directory(file, error)) return open_delimited(file, options);  // which says so
  if (sqlite) return open_sqlite(file, part, options);
  if (workbook) return open_workbook(file, part, options);
  if (ending == ".jsonl" || ending == ".ndjson") return open_json_lines(file, options);
  return open_delimited(file, options);
}

}  // namespace lofty
