#pragma once
// Addresses of tables on database servers: postgresql://user@host:5432/sales#order_lines
// Covered by tests/server/address_test.cpp.

#include <optional>
#include <string>

namespace lofty::engine {

struct ServerAddress {
  std::string connection;  // what the client library takes: everything in front of #, with its password
  std::string table;       // what follows #: "order_lines", or "archive.order_lines" in another schema
  std::string shown;       // the whole address without its password
};

// Throws Error(unknown_table) for a scheme that no server here has, and for an address without a table; the message
// shows no password.
ServerAddress parse_address(const std::string& name);

}  // namespace lofty::engine
