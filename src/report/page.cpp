// Answers as a web page, through the template in report/page.
// Covered by tests/tool/draw_test.cpp, and in a browser by tests/browser/page_test.mjs.

#include "lofty/page.hpp"
#include "lofty/version.hpp"

#include <kainjow/mustache.hpp>

#include <algorithm>
#include <cmath>
#include <map>

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

// Whole numbers that compare as a column's values do, from 1; 0: null.
std::vector<std::uint32_t> codes_of(const Standings& s, std::size_t column, const std::string& locale) {
  std::vector<std::uint8_t> nulls(s.rows());
  const auto coded = [&](auto values, const auto& value_of) {
    values.resize(s.rows());
    for (std::size_t r = 0; r < s.rows(); ++r) {
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
        id_("ladder-" + std::to_string(number)),
        among_several_(among_several) {}

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
    bool any_tied = false;
    const std::size_t name = name_column(s_);  // heads each row

    // Headings.
    data columns = list();
    for (std::size_t c = 0; c < s_.columns().size(); ++c) {
      data one;
      one.set("name", printable(column(c).heading));
      one.set("number", is_number(c));
      if (column(c).sort_position == 1) one.set("sorted", column(c).descending ? "descending" : "ascending");
      columns.push_back(one);
      codes_.push_back(codes_of(s_, c, answer_.locale));
      if (column(c).bar) scales_.emplace(c, BarScale(s_, c));
    }

    // Rows, in a body for each group.
    data bodies = list(), rows = list();
    std::size_t summary = 0;
    const auto finish_body = [&] {
      data body;
      body.set("rows", rows);
      bodies.push_back(body);
      rows = list();
    };
    for (std::size_t r = 0; r < s_.rows(); ++r) {
      if (r > 0 && s_.starts_group(r) && !nested()) finish_body();
      rows.push_back(row(r, name, any_tied));
      for (; summary < s_.summaries().size() && s_.summaries()[summary].after == r; ++summary)
        rows.push_back(summary_row(s_.summaries()[summary]));
    }
    finish_body();

    // All of it to the template.
    out.set("columns", columns);
    out.set("bodies", bodies);
    out.set("width", std::to_string(s_.columns().size()));
    out.set("any_tied", any_tied);
  }

  data row(std::size_t r, std::size_t name, bool& any_tied) const {
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
    any_tied = any_tied || row_tied;
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
      row.set("name", one.name);
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
  const std::string id_;
  const bool among_several_;
  std::vector<std::vector<std::uint32_t>> codes_;  // by column, then row
  std::map<std::size_t, BarScale> scales_;         // by column; of bars
};

}  // namespace

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
  data root, all = list();
  std::string title = printable(options.title);
  for (std::size_t i = 0; i < answers.size(); ++i) {
    AnswerData one(answers[i], i + 1, answers.size() > 1, options);
    if (title.empty()) title = answers.size() == 1 ? one.title() : std::to_string(answers.size()) + " ladders";
    all.push_back(one.make());
  }
  root.set("mark", engine::page_mark);
  root.set("title", title);
  root.set("has_index", answers.size() > 1);
  root.set("answers", all);
  root.set("css", page_css);
  root.set("js", page_js);
  root.set("version", lofty::version());
  kainjow::mustache::mustache sheet{std::string(page_template)};
  return sheet.render(root);
}

}  // namespace lofty
