// Sheets of workbooks (Office Open XML, ECMA-376): the values as they were when it was saved.
// Covered by tests/io/sources_test.cpp.

#include <zip.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <map>
#include <pugixml.hpp>
#include <set>

#include "io/row_feed.hpp"
#include "lofty/date.hpp"
#include "lofty/error.hpp"
#include "lofty/table_files.hpp"
#include "table/nearest.hpp"

namespace lofty {
namespace {

Error problem(const std::string& file, Code code, std::string sentence, std::string advice = {},
              std::string nearest = {}) {
  Problem p{code, std::move(sentence), {}, std::move(nearest), std::move(advice)};
  p.place.file = file;
  return Error(std::move(p));
}

// The parts of a workbook's archive, as XML.
class Archive {
 public:
  explicit Archive(const std::filesystem::path& file) : name_(file.string()) {
    int error = 0;
    archive_.reset(zip_open(name_.c_str(), ZIP_RDONLY, &error));
    if (!archive_) throw problem(name_, Code::damaged_file, "this is no workbook, or a damaged one");
  }
  bool has(const std::string& part) const { return zip_name_locate(archive_.get(), part.c_str(), 0) >= 0; }
  void read(const std::string& part, pugi::xml_document& into) const {
    zip_stat_t status;
    zip_stat_init(&status);
    const auto damaged = [&] {
      return problem(name_, Code::damaged_file,
                     "this is no workbook, or a damaged one: its part " + part + " is missing or cannot be read");
    };
    if (zip_stat(archive_.get(), part.c_str(), 0, &status) != 0) throw damaged();
    const std::unique_ptr<zip_file_t, int (*)(zip_file_t*)> in(zip_fopen(archive_.get(), part.c_str(), 0), zip_fclose);
    std::string bytes(status.size, '\0');
    if (!in || zip_fread(in.get(), bytes.data(), bytes.size()) != static_cast<zip_int64_t>(bytes.size()))
      throw damaged();
    if (!into.load_buffer(bytes.data(), bytes.size(), pugi::parse_default | pugi::parse_ws_pcdata)) throw damaged();
  }

 private:
  struct Close {
    void operator()(zip_t* archive) const { zip_discard(archive); }
  };
  std::string name_;
  std::unique_ptr<zip_t, Close> archive_;
};

// Text of <si> and <is>: plain, or in runs; what is written above other signs to pronounce them is not part of it.
std::string rich_text(const pugi::xml_node& node) {
  std::string text = node.child("t").text().get();
  for (const pugi::xml_node run : node.children("r")) text += run.child("t").text().get();
  return text;
}

// Does a number format show a date or a time? Texts in quotes, escapes and [colours] are not part of it.
bool shows_moment(const std::string& format) {
  for (std::size_t i = 0; i < format.size(); ++i) {
    const char c = format[i];
    if (c == '"' || c == '[') {
      const std::size_t end = format.find(c == '"' ? '"' : ']', i + 1);
      const std::string inside = format.substr(i + 1, end - i - 1);
      if (c == '[' && !inside.empty() && inside.find_first_not_of("hHmMsS") == std::string::npos)
        return true;  // [h]:mm
      if (end == std::string::npos) break;
      i = end;
    } else if (c == '\\' || c == '_' || c == '*') {
      ++i;
    } else if (std::strchr("yYdDhHsS", c) != nullptr) {
      return true;
    } else if (c == ';') {
      break;  // the format of positive numbers decides
    }
  }
  return false;
}

struct Sheet {
  std::string name, part;
};

class Workbook {
 public:
  explicit Workbook(const std::filesystem::path& file) : file_(file.string()), archive_(file) {
    if (!archive_.has("xl/workbook.xml"))
      throw problem(file_, Code::damaged_file, "there is no workbook in this archive",
                    "unpack it, and name the file that is inside");
    pugi::xml_document book, links;
    archive_.read("xl/workbook.xml", book);
    archive_.read("xl/_rels/workbook.xml.rels", links);
    std::map<std::string, std::string> targets;
    for (const pugi::xml_node link : links.child("Relationships").children("Relationship")) {
      const std::string target = link.attribute("Target").value();
      targets[link.attribute("Id").value()] = target.starts_with("/") ? target.substr(1) : "xl/" + target;
    }
    const pugi::xml_node root = book.child("workbook");
    const std::string since_1904 = root.child("workbookPr").attribute("date1904").value();
    since_1904_ = since_1904 == "1" || since_1904 == "true";
    for (const pugi::xml_node sheet : root.child("sheets").children("sheet"))
      sheets_.push_back({sheet.attribute("name").value(), targets[sheet.attribute("r:id").value()]});
    if (sheets_.empty()) throw problem(file_, Code::empty_file, "the workbook has no sheet");
  }

