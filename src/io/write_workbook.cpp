// Standings as a workbook: typed cells, headings that stay in view, numbers as they are read best.
// Covered by tests/io/write_test.cpp.

#include <unistd.h>
#include <xlsxwriter.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "io/write_workbook.hpp"
#include "lofty/error.hpp"
#include "table/zone.hpp"

namespace lofty::engine {
namespace {

// More than these do not survive in a double.
bool fits_double(const Decimal& value) {
  const std::string text = value.text();
  return std::count_if(text.begin(), text.end(), [](char c) { return c >= '0' && c <= '9'; }) <= 15;
}

// A file's name that nobody else has; removed again.
class TemporaryFile {
 public:
  TemporaryFile() {
    std::string pattern = (std::filesystem::temp_directory_path() / "lofty-XXXXXX").string();
    const int file = ::mkstemp(pattern.data());
    if (file < 0)
      throw Error(Problem{Code::cannot_write, std::string("no temporary file: ") + std::strerror(errno), {}, {}, {}});
    ::close(file);
    path_ = pattern;
  }
  TemporaryFile(const TemporaryFile&) = delete;
  TemporaryFile& operator=(const TemporaryFile&) = delete;
  ~TemporaryFile() { std::filesystem::remove(path_); }
  const std::string& path() const { return path_; }

 private:
  std::string path_;
};

class WorkbookWriter {
 public:
  WorkbookWriter(const Standings& standings, lxw_workbook* book) : s_(standings), book_(book) {
    sheet_ = workbook_add_worksheet(book_, "Standings");
    heading_ = workbook_add_format(book_);
    format_set_bold(heading_);
    format_set_bottom(heading_, LXW_BORDER_THIN);
    for (const StandingColumn& column : s_.columns()) formats_.push_back(format_of(column));
  }

  void write() {
    for (std::size_t c = 0; c < s_.columns().size(); ++c) {
      std::size_t width = s_.columns()[c].heading.size();
      worksheet_write_string(sheet_, 0, column(c), s_.columns()[c].heading.c_str(), heading_);
      for (std::size_t r = 0; r < s_.rows(); ++r) {
        const Value value = s_.value(r, c);
        if (is_null(value)) continue;  // an empty cell
        write_cell(static_cast<lxw_row_t>(r + 1), c, value);
        width = std::max(width, to_text(value).size());
      }
      worksheet_set_column(sheet_, column(c), column(c), static_cast<double>(std::min<std::size_t>(width, 40)) + 2,
                           nullptr);
    }
    worksheet_freeze_panes(sheet_, 1, 0);
    if (s_.rows() > 0)
      worksheet_autofilter(sheet_, 0, 0, static_cast<lxw_row_t>(s_.rows()), column(s_.columns().size() - 1));
    write_notes();
  }

 private:
  static lxw_col_t column(std::size_t c) { return static_cast<lxw_col_t>(c); }

  lxw_format* format_of(const StandingColumn& column) {
    std::string pattern;
    if (column.type.kind == Kind::date) pattern = "yyyy-mm-dd";
    if (column.type.kind == Kind::timestamp) pattern = "yyyy-mm-dd hh:mm:ss";
    if (column.type.kind == Kind::decimal)
      pattern =
          "#,##0" + (column.type.scale > 0 ? "." + std::string(static_cast<std::size_t>(column.type.scale), '0') : "");
    if (column.type.kind == Kind::integer && column.role == Role::total) pattern = "#,##0";
    if (column.role == Role::place) pattern = column.ties == Ties::fractional ? "0.0" : "0";
    if (pattern.empty()) return nullptr;
    lxw_format* const format = workbook_add_format(book_);
    format_set_num_format(format, pattern.c_str());
    return format;
  }

