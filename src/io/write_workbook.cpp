// Standings as a workbook: typed cells, headings that stay in view, numbers as they are read best.
// Covered by tests/io/write_test.cpp.

#include <fcntl.h>
#include <locale.h>
#include <poll.h>
#include <sys/wait.h>
#include <unistd.h>
#include <xlsxwriter.h>

#include <algorithm>
#include <cctype>
#include <cerrno>
#include <chrono>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <memory>
#include <new>
#include <pugixml.hpp>

#include "base/folded.hpp"
#include "io/child_process.hpp"
#include "io/open_file.hpp"
#include "io/workbook_reader.hpp"
#include "io/write_workbook.hpp"
#include "lofty/error.hpp"
#include "value/zone.hpp"

namespace lofty::engine {
namespace {

// A number format has at most 127 bytes, of which a shared place takes three.
constexpr std::size_t most_pattern_bytes = 124;
constexpr const char* workbook_mark = "Lofty Ladder";  // the document property that says whose it is

// More than these do not survive in a double.
bool fits_double(const Decimal& value) {
  const std::string text = value.text();
  return std::count_if(text.begin(), text.end(), [](char c) { return c >= '0' && c <= '9'; }) <= 15;
}

// What a cell is to hold, decided once: the writer writes it, and the check of the finished file compares with it.
struct CellContent {
  enum class Kind : std::uint8_t { empty, text, number, truth } kind = Kind::empty;
  std::string text;
  double number = 0;
  bool moment = false;  // shown as a date or a time
};

std::size_t utf16_units(std::string_view text) {
  std::size_t units = 0;
  for (const char c : text) units += (c & 0xc0) != 0x80 ? ((c & 0xf8) == 0xf0 ? 2 : 1) : 0;
  return units;
}

// A text that looks like an escape of the format (`_x000D_`) has its first sign escaped, so that it stays what it is.
std::string escaped(std::string text) {
  const auto hex = [](char c) { return std::isxdigit(static_cast<unsigned char>(c)) != 0; };
  for (std::size_t at = 0; (at = text.find("_x", at)) != std::string::npos; at += 2) {
    if (at + 7 > text.size() || text[at + 6] != '_' || !std::all_of(&text[at + 2], &text[at + 6], hex)) continue;
    text.replace(at, 1, "_x005F_");
    at += 6;
  }
  return text;
}

class SheetContent {
 public:
  explicit SheetContent(const Standings& standings) : s_(standings) {
    for (const Departed& one : s_.departed())
      if (!one.values.empty()) departed_.push_back(&one);
  }
  // The listing's, and those of who left.
  std::size_t rows() const { return s_.rows() + departed_.size(); }
  Value value(std::size_t row, std::size_t column) const {
    return row < s_.rows() ? s_.value(row, column) : departed_[row - s_.rows()]->values[column];
  }
  std::size_t columns() const { return s_.columns().size(); }

  CellContent heading(std::size_t column) const { return text(s_.columns()[column].heading, 0, column); }

