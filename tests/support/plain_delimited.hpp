#pragma once
// Delimited text by its definition: libcsv over everything, byte by byte.

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "io/delimited_text.hpp"

namespace support {

using PlainRow = std::vector<std::optional<std::string>>;  // nothing: null

// The rows of a text without its heading line; none where it is malformed or a row has another number of fields.
// `fills`: short rows are filled with nulls.
inline std::optional<std::vector<PlainRow>> plain_rows(std::string_view text, char delimiter, std::size_t fields,
                                                       bool fills = false) {
  struct State {
    std::vector<PlainRow> rows{};
    PlainRow row{};
    int last_end = 0;
  } state;
  const auto on_field = [](void* field, std::size_t size, void* to) {
    auto& row = static_cast<State*>(to)->row;
    if (field == nullptr)
      row.emplace_back();
    else
      row.emplace_back(std::string(static_cast<const char*>(field), size));
  };
  const auto on_record = [](int end, void* to) {
    State& s = *static_cast<State*>(to);
    if (s.row.empty() && end == '\n' && s.last_end == '\r') {  // the second half of CR LF
      s.last_end = 0;
      return;
    }
    if (s.row.empty()) s.row.emplace_back();
    s.last_end = end;
    s.rows.push_back(std::move(s.row));
    s.row.clear();
  };
  lofty::engine::CsvParser parser(delimiter, fields == 1);
  if (parser.parse(text, on_field, on_record, &state) != text.size()) return std::nullopt;
  if (!parser.finish(on_field, on_record, &state)) return std::nullopt;
  for (PlainRow& row : state.rows) {
    if (fills && row.size() < fields) row.resize(fields);
    if (row.size() != fields) return std::nullopt;
  }
  return std::move(state.rows);
}

}  // namespace support
