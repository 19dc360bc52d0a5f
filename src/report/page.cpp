// Answers as a web page, through the templates in report/page. Rows are rendered a hundred at a time and handed on, so
// that memory does not grow with them: page.mustache has a mark where they go.
// Covered by tests/tool/draw_test.cpp, and in a browser by tests/browser/page_test.mjs.

#include "lofty/page.hpp"
#include "lofty/version.hpp"

#include <kainjow/mustache.hpp>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <map>
#include <memory>

#include "io/write_marks.hpp"
#include "lofty/key.hpp"
#include "lofty/listing.hpp"
#include "lofty/order.hpp"
#include "lofty/places.hpp"
#include "question/prose.hpp"
#include "report/accounting.hpp"
#include "report/bars.hpp"
#include "report/cells.hpp"
#include "report/cost_table.hpp"
#include "report/names.hpp"
#include "report/page_parts.hpp"
#include "report/width.hpp"

namespace lofty {
namespace {

using namespace report;
using kainjow::mustache::data;

data list() { return data(data::type::list); }

std::string base64(const std::string& bytes) {
  static constexpr char signs[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string out;
  for (std::size_t at = 0; at < bytes.size(); at += 3) {
    std::uint32_t three = 0;
    for (std::size_t i = 0; i < 3; ++i)
      three = three << 8 | (at + i < bytes.size() ? static_cast<unsigned char>(bytes[at + i]) : 0U);
    for (std::size_t i = 0; i < 4; ++i) out += at + i > bytes.size() ? '=' : signs[three >> (18 - 6 * i) & 63];
  }
  return out;
}

// The bytes of a hash of hexadecimal digits.
std::string bytes_of(std::string_view digits) {
  std::string out;
  for (std::size_t at = 0; at + 1 < digits.size(); at += 2) {
    int byte = 0;
    std::from_chars(digits.data() + at, digits.data() + at + 2, byte, 16);
    out += static_cast<char>(byte);
  }
  return out;
}

// Whole numbers that compare as a column's values in the first `rows` rows do, from 1; 0: null.
std::vector<std::uint32_t> codes_of(const Standings& s, std::size_t column, std::size_t rows,
                                    const std::string& locale) {
  std::vector<std::uint8_t> nulls(rows);
  const auto coded = [&](auto values, const auto& value_of) {
    values.resize(rows);
    for (std::size_t r = 0; r < rows; ++r) {
      const Value value = s.value(r, column);
      // Another level's value says nothing about this row.
      nulls[r] = is_null(value) || !s.of_level(r, column);
      if (nulls[r] == 0) values[r] = value_of(value);
    }
    return places_by_row(order({ascending(values, {.locale = locale, .null_mask = nulls})}), Ties::dense);
  };
  switch (s.columns()[column].type.kind) {
    case Kind::integer:
    case Kind::decimal: return coded(std::vector<Decimal>{}, [](const Value& v) { return std::get<Decimal>(v); });
    case Kind::floating: return coded(std::vector<double>{}, [](const Value& v) { return std::get<double>(v); });
    case Kind::date: return coded(std::vector<Date>{}, [](const Value& v) { return std::get<Date>(v); });
    case Kind::timestamp: return coded(std::vector<Timestamp>{}, [](const Value& v) { return std::get<Timestamp>(v); });
    case Kind::boolean:
      return coded(std::vector<std::uint8_t>{}, [](const Value& v) { return std::uint8_t{std::get<bool>(v)}; });
    default: return coded(std::vector<std::string>{}, [](const Value& v) { return to_text(v); });
  }
}

class AnswerData {
 public:
  AnswerData(const PageAnswer& answer, std::size_t number, bool among_several, const PageOptions& options)
      : answer_(answer),
        s_(answer.standings),
        options_(options),
        cells_(answer.standings),
        rows_(std::min(s_.rows(), options.most_rows)),
        id_("ladder-" + std::to_string(number)),
        among_several_(among_several),
        rows_template_(std::string(page_rows)) {}

  data make() {
    data out;
    out.set("id", id_);
    out.set("title", title());
    out.set("heading", among_several_ ? "h2" : "h1");
    out.set("question", printable(s_.question()));
    out.set("shown", printable(s_.shown_of_total()));
    out.set("nested", s_.levels() > 1);
    choices(out);
    pictures(out);
    table(out);
    departed(out);
    remarks(out);
    account(out);
    workings(out);
    cost(out);
    return out;
  }

  // A line of the page that stands for the rows. Data cannot spell it: printable() leaves no control character.
  std::string mark() const { return "\x01" + id_; }

  // The table's bodies, in batches.
  void put_rows(const TextSink& sink) {
    constexpr std::size_t batch = 100;
    data rows = list();
    std::size_t waiting = 0, summary = 0;
    const auto flush = [&] {
      data root;
      root.set("rows", rows);
      root.set("nested", nested());
      root.set("width", std::to_string(s_.columns().size()));
      rows_template_.render(root, [&](const std::string& text) { sink(text); });
      rows = list();
      waiting = 0;
    };

    // A body for each group.
    const std::size_t name = name_column(s_);  // heads each row
    sink("<tbody>\n");
    for (std::size_t r = 0; r < rows_; ++r) {
      if (r > 0 && s_.starts_group(r) && !nested()) {
        flush();
        sink("</tbody>\n<tbody>\n");
      }
      rows.push_back(row(r, name));
      for (; summary < s_.summaries().size() && s_.summaries()[summary].after == r; ++summary)
        rows.push_back(summary_row(s_.summaries()[summary]));
      if (++waiting == batch) flush();
    }
    flush();
    sink("</tbody>\n");
  }

  std::string title() const { return printable(s_.title().empty() ? s_.shown_of_total() : s_.title()); }

 private:
  bool nested() const { return s_.levels() > 1; }
  const StandingColumn& column(std::size_t c) const { return s_.columns()[c]; }
  // Aligned to the right; places of levels are indented from the left instead.
  bool is_number(std::size_t c) const {
    return column(c).type.numeric() && !(nested() && column(c).role == Role::place);
  }

  void choices(data& out) const {
    data all = list();
    for (const auto& [name, value] : answer_.choices) {
      data one;
      one.set("name", printable(name));
      one.set("value", printable(value));
      all.push_back(one);
    }
    out.set("has_choices", !answer_.choices.empty());
    out.set("choices", all);
  }

  void pictures(data& out) const {
    data all = list();
    for (const Picture& picture : answer_.pictures) {
      data one;
      one.set("light", base64(drawn(picture, PictureFormat::svg, {.titled = false})));
      one.set("dark", base64(drawn(picture, PictureFormat::svg, {.dark = true, .titled = false})));
      one.set("words", std::string("Picture of ") + to_string(picture.kind()) + ": " + title() +
                           ". The table below has its numbers.");
      all.push_back(one);
    }
    out.set("pictures", all);
  }

  void table(data& out) {
    data columns = list();
    for (std::size_t c = 0; c < s_.columns().size(); ++c) {
      data one;
      one.set("name", printable(column(c).heading));
      one.set("number", is_number(c));
      if (column(c).sort_position == 1) one.set("sorted", column(c).descending ? "descending" : "ascending");
      columns.push_back(one);
      codes_.push_back(codes_of(s_, c, rows_, answer_.locale));
      if (column(c).bar) scales_.emplace(c, BarScale(s_, c));
    }

    // Whether a row that is shown shares its place.
    bool any_tied = false;
    for (std::size_t r = 0; r < rows_ && !any_tied; ++r)
      for (std::size_t c = 0; c < s_.columns().size() && !any_tied; ++c) any_tied = s_.tied(r, c);

    // All of it to the template.
    out.set("columns", columns);
    out.set("rows_here", mark());
    out.set("any_tied", any_tied);
    if (rows_ < s_.rows()) out.set("left_out", rows_left_out(s_, rows_));
  }

  data row(std::size_t r, std::size_t name) const {
    data out, cells = list();
    std::string codes;
    bool row_tied = false;
    for (std::size_t c = 0; c < s_.columns().size(); ++c) {
      const bool another = nested() && !s_.of_level(r, c);
      data cell;
      const bool heads = c == name && !another;
      cell.set("tag", heads ? "th" : "td");
      cell.set("row_header", heads);
      cell.set("number", is_number(c));
      cell.set("text", another ? std::string() : cells_.text(r, c));
      const bool tied = s_.tied(r, c);
      cell.set("tied", tied);
      row_tied = row_tied || tied;
      if (column(c).bar) add_bar(scales_.at(c).bar(r).value_or(Bar{}), cell);
      codes += (c > 0 ? " " : "") + std::to_string(codes_[c][r]);
      cells.push_back(cell);
    }

    // The row itself.
    out.set("cells", cells);
    out.set("codes", codes);
    // To the template an empty text is there, too: what does not apply is not set.
    if (row_tied) out.set("class", "tied");
    out.set("level", std::to_string(s_.level(r)));
    if (s_.passed_over(r) > 0) out.set("note", "(" + engine::with_commas(s_.passed_over(r)) + " not shown)");
    return out;
  }

  // In per cent of the room for bars, which each number of the column has next to it.
  static void add_bar(const Bar& bar, data& cell) {
    cell.set("bar", true);
    cell.set("from", std::to_string(std::lround(bar.from * 100)));
    cell.set("to", std::to_string(std::lround(bar.to * 100)));
    cell.set("negative", bar.negative);
  }

  data summary_row(const SummaryLine& line) const {
    data out, cells = list();
    for (std::size_t c = 0; c < s_.columns().size(); ++c) {
      data cell;
      cell.set("tag", "td");
      cell.set("number", is_number(c));
      cell.set("text", c == line.label_column    ? printable(line.label)
                       : is_null(line.values[c]) ? std::string()
                                                 : cells_.of(c, line.values[c]));
      if (column(c).bar) add_bar({}, cell);
      cells.push_back(cell);
    }
    out.set("cells", cells);
    out.set("class", line.of == SummaryLine::Of::others ? "others" : "all");
    out.set("level", std::to_string(line.level));
    return out;
  }

  void departed(data& out) const {
    if (s_.departed().empty()) return;
    data all = list();
    for (const Departed& one : s_.departed()) {
      data row;
      row.set("name", printable(one.name));
      row.set("was", to_text(one.was));
      row.set("now", is_null(one.now) ? std::string("no place") : to_text(one.now));
      all.push_back(row);
    }
    out.set("departed", all);
    out.set("any_departed", true);
  }

  void remarks(data& out) const {
    data all = list();
    for (const Remark& remark : s_.remarks()) {
      data one;
      one.set("code", remark.code);
      one.set("sentence", printable(remark.sentence));
      all.push_back(one);
    }
    out.set("has_remarks", !s_.remarks().empty());
    out.set("remarks", all);
  }

  void account(data& out) const {
    data all = list();
    for (const std::string& line : accounting_lines(s_)) {
      data one;
      one.set("line", line);
      all.push_back(one);
    }
    out.set("accounting", all);
  }

  void workings(data& out) const {
    data all = list();
    for (const Workings& one : answer_.workings) {
      data entry;
      std::string text = workings_text(one, options_.workings_rows, {.width = 100});
      entry.set("entry", printable(one.entry) + (is_null(one.place) ? "" : ", place " + to_text(one.place)));
      entry.set("text", text.substr(std::min(text.find('\n') + 1, text.size())));
      all.push_back(entry);
    }
    const std::size_t count = answer_.workings.size();
    out.set("has_workings", count > 0);
    out.set("workings_count", count == 1 ? std::string("entry") : std::to_string(count) + " entries");
    out.set("workings", all);
  }

  void cost(data& out) const {
    const Cost& cost = s_.cost();
    out.set("has_cost", !cost.steps.empty());
    if (cost.steps.empty()) return;
    const CostTable table = cost_table(cost);
    const auto cells_of = [&](const std::vector<std::string>& texts) {
      data cells = list();
      for (std::size_t c = 0; c < texts.size(); ++c) {
        if (c == 2 && !table.any_by) continue;
        data cell;
        cell.set("text", printable(texts[c]));
        cell.set("number", c > 2);
        cells.push_back(cell);
      }
      return cells;
    };

    // The steps, and their sum.
    data rows = list();
    const auto add = [&](const std::vector<std::string>& texts) {
      data row;
      row.set("cells", cells_of(texts));
      rows.push_back(row);
    };
    for (const auto& texts : table.rows) add(texts);
    add(table.sums);
    out.set("cost_headings", cells_of(table.headings));
    out.set("cost_rows", rows);
    out.set("cost_sum", time_text(cost.measured().value_or(cost.estimated())));
  }

  const PageAnswer& answer_;
  const Standings& s_;
  const PageOptions& options_;
  const CellTexts cells_;
  const std::size_t rows_;  // that are shown
  const std::string id_;
  const bool among_several_;
  kainjow::mustache::mustache rows_template_;
  std::vector<std::vector<std::uint32_t>> codes_;  // by column, then row
  std::map<std::size_t, BarScale> scales_;         // by column; of bars
};

}  // namespace

std::string rows_left_out(const Standings& standings, std::size_t most_rows) {
  if (standings.rows() <= most_rows) return {};
  return "this page has the first " + engine::with_commas(most_rows) + " of " + engine::with_commas(standings.rows()) +
         " rows; " + engine::with_commas(standings.rows() - most_rows) + " are left out";
}

std::vector<std::pair<std::string, std::string>> choices_of(const Ladder& ladder) {
  std::vector<std::pair<std::string, std::string>> out;
  for (const Choice& choice : ladder.choices) {
    std::string text = to_text(choice.value);
    if (!choice.unit.empty()) text += " " + choice.unit;
    out.emplace_back(choice.label.empty() ? choice.name : choice.label, text);
  }
  return out;
}

std::string page(const std::vector<PageAnswer>& answers, const PageOptions& options) {
  std::string out;
  page(
      answers, [&](std::string_view part) { out += part; }, options);
  return out;
}

void page(const std::vector<PageAnswer>& answers, const TextSink& sink, const PageOptions& options) {
  data root, all = list();
  std::string title = printable(options.title);
  std::vector<std::unique_ptr<AnswerData>> parts;
  for (std::size_t i = 0; i < answers.size(); ++i) {
    parts.push_back(std::make_unique<AnswerData>(answers[i], i + 1, answers.size() > 1, options));
    AnswerData& one = *parts.back();
    if (title.empty()) title = answers.size() == 1 ? one.title() : std::to_string(answers.size()) + " ladders";
    all.push_back(one.make());
  }

  // The page around the answers.
  root.set("mark", engine::page_mark);
  root.set("title", title);
  root.set("has_index", answers.size() > 1);
  root.set("answers", all);
  root.set("css", page_css);
  root.set("js", page_js);
  root.set("css_hash", base64(bytes_of(page_css_hash)));
  root.set("js_hash", base64(bytes_of(page_js_hash)));
  root.set("version", lofty::version());

  // Line by line, with the rows of each answer in their place.
  kainjow::mustache::mustache sheet{std::string(page_template)};
  std::size_t next = 0;  // the answer whose rows come next
  sheet.render(root, [&](const std::string& line) {
    if (next < parts.size() && line == parts[next]->mark())
      parts[next++]->put_rows(sink);
    else
      sink(line);
  });
}

}  // namespace lofty
