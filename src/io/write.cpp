// Standings as csv and JSON, and results into files.

#include "lofty/write.hpp"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <map>
#include <set>

#include "io/json_text.hpp"
#include "io/write_marks.hpp"
#include "io/write_text.hpp"

namespace lofty {

std::string engine::json_text(const std::string& text) {
  return nlohmann::json(text).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

namespace {

using engine::json_text;

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

// Would an office program that opens the file run this text as a formula?
bool runs(const std::string& text) {
  return !text.empty() && std::string_view("=+-@\t\r").find(text.front()) != std::string_view::npos;
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

// What each column is called in JSON: its heading, and where columns share one, their names, which are unique.
std::vector<std::string> json_keys(const Standings& s) {
  std::vector<std::string> keys, names;
  std::map<std::string, int> uses;
  for (const StandingColumn& column : s.columns()) {
    ++uses[column.heading];
    names.push_back(column.name);
  }
  for (const StandingColumn& column : s.columns())
    keys.push_back(uses[column.heading] > 1 ? column.name : column.heading);
  return std::set<std::string>(keys.begin(), keys.end()).size() == keys.size() ? keys : names;
}

// ", "keys": {"shop_no": 17}"
std::string json_keys_of(const Departed& one) {
  std::string out = ", \"keys\": {";
  for (std::size_t k = 0; k < one.keys.size(); ++k) {
    const Value& value = one.keys[k].second;
    const bool number = std::holds_alternative<Decimal>(value);
    out += (k > 0 ? ", " : "") + json_text(one.keys[k].first) + ": " +
           json_value(value, Type{.kind = number ? Kind::decimal : Kind::text});
  }
  return out + "}";
}

}  // namespace

std::string engine::csv_text(const Standings& s, const WriteOptions& options) {
  const auto field = [&](const std::string& text, bool is_text) {
    return csv_field(options.guard_cells && is_text && runs(text) ? "'" + text : text, is_text);
  };
  std::string out;
  for (std::size_t c = 0; c < s.columns().size(); ++c) out += (c > 0 ? "," : "") + field(s.columns()[c].heading, true);
  out += "\n";
  for (std::size_t r = 0; r < s.rows(); ++r) {
    for (std::size_t c = 0; c < s.columns().size(); ++c) {
      if (c > 0) out += ',';
      const Value value = s.value(r, c);
      if (!is_null(value)) out += field(to_text(value, s.columns()[c].type), s.columns()[c].type.kind == Kind::text);
    }
    out += "\n";
  }

  // Who left, as rows of the same columns.
  for (const Departed& one : s.departed()) {
    if (one.values.empty()) continue;
    for (std::size_t c = 0; c < one.values.size(); ++c) {
      if (c > 0) out += ',';
      const Value& value = one.values[c];
      if (!is_null(value)) out += field(to_text(value, s.columns()[c].type), s.columns()[c].type.kind == Kind::text);
    }
    out += "\n";
  }
  return out;
}

std::string engine::json_answer(const Standings& s) {
  const std::vector<std::string> keys = json_keys(s);
  std::string out = engine::json_mark;
  out += "\n  \"title\": " + json_text(s.title()) + ",\n  \"question\": " + json_text(s.question()) +
         ",\n  \"columns\": [";
  for (std::size_t c = 0; c < s.columns().size(); ++c) {
    const StandingColumn& column = s.columns()[c];
    out += (c > 0 ? ",\n    " : "\n    ") + std::string("{\"name\": ") + json_text(column.name) +
           ", \"heading\": " + json_text(column.heading) + ", \"type\": \"" + to_string(column.type.kind) + "\"}";
  }

  // Rows.
  out += "\n  ],\n  \"rows\": [";
  for (std::size_t r = 0; r < s.rows(); ++r) {
    out += r > 0 ? ",\n    {" : "\n    {";
    for (std::size_t c = 0; c < s.columns().size(); ++c) {
      if (c > 0) out += ", ";
      out += json_text(keys[c]) + ": " + json_value(s.value(r, c), s.columns()[c].type);
    }
    out += "}";
  }

  // The lines for others and for all, and who left.
  out += "\n  ],\n  \"summaries\": [";
  for (std::size_t i = 0; i < s.summaries().size(); ++i) {
    const SummaryLine& line = s.summaries()[i];
    out += (i > 0 ? ",\n    {" : "\n    {") + std::string("\"of\": ") +
           (line.of == SummaryLine::Of::others ? "\"others\"" : "\"all\"") + ", \"label\": " + json_text(line.label) +
           ", \"after_row\": " + std::to_string(line.after + 1) + ", \"entries\": " + std::to_string(line.entries);
    for (std::size_t c = 0; c < s.columns().size(); ++c) {
      if (s.columns()[c].role != Role::total) continue;
      const bool taken = keys[c] == "of" || keys[c] == "label" || keys[c] == "after_row" || keys[c] == "entries";
      out += ", " + json_text(taken ? "total " + keys[c] : keys[c]) + ": " +
             json_value(line.values[c], s.columns()[c].type);
    }
    out += "}";
  }
  out += "\n  ],\n  \"departed\": [";
  for (std::size_t i = 0; i < s.departed().size(); ++i)
    out += (i > 0 ? ",\n    {" : "\n    {") + std::string("\"name\": ") + json_text(s.departed()[i].name) +
           json_keys_of(s.departed()[i]) + ", \"was\": " + to_text(s.departed()[i].was) +
           ", \"now\": " + (is_null(s.departed()[i].now) ? "null" : to_text(s.departed()[i].now)) + "}";

  // Where the rows went, and what there is to say.
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

std::vector<Remark> write_remarks(const Standings& standings, Format format, const WriteOptions& options) {
  if (format != Format::csv || options.guard_cells) return {};
  std::size_t count = 0;
  std::string first;
  const auto see = [&](const std::string& text, const std::string& column) {
    if (runs(text) && count++ == 0) first = "`" + text.substr(0, 40) + "` in `" + column + "`";
  };
  for (std::size_t c = 0; c < standings.columns().size(); ++c) {
    const StandingColumn& column = standings.columns()[c];
    see(column.heading, column.heading);
    if (column.type.kind != Kind::text) continue;
    for (std::size_t r = 0; r < standings.rows(); ++r)
      if (const Value value = standings.value(r, c); !is_null(value)) see(to_text(value), column.heading);
  }
  if (count == 0) return {};
  return {{"cells-run-as-formulas", std::to_string(count) + (count == 1 ? " text begins" : " texts begin") +
                                        " with = + - or @, and an office program that opens the file runs " +
                                        (count == 1 ? "it" : "them") + " as a formula: " + first +
                                        "; --guard-cells writes an apostrophe before them, a workbook needs none"}};
}

namespace engine {

std::string csv_heading(const Standings& standings) {
  std::string line;
  for (std::size_t c = 0; c < standings.columns().size(); ++c)
    line += (c > 0 ? "," : "") + csv_field(standings.columns()[c].heading, true);
  return line + "\n";
}

}  // namespace engine

}  // namespace lofty
