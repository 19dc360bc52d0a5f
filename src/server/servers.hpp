#pragma once
// The servers that a run takes tables from: every table of one database in one state.
// Covered by tests/server/postgresql_test.cpp.

#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <vector>

#include "lofty/catalog.hpp"
#include "server/connection.hpp"

namespace lofty::engine {

// One database. The first connection begins a transaction (repeatable read, read only) and exports its snapshot. Each
// other connection imports the snapshot. All of them see the same rows for the whole answer. Thread-safe.
class ServerDatabase {
 public:
  ServerDatabase(ServerAddress address, Patience patience) : address_(std::move(address)), patience_(patience) {}

  // Lends a connection in the shared state to one caller.
  class Lease {
   public:
    Lease(ServerDatabase& database, const Run& run) : database_(database), connection_(database.take(run)) {}
    Lease(const Lease&) = delete;
    Lease& operator=(const Lease&) = delete;
    // A connection that may be in the middle of a stream is closed.
    ~Lease() {
      if (idle) database_.give_back(std::move(connection_));
    }
    ServerConnection& operator*() { return *connection_; }
    ServerConnection* operator->() { return connection_.get(); }
    bool idle = true;

   private:
    ServerDatabase& database_;
    std::unique_ptr<ServerConnection> connection_;
  };

 private:
  std::unique_ptr<ServerConnection> take(const Run& run);
  void give_back(std::unique_ptr<ServerConnection> connection);

  const ServerAddress address_;
  const Patience patience_;
  std::mutex mutex_;
  std::unique_ptr<ServerConnection> first_;  // its transaction keeps the snapshot
  std::string snapshot_;
  std::vector<std::unique_ptr<ServerConnection>> idle_;
};

// The databases by their addresses. Thread-safe.
class Servers {
 public:
  // A table of one of them. Throws Error as connect_postgresql() does; Error(unknown_table) with the nearest name,
  // Error(bad_value) for options that are for files.
  std::shared_ptr<const TableSource> open(const std::string& address, const ReadOptions& options);
  void set_patience(const Patience& patience) { patience_ = patience; }

 private:
  Patience patience_;
  std::mutex mutex_;
  std::map<std::string, std::shared_ptr<ServerDatabase>> databases_;
};

// A table or view of a database. `order`: ReadOptions::order.
std::shared_ptr<const TableSource> open_server_table(std::shared_ptr<ServerDatabase> database,
                                                     const ServerAddress& address,
                                                     const std::vector<std::string>& order);

}  // namespace lofty::engine
