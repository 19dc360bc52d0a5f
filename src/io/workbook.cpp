// Sheets of workbooks (Office Open XML, ECMA-376): the values as they were when it was saved.
// Covered by tests/io/sources_test.cpp.

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <map>
#include <pugixml.hpp>

#include "base/folded.hpp"
#include "io/open_file.hpp"
#include "io/row_feed.hpp"
#include "io/workbook_reader.hpp"
#include "lofty/date.hpp"
#include "lofty/error.hpp"
#include "lofty/table_files.hpp"

namespace lofty {
namespace engine {
namespace {

Error problem(const std::string& file, Code code, std::string sentence, std::string advice = {},
              std::string nearest = {}) {
  Problem p{code, std::move(sentence), {}, std::move(nearest), std::move(advice)};
  p.location.file = file;
  return Error(std::move(p));
}

// ECMA-376, part 1, 22.9.2.19: what XML cannot hold is written as the UTF-16 unit `_xHHHH_`.
std::string unescaped(std::string text) {
  std::size_t at = text.find("_x");
  if (at == std::string::npos) return text;
  std::string out;
  std::size_t done = 0;
  const auto unit_at = [&](std::size_t from) -> int {
    if (from + 7 > text.size() || text[from] != '_' || text[from + 1] != 'x' || text[from + 6] != '_') return -1;
    unsigned unit = 0;
    const auto [end, error] = std::from_chars(text.data() + from + 2, text.data() + from + 6, unit, 16);
    return error == std::errc() && end == text.data() + from + 6 ? static_cast<int>(unit) : -1;
  };
  const auto put = [&](unsigned c) {
    if (c < 0x80) {
      out += static_cast<char>(c);
    } else if (c < 0x800) {
      out += {static_cast<char>(0xc0 | c >> 6), static_cast<char>(0x80 | (c & 63))};
    } else if (c < 0x10000) {
      out += {static_cast<char>(0xe0 | c >> 12), static_cast<char>(0x80 | (c >> 6 & 63)),
              static_cast<char>(0x80 | (c & 63))};
    } else {
      out += {static_cast<char>(0xf0 | c >> 18), static_cast<char>(0x80 | (c >> 12 & 63)),
              static_cast<char>(0x80 | (c >> 6 & 63)), static_cast<char>(0x80 | (c & 63))};
    }
  };

  // Code by code.
  for (; at != std::string::npos; at = text.find("_x", at)) {
    const int unit = unit_at(at);
    if (unit < 0) {
      at += 2;
      continue;
    }
    out += text.substr(done, at - done);
    at += 7;
    const int second = unit >= 0xd800 && unit < 0xdc00 ? unit_at(at) : -1;
    if (second >= 0xdc00 && second < 0xe000) {
      put(0x10000 + ((static_cast<unsigned>(unit) - 0xd800) << 10) + static_cast<unsigned>(second) - 0xdc00);
      at += 7;
    } else {
      put(unit >= 0xd800 && unit < 0xe000 ? 0xfffd : static_cast<unsigned>(unit));
    }
    done = at;
  }
  return out + text.substr(done);
}

// Text of <si> and <is>: plain, or in runs; what is written above other signs to pronounce them is not part of it.
std::string rich_text(const pugi::xml_node& node) {
  std::string text = unescaped(node.child("t").text().get());
  for (const pugi::xml_node run : node.children("r")) text += unescaped(run.child("t").text().get());
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

}  // namespace

Archive::Archive(std::string name, std::string bytes) : name_(std::move(name)), bytes_(std::move(bytes)) {
  zip_error_t error;
  zip_error_init(&error);
  zip_source_t* const source = zip_source_buffer_create(bytes_.data(), bytes_.size(), 0, &error);
  if (source != nullptr) {
    archive_.reset(zip_open_from_source(source, ZIP_RDONLY | ZIP_CHECKCONS, &error));
    if (!archive_) zip_source_free(source);
  }
  const bool memory = zip_error_code_zip(&error) == ZIP_ER_MEMORY;
  zip_error_fini(&error);
  if (!archive_ && memory) throw std::bad_alloc();
  if (!archive_) throw problem(name_, Code::damaged_file, "this is not a workbook, or a damaged one");
}

bool Archive::has(const std::string& part) const { return zip_name_locate(archive_.get(), part.c_str(), 0) >= 0; }

std::vector<std::string> Archive::parts() const {
  std::vector<std::string> names;
  const zip_int64_t count = zip_get_num_entries(archive_.get(), 0);
  for (zip_int64_t i = 0; i < count; ++i)
    if (const char* const name = zip_get_name(archive_.get(), static_cast<zip_uint64_t>(i), 0); name != nullptr)
      names.emplace_back(name);
  return names;
}

std::uint64_t Archive::size_of(const std::string& part) const {
  zip_stat_t status;
  zip_stat_init(&status);
  return zip_stat(archive_.get(), part.c_str(), 0, &status) == 0 ? status.size : 0;
}

std::string Archive::bytes_of(const std::string& part) const {
  zip_stat_t status;
  zip_stat_init(&status);
  const auto damaged = [&] {
    return problem(name_, Code::damaged_file,
                   "this is not a workbook, or a damaged one: its part " + part + " is missing or cannot be read");
  };
  if (zip_stat(archive_.get(), part.c_str(), 0, &status) != 0) throw damaged();

  // The size that is declared may be wrong: memory is taken as bytes come, and only as many as can be true.
  const std::uint64_t most = std::max<std::uint64_t>(unpacked_floor, bytes_.size() * most_unpacked_per_byte);
  if (status.size > most)
    throw problem(name_, Code::beyond_limit,
                  "its part " + part + " unpacks to more than " + std::to_string(most_unpacked_per_byte) +
                      " times the size of the workbook");
  const std::unique_ptr<zip_file_t, int (*)(zip_file_t*)> in(zip_fopen(archive_.get(), part.c_str(), 0), zip_fclose);
  if (!in && zip_error_code_zip(zip_get_error(archive_.get())) == ZIP_ER_MEMORY) throw std::bad_alloc();
  if (!in) throw damaged();

  // Block by block.
  std::string bytes;
  constexpr std::size_t block = 256 * 1024;
  for (;;) {
    const std::size_t before = bytes.size();
    bytes.resize(before + block);
    // Reading on until nothing comes makes the library compare the checksum.
    const zip_int64_t count = zip_fread(in.get(), bytes.data() + before, block);
    if (count < 0 && zip_error_code_zip(zip_file_get_error(in.get())) == ZIP_ER_MEMORY) throw std::bad_alloc();
    if (count < 0) throw damaged();
    bytes.resize(before + static_cast<std::size_t>(count));
    if (count == 0) break;
    if (bytes.size() > status.size) throw damaged();
  }
  if (bytes.size() != status.size) throw damaged();
  return bytes;
}

void Archive::read(const std::string& part, pugi::xml_document& into, unsigned more) const {
  std::string bytes = bytes_of(part);
  const pugi::xml_parse_result result =
      into.load_buffer(bytes.data(), bytes.size(), pugi::parse_default | pugi::parse_ws_pcdata | more);
  if (result.status == pugi::status_out_of_memory) throw std::bad_alloc();
  if (!result)
    throw problem(name_, Code::damaged_file,
                  "this is not a workbook, or a damaged one: its part " + part + " is not XML");
}

WorkbookReader::WorkbookReader(std::string name, std::string bytes)
    : file_(std::move(name)), archive_(file_, std::move(bytes)) {
  if (!archive_.has("xl/workbook.xml"))
    throw problem(file_, Code::damaged_file, "there is no workbook in this archive",
                  "unpack it, and name the file that is inside");
  pugi::xml_document book, links;
  archive_.read("xl/workbook.xml", book);
  archive_.read("xl/_rels/workbook.xml.rels", links);
  std::map<std::string, std::string> targets;
  for (const pugi::xml_node link : links.child("Relationships").children("Relationship")) {
    const std::string target = link.attribute("Target").value();
    const std::string type = link.attribute("Type").value();
    const std::string part = target.starts_with("/") ? target.substr(1) : "xl/" + target;
    targets[link.attribute("Id").value()] = part;
    if (type.ends_with("/styles")) styles_part_ = part;
    if (type.ends_with("/sharedStrings")) shared_part_ = part;
  }
  const pugi::xml_node root = book.child("workbook");
  const std::string since_1904 = root.child("workbookPr").attribute("date1904").value();
  since_1904_ = since_1904 == "1" || since_1904 == "true";
  for (const pugi::xml_node sheet : root.child("sheets").children("sheet"))
    sheets_.push_back({sheet.attribute("name").value(), targets[sheet.attribute("r:id").value()]});
  if (sheets_.empty()) throw problem(file_, Code::empty_file, "the workbook has no sheet");
}

const Sheet& WorkbookReader::sheet(const std::string& name) const {
  if (name.empty()) return sheets_.front();
  std::vector<std::string> names;
  for (const Sheet& sheet : sheets_) {
    if (sheet.name == name) return sheet;
    names.push_back(sheet.name);
  }
  throw problem(file_, Code::unknown_table, "there is no sheet `" + name + "` in it", {}, nearest_word(name, names));
}

// Reads the cells of a sheet, one after the other.
class WorkbookReader::CellReader {
 public:
  explicit CellReader(const WorkbookReader& reader)
      : reader_(reader), shared_(reader.shared_texts()), moments_(reader.moment_styles()) {}