  CellContent cell(std::size_t row, std::size_t column) const {
    const Value value = this->value(row, column);
    const Type& type = s_.columns()[column].type;
    const auto number = [](double n, bool moment = false) {
      return CellContent{.kind = CellContent::Kind::number, .text = {}, .number = n, .moment = moment};
    };
    if (is_null(value)) return {};
    if (const auto* exact = std::get_if<Decimal>(&value); exact != nullptr && fits_double(*exact))
      return number(exact->to_double());
    if (const auto* floating = std::get_if<double>(&value); floating != nullptr && std::isfinite(*floating))
      return number(*floating);
    if (const auto* truth = std::get_if<bool>(&value))
      return {.kind = CellContent::Kind::truth, .text = {}, .number = *truth ? 1.0 : 0.0};
    if (const auto* date = std::get_if<Date>(&value); date != nullptr && date->days >= first_day)
      return number(static_cast<double>(date->days) + 25'569, true);
    if (const auto* moment = std::get_if<Timestamp>(&value);
        moment != nullptr && moment->microseconds >= first_day * 86'400'000'000) {
      // A cell holds no offset: it shows the wall clock of the place.
      const std::int64_t wall = type.zone != nullptr ? type.zone->to_local(moment->microseconds) : moment->microseconds;
      return number(static_cast<double>(wall) / 86'400e6 + 25'569, true);
    }
    return text(to_text(value, type), row + 1, column);
  }

 private:
  // An empty text is an empty cell: the format has no other.
  CellContent text(const std::string& text, std::size_t row, std::size_t column) const {
    if (text.empty()) return {};
    const auto refuse = [&](Code code, const std::string& what) {
      return Error(Problem{code,
                           (row == 0 ? "the heading of column " + std::to_string(column + 1)
                                     : "`" + s_.columns()[column].heading + "` in row " + std::to_string(row)) +
                               what,
                           {},
                           {},
                           "csv and json hold any text"});
    };
    if (const std::size_t units = utf16_units(text); units > most_cell_characters)
      throw refuse(Code::beyond_limit,
                   " has " + std::to_string(units) + " characters; a workbook's cell holds at most 32,767");
    if (text.find('\0') != std::string::npos)
      throw refuse(Code::cannot_write, " holds a NUL character, which a workbook cannot");
    return {.kind = CellContent::Kind::text, .text = text};
  }

  // 1 March 1900: before it the format counts a day that never was.
  static constexpr std::int64_t first_day = -25'508;
  const Standings& s_;
  std::vector<const Departed*> departed_;
};

// The library's errors, none of which may pass.
void expect_ok(lxw_error error) {
  if (error == LXW_NO_ERROR) return;
  throw Error(Problem{
      Code::cannot_write, std::string("the workbook could not be written: ") + lxw_strerror(error), {}, {}, {}});
}

// The sheets of a workbook, by its answers: what they are called, before anything is written.
struct SheetNames {
  std::vector<std::string> standings;  // by answer
  std::string contents;                // of several answers; empty: none
  std::string about = "About";
};

// A sheet's name has at most 31 characters, none of []:*?/\\, no apostrophe at its ends, and occurs once, whatever the
// case. A title becomes one: what may not be in it is a blank, and blanks are single.
SheetNames names_of(const std::vector<Standings>& answers) {
  constexpr std::size_t most_units = 31;
  SheetNames names;
  if (answers.size() == 1) {
    names.standings = {"Standings"};
    return names;
  }

  // Several answers: a list of them, and a sheet for each, called by its title.
  names.contents = "Contents";
  const auto cut = [](std::string text, std::size_t units) {
    while (utf16_units(text) > units) {
      while (!text.empty() && (text.back() & 0xc0) == 0x80) text.pop_back();
      if (!text.empty()) text.pop_back();
    }
    return text;
  };
  for (std::size_t i = 0; i < answers.size(); ++i) {
    std::string name;
    for (const char c : answers[i].title()) {
      const bool blank = std::strchr("[]:*?/\\ ", c) != nullptr || static_cast<unsigned char>(c) < 0x20;
      if (!blank)
        name += c;
      else if (!name.empty() && name.back() != ' ')
        name += ' ';
    }
    name = cut(name, most_units);
    name.erase(0, name.find_first_not_of("' "));
    name.erase(name.find_last_not_of("' ") + 1);
    if (name.empty()) name = "Standings " + std::to_string(i + 1);

    // No two have the same name.
    const auto taken = [&](const std::string& one) {
      const auto same = [&](const std::string& other) { return equal_folded(one, other); };
      return same(names.contents) || same(names.about) || same("History") ||
             std::any_of(names.standings.begin(), names.standings.end(), same);
    };
    const std::string plain = name;
    for (int number = 2; taken(name); ++number) {
      const std::string tail = " (" + std::to_string(number) + ")";
      name = cut(plain, most_units - tail.size()) + tail;
    }
    names.standings.push_back(std::move(name));
  }
  return names;
}

// As a link has it: an apostrophe is written twice.
std::string quoted_name(const std::string& name) {
  std::string out = "'";
  for (const char c : name) out += c == '\'' ? std::string("''") : std::string(1, c);
  return out + "'";
}

lxw_col_t column(std::size_t c) { return static_cast<lxw_col_t>(c); }

// How a column's numbers are shown; empty: as the format's own default.
std::string pattern_of(const StandingColumn& column) {
  if (column.format && column.role != Role::place)
    if (const auto pattern = column.format->workbook_format(column.format->decimals())) return *pattern;
  if (column.type.kind == Kind::date) return "yyyy-mm-dd";
  if (column.type.kind == Kind::timestamp) return "yyyy-mm-dd hh:mm:ss";
  if (column.role == Role::place) return column.ties == Ties::fractional ? "0.0" : "0";
  if (column.type.kind == Kind::decimal)
    return "#,##0" + (column.type.scale > 0 ? "." + std::string(static_cast<std::size_t>(column.type.scale), '0') : "");
  if (column.type.kind == Kind::integer && column.role == Role::total) return "#,##0";
  return {};
}

// One answer on its own sheet.
class SheetWriter {
 public:
  SheetWriter(const Standings& standings, lxw_workbook* book, lxw_worksheet* sheet)
      : s_(standings), content_(standings), book_(book), sheet_(sheet) {
    for (lxw_format** const heading : {&heading_, &number_heading_}) {
      *heading = workbook_add_format(book_);
      format_set_bold(*heading);
      format_set_bottom(*heading, LXW_BORDER_THIN);
    }
    format_set_align(number_heading_, LXW_ALIGN_RIGHT);
    for (const StandingColumn& column : s_.columns()) {
      const std::string pattern = pattern_of(column);
      formats_.push_back(format_of(pattern));
      // A shared place stays a number; its format adds the mark.
      tied_formats_.push_back(column.role == Role::place ? format_of(pattern + "\"=\"") : nullptr);
    }
  }

