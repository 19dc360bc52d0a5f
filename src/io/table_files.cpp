// Tables by the names of their files: which reader opens which.

#include "lofty/table_files.hpp"

#include <algorithm>
#include <map>
#include <mutex>

#include "io/folder.hpp"
#include "io/sqlite_file.hpp"
#include "lofty/error.hpp"
#include "lofty/ladder_file.hpp"
#include "lofty/standings.hpp"
#include "table/folded.hpp"

namespace lofty {
namespace {

constexpr std::size_t most_feeding = 64;  // docs/limits.md

std::vector<std::string> neighbours(const std::filesystem::path& file) {
  std::vector<std::string> names;
  std::error_code error;
  const auto folder = file.has_parent_path() ? file.parent_path() : std::filesystem::path(".");
  engine::each_name_in(folder, [&](std::string name) {
    if (std::filesystem::is_regular_file(folder / name, error)) names.push_back(std::move(name));
    return names.size() < 10'000;
  });
  return names;
}

}  // namespace

// What a catalog shares with those of the ladders that it answers. Thread-safe.
struct TableFiles::Shared {
  void add(const std::filesystem::path& file) {
    const std::scoped_lock lock(mutex);
    opened.add(file);
  }
  std::shared_ptr<engine::SqliteFile> database(const std::filesystem::path& file) {
    const std::scoped_lock lock(mutex);
    std::shared_ptr<engine::SqliteFile>& one = databases[std::filesystem::weakly_canonical(file)];
    if (!one) one = std::make_shared<engine::SqliteFile>(file);
    return one;
  }
  std::mutex mutex;
  FileSet opened;
  std::map<std::filesystem::path, std::shared_ptr<engine::SqliteFile>> databases;
};

TableFiles::TableFiles(std::filesystem::path folder)
    : folder_(std::move(folder)), shared_(std::make_shared<Shared>()) {}

FileSet TableFiles::opened() const {
  const std::scoped_lock lock(shared_->mutex);
  return shared_->opened;
}

std::shared_ptr<const TableSource> TableFiles::answer_of(const std::filesystem::path& ladder,
                                                         const ReadOptions& options) const {
  const std::string name = ladder.filename().string();
  if (!options.empty())
    throw Error(Problem{Code::bad_value,
                        "`" + name + "` is a ladder: its standings have their types and headings already",
                        {},
                        {},
                        "give the file that it reads nulls, types or headings there"});
  const auto absolute = std::filesystem::weakly_canonical(ladder);
  TableFiles beside(ladder.parent_path());
  beside.feeding_ = feeding_;
  beside.shared_ = shared_;

  // A circle, or too long a chain.
  if (std::find(feeding_.begin(), feeding_.end(), absolute) != feeding_.end()) {
    std::string way;
    for (const auto& one : feeding_) way += one.filename().string() + " reads ";
    throw Error(Problem{Code::circular, "`" + name + "` feeds itself: " + way + name, {}, {}, {}});
  }
  if (feeding_.size() >= most_feeding)
    throw Error(Problem{Code::bad_value,
                        "`" + name + "` is the " + std::to_string(most_feeding + 1) +
                            "th ladder of a chain in which each is the table of the next; at most " +
                            std::to_string(most_feeding) + " are answered",
                        {},
                        {},
                        "keep the standings of one in the middle: --save-standings middle.standings.json"});

  // The answer as a table in memory.
  beside.feeding_.push_back(absolute);
  const LadderText text = read_ladder_file(ladder);
  try {
    Catalog in_memory;
    in_memory.add(table_of(standings(text.ladder, beside), name));
    return in_memory.open(name, {});
  } catch (const Error& error) {
    std::vector<Problem> problems = error.problems();
    text.locate(problems);
    throw Error(std::move(problems));
  }
}

std::filesystem::path TableFiles::file_of(const std::string& name) const {
  return (folder_ / name.substr(0, name.find('#'))).lexically_normal();
}

std::shared_ptr<const TableSource> TableFiles::open(const std::string& name, const ReadOptions& options) const {
  try {
    return Catalog::open(name, options);
  } catch (const Error&) {
    // Not in memory: a file, then.
  }

  // A file, and a part of it.
  const std::size_t mark = name.find('#');
  const std::filesystem::path file = file_of(name);
  const std::string part = mark == std::string::npos ? "" : name.substr(mark + 1);
  const std::string ending = engine::folded(file.extension().string());
  Problem p;
  std::error_code error;
  if (!std::filesystem::exists(file, error)) {
    p.code = Code::unknown_table;
    p.sentence = "no file " + file.string();
    p.nearest = nearest_word(file.filename().string(), neighbours(file));
    throw Error(std::move(p));
  }
  shared_->add(file);

  // By its ending.
  const bool sqlite = ending == ".sqlite" || ending == ".sqlite3" || ending == ".db", workbook = ending == ".xlsx";
  if (file.string().ends_with(".standings.json")) return open_standings(file, part);
  if (mark != std::string::npos && !sqlite && !workbook) {
    p.code = Code::unknown_table;
    p.sentence = "`" + name + "`: only SQLite files and workbooks have several tables inside";
    p.advice = file.filename().string();
    throw Error(std::move(p));
  }
  if (std::filesystem::is_directory(file, error)) return open_delimited(file, options);  // which says so
  if (name.ends_with(".ladder.toml")) return answer_of(file, options);
  if (sqlite) {
    return engine::open_sqlite(shared_->database(file), file, part, options);
  }
  if (workbook) return open_workbook(file, part, options);
  if (ending == ".jsonl" || ending == ".ndjson") return open_json_lines(file, options);
  return open_delimited(file, options);
}

}  // namespace lofty