  // Nothing: the cell is null.
  std::optional<std::string> text(const pugi::xml_node& cell) {
    const std::string type = cell.attribute("t").value(), value = cell.child("v").text().get();
    if (type == "e") {
      ++failed_;
      return std::nullopt;
    }
    if (cell.child("f") && value.empty() && type != "str") {
      ++unsaved_;
      return std::nullopt;
    }
    if (type == "inlineStr") return rich_text(cell.child("is"));
    if (!cell.child("v")) return std::nullopt;
    if (type == "s") return reader_.shared_text(shared_, value);
    if (type == "str" || type == "d") return unescaped(value);
    if (type == "b") return value == "1" ? "true" : "false";
    return number(value, cell.attribute("s").as_uint(0));
  }

  void say_remarks(const std::string& sheet, std::vector<Remark>& remarks) const {
    const auto say = [&](std::size_t count, const char* code, const std::string& what) {
      if (count > 0)
        remarks.push_back({code, std::to_string(count) + (count == 1 ? " cell of " : " cells of ") + sheet + " " +
                                     (count == 1 ? "holds" : "hold") + what});
    };
    say(unsaved_, "formulas-without-value",
        " a formula without its value and so is null: open the workbook, let it compute them, and save it");
    say(failed_, "cells-with-errors", " an error, like #N/A, and so is null");
  }