  const Sheet& sheet(const std::string& name) const {
    if (name.empty()) return sheets_.front();
    std::vector<std::string> names;
    for (const Sheet& sheet : sheets_) {
      if (sheet.name == name) return sheet;
      names.push_back(sheet.name);
    }
    throw problem(file_, Code::unknown_table, "there is no sheet `" + name + "` in it", {},
                  engine::nearest_word(name, names));
  }

  // All rows of a sheet as texts; what is empty is not there.
  struct Cell {
    std::size_t column = 0;
    std::string text;
  };
  struct Row {
    std::size_t number = 0;  // as the sheet counts
    std::vector<Cell> cells;
  };
  std::vector<Row> rows(const Sheet& sheet, std::vector<Remark>& doubts) const {
    const std::vector<std::string> shared = shared_texts();
    const std::vector<bool> moments = moment_styles();
    pugi::xml_document document;
    archive_.read(sheet.part, document);
    std::vector<Row> out;
    std::size_t unsaved = 0, failed = 0;
    for (const pugi::xml_node row : document.child("worksheet").child("sheetData").children("row")) {
      Row one;
      one.number = row.attribute("r").as_uint(out.empty() ? 1 : static_cast<unsigned>(out.back().number + 1));
      std::size_t column = 0;
      for (const pugi::xml_node cell : row.children("c")) {
        if (const std::string at = cell.attribute("r").value(); !at.empty()) column = column_of(at);
        const std::size_t here = column++;
        const std::string type = cell.attribute("t").value(), value = cell.child("v").text().get();
        if (type == "e") {
          ++failed;
          continue;
        }
        if (cell.child("f") && value.empty() && type != "str") {
          ++unsaved;
          continue;
        }
        std::string text;
        if (type == "inlineStr")
          text = rich_text(cell.child("is"));
        else if (!cell.child("v"))
          continue;
        else if (type == "s")
          text = shared_text(shared, value);
        else if (type == "str" || type == "d")
          text = value;
        else if (type == "b")
          text = value == "1" ? "true" : "false";
        else
          text = number_text(value, is_moment(moments, cell.attribute("s").as_uint(0)));
        one.cells.push_back({here, std::move(text)});
      }
      if (!one.cells.empty()) out.push_back(std::move(one));
    }
    const auto say = [&](std::size_t count, const char* code, const std::string& what) {
      if (count > 0)
        doubts.push_back({code, std::to_string(count) + (count == 1 ? " cell of " : " cells of ") + sheet.name + " " +
                                    (count == 1 ? "holds" : "hold") + what});
    };
    say(unsaved, "formulas-without-value",
        " a formula without its value and so is null: open the workbook, let it work them out, and save it");
    say(failed, "cells-with-errors", " an error, like #N/A, and so is null");
    return out;
  }

 private:
  static std::size_t column_of(const std::string& reference) {
    std::size_t column = 0;
    for (const char c : reference) {
      if (c < 'A' || c > 'Z') break;
      column = column * 26 + static_cast<std::size_t>(c - 'A') + 1;
    }
    return column > 0 ? column - 1 : 0;
  }

  std::string shared_text(const std::vector<std::string>& shared, const std::string& index) const {
    const std::size_t at = std::strtoul(index.c_str(), nullptr, 10);
    if (at >= shared.size()) throw problem(file_, Code::damaged_file, "a cell names a text that is not there");
    return shared[at];
  }

  std::vector<std::string> shared_texts() const {
    std::vector<std::string> out;
    if (!archive_.has("xl/sharedStrings.xml")) return out;
    pugi::xml_document document;
    archive_.read("xl/sharedStrings.xml", document);
    for (const pugi::xml_node item : document.child("sst").children("si")) out.push_back(rich_text(item));
    return out;
  }

