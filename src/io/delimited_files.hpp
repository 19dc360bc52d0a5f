#pragma once
// Files of delimited text that are one table.
// Covered by tests/io/delimited_files_test.cpp.

#include <memory>
#include <string>
#include <vector>

#include "io/delimited_source.hpp"

namespace lofty::engine {

// The rows of the files follow one another; columns go by their headings, which may stand in another order in each.
class DelimitedFiles : public TableSource {
 public:
  struct File {
    std::string name;  // as the ladder has it: the value of the column of files
    std::shared_ptr<const DelimitedSource> source;
    std::vector<std::size_t> columns;  // by heading of the table: which of its fields that is
  };

  // One file.
  explicit DelimitedFiles(std::shared_ptr<const DelimitedSource> file);
  // Several: `name` is what messages call them. Throws Error(bad_heading) where headings differ, or one of them is what
  // the column of files is to be called.
  DelimitedFiles(std::string name,
                 const std::vector<std::pair<std::string, std::shared_ptr<const DelimitedSource>>>& files,
                 const ReadOptions& options);

  const std::string& name() const override { return name_; }
  const std::vector<std::string>& headings() const override { return headings_; }
  std::string form() const override;
  TableSize size() const override;
  Table read(std::span<const std::size_t> columns, const Run& run) const override;  // delimited_reading.cpp
  std::unique_ptr<TableStretches> stretches(std::span<const std::size_t> columns, const Run& run) const override;

  const std::vector<File>& files() const { return files_; }
  const ReadOptions& options() const { return options_; }
  bool several() const { return several_; }
  // Is this column the one of files?
  bool is_file_column(std::size_t column) const {
    return !options_.file_column.empty() && column + 1 == headings_.size();
  }

 private:
  std::string name_;
  bool several_ = false;
  ReadOptions options_;
  std::vector<std::string> headings_;
  std::vector<File> files_;
};

// The files of a folder whose names a pattern fits, in the order of their names. A pattern may have a folder in front
// ("2026/*.csv"), which is none itself.
std::vector<std::string> files_of_pattern(const std::filesystem::path& folder, const std::string& pattern);
bool is_pattern(const std::string& name);

}  // namespace lofty::engine