 private:
  std::string number(const std::string& written, unsigned style) const {
    double value = 0;
    const auto [end, error] = std::from_chars(written.data(), written.data() + written.size(), value);
    const bool whole = error == std::errc() && end == written.data() + written.size();
    const bool moment = style < moments_.size() && moments_[style];
    return whole ? number_text(value, moment, reader_.since_1904_) : written;
  }

  const WorkbookReader& reader_;
  const std::vector<std::string> shared_;
  const std::vector<bool> moments_;
  std::size_t unsaved_ = 0, failed_ = 0;
};

std::uint64_t WorkbookReader::memory_of(const Sheet& sheet) const {
  // A cell of 30 bytes becomes some 230 of XML nodes, and a text of its own.
  constexpr std::uint64_t of_each_byte = 10;
  return of_each_byte * (archive_.size_of(sheet.part) + archive_.size_of(shared_part_));
}

std::vector<WorkbookReader::Row> WorkbookReader::rows(const Sheet& sheet, std::vector<Remark>& remarks) const {
  pugi::xml_document document;
  archive_.read(sheet.part, document);
  // Programs write cells and rows in their order, but need not; the same one twice is damage.
  const auto put_in_order = [&](auto& parts, const auto& at, const char* what) {
    const auto before = [&](const auto& a, const auto& b) { return at(a) < at(b); };
    if (!std::is_sorted(parts.begin(), parts.end(), before)) std::sort(parts.begin(), parts.end(), before);
    const auto same = [&](const auto& a, const auto& b) { return at(a) == at(b); };
    if (std::adjacent_find(parts.begin(), parts.end(), same) != parts.end())
      throw problem(file_, Code::damaged_file, std::string("its sheet ") + sheet.name + " has a " + what + " twice");
  };

  std::vector<Row> out;
  CellReader cells(*this);
  std::size_t last_row = 0;
  for (const pugi::xml_node row : document.child("worksheet").child("sheetData").children("row")) {
    Row one;
    one.number = row.attribute("r").as_uint(static_cast<unsigned>(last_row + 1));
    if (one.number > most_sheet_rows)
      throw problem(file_, Code::beyond_limit, "its sheet " + sheet.name + " has a row beyond the 1,048,576th");
    last_row = one.number;
    std::size_t column = 0;
    for (const pugi::xml_node cell : row.children("c")) {
      if (const std::string at = cell.attribute("r").value(); !at.empty()) column = column_of(at);
      if (auto text = cells.text(cell)) one.cells.push_back({column, std::move(*text)});
      ++column;
    }
    put_in_order(
        one.cells, [](const Cell& c) { return c.column; }, "cell");
    if (!one.cells.empty()) out.push_back(std::move(one));
  }
  put_in_order(
      out, [](const Row& r) { return r.number; }, "row");
  cells.say_remarks(sheet.name, remarks);
  return out;
}

std::size_t WorkbookReader::column_of(const std::string& reference) const {
  std::size_t column = 0;
  for (const char c : reference) {
    if (c < 'A' || c > 'Z') break;
    column = column * 26 + static_cast<std::size_t>(c - 'A') + 1;
    if (column > most_sheet_columns)
      throw problem(file_, Code::beyond_limit, "a sheet has a cell beyond the 16,384th column");
  }
  return column > 0 ? column - 1 : 0;
}

const std::string& WorkbookReader::shared_text(const std::vector<std::string>& shared, const std::string& index) const {
  std::size_t at = 0;
  const auto [end, error] = std::from_chars(index.data(), index.data() + index.size(), at);
  if (error != std::errc() || end != index.data() + index.size() || at >= shared.size())
    throw problem(file_, Code::damaged_file, "a cell names a text that is not there");
  return shared[at];
}

std::vector<std::string> WorkbookReader::shared_texts() const {
  std::vector<std::string> out;
  if (shared_part_.empty()) return out;
  pugi::xml_document document;
  archive_.read(shared_part_, document);
  for (const pugi::xml_node item : document.child("sst").children("si")) out.push_back(rich_text(item));
  return out;
}

// By cell style: is the number of such a cell a date or a time?
std::vector<bool> WorkbookReader::moment_styles() const {
  std::vector<bool> out;
  if (styles_part_.empty()) return out;
  pugi::xml_document document;
  archive_.read(styles_part_, document);
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
// A cell's number is a double: 15 digits of it are what was entered. Days are counted from 30 December 1899 on
// (which makes up for a 29 February 1900 that never was), or from 1 January 1904.
std::string WorkbookReader::number_text(double number, bool moment, bool since_1904) {
  if (moment && number >= 1 && number < 2'958'466) {
    const double whole = std::floor(number);
    auto day = static_cast<std::int64_t>(whole) + (since_1904 ? 0 : whole < 60 ? 1 : 0);
    day += since_1904 ? -24'107 : -25'569;  // days from 1 January 1970
    const auto seconds = static_cast<std::int64_t>(std::llround((number - whole) * 86'400));
    if (seconds == 0) return Date{static_cast<std::int32_t>(day)}.text();
    return Timestamp{(day * 86'400 + seconds) * 1'000'000}.text();
  }
  char buffer[48];
  const auto digits = std::to_chars(buffer, buffer + sizeof buffer, number, std::chars_format::general, 15);
  const std::string text(buffer, digits.ptr);
  if (text.find('e') == std::string::npos) return text;
  const auto shortest = std::to_chars(buffer, buffer + sizeof buffer, number);
  return {buffer, shortest.ptr};
}

}  // namespace engine

namespace {

using engine::WorkbookReader;

class SheetFeed final : public engine::RowFeed {
 public:
  SheetFeed(std::vector<WorkbookReader::Row> rows, std::vector<std::size_t> columns, std::vector<Remark> remarks)
      : rows_(std::move(rows)), columns_(std::move(columns)), remarks_(std::move(remarks)) {}

  void each(std::size_t, std::span<const std::size_t> columns, const Run&, const Row& row) const override {
    std::vector<engine::FedField> fields(columns.size());
    for (const WorkbookReader::Row& one : rows_) {
      for (std::size_t i = 0; i < columns.size(); ++i) {
        const std::size_t wanted = columns_[columns[i]];
        const auto cell = std::lower_bound(one.cells.begin(), one.cells.end(), wanted,
                                           [](const WorkbookReader::Cell& c, std::size_t w) { return c.column < w; });
        const bool there = cell != one.cells.end() && cell->column == wanted;
        fields[i] = there ? engine::FedField{cell->text, false} : engine::FedField{};
      }
      row(fields);
    }
  }
  std::function<std::size_t(std::size_t)> numbers() const override {
    auto numbers = std::make_shared<std::vector<std::size_t>>();  // without the cells
    for (const WorkbookReader::Row& one : rows_) numbers->push_back(one.number);
    return [numbers](std::size_t row) { return (*numbers)[row]; };
  }
  std::vector<Remark> remarks() const override { return remarks_; }

 private:
  std::vector<WorkbookReader::Row> rows_;
  std::vector<std::size_t> columns_;  // of the sheet
  std::vector<Remark> remarks_;
};

}  // namespace

std::shared_ptr<const TableSource> open_workbook(const std::filesystem::path& file, const std::string& sheet_name,
                                                 const ReadOptions& options) {
  const engine::OpenFile in(file);
  engine::require_memory(in.size(), file.string());
  const WorkbookReader book(file.string(), in.read_all());
  const engine::Sheet& sheet = book.sheet(sheet_name);
  engine::require_memory(book.memory_of(sheet), file.string());
  std::vector<Remark> remarks;
  std::vector<WorkbookReader::Row> rows = book.rows(sheet, remarks);
  rows.erase(rows.begin(),
             std::find_if(rows.begin(), rows.end(), [&](const auto& row) { return row.number > options.skip; }));
  if (rows.empty())
    throw engine::problem(
        file.string(), Code::empty_file,
        "the sheet " + sheet.name + " is empty" + (options.skip > 0 ? " after the rows left out" : ""));

  // The headings, and the rows between them and the last ones that are left out.
  std::vector<std::string> headings;
  std::vector<std::size_t> columns;
  for (WorkbookReader::Cell& cell : rows.front().cells) {
    headings.push_back(std::move(cell.text));
    columns.push_back(cell.column);
  }
  rows.erase(rows.begin());
  rows.resize(rows.size() - std::min(rows.size(), options.skip_last));
  ReadOptions rest = options;
  rest.skip = rest.skip_last = 0;
  auto feed = std::make_unique<SheetFeed>(std::move(rows), std::move(columns), std::move(remarks));
  return engine::fed_table(file.filename().string() + "#" + sheet.name, "a sheet of a workbook", std::move(headings),
                           std::move(feed), rest);
}

}  // namespace lofty
