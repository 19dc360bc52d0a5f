// Standings as a table of a server's database.
// Covered by tests/server/postgresql_test.cpp.

#include <algorithm>

#include "base/passwords.hpp"
#include "lofty/error.hpp"
#include "lofty/server.hpp"
#include "server/connection.hpp"
#include "server/statement_words.hpp"

namespace lofty {

std::string without_password(const std::string& address) { return engine::without_password(address); }

namespace {

using engine::quoted_name;
using engine::quoted_text;
using engine::ServerConnection;

// The type of a column there: one that holds all of its values exactly.
std::string type_there(const Type& type) {
  switch (type.kind) {
    case Kind::integer: return "numeric(38, 0)";
    case Kind::decimal: return "numeric(38, " + std::to_string(type.scale) + ")";
    case Kind::floating: return "double precision";
    case Kind::date: return "date";
    case Kind::timestamp: return type.zoned ? "timestamptz" : "timestamp";
    case Kind::boolean: return "boolean";
    default: return "text";
  }
}

// A row as the server's text format has it.
void put_row(const Standings& standings, std::size_t row, std::string& out) {
  for (std::size_t c = 0; c < standings.columns().size(); ++c) {
    if (c > 0) out += '\t';
    const Value value = standings.value(row, c);
    if (is_null(value)) {
      out += "\\N";
      continue;
    }
    for (const char one : to_text(value, standings.columns()[c].type)) {
      const char* const escaped = one == '\\'   ? "\\\\"
                                  : one == '\n' ? "\\n"
                                  : one == '\r' ? "\\r"
                                  : one == '\t' ? "\\t"
                                                : nullptr;
      escaped != nullptr ? out += escaped : out += one;
    }
  }
  out += '\n';
}

// The existing table of that name; empty without one.
std::string found_table(ServerConnection& connection, const std::string& table, const Run& run) {
  for (const std::string& name : engine::table_names(table))
    if (!connection.query("select 1 where to_regclass(" + quoted_text(name) + ") is not null", run).empty())
      return name;
  return {};
}

// The full name of a new table. The text in front of a point is a schema only if that schema exists.
std::string new_table(ServerConnection& connection, const std::string& table, const Run& run) {
  const std::vector<std::string> names = engine::table_names(table);
  const std::string schema = table.substr(0, table.find('.'));
  const bool in_schema =
      names.size() > 1 &&
      !connection.query("select 1 from pg_namespace where nspname = " + quoted_text(schema), run).empty();
  return in_schema ? names.back() : names.front();
}

}  // namespace

void write_server_table(const Standings& standings, const std::string& address, bool replace, double timeout,
                        const Run& run) {
  const engine::ServerAddress to = engine::parse_address(address);
  const auto connection = engine::connect_postgresql(to, {timeout}, run);
  connection->query("begin", run);
  const std::string old = found_table(*connection, to.table, run);
  if (!old.empty() && !replace) {
    Problem p{Code::would_replace,
              "the database has a table `" + to.table + "` already",
              {},
              {},
              "write.replace to replace it, or another name: #" + to.table + "_2"};
    p.location.file = to.shown;
    throw Error(std::move(p));
  }

  // A new table takes the place of the old one once it has all rows. A failure leaves the transaction, and the old
  // table.
  if (!old.empty()) connection->query("drop table " + old, run);
  const std::string name = new_table(*connection, to.table, run);
  std::string columns;
  for (const StandingColumn& column : standings.columns())
    columns += (columns.empty() ? "" : ", ") + quoted_name(column.name) + " " + type_there(column.type);
  connection->query("create table " + name + " (" + columns + ")", run);
  std::size_t row = 0;
  const auto more = [&](std::string& bytes) {
    constexpr std::size_t some = 64 * 1024;
    while (row < standings.rows() && bytes.size() < some) put_row(standings, row++, bytes);
    return !bytes.empty();
  };
  connection->load("copy " + name + " from stdin", more, run);
  connection->query("commit", run);
}

}  // namespace lofty
