#include "lofty/write.hpp"

#include <nlohmann/json.hpp>

#include <algorithm>

#include "io/write_workbook.hpp"
#include "table/nearest.hpp"

namespace lofty {
namespace {

std::string csv_field(const std::string& text, bool is_text) {
  // An empty text is not null: quotes tell them apart, as they do on the way in.
  const bool needs = (is_text && text.empty()) || text.find_first_of(",\"\r\n") != std::string::npos;
  if (!needs) return text;
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"') out += '"';
    out += c;
  }
  return out + "\"";
}

std::string csv(const Standings& s) {
  std::string out;
  for (std::size_t c = 0; c < s.columns().size(); ++c)
    out += (c > 0 ? "," : "") + csv_field(s.columns()[c].heading, true);
  out += "\n";
  for (std::size_t r = 0; r < s.rows(); ++r) {
    for (std::size_t c = 0; c < s.columns().size(); ++c) {
      if (c > 0) out += ',';
      const Value value = s.value(r, c);
      if (!is_null(value))
        out += csv_field(to_text(value, s.columns()[c].type), s.columns()[c].type.kind == Kind::text);
    }
    out += "\n";
  }
  return out;
}

std::string json_text(const std::string& text) {
  return nlohmann::json(text).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

std::string json_value(const Value& value, const Type& type) {
  if (is_null(value)) return "null";
  const std::string text = to_text(value, type);
  if (std::holds_alternative<bool>(value)) return text;
  if (type.kind == Kind::floating) return text;
  if (type.exact()) {
    const auto digits = std::count_if(text.begin(), text.end(), [](char c) { return c >= '0' && c <= '9'; });
    if (digits <= 15) return text;
  }
  return json_text(text);
}

std::string json(const Standings& s) {
  std::string out = "{\n  \"title\": " + json_text(s.title()) + ",\n  \"question\": " + json_text(s.question()) +
                    ",\n  \"columns\": [";
  for (std::size_t c = 0; c < s.columns().size(); ++c) {
    const StandingColumn& column = s.columns()[c];
    out += (c > 0 ? ",\n    " : "\n    ") + std::string("{\"name\": ") + json_text(column.name) +
           ", \"heading\": " + json_text(column.heading) + ", \"type\": \"" + kind_name(column.type.kind) + "\"}";
  }
  out += "\n  ],\n  \"rows\": [";
  for (std::size_t r = 0; r < s.rows(); ++r) {
    out += r > 0 ? ",\n    {" : "\n    {";
    for (std::size_t c = 0; c < s.columns().size(); ++c) {
      if (c > 0) out += ", ";
      out += json_text(s.columns()[c].heading) + ": " + json_value(s.value(r, c), s.columns()[c].type);
    }
    out += "}";
  }
  out += "\n  ],\n  \"summaries\": [";
  for (std::size_t i = 0; i < s.summaries().size(); ++i) {
    const SummaryLine& line = s.summaries()[i];
    out += (i > 0 ? ",\n    {" : "\n    {") + std::string("\"of\": ") +
           (line.of == SummaryLine::Of::others ? "\"others\"" : "\"all\"") + ", \"label\": " + json_text(line.label) +
           ", \"behind_row\": " + std::to_string(line.behind + 1) + ", \"entries\": " + std::to_string(line.entries);
    for (std::size_t c = 0; c < s.columns().size(); ++c)
      if (s.columns()[c].role == Role::total)
        out += ", " + json_text(s.columns()[c].heading) + ": " + json_value(line.values[c], s.columns()[c].type);
    out += "}";
  }
  out += "\n  ],\n  \"departed\": [";
  for (std::size_t i = 0; i < s.departed().size(); ++i)
    out += (i > 0 ? ",\n    {" : "\n    {") + std::string("\"name\": ") + json_text(s.departed()[i].name) +
           ", \"was\": " + to_text(s.departed()[i].was) +
           ", \"now\": " + (is_null(s.departed()[i].now) ? "null" : to_text(s.departed()[i].now)) + "}";
  const Accounting& a = s.accounting();
  out += "\n  ],\n  \"accounting\": {\"read\": " + std::to_string(a.read) +
         ", \"left_out\": " + std::to_string(a.left_out) + ", \"unknown\": " + std::to_string(a.unknown) +
         ", \"counted\": " + std::to_string(a.counted) + ", \"entries\": " + std::to_string(a.entries) +
         ", \"ranked\": " + std::to_string(a.ranked) + ", \"unranked\": " + std::to_string(a.unranked) +
         ", \"listed\": " + std::to_string(a.listed) + "},\n  \"remarks\": [";
  for (std::size_t i = 0; i < s.remarks().size(); ++i)
    out += (i > 0 ? ",\n    " : "\n    ") + std::string("{\"code\": ") + json_text(s.remarks()[i].code) +
           ", \"sentence\": " + json_text(s.remarks()[i].sentence) + "}";
  return out + "\n  ]\n}\n";
}

std::string markdown_cell(std::string text) {
  for (std::size_t at = 0; (at = text.find_first_of("|\\\r\n", at)) != std::string::npos; at += 2) {
    if (text[at] == '\n' || text[at] == '\r')
      text.replace(at, 1, "  ");
    else
      text.insert(at, "\\");
  }
  return text;
}

std::string markdown(const Standings& s) {
  std::string out;
  if (!s.title().empty()) out += "## " + s.title() + "\n\n";
  out += s.question() + "\n\n|";
  for (const StandingColumn& column : s.columns()) out += " " + markdown_cell(column.heading) + " |";
  out += "\n|";
  for (const StandingColumn& column : s.columns()) out += column.type.numeric() ? "---:|" : "---|";
  out += "\n";
  std::size_t summary = 0;
  for (std::size_t r = 0; r < s.rows(); ++r) {
    out += "|";
    for (std::size_t c = 0; c < s.columns().size(); ++c) {
      const Value value = s.value(r, c);
      std::string text =
          is_null(value) ? (s.of_level(r, c) ? "(none)" : "") : markdown_cell(to_text(value, s.columns()[c].type));
      if (s.columns()[c].role == Role::place && s.columns()[c].ties != Ties::ordinal && s.tied(r, c) && !is_null(value))
        text += "=";
      out += " " + text + " |";
    }
    out += "\n";
    for (; summary < s.summaries().size() && s.summaries()[summary].behind == r; ++summary) {
      const SummaryLine& line = s.summaries()[summary];
      out += "|";
      for (std::size_t c = 0; c < s.columns().size(); ++c) {
        const std::string text = c == line.label_column ? line.label : to_text(line.values[c], s.columns()[c].type);
        out += " " + (text.empty() ? text : "*" + markdown_cell(text) + "*") + " |";
      }
      out += "\n";
    }
  }
  out += "\n" + s.shown_of_total() + ".\n";
  for (const Remark& remark : s.remarks()) out += "\n- **" + remark.code + "**: " + remark.sentence + "\n";
  return out;
}

}  // namespace

Format format_from(std::string_view ending) {
  if (ending == "csv") return Format::csv;
  if (ending == "json") return Format::json;
  if (ending == "md") return Format::markdown;
  if (ending == "xlsx") return Format::workbook;
  for (const char* later : {"html", "sqlite"})
    if (ending == later)
      throw Error(Problem{Code::not_in_this_version,
                          "`" + std::string(ending) + "` files are not in this version",
                          {},
                          {},
                          "csv, json, md or xlsx"});
  throw Error(Problem{Code::unknown_word,
                      "no format is called `" + std::string(ending) + "`",
                      {},
                      engine::nearest_word(ending, {"csv", "json", "md", "xlsx"}),
                      "csv, json, md or xlsx"});
}

std::string written(const Standings& standings, Format format) {
  switch (format) {
    case Format::csv: return csv(standings);
    case Format::json: return json(standings);
    case Format::markdown: return markdown(standings);
    case Format::workbook: return engine::workbook(standings);
  }
  return {};
}

}  // namespace lofty
