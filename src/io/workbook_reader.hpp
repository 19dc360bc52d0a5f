#pragma once
// What a workbook's file holds (Office Open XML, ECMA-376): its sheets, and their cells as texts.
// Covered by tests/io/sources_test.cpp, and by the writer, which reads its own files before it hands them over.

#include <zip.h>

#include <cstddef>
#include <memory>
#include <string>
#include <vector>

#include "lofty/remark.hpp"

namespace pugi {
class xml_document;
}

namespace lofty::engine {

// The format's own limits.
constexpr std::size_t most_sheet_rows = 1'048'576, most_sheet_columns = 16'384, most_cell_characters = 32'767;

// The parts of a workbook's archive. Its bytes are held in memory, so that it cannot change while it is read; every
// part is checked against its checksum.
class Archive {
 public:
  Archive(std::string name, std::string bytes);  // `name` is for messages. Throws Error(damaged_file).
  bool has(const std::string& part) const;
  std::vector<std::string> parts() const;
  // Unpacked, as the archive declares it; 0 for a part that is missing.
  std::uint64_t size_of(const std::string& part) const;
  // Throws Error(damaged_file) for a part that is missing or whose checksum is wrong, Error(beyond_limit) for one that
  // unpacks to an absurd size.
  std::string bytes_of(const std::string& part) const;
  // Throws as bytes_of(). `more` are further flags of the parser.
  void read(const std::string& part, pugi::xml_document& into, unsigned more = 0) const;

 private:
  struct Close {
    void operator()(zip_t* archive) const { zip_discard(archive); }
  };
  std::string name_, bytes_;
  std::unique_ptr<zip_t, Close> archive_;
};

struct Sheet {
  std::string name, part;
};

class WorkbookReader {
 public:
  WorkbookReader(std::string name, std::string bytes);  // throws Error(damaged_file, empty_file, beyond_limit)

  // The first sheet where `name` is empty. Throws Error(unknown_table).
  const Sheet& sheet(const std::string& name) const;

  struct Cell {
    std::size_t column = 0;  // from 0
    std::string text;
  };
  struct Row {
    std::size_t number = 0;   // as the sheet counts, from 1
    std::vector<Cell> cells;  // what is empty is not there
  };
  // About how much memory rows() takes, at most.
  std::uint64_t memory_of(const Sheet& sheet) const;
  // All rows of a sheet that hold something. Throws Error(damaged_file, beyond_limit).
  std::vector<Row> rows(const Sheet& sheet, std::vector<Remark>& remarks) const;

  // What a cell's number means: a date or a time where its format shows one, else the 15 digits that were entered.
  static std::string number_text(double number, bool moment, bool since_1904);

 private:
  class CellReader;
  std::vector<std::string> shared_texts() const;
  std::vector<bool> moment_styles() const;
  const std::string& shared_text(const std::vector<std::string>& shared, const std::string& index) const;
  std::size_t column_of(const std::string& reference) const;

  std::string file_;
  Archive archive_;
  std::vector<Sheet> sheets_;
  std::string styles_part_, shared_part_;  // empty: the workbook has none
  bool since_1904_ = false;
};

}  // namespace lofty::engine
