#include "lofty/table_files.hpp"

#include <set>

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
  const std::filesystem::path file = folder_ / name;
  static const std::set<std::string> later = {".sqlite", ".db", ".xlsx", ".gz", ".json", ".jsonl"};
  const std::string ending = engine::folded(file.extension().string());
  Problem p;
  if (name.ends_with(".ladder.toml") || name.find('#') != std::string::npos || later.contains(ending)) {
    p.code = Code::not_in_this_version;
    p.sentence = "`" + name + "`: only delimited text can be read in this version";
    throw Error(std::move(p));
  }
  std::error_code error;
  if (!std::filesystem::exists(file, error)) {
    p.code = Code::unknown_table;
    p.sentence = "no file " + file.lexically_normal().string();
    p.nearest = engine::nearest_word(file.filename().string(), neighbours(file));
    throw Error(std::move(p));
  }
  return open_delimited(file, options);
}

}  // namespace lofty