  void write() {
    for (std::size_t c = 0; c < s_.columns().size(); ++c) {
      std::size_t width = utf16_units(s_.columns()[c].heading) + 2;  // and the filter's arrow
      write_cell(0, c, content_.heading(c), s_.columns()[c].type.numeric() ? number_heading_ : heading_);
      for (std::size_t r = 0; r < content_.rows(); ++r) {
        const CellContent cell = content_.cell(r, c);
        write_cell(static_cast<lxw_row_t>(r + 1), c, cell,
                   cell.kind == CellContent::Kind::text ? nullptr
                   : r < s_.rows() && s_.tied(r, c)     ? tied_formats_[c]
                                                        : formats_[c]);
        width = std::max(width, width_of(r, c));
      }
      expect_ok(worksheet_set_column(sheet_, column(c), column(c),
                                     static_cast<double>(std::min<std::size_t>(width, 50)) + 1.5, nullptr));
    }
    worksheet_freeze_panes(sheet_, 1, 0);
    worksheet_repeat_rows(sheet_, 0, 0);
    worksheet_fit_to_pages(sheet_, 1, 0);
    if (s_.rows() > 0)
      expect_ok(worksheet_autofilter(sheet_, 0, 0, static_cast<lxw_row_t>(s_.rows()), column(s_.columns().size() - 1)));
  }

 private:
  lxw_format* format_of(const std::string& pattern) {
    if (pattern.empty()) return nullptr;
    lxw_format* const format = workbook_add_format(book_);
    format_set_num_format(format, pattern.c_str());
    return format;
  }

  // In characters, about: as the format shows it, with signs between thousands.
  std::size_t width_of(std::size_t row, std::size_t c) const {
    const Value value = content_.value(row, c);
    if (is_null(value)) return 0;
    const StandingColumn& column = s_.columns()[c];
    if (column.format) return utf16_units(column.format->text(value)) + 1;
    const auto* const number = std::get_if<Decimal>(&value);
    return number != nullptr ? number->grouped_text().size() : utf16_units(to_text(value, column.type));
  }