  // By cell style: is the number of such a cell a date or a time?
  std::vector<bool> moment_styles() const {
    std::vector<bool> out;
    if (!archive_.has("xl/styles.xml")) return out;
    pugi::xml_document document;
    archive_.read("xl/styles.xml", document);
    std::map<unsigned, std::string> own;
    const pugi::xml_node root = document.child("styleSheet");
    for (const pugi::xml_node format : root.child("numFmts").children("numFmt"))
      own[format.attribute("numFmtId").as_uint()] = format.attribute("formatCode").value();
    for (const pugi::xml_node style : root.child("cellXfs").children("xf")) {
      const unsigned id = style.attribute("numFmtId").as_uint();
      const auto found = own.find(id);
      // ECMA-376, part 1, 18.8.30: the formats that every reader knows.
      const bool known = (id >= 14 && id <= 22) || (id >= 27 && id <= 36) || (id >= 45 && id <= 47);
      out.push_back(found != own.end() ? shows_moment(found->second) : known);
    }
    return out;
  }
  static bool is_moment(const std::vector<bool>& styles, unsigned style) {
    return style < styles.size() && styles[style];
  }

  // A cell's number is a double: 15 digits of it are what somebody entered. Days are counted from 30 December 1899 on
  // (which makes up for a 29 February 1900 that never was), or from 1 January 1904.
  std::string number_text(const std::string& written, bool moment) const {
    double number = 0;
    const auto [end, error] = std::from_chars(written.data(), written.data() + written.size(), number);
    if (error != std::errc() || end != written.data() + written.size()) return written;
    if (moment && number >= 1 && number < 2'958'466) {
      const double whole = std::floor(number);
      auto day = static_cast<std::int64_t>(whole) + (since_1904_ ? 0 : whole < 60 ? 1 : 0);
      day += since_1904_ ? -24'107 : -25'569;  // days from 1 January 1970
      const auto seconds = static_cast<std::int64_t>(std::llround((number - whole) * 86'400));
      if (seconds == 0) return Date{static_cast<std::int32_t>(day)}.text();
      return Timestamp{(day * 86'400 + seconds) * 1'000'000}.text();
    }
    char buffer[48];
    std::snprintf(buffer, sizeof buffer, "%.15g", number);
    if (std::strchr(buffer, 'e') == nullptr) return buffer;
    const auto shortest = std::to_chars(buffer, buffer + sizeof buffer, number);
    return {buffer, shortest.ptr};
  }

  std::string file_;
  Archive archive_;
  std::vector<Sheet> sheets_;
  bool since_1904_ = false;
};

class SheetFeed final : public engine::RowFeed {
 public:
  SheetFeed(std::vector<Workbook::Row> rows, std::vector<std::size_t> columns, std::vector<Remark> doubts)
      : rows_(std::move(rows)), columns_(std::move(columns)), doubts_(std::move(doubts)) {}

  void each(std::span<const std::size_t> columns, const Row& row) const override {
    std::vector<engine::FedField> fields(columns.size());
    for (const Workbook::Row& one : rows_) {
      for (std::size_t i = 0; i < columns.size(); ++i) {
        const std::size_t wanted = columns_[columns[i]];
        const auto cell = std::find_if(one.cells.begin(), one.cells.end(),
                                       [&](const Workbook::Cell& c) { return c.column == wanted; });
        fields[i] = cell == one.cells.end() ? engine::FedField{} : engine::FedField{cell->text, false};
      }
      row(fields);
    }
  }
  std::string place_of(std::size_t row) const override { return "row " + std::to_string(rows_[row].number); }
  std::vector<Remark> doubts() const override { return doubts_; }

 private:
  std::vector<Workbook::Row> rows_;
  std::vector<std::size_t> columns_;  // of the sheet
  std::vector<Remark> doubts_;
};

}  // namespace

std::shared_ptr<const TableSource> open_workbook(const std::filesystem::path& file, const std::string& sheet_name,
                                                 const ReadOptions& options) {
  const Workbook book(file);
  const Sheet& sheet = book.sheet(sheet_name);
  std::vector<Remark> doubts;
  std::vector<Workbook::Row> rows = book.rows(sheet, doubts);
  if (rows.empty()) throw problem(file.string(), Code::empty_file, "the sheet " + sheet.name + " is empty");
  std::vector<std::string> headings;
  std::vector<std::size_t> columns;
  for (Workbook::Cell& cell : rows.front().cells) {
    headings.push_back(std::move(cell.text));
    columns.push_back(cell.column);
  }
  rows.erase(rows.begin());
  auto feed = std::make_unique<SheetFeed>(std::move(rows), std::move(columns), std::move(doubts));
  return engine::fed_table(file.filename().string() + "#" + sheet.name, "a sheet of a workbook", std::move(headings),
                           std::move(feed), options);
}

}  // namespace lofty
