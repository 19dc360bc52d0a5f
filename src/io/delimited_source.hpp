#pragma once
// A file of delimited text whose heading line is known.

#include <atomic>
#include <cstdint>
#include <filesystem>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "io/open_file.hpp"
#include "lofty/error.hpp"
#include "lofty/table_files.hpp"

namespace lofty::engine {

// Large enough that a chunk's own dictionaries do not show, small enough that its text is still in the second-level
// cache when its fields are converted, and that threads share a small file evenly. Tests make it smaller.
constexpr std::size_t usual_chunk_bytes = 512 * 1024;
inline std::atomic<std::size_t> chunk_bytes{usual_chunk_bytes};
// How many chunks are read at a time where rows are not kept: enough that what is done once for each stretch of rows
// does not show. Tests make it smaller, too.
constexpr std::size_t usual_stretch_chunks = 40;
inline std::atomic<std::size_t> stretch_chunks{usual_stretch_chunks};

class DelimitedSource {
 public:
  DelimitedSource(const std::filesystem::path& path, const ReadOptions& options)
      : path_(path),
        name_(path.filename().string()),
        options_(options),
        file_(std::make_shared<OpenFile>(path, options.encoding)) {
    skip_lines();
    read_heading();
    skip_last_lines();
  }

  const std::string& name() const { return name_; }
  const std::vector<std::string>& headings() const { return headings_; }
  std::string form() const {
    switch (delimiter_) {
      case ',': return "commas between fields";
      case ';': return "semicolons between fields";
      case '\t': return "tabs between fields";
      case '|': return "bars between fields";
      default: return std::string("`") + delimiter_ + "` between fields";
    }
  }
  TableSize size() const;

  const std::filesystem::path& path() const { return path_; }
  const ReadOptions& options() const { return options_; }
  const OpenFile& file() const { return *file_; }
  char delimiter() const { return delimiter_; }
  std::uint64_t body() const { return body_; }               // where the rows begin
  std::uint64_t end() const { return end_; }                 // where they end
  bool one_column() const { return headings_.size() == 1; }  // then an empty line is a row with a null

  // Throws if the text, which is at `offset` of the file, is not UTF-8.
  void check_encoding(std::string_view text, std::uint64_t offset) const;
  // The line (from 1) that holds the byte at `offset`. Reads the file again up to there.
  std::size_t line_at(std::uint64_t offset) const;
  Problem problem(Code code, std::string sentence, std::size_t line = 0, std::string advice = {}) const {
    Problem p{code, std::move(sentence), {}, {}, std::move(advice)};
    p.location.file = path_.string();
    p.location.line = line;
    return p;
  }

 private:
  void skip_lines();
  void skip_last_lines();
  std::string heading_line();
  void read_heading();
  void check_headings(std::size_t line_number) const;

  std::filesystem::path path_;
  std::string name_;
  ReadOptions options_;
  std::shared_ptr<const OpenFile> file_;
  std::vector<std::string> headings_;
  char delimiter_ = ',';
  std::uint64_t body_ = 0, end_ = 0;
};

}  // namespace lofty::engine
