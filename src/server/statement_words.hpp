#pragma once
// Names and texts as a statement holds them.
// Covered by tests/server/postgresql_test.cpp.

#include <string>
#include <vector>

namespace lofty::engine {

inline std::string in_quotes(const std::string& text, char quote) {
  std::string out(1, quote);
  for (const char c : text) out += c == quote ? std::string(2, quote) : std::string(1, c);
  return out + quote;
}
inline std::string quoted_name(const std::string& name) { return in_quotes(name, '"'); }
inline std::string quoted_text(const std::string& text) { return in_quotes(text, '\''); }

// The names that a table may have in a statement: its whole text, and if it has a point, a schema and a table.
inline std::vector<std::string> table_names(const std::string& table) {
  std::vector<std::string> names{quoted_name(table)};
  if (const std::size_t point = table.find('.'); point != std::string::npos)
    names.push_back(quoted_name(table.substr(0, point)) + "." + quoted_name(table.substr(point + 1)));
  return names;
}

}  // namespace lofty::engine
