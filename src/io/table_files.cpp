// Tables by the names of their files: which reader opens which.

#include "lofty/table_files.hpp"

#include <algorithm>
#include <map>
#include <mutex>

#include "base/folded.hpp"
#include "base/passwords.hpp"
#include "io/delimited_files.hpp"
#include "io/folder.hpp"
#include "io/sqlite_file.hpp"
#include "lofty/error.hpp"
#include "lofty/ladder_file.hpp"
#include "lofty/standings.hpp"
#include "server/servers.hpp"

namespace lofty {
namespace {

constexpr std::size_t most_feeding = 64, most_files = 500;  // docs/limits.md

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

// By its ending: what no other reader takes.
bool is_delimited(const std::string& name) {
  const std::string ending = engine::folded(std::filesystem::path(name).extension().string());
  const auto is = [&](const char* other) { return ending == other; };
  return !is(".sqlite") && !is(".sqlite3") && !is(".db") && !is(".xlsx") && !is(".jsonl") && !is(".ndjson") &&
         !name.ends_with(".standings.json") && !name.ends_with(".ladder.toml") && name.find('#') == std::string::npos;
}

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
  std::filesystem::path only_under;  // canonical; empty: everywhere
  FileSet opened;
  std::map<std::filesystem::path, std::shared_ptr<engine::SqliteFile>> databases;
  engine::Servers servers;
};

TableFiles::TableFiles(std::filesystem::path folder)
    : folder_(std::move(folder)), shared_(std::make_shared<Shared>()) {}

TableFiles::TableFiles(std::filesystem::path folder, const std::filesystem::path& only_under)
    : TableFiles(std::move(folder)) {
  if (only_under.empty()) return;
  std::error_code error;
  shared_->only_under = std::filesystem::canonical(only_under, error);
  if (error || !std::filesystem::is_directory(shared_->only_under, error))
    throw Error(Problem{Code::cannot_open, "`" + only_under.string() + "` is no folder", {}, {}, {}});
}

void TableFiles::check_allowed(const std::filesystem::path& file) const {
  const std::filesystem::path& under = shared_->only_under;
  if (under.empty()) return;
  std::error_code error;
  const std::filesystem::path canonical = std::filesystem::weakly_canonical(std::filesystem::absolute(file), error);
  const auto differs = std::mismatch(under.begin(), under.end(), canonical.begin(), canonical.end());
  if (!error && differs.first == under.end()) return;
  throw Error(Problem{
      Code::not_allowed,
      "the file " + file.string() + " is outside of " + under.string() + ", and only files under it may be read",
      {},
      {},
      {}});
}

std::shared_ptr<const TableSource> TableFiles::open_on_server(const std::string& address,
                                                              const ReadOptions& options) const {
  if (shared_->only_under.empty()) return shared_->servers.open(address, options);
  throw Error(Problem{Code::not_allowed,
                      engine::without_password(address) + " is on a server, and only files under " +
                          shared_->only_under.string() + " may be read",
                      {},
                      {},
                      {}});
}

void TableFiles::server_timeout(double seconds) { shared_->servers.set_patience({seconds}); }

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
                        "save the standings of one in the middle, and rank these"});

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

// Several files of delimited text as one table.
std::shared_ptr<const TableSource> TableFiles::open_several(const std::string& name, const ReadOptions& options) const {
  std::vector<std::string> names;
  std::vector<std::string> given{name};
  given.insert(given.end(), options.more.begin(), options.more.end());
  for (const std::string& one : given) {
    if (one.empty())
      throw Error(Problem{Code::unknown_table,
                          "one of the files that are one table has no name",
                          {},
                          {},
                          "leave it out, or name the file"});
    if (!engine::is_pattern(one) || there(one)) {
      names.push_back(one);
      continue;
    }
    check_allowed(file_of(one));
    const std::vector<std::string> found = engine::files_of_pattern(folder_, one);
    if (found.empty()) {
      Problem p{Code::unknown_table, "no file fits the pattern " + one, {}, {}, {}};
      p.nearest = nearest_word(std::filesystem::path(one).filename().string(), neighbours(file_of(one)));
      throw Error(std::move(p));
    }
    names.insert(names.end(), found.begin(), found.end());
  }
  if (names.size() > most_files)
    throw Error(Problem{Code::beyond_limit,
                        std::to_string(names.size()) + " files as one table; at most " + std::to_string(most_files) +
                            " are read as one",
                        {},
                        {},
                        "join some of them into one file first"});

  // Each of them once, and of delimited text.
  std::vector<std::pair<std::string, std::shared_ptr<const engine::DelimitedSource>>> files;
  FileSet seen;  // other spellings and links are the same file
  for (std::size_t i = 0; i < names.size(); ++i) {
    check_there(names[i]);
    if (const auto before = seen.find(file_of(names[i]))) {
      const bool same_name = *before == file_of(names[i]);
      throw Error(Problem{Code::bad_value,
                          "the file " + names[i] +
                              (same_name ? " is named twice" : " is the same file as " + before->string()) +
                              ", and its rows would count twice",
                          {},
                          {},
                          "each file once; a pattern may have found it already"});
    }
    seen.add(file_of(names[i]));
    if (!is_delimited(names[i]))
      throw Error(Problem{Code::bad_value,
                          "`" + names[i] + "` is not delimited text, and only such files can be one table",
                          {},
                          {},
                          "a table of its own, or exported as csv"});
    shared_->add(file_of(names[i]));
    files.emplace_back(names[i], std::make_shared<engine::DelimitedSource>(file_of(names[i]), options));
  }
  const std::string whole = given.size() == 1 ? name
                                              : names.front() + " and " + std::to_string(names.size() - 1) +
                                                    (names.size() == 2 ? " other" : " others");
  return std::make_shared<engine::DelimitedFiles>(whole, files, options);
}

bool TableFiles::there(const std::string& name) const {
  std::error_code error;
  return std::filesystem::exists(file_of(name), error);
}

void TableFiles::check_there(const std::string& name) const {
  const std::filesystem::path file = file_of(name);
  check_allowed(file);
  if (there(name)) return;
  Problem p{Code::unknown_table, "no file " + file.string(), {}, {}, {}};
  p.nearest = nearest_word(file.filename().string(), neighbours(file));
  throw Error(std::move(p));
}

std::shared_ptr<const TableSource> TableFiles::open(const std::string& name, const ReadOptions& options) const {
  try {
    return Catalog::open(name, options);
  } catch (const Error&) {
    // Not in memory: a file, then, or several.
  }
  if (engine::is_address(name)) return open_on_server(name, options);
  if (!options.order.empty())
    throw Error(Problem{Code::bad_value,
                        "the rows of `" + name + "` have the order of the file",
                        {},
                        {},
                        "data.order is for tables on a server; list.order orders what is listed"});
  if (!options.more.empty() || !options.file_column.empty() || (engine::is_pattern(name) && !there(name)))
    return open_several(name, options);

  // A file, and a part of it.
  const std::size_t mark = name.find('#');
  const std::filesystem::path file = file_of(name);
  const std::string part = mark == std::string::npos ? "" : name.substr(mark + 1);
  const std::string ending = engine::folded(file.extension().string());
  std::error_code error;
  check_there(name);
  shared_->add(file);

  // By its ending.
  const bool sqlite = ending == ".sqlite" || ending == ".sqlite3" || ending == ".db", workbook = ending == ".xlsx";
  if (file.string().ends_with(".standings.json")) return open_standings(file, part);
  if (mark != std::string::npos && !sqlite && !workbook) {
    Problem p{Code::unknown_table, {}, {}, {}, {}};
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
