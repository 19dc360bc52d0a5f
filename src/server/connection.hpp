#pragma once
// One connection to a database server.
// Covered by tests/server/postgresql_test.cpp.

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/run.hpp"
#include "server/address.hpp"

namespace lofty::engine {

// How long a caller waits.
struct Patience {
  double seconds = 600;  // that a statement may take; 0: any number
};

// Runs one statement at a time. Not thread-safe. Every wait ends when the run is stopped (Error(stopped), after the
// statement was cancelled on the server) and when the patience ends (Error(cannot_read)). All functions throw Error; a
// message never shows a password.
class ServerConnection {
 public:
  using Row = std::vector<std::optional<std::string>>;  // nullopt: null
  virtual ~ServerConnection() = default;

  // Runs a statement, and returns its rows as texts.
  virtual std::vector<Row> query(const std::string& statement, const Run& run) = 0;
  // Begins a statement. next_part() returns its result, part by part. No other call is allowed before the last part.
  virtual void begin_stream(const std::string& statement, const Run& run) = 0;
  // The next bytes, which are valid until the next call; empty at the end.
  virtual std::string_view next_part(const Run& run) = 0;
  // Runs a statement that takes rows ("copy ... from stdin"). `more` puts the next bytes into its argument; false:
  // there are no more.
  virtual void load(const std::string& statement, const std::function<bool(std::string& bytes)>& more,
                    const Run& run) = 0;
  // Gives up a stream that is not at its end.
  virtual void cancel() noexcept = 0;
};

// Connects by libpq, which is loaded at the first call. Throws Error(missing_program) without it, Error(cannot_open)
// for a server that does not answer or refuses.
std::unique_ptr<ServerConnection> connect_postgresql(const ServerAddress& address, const Patience& patience,
                                                     const Run& run);

}  // namespace lofty::engine
