#include "server/servers.hpp"

#include "lofty/error.hpp"

namespace lofty::engine {

std::unique_ptr<ServerConnection> ServerDatabase::take(const Run& run) {
  const std::scoped_lock lock(mutex_);
  if (!first_) {
    auto first = connect_postgresql(address_, patience_, run);
    first->query("begin transaction isolation level repeatable read, read only", run);
    snapshot_ = first->query("select pg_export_snapshot()", run).at(0).at(0).value_or("");
    first_ = std::move(first);
  }
  if (!idle_.empty()) {
    auto connection = std::move(idle_.back());
    idle_.pop_back();
    return connection;
  }
  auto connection = connect_postgresql(address_, patience_, run);
  connection->query("begin transaction isolation level repeatable read, read only", run);
  connection->query("set transaction snapshot '" + snapshot_ + "'", run);
  return connection;
}

void ServerDatabase::give_back(std::unique_ptr<ServerConnection> connection) {
  const std::scoped_lock lock(mutex_);
  idle_.push_back(std::move(connection));
}

std::shared_ptr<const TableSource> Servers::open(const std::string& address, const ReadOptions& options) {
  const ServerAddress parsed = parse_address(address);
  ReadOptions others = options;
  others.order.clear();
  if (!others.empty()) {
    Problem p{Code::bad_value,
              "a server's table has its types and headings already",
              {},
              {},
              "a view on the server can give it others"};
    p.location.file = parsed.shown;
    throw Error(std::move(p));
  }
  std::shared_ptr<ServerDatabase> database;
  {
    const std::scoped_lock lock(mutex_);
    std::shared_ptr<ServerDatabase>& one = databases_[parsed.connection];
    if (!one) one = std::make_shared<ServerDatabase>(parsed, patience_);
    database = one;
  }
  return open_server_table(std::move(database), parsed, options.order);
}

}  // namespace lofty::engine