  void write_cell(lxw_row_t row, std::size_t c, const Value& value) {
    lxw_format* const format = formats_[c];
    const lxw_col_t at = column(c);
    const auto text = [&] {
      worksheet_write_string(sheet_, row, at, to_text(value, s_.columns()[c].type).c_str(), nullptr);
    };
    if (const auto* number = std::get_if<Decimal>(&value)) {
      if (!fits_double(*number)) return text();  // every digit counts
      worksheet_write_number(sheet_, row, at, number->to_double(), format);
    } else if (const auto* floating = std::get_if<double>(&value)) {
      if (!std::isfinite(*floating)) return text();
      worksheet_write_number(sheet_, row, at, *floating, format);
    } else if (const auto* truth = std::get_if<bool>(&value)) {
      worksheet_write_boolean(sheet_, row, at, *truth ? 1 : 0, format);
    } else if (const auto* date = std::get_if<Date>(&value); date != nullptr && date->days >= first_day) {
      worksheet_write_number(sheet_, row, at, static_cast<double>(date->days) + 25'569, format);
    } else if (const auto* moment = std::get_if<Timestamp>(&value);
               moment != nullptr && moment->microseconds >= first_day * 86'400'000'000) {
      // A cell holds no offset: it shows the wall clock of the place.
      const engine::Zone* const zone = s_.columns()[c].type.zone;
      const std::int64_t wall = zone != nullptr ? zone->to_local(moment->microseconds) : moment->microseconds;
      worksheet_write_number(sheet_, row, at, static_cast<double>(wall) / 86'400e6 + 25'569, format);
    } else {
      text();
    }
  }

  // What belongs to the answer but is no row of it, on a sheet of its own.
  void write_notes() {
    lxw_worksheet* const notes = workbook_add_worksheet(book_, "About");
    lxw_format* const wrapped = workbook_add_format(book_);
    format_set_text_wrap(wrapped);
    format_set_align(wrapped, LXW_ALIGN_VERTICAL_TOP);
    worksheet_set_column(notes, 0, 0, 26, nullptr);
    worksheet_set_column(notes, 1, 1, 90, nullptr);
    lxw_row_t row = 0;
    const auto line = [&](const std::string& name, const std::string& text) {
      worksheet_write_string(notes, row, 0, name.c_str(), wrapped);
      worksheet_write_string(notes, row++, 1, text.c_str(), wrapped);
    };
    if (!s_.title().empty()) line("title", s_.title());
    line("question", s_.question());
    line("shown", s_.shown_of_total());
    for (const Remark& remark : s_.remarks()) line(remark.code, remark.sentence);
  }

  static constexpr std::int64_t first_day = -25'508;  // 1 March 1900: before it the format counts a day that never was
  const Standings& s_;
  lxw_workbook* book_;
  lxw_worksheet* sheet_ = nullptr;
  lxw_format* heading_ = nullptr;
  std::vector<lxw_format*> formats_;
};

}  // namespace

std::string workbook(const Standings& standings) {
  if (standings.rows() + 1 > LXW_ROW_MAX || standings.columns().size() > LXW_COL_MAX)
    throw Error(Problem{Code::too_many_rows,
                        "a sheet holds at most 1,048,576 rows and 16,384 columns",
                        {},
                        {},
                        "csv holds any number"});
  const TemporaryFile file;
  lxw_workbook* const book = workbook_new(file.path().c_str());
  if (book == nullptr) throw Error(Problem{Code::cannot_write, "no workbook could be begun", {}, {}, {}});
  // The same standings give the same bytes: no clock in the file.
  lxw_doc_properties properties{};
  properties.created = 1;
  workbook_set_properties(book, &properties);
  WorkbookWriter(standings, book).write();
  if (const lxw_error error = workbook_close(book); error != LXW_NO_ERROR)
    throw Error(Problem{
        Code::cannot_write, std::string("the workbook could not be written: ") + lxw_strerror(error), {}, {}, {}});
  std::ifstream in(file.path(), std::ios::binary);
  std::ostringstream bytes;
  bytes << in.rdbuf();
  return std::move(bytes).str();
}

}  // namespace lofty::engine
