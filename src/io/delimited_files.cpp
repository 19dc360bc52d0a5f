#include "io/delimited_files.hpp"

#include <fnmatch.h>

#include <algorithm>
#include <numeric>

#include "io/folder.hpp"
#include "question/prose.hpp"

namespace lofty::engine {

DelimitedFiles::DelimitedFiles(std::shared_ptr<const DelimitedSource> file)
    : name_(file->name()), options_(file->options()), headings_(file->headings()) {
  std::vector<std::size_t> columns(headings_.size());
  std::iota(columns.begin(), columns.end(), 0);
  files_.push_back({name_, std::move(file), std::move(columns)});
}

DelimitedFiles::DelimitedFiles(std::string name,
                               const std::vector<std::pair<std::string, std::shared_ptr<const DelimitedSource>>>& files,
                               const ReadOptions& options)
    : name_(std::move(name)), several_(true), options_(options), headings_(files.front().second->headings()) {
  for (const auto& [file_name, source] : files) {
    const std::vector<std::string>& own = source->headings();
    const auto missing = [](const std::vector<std::string>& in, const std::vector<std::string>& from) {
      std::vector<std::string> out;
      for (const std::string& heading : from)
        if (std::find(in.begin(), in.end(), heading) == in.end()) out.push_back(engine::quoted(heading));
      return out;
    };

    // The same headings, in whatever order.
    const std::vector<std::string> less = missing(own, headings_), further = missing(headings_, own);
    if (!less.empty() || !further.empty()) {
      std::string sentence = "its headings are not those of " + files.front().first + ", which comes before it:";
      if (!less.empty()) sentence += " it lacks " + listed(less, "and");
      if (!further.empty())
        sentence += std::string(less.empty() ? "" : ", and") + " has " + listed(further, "and") + " besides";
      throw Error(source->problem(Code::bad_heading, std::move(sentence), 1,
                                  "files that are one table have the same headings, in any order; "
                                  "data.header gives all of them the same ones"));
    }
    File file{file_name, source, {}};
    for (const std::string& heading : headings_)
      file.columns.push_back(static_cast<std::size_t>(std::find(own.begin(), own.end(), heading) - own.begin()));
    files_.push_back(std::move(file));
  }

  // The column of files.
  if (options_.file_column.empty()) return;
  if (std::find(headings_.begin(), headings_.end(), options_.file_column) != headings_.end()) {
    Problem p{
        Code::bad_heading, "the files have a column " + engine::quoted(options_.file_column) + " already", {}, {}, {}};
    p.location.key = "data.file_column";
    p.advice = "another name for the column that says which file a row is from";
    throw Error(std::move(p));
  }
  headings_.push_back(options_.file_column);
}

std::string DelimitedFiles::form() const {
  const std::string first = files_.front().source->form();
  const bool same =
      std::all_of(files_.begin(), files_.end(), [&](const File& file) { return file.source->form() == first; });
  return same ? first : std::string("different characters between fields");
}

TableSize DelimitedFiles::size() const {
  TableSize all{.rows = 0.0};
  for (const File& file : files_) {
    const TableSize one = file.source->size();
    *all.rows += one.rows.value_or(0);
    all.bytes += one.bytes;
  }
  // A table of less than two stretches comes whole.
  const auto stretch = static_cast<double>(stretch_chunks * chunk_bytes);
  if (all.bytes >= 2 * stretch) all.stretch_bytes = stretch;
  return all;
}

bool is_pattern(const std::string& name) { return name.find_first_of("*?[") != std::string::npos; }

std::vector<std::string> files_of_pattern(const std::filesystem::path& folder, const std::string& pattern) {
  const std::filesystem::path parent = std::filesystem::path(pattern).parent_path();
  const std::string own = std::filesystem::path(pattern).filename().string();
  std::vector<std::string> names;
  const std::filesystem::path where = (folder / parent).empty() ? "." : folder / parent;
  each_name_in(where, [&](const std::string& name) {
    if (::fnmatch(own.c_str(), name.c_str(), FNM_PERIOD) != 0) return true;
    // A name that fits is meant: a month would be missing without it.
    std::error_code ignored;
    const auto status = std::filesystem::status(where / name, ignored);
    if (!std::filesystem::is_regular_file(status))
      throw Error(Problem{Code::cannot_open,
                          "`" + (parent / name).string() + "` fits the pattern " + pattern + ", and " +
                              (std::filesystem::is_directory(status) ? "is a folder"
                               : !std::filesystem::exists(status)    ? "is a link to a file that does not exist"
                                                                     : "is no regular file"),
                          {},
                          {},
                          "remove it, or use a pattern that does not fit it"});
    names.push_back((parent / name).string());
    return true;
  });
  std::sort(names.begin(), names.end());
  return names;
}

}  // namespace lofty::engine