  void write_cell(lxw_row_t row, std::size_t c, const CellContent& cell, lxw_format* format) {
    switch (cell.kind) {
      case CellContent::Kind::empty: break;
      case CellContent::Kind::text:
        expect_ok(worksheet_write_string(sheet_, row, column(c), escaped(cell.text).c_str(), format));
        break;
      case CellContent::Kind::number:
        expect_ok(worksheet_write_number(sheet_, row, column(c), cell.number, format));
        break;
      case CellContent::Kind::truth:
        expect_ok(worksheet_write_boolean(sheet_, row, column(c), cell.number != 0 ? 1 : 0, format));
        break;
    }
  }

  const Standings& s_;
  const SheetContent content_;
  lxw_workbook* book_;
  lxw_worksheet* sheet_;
  lxw_format *heading_ = nullptr, *number_heading_ = nullptr;
  std::vector<lxw_format*> formats_, tied_formats_;
};

// The sheets around the answers: an index of several, and what is said of them.
class WorkbookWriter {
 public:
  WorkbookWriter(const std::vector<Standings>& answers, lxw_workbook* book)
      : answers_(answers), names_(names_of(answers)), book_(book) {}

  void write() {
    lxw_worksheet* const contents =
        names_.contents.empty() ? nullptr : workbook_add_worksheet(book_, names_.contents.c_str());
    for (std::size_t i = 0; i < answers_.size(); ++i) {
      lxw_worksheet* const sheet = workbook_add_worksheet(book_, names_.standings[i].c_str());
      if (sheet == nullptr)
        throw Error(Problem{Code::cannot_write, "no sheet could be called `" + names_.standings[i] + "`", {}, {}, {}});
      SheetWriter(answers_[i], book_, sheet).write();
    }
    if (contents != nullptr) write_contents(contents);
    write_notes();
  }

 private:
  void write_contents(lxw_worksheet* sheet) {
    lxw_format* const bold = workbook_add_format(book_);
    format_set_bold(bold);
    format_set_bottom(bold, LXW_BORDER_THIN);
    expect_ok(worksheet_set_column(sheet, 0, 0, 60, nullptr));
    expect_ok(worksheet_set_column(sheet, 1, 1, 60, nullptr));
    expect_ok(worksheet_write_string(sheet, 0, 0, "ladder", bold));
    expect_ok(worksheet_write_string(sheet, 0, 1, "shown", bold));
    for (std::size_t i = 0; i < answers_.size(); ++i) {
      const auto row = static_cast<lxw_row_t>(i + 1);
      const std::string target = "internal:" + quoted_name(names_.standings[i]) + "!A1";
      expect_ok(worksheet_write_url_opt(
          sheet, row, 0, target.c_str(), nullptr,
          escaped(cell_text(answers_[i].title().empty() ? names_.standings[i] : answers_[i].title())).c_str(),
          nullptr));
      expect_ok(
          worksheet_write_string(sheet, row, 1, escaped(cell_text(answers_[i].shown_of_total())).c_str(), nullptr));
    }
    worksheet_freeze_panes(sheet, 1, 0);
    worksheet_fit_to_pages(sheet, 1, 0);
  }

  // A remark with many names: its beginning says it.
  static std::string cell_text(std::string text) {
    if (utf16_units(text) > most_cell_characters) {
      text.resize(most_cell_characters / 2);
      while (!text.empty() && (text.back() & 0xc0) == 0x80) text.pop_back();
      if (!text.empty()) text.back() = ' ';
      text += "(cut)";
    }
    std::replace(text.begin(), text.end(), '\0', ' ');
    return text;
  }

