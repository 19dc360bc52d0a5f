// Standings as csv and JSON, and results into files.

#include "lofty/write.hpp"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cstring>
#include <map>
#include <set>

#include "io/json_text.hpp"
#include "io/write_blocks.hpp"
#include "io/write_marks.hpp"
#include "io/write_text.hpp"

namespace lofty {

std::string engine::json_text(const std::string& text) {
  return nlohmann::json(text).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

void engine::quote_json(std::string& out, std::size_t from) {
  const auto plain = [](char c) { return c >= ' ' && c <= '~' && c != '"' && c != '\\'; };
  if (std::all_of(out.begin() + static_cast<std::ptrdiff_t>(from), out.end(), plain)) {
    out.insert(from, 1, '"');
    out += '"';
    return;
  }
  const std::string text = json_text(out.substr(from));
  out.replace(from, std::string::npos, text);
}

namespace {

using engine::json_text;

// May a field of text be written as it is? An empty text may not: it is not null, and quotes tell the two apart, as
// they do on the way in.
bool is_plain(std::string_view text) {
  const auto apart = [](char c) { return c == ',' || c == '"' || c == '\r' || c == '\n'; };
  return !text.empty() && std::none_of(text.begin(), text.end(), apart);
}

// Would an office program that opens the file run this text as a formula?
bool runs(std::string_view text) {
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

namespace {

// A field of text behind `out`.
void put_csv_text(std::string_view text, const WriteOptions& options, std::string& out) {
  const bool guarded = options.guard_cells && runs(text);
  if (is_plain(text)) {
    if (guarded) out += '\'';
    out += text;
    return;
  }
  out += guarded ? "\"'" : "\"";
  for (const char c : text) {
    if (c == '"') out += '"';
    out += c;
  }
  out += '"';
}

// A column of texts, as fields.
void put_csv_texts(engine::CellBlock& cells, std::size_t column, std::size_t rows, const WriteOptions& options) {
  engine::TextStrip& out = cells.strip(column);
  const auto plain = [&](std::string_view text) { return is_plain(text) && !(options.guard_cells && runs(text)); };
  out.bytes.clear();
  out.ends.resize(rows);
  for (std::size_t r = 0; r < rows; ++r) {
    if (!cells.is_null(column, r)) {
      const std::size_t from = out.bytes.size();
      cells.put(column, r, out.bytes);
      if (!cells.is_so(column, r, plain)) {
        const std::string text = out.bytes.substr(from);
        out.bytes.resize(from);
        put_csv_text(text, options, out.bytes);
      }
    }
    out.ends[r] = out.bytes.size();
  }
  out.bytes.append(engine::TextStrip::slack, '\0');
}

void put_csv_rows(engine::CellBlock& cells, std::size_t rows, const WriteOptions& options, std::string& out) {
  // Column by column...
  std::vector<const engine::TextStrip*> columns;
  std::size_t size = out.size() + rows * cells.columns() + engine::TextStrip::slack;
  for (std::size_t c = 0; c < cells.columns(); ++c) {
    if (cells.is_text(c))
      put_csv_texts(cells, c, rows, options);
    else
      cells.put_all(c);
    columns.push_back(&cells.strip(c));
    size += rows > 0 ? columns.back()->ends.back() : 0;
  }

  // ...and then row by row, most of them in one move.
  const std::size_t before = out.size();
  out.resize(size);
  char* at = out.data() + before;
  for (std::size_t r = 0; r < rows; ++r) {
    for (const engine::TextStrip* const strip : columns) {
      const std::size_t begin = r > 0 ? strip->ends[r - 1] : 0, length = strip->ends[r] - begin;
      const char* const from = strip->bytes.data() + begin;
      if (length <= engine::TextStrip::slack)
        std::memcpy(at, from, engine::TextStrip::slack);
      else
        std::memcpy(at, from, length);
      at += length;
      *at++ = ',';
    }
    if (!columns.empty()) at[-1] = '\n';
  }
  out.resize(static_cast<std::size_t>(at - out.data()));
}

}  // namespace

void engine::write_csv(const Standings& s, const WriteOptions& options, const TextSink& sink, const Run& run) {
  std::string out;
  for (std::size_t c = 0; c < s.columns().size(); ++c) {
    if (c > 0) out += ',';
    put_csv_text(s.columns()[c].heading, options, out);
  }
  sink(out + "\n");
  write_blocks(CellBlock(s), s.rows(), sink, run, [&](CellBlock& cells, const RowRange& rows, std::string& text) {
    put_csv_rows(cells, rows.size(), options, text);
  });

  // Who left, as rows of the same columns.
  out.clear();
  for (const Departed& one : s.departed()) {
    if (one.values.empty()) continue;
    for (std::size_t c = 0; c < one.values.size(); ++c) {
      if (c > 0) out += ',';
      const Value& value = one.values[c];
      if (is_null(value)) continue;
      const std::string text = to_text(value, s.columns()[c].type);
      if (s.columns()[c].type.kind == Kind::text)
        put_csv_text(text, options, out);
      else
        out += text;
    }
    out += '\n';
  }
  if (!out.empty()) sink(out);
}

namespace {

// As json_value() of the cell.
void put_json_value(const engine::CellBlock& cells, std::size_t column, std::size_t row, std::string& out) {
  if (cells.is_null(column, row)) {
    out += "null";
    return;
  }
  const std::size_t from = out.size();
  cells.put(column, row, out);
  const Type& type = cells.type(column);
  if (type.kind == Kind::boolean || type.kind == Kind::floating) return;
  const auto first = out.begin() + static_cast<std::ptrdiff_t>(from);
  if (type.exact() && std::count_if(first, out.end(), [](char c) { return c >= '0' && c <= '9'; }) <= 15) return;
  engine::quote_json(out, from);
}

}  // namespace

void engine::write_json(const Standings& s, const TextSink& sink, const Run& run) {
  std::vector<std::string> keys = json_keys(s);
  std::string out = engine::json_mark;
  out += "\n  \"title\": " + json_text(s.title()) + ",\n  \"question\": " + json_text(s.question()) +
         ",\n  \"columns\": [";
  for (std::size_t c = 0; c < s.columns().size(); ++c) {
    const StandingColumn& column = s.columns()[c];
    out += (c > 0 ? ",\n    " : "\n    ") + std::string("{\"name\": ") + json_text(column.name) +
           ", \"heading\": " + json_text(column.heading) + ", \"type\": \"" + to_string(column.type.kind) + "\"}";
  }

  // Rows.
  sink(out + "\n  ],\n  \"rows\": [");
  std::vector<std::string> before;  // of each value
  for (std::size_t c = 0; c < keys.size(); ++c) before.push_back((c > 0 ? ", " : "") + json_text(keys[c]) + ": ");
  write_blocks(CellBlock(s), s.rows(), sink, run, [&](const CellBlock& cells, const RowRange& rows, std::string& text) {
    for (std::size_t r = 0; r < rows.size(); ++r) {
      text += rows.begin + r > 0 ? ",\n    {" : "\n    {";
      for (std::size_t c = 0; c < cells.columns(); ++c) {
        text += before[c];
        put_json_value(cells, c, r, text);
      }
      text += '}';
    }
  });

  // The lines for others and for all, and who left.
  out = "\n  ],\n  \"summaries\": [";
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
  sink(out + "\n  ]\n}\n");
}

std::vector<Remark> engine::csv_remarks(const Standings& standings) {
  std::size_t count = 0;
  std::string first;
  const auto see = [&](const std::string& text, const std::string& column) {
    if (runs(text) && count++ == 0) first = "`" + text.substr(0, 40) + "` in `" + column + "`";
  };

  // Headings and texts, each different one looked at once.
  engine::CellBlock cells(standings);
  std::string text;
  for (std::size_t c = 0; c < standings.columns().size(); ++c) {
    const StandingColumn& column = standings.columns()[c];
    see(column.heading, column.heading);
    for (std::size_t begin = 0; cells.is_text(c) && begin < standings.rows(); begin += engine::CellBlock::usual_rows) {
      const std::size_t rows = std::min(engine::CellBlock::usual_rows, standings.rows() - begin);
      cells.load(c, {begin, begin + rows});
      for (std::size_t r = 0; r < rows; ++r) {
        if (cells.is_null(c, r) || !cells.is_so(c, r, runs)) continue;
        text.clear();
        cells.put(c, r, text);
        see(text, column.heading);
      }
    }
  }
  if (count == 0) return {};
  return {{"cells-run-as-formulas", std::to_string(count) + (count == 1 ? " text begins" : " texts begin") +
                                        " with = + - or @, and an office program that opens the file runs " +
                                        (count == 1 ? "it" : "them") + " as a formula: " + first +
                                        "; write.guard_cells puts an apostrophe before them, a workbook needs none"}};
}

namespace engine {

std::string csv_heading(const Standings& standings) {
  std::string line;
  for (std::size_t c = 0; c < standings.columns().size(); ++c) {
    if (c > 0) line += ',';
    put_csv_text(standings.columns()[c].heading, {}, line);
  }
  return line + "\n";
}

}  // namespace engine

}  // namespace lofty