  // What belongs to the answers but is no row of them.
  void write_notes() {
    lxw_worksheet* const notes = workbook_add_worksheet(book_, names_.about.c_str());
    lxw_format* const wrapped = workbook_add_format(book_);
    format_set_text_wrap(wrapped);
    format_set_align(wrapped, LXW_ALIGN_VERTICAL_TOP);
    worksheet_set_column(notes, 0, 0, 26, nullptr);
    worksheet_set_column(notes, 1, 1, 90, nullptr);
    lxw_row_t row = 0;
    const auto line = [&](const std::string& name, const std::string& text) {
      expect_ok(worksheet_write_string(notes, row, 0, name.c_str(), wrapped));
      expect_ok(worksheet_write_string(notes, row++, 1, escaped(cell_text(text)).c_str(), wrapped));
    };
    for (std::size_t i = 0; i < answers_.size(); ++i) {
      const Standings& s = answers_[i];
      if (i > 0) ++row;
      if (answers_.size() > 1) line("sheet", names_.standings[i]);
      if (!s.title().empty()) line("title", s.title());
      line("question", s.question());
      line("shown", s.shown_of_total());
      for (const Remark& remark : s.remarks()) line(remark.code, remark.sentence);
    }
  }

  const std::vector<Standings>& answers_;
  const SheetNames names_;
  lxw_workbook* book_;
};

// Runs in the child. The library writes to `file` by name, and into temporary files in `folder`.
void write_with_library(const std::vector<Standings>& answers, const std::string& file, std::string folder) {
  // The library formats numbers by the caller's locale, where 12.5 may be "12,5".
  const locale_t plain = ::newlocale(LC_ALL_MASK, "C", nullptr);
  if (plain == nullptr) throw std::bad_alloc();
  ::uselocale(plain);
  lxw_workbook_options options{};
  options.tmpdir = folder.data();
  lxw_workbook* const book = workbook_new_opt(file.c_str(), &options);
  if (book == nullptr) throw Error(Problem{Code::cannot_write, "no workbook could be started", {}, {}, {}});
  // The same standings give the same bytes: no clock in the file.
  lxw_doc_properties properties{};
  properties.created = 1;
  expect_ok(workbook_set_properties(book, &properties));
  expect_ok(workbook_set_custom_property_string(book, workbook_mark, "standings"));
  WorkbookWriter(answers, book).write();
  expect_ok(workbook_close(book));
}

// Calls `work` in a child process, because the library dies of some failed allocations, or never ends. What `work`
// throws is thrown here again, as its message. A child that has not ended after `at_most` is killed.
template <class Work>
void in_child(const Work& work, std::chrono::milliseconds at_most) {
  int ends[2];
  if (::pipe2(ends, O_CLOEXEC) != 0)
    throw Error(
        Problem{Code::cannot_write, std::string("no process could be started: ") + std::strerror(errno), {}, {}, {}});
  const pid_t child = ::fork();
  if (child == 0) {
    ::setpgid(0, 0);
    std::set_new_handler(nullptr);  // the parent's may end the process; here it shall throw
    // The library reports on standard error what its results say too.
    const int nowhere = ::open("/dev/null", O_WRONLY | O_CLOEXEC);
    if (nowhere >= 0) ::dup2(nowhere, STDERR_FILENO);
    const auto leave = [&](int status, const char* why) {
      if (*why != 0 && ::write(ends[1], why, std::strlen(why)) < 0) ::_exit(1);
      ::_exit(status);
    };
    try {
      work();
      leave(0, "");
    } catch (const Error& error) {
      leave(1, error.problems().front().sentence.c_str());
    } catch (const std::bad_alloc&) {
      leave(2, "");
    } catch (const std::exception& error) {
      leave(1, error.what());
    }
    ::_exit(1);
  }

  // What the child says before it ends.
  const int error = errno;
  ::close(ends[1]);
  if (child < 0) {
    ::close(ends[0]);
    throw Error(
        Problem{Code::cannot_write, std::string("no process could be started: ") + std::strerror(error), {}, {}, {}});
  }
  ::setpgid(child, child);  // as the child does, whichever comes first
  const RunningProgram noted(child);
  const auto deadline = std::chrono::steady_clock::now() + at_most;
  std::string why;
  for (bool open = true; open;) {
    const auto left =
        std::chrono::duration_cast<std::chrono::milliseconds>(deadline - std::chrono::steady_clock::now()).count();
    pollfd waiting{ends[0], POLLIN, 0};
    const int ready = ::poll(&waiting, 1, static_cast<int>(std::clamp<long long>(left, 0, 1 << 30)));
    if (ready < 0 && errno == EINTR) continue;
    if (ready == 0) {
      noted.kill();
      why = "the workbook could not be written: its writer did not end";
      break;
    }
    char bytes[512];
    const ssize_t n = ::read(ends[0], bytes, sizeof bytes);
    if (n > 0) why.append(bytes, static_cast<std::size_t>(n));
    open = n > 0 || (n < 0 && errno == EINTR);
  }
  ::close(ends[0]);

  // How it ended.
  int status = 0;
  while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
  }
  if (WIFEXITED(status) && WEXITSTATUS(status) == 0) return;
  if (WIFEXITED(status) && WEXITSTATUS(status) == 2) throw std::bad_alloc();
  throw Error(Problem{
      Code::cannot_write, why.empty() ? "the workbook could not be written: its writer died" : why, {}, {}, {}});
}

Error not_whole(const std::string& where) {
  return Error(Problem{
      Code::cannot_write,
      "the workbook could not be written whole" + where,
      {},
      {},
      "see that the temporary folder (" + std::filesystem::temp_directory_path().string() + ") has room for it"});
}

std::string written_once(const std::vector<Standings>& answers) {
  const std::string folder = std::filesystem::temp_directory_path().string();
  const int file = nameless_copy("");
  const auto close = [](const int* descriptor) { ::close(*descriptor); };
  const std::unique_ptr<const int, decltype(close)> closing(&file, close);
  const std::string path = "/proc/self/fd/" + std::to_string(file);
  std::size_t cells = 0;
  for (const Standings& one : answers) cells += one.rows() * one.columns().size();
  // A cell takes some microseconds.
  in_child([&] { write_with_library(answers, path, folder); },
           std::chrono::seconds(60) + std::chrono::milliseconds(cells / 10));
  return OpenFile(path).read_all();
}

// The rows of a finished sheet: every cell is what it was meant to be.
void check_sheet(const Standings& standings, const std::vector<WorkbookReader::Row>& rows) {
  const SheetContent content(standings);
  auto row = rows.begin();
  for (std::size_t r = 0; r <= content.rows(); ++r) {
    std::vector<WorkbookReader::Cell> meant;
    for (std::size_t c = 0; c < content.columns(); ++c) {
      const CellContent cell = r == 0 ? content.heading(c) : content.cell(r - 1, c);
      switch (cell.kind) {
        case CellContent::Kind::empty: break;
        case CellContent::Kind::text: meant.push_back({c, cell.text}); break;
        case CellContent::Kind::number:
          meant.push_back({c, WorkbookReader::number_text(cell.number, cell.moment, false)});
          break;
        case CellContent::Kind::truth: meant.push_back({c, cell.number != 0 ? "true" : "false"}); break;
      }
    }

    // The row that was written has these cells, and no others.
    if (meant.empty()) continue;
    const auto same = [](const WorkbookReader::Cell& a, const WorkbookReader::Cell& b) {
      return a.column == b.column && a.text == b.text;
    };
    if (row == rows.end() || row->number != r + 1 ||
        !std::equal(meant.begin(), meant.end(), row->cells.begin(), row->cells.end(), same))
      throw not_whole(": row " + std::to_string(r + 1) + " is not what it should be");
    ++row;
  }
  if (row != rows.end()) throw not_whole(": it has too many rows");
}

// Lists that say how many elements they have, have them.
void check_counts(const pugi::xml_node& node) {
  for (const pugi::xml_node child : node.children()) {
    const pugi::xml_attribute count = child.attribute(std::strcmp(child.name(), "sst") == 0 ? "uniqueCount" : "count");
    if (count && std::distance(child.begin(), child.end()) != count.as_llong()) throw not_whole("");
    check_counts(child);
  }
}

// Every part is there, and is whole XML: the library passes over some write errors, which leave a part cut off or
// empty.
void check_parts(const Archive& book) {
  const std::string types = "[Content_Types].xml";
  pugi::xml_document listed;
  book.read(types, listed);
  for (const pugi::xml_node one : listed.document_element().children("Override"))
    if (!book.has(std::string(one.attribute("PartName").value()).substr(1))) throw not_whole("");
  for (const std::string& part : book.parts()) {
    pugi::xml_document document;
    book.read(part, document, pugi::parse_declaration);
    if (!document.document_element() || document.first_child().type() != pugi::node_declaration) throw not_whole("");
    check_counts(document);
    for (const pugi::xml_node one : document.child("Relationships").children("Relationship")) {
      // "xl/_rels/workbook.xml.rels" names parts from "xl/" on.
      const std::string folder = part.substr(0, part.find("_rels/"));
      if (!book.has((std::filesystem::path(folder) / one.attribute("Target").value()).lexically_normal().string()) &&
          std::strcmp(one.attribute("TargetMode").value(), "External") != 0)
        throw not_whole("");
    }
  }
}

// The finished file read again.
void check_finished(const std::vector<Standings>& answers, const std::string& bytes) {
  const SheetNames names = names_of(answers);
  std::vector<std::vector<WorkbookReader::Row>> sheets;
  try {
    const WorkbookReader book("", bytes);
    check_parts(Archive("", bytes));
    std::vector<Remark> remarks;
    for (const std::string* extra : {&names.about, &names.contents})
      if (!extra->empty()) book.rows(book.sheet(*extra), remarks);
    for (const std::string& name : names.standings) sheets.push_back(book.rows(book.sheet(name), remarks));
  } catch (const Error&) {
    throw not_whole("");
  }
  for (std::size_t i = 0; i < answers.size(); ++i) check_sheet(answers[i], sheets[i]);
}

}  // namespace

std::string workbook(const std::vector<Standings>& answers) {
  for (const Standings& standings : answers) {
    if (standings.rows() + 1 > LXW_ROW_MAX || standings.columns().size() > LXW_COL_MAX)
      throw Error(Problem{Code::too_many_rows,
                          "a sheet holds at most 1,048,576 rows and 16,384 columns",
                          {},
                          {},
                          "csv holds any number"});

    // What cannot be written is found before the library begins.
    if (const std::size_t units = utf16_units(standings.title()); units > most_cell_characters)
      throw Error(
          Problem{Code::beyond_limit,
                  "the title has " + std::to_string(units) + " characters; a workbook's cell holds at most 32,767",
                  {},
                  {},
                  "a shorter title"});
    for (const StandingColumn& column : standings.columns())
      if (const std::string pattern = pattern_of(column); pattern.size() > most_pattern_bytes)
        throw Error(Problem{Code::beyond_limit,
                            "the format of `" + column.heading + "` takes " + std::to_string(pattern.size()) +
                                " bytes in a workbook, which holds at most " + std::to_string(most_pattern_bytes),
                            {},
                            {},
                            "a shorter example in [list.formats]"});
    const SheetContent content(standings);
    for (std::size_t c = 0; c < content.columns(); ++c) {
      content.heading(c);
      if (standings.columns()[c].type.kind != Kind::text) continue;
      for (std::size_t r = 0; r < content.rows(); ++r) content.cell(r, c);
    }
  }
  // The library passes over some write errors, which leave a file that looks whole but lacks a part of its styles or
  // its index. The same standings give the same bytes, so it is written twice.
  std::string bytes = written_once(answers);
  if (written_once(answers) != bytes) throw not_whole("");
  check_finished(answers, bytes);
  return bytes;
}

bool is_whole_workbook(const std::string& bytes) {
  try {
    check_parts(Archive("", bytes));
    return true;
  } catch (const Error&) {
    return false;
  }
}

bool is_our_workbook(const std::string& bytes) {
  try {
    const Archive archive("", bytes);
    return archive.has("docProps/custom.xml") &&
           archive.bytes_of("docProps/custom.xml").find(std::string("name=\"") + workbook_mark + "\"") !=
               std::string::npos;
  } catch (const Error&) {
    return false;
  }
}

}  // namespace lofty::engine
