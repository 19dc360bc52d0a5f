// PostgreSQL through libpq, which is loaded when an address asks for it.

#include <dlfcn.h>
#include <libpq-fe.h>
#include <poll.h>

#include <algorithm>
#include <chrono>

#include "base/parallel.hpp"
#include "lofty/error.hpp"
#include "server/connection.hpp"

namespace lofty::engine {
namespace {

// The functions of libpq that are used here.
struct Client {
  decltype(&PQconnectStartParams) connect_start = nullptr;
  decltype(&PQconnectPoll) connect_poll = nullptr;
  decltype(&PQstatus) status = nullptr;
  decltype(&PQerrorMessage) error_message = nullptr;
  decltype(&PQfinish) finish = nullptr;
  decltype(&PQsocket) socket = nullptr;
  decltype(&PQsendQuery) send_query = nullptr;
  decltype(&PQconsumeInput) consume_input = nullptr;
  decltype(&PQisBusy) is_busy = nullptr;
  decltype(&PQgetResult) get_result = nullptr;
  decltype(&PQresultStatus) result_status = nullptr;
  decltype(&PQresultErrorField) result_error_field = nullptr;
  decltype(&PQntuples) tuples = nullptr;
  decltype(&PQnfields) fields = nullptr;
  decltype(&PQgetvalue) value = nullptr;
  decltype(&PQgetlength) length = nullptr;
  decltype(&PQgetisnull) is_null = nullptr;
  decltype(&PQclear) clear = nullptr;
  decltype(&PQgetCopyData) get_copy_data = nullptr;
  decltype(&PQfreemem) free_memory = nullptr;
  decltype(&PQputCopyData) put_copy_data = nullptr;
  decltype(&PQputCopyEnd) put_copy_end = nullptr;
  decltype(&PQgetCancel) get_cancel = nullptr;
  decltype(&PQcancel) cancel = nullptr;
  decltype(&PQfreeCancel) free_cancel = nullptr;

  static const Client& get() {
    static const Client client;
    return client;
  }

 private:
  Client() {
    void* const library = ::dlopen("libpq.so.5", RTLD_NOW | RTLD_LOCAL);
    const auto find = [&]<class Function>(Function*& to, const char* name) {
      to = library == nullptr ? nullptr : reinterpret_cast<Function*>(::dlsym(library, name));
      if (to == nullptr)
        throw Error(Problem{Code::missing_program,
                            "reading from PostgreSQL takes its client library, libpq, which is not installed",
                            {},
                            {},
                            "the Debian package libpq5"});
    };

    // Connections.
    find(connect_start, "PQconnectStartParams");
    find(connect_poll, "PQconnectPoll");
    find(status, "PQstatus");
    find(error_message, "PQerrorMessage");
    find(finish, "PQfinish");
    find(socket, "PQsocket");

    // Statements, and their results.
    find(send_query, "PQsendQuery");
    find(consume_input, "PQconsumeInput");
    find(is_busy, "PQisBusy");
    find(get_result, "PQgetResult");
    find(result_status, "PQresultStatus");
    find(result_error_field, "PQresultErrorField");
    find(tuples, "PQntuples");
    find(fields, "PQnfields");
    find(value, "PQgetvalue");
    find(length, "PQgetlength");
    find(is_null, "PQgetisnull");
    find(clear, "PQclear");

    // Streams of rows.
    find(get_copy_data, "PQgetCopyData");
    find(free_memory, "PQfreemem");
    find(put_copy_data, "PQputCopyData");
    find(put_copy_end, "PQputCopyEnd");
    find(get_cancel, "PQgetCancel");
    find(cancel, "PQcancel");
    find(free_cancel, "PQfreeCancel");
  }
};

// Without the line end and the prefix that the client library gives its messages.
std::string tidy(std::string text) {
  while (!text.empty() && (text.back() == '\n' || text.back() == ' ')) text.pop_back();
  std::replace(text.begin(), text.end(), '\n', ' ');
  for (const char* const prefix : {"ERROR:  ", "FATAL:  "})
    if (text.starts_with(prefix)) text.erase(0, std::char_traits<char>::length(prefix));
  return text;
}

class Postgresql final : public ServerConnection {
 public:
  Postgresql(const ServerAddress& address, const Patience& patience, const Run& run)
      : client_(Client::get()), address_(address), patience_(patience) {
    const char* const names[] = {"dbname", "client_encoding", "fallback_application_name", nullptr};
    const char* const values[] = {address.connection.c_str(), "UTF8", "lofty", nullptr};
    connection_.reset(client_.connect_start(names, values, 1));
    if (!connection_) throw std::bad_alloc();
    begin_waiting(std::min(patience.seconds > 0 ? patience.seconds : most_to_connect, most_to_connect));
    for (PostgresPollingStatusType polled = PGRES_POLLING_WRITING; polled != PGRES_POLLING_OK;) {
      if (client_.status(connection_.get()) == CONNECTION_BAD || polled == PGRES_POLLING_FAILED) throw cannot_connect();
      wait(polled == PGRES_POLLING_WRITING, run);
      polled = client_.connect_poll(connection_.get());
    }

    // The server also ends a statement that takes too long, and one whose client is gone.
    query("set statement_timeout = " + std::to_string(static_cast<std::int64_t>(patience.seconds * 1000)), run);
    query(
        "set datestyle = 'ISO'; set timezone = 'UTC'; set client_connection_check_interval = '2s'; "
        "set idle_in_transaction_session_timeout = 0",
        run);
  }

  std::vector<Row> query(const std::string& statement, const Run& run) override {
    send(statement);
    std::vector<Row> rows;
    while (const Result result = next_result(run)) {
      const ExecStatusType status = client_.result_status(result.get());
      if (status != PGRES_TUPLES_OK && status != PGRES_COMMAND_OK) throw failed(result.get());
      for (int r = 0; r < client_.tuples(result.get()); ++r) {
        Row& row = rows.emplace_back();
        for (int f = 0; f < client_.fields(result.get()); ++f) {
          if (client_.is_null(result.get(), r, f) != 0)
            row.emplace_back();
          else
            row.emplace_back(std::in_place, client_.value(result.get(), r, f),
                             static_cast<std::size_t>(client_.length(result.get(), r, f)));
        }
      }
    }
    return rows;
  }

  void begin_stream(const std::string& statement, const Run& run) override {
    send(statement);
    const Result result = next_result(run);
    if (!result || client_.result_status(result.get()) != PGRES_COPY_OUT) throw failed(result.get());
  }

  std::string_view next_part(const Run& run) override {
    part_.reset();
    begin_waiting(patience_.seconds);
    for (;;) {
      char* bytes = nullptr;
      const int count = client_.get_copy_data(connection_.get(), &bytes, 1);
      if (count > 0) {
        part_.reset(bytes);
        return {bytes, static_cast<std::size_t>(count)};
      }
      if (count < 0) break;
      receive(run);
    }

    // The end, or an error in the middle.
    while (const Result result = next_result(run))
      if (client_.result_status(result.get()) != PGRES_COMMAND_OK) throw failed(result.get());
    return {};
  }

  void load(const std::string& statement, const std::function<bool(std::string& bytes)>& more,
            const Run& run) override {
    send(statement);
    const Result begun = next_result(run);
    if (!begun || client_.result_status(begun.get()) != PGRES_COPY_IN) throw failed(begun.get());
    std::string bytes;
    while (more(bytes)) {
      check_stop(run);
      if (client_.put_copy_data(connection_.get(), bytes.data(), static_cast<int>(bytes.size())) != 1) throw lost();
      bytes.clear();
    }
    if (client_.put_copy_end(connection_.get(), nullptr) != 1) throw lost();
    while (const Result result = next_result(run))
      if (client_.result_status(result.get()) != PGRES_COMMAND_OK) throw failed(result.get());
  }

  void cancel() noexcept override {
    if (PGcancel* const handle = client_.get_cancel(connection_.get())) {
      char unused[256];
      client_.cancel(handle, unused, sizeof unused);
      client_.free_cancel(handle);
    }
  }

 private:
  struct Close {
    void operator()(PGconn* connection) const { Client::get().finish(connection); }
    void operator()(PGresult* result) const { Client::get().clear(result); }
    void operator()(char* bytes) const { Client::get().free_memory(bytes); }
  };
  using Result = std::unique_ptr<PGresult, Close>;
  static constexpr double most_to_connect = 20;  // seconds

  void send(const std::string& statement) {
    begin_waiting(patience_.seconds);
    if (client_.send_query(connection_.get(), statement.c_str()) == 0) throw lost();
  }

  // Null: the statement is at its end.
  Result next_result(const Run& run) {
    while (client_.is_busy(connection_.get()) != 0) receive(run);
    return Result(client_.get_result(connection_.get()));
  }

  void receive(const Run& run) {
    wait(false, run);
    if (client_.consume_input(connection_.get()) == 0) throw lost();
  }

  void begin_waiting(double seconds) {
    // The server's own limit comes first, and gives the better message.
    deadline_ = seconds > 0 ? std::chrono::steady_clock::now() +
                                  std::chrono::milliseconds(static_cast<std::int64_t>(seconds * 1000) + 2000)
                            : std::chrono::steady_clock::time_point::max();
  }

  // Until the server has sent something, or takes something.
  void wait(bool to_write, const Run& run) {
    constexpr int look_every = 100;  // milliseconds
    pollfd one{client_.socket(connection_.get()), static_cast<short>(to_write ? POLLOUT : POLLIN), 0};
    while (::poll(&one, 1, look_every) == 0) {
      if (run.stop.stop_requested()) {
        cancel();
        check_stop(run);
      }
      if (std::chrono::steady_clock::now() < deadline_) continue;
      cancel();
      throw problem(Code::cannot_read, "the server did not answer in time", "run.server_timeout allows more");
    }
  }

  Error problem(Code code, std::string sentence, std::string advice = {}) const {
    Problem p{code, std::move(sentence), {}, {}, std::move(advice)};
    p.location.file = address_.shown;
    return Error(std::move(p));
  }
  Error cannot_connect() const {
    return problem(Code::cannot_open, "no connection: " + tidy(client_.error_message(connection_.get())));
  }
  Error lost() const {
    return problem(Code::cannot_read, "the connection was lost: " + tidy(client_.error_message(connection_.get())));
  }
  Error failed(const PGresult* result) const {
    if (client_.status(connection_.get()) == CONNECTION_BAD || result == nullptr) return lost();
    const auto field = [&](int code) {
      const char* const text = client_.result_error_field(result, code);
      return std::string(text == nullptr ? "" : text);
    };
    const std::string state = field(PG_DIAG_SQLSTATE), words = tidy(field(PG_DIAG_MESSAGE_PRIMARY));
    if (state == "57014")
      return problem(Code::cannot_read, "the server gave up: " + words, "run.server_timeout allows more");
    return problem(state == "42501" ? Code::not_allowed : Code::cannot_read, "the server says: " + words);
  }

  const Client& client_;
  const ServerAddress address_;
  const Patience patience_;
  std::unique_ptr<PGconn, Close> connection_;
  std::unique_ptr<char, Close> part_;
  std::chrono::steady_clock::time_point deadline_;
};

}  // namespace

std::unique_ptr<ServerConnection> connect_postgresql(const ServerAddress& address, const Patience& patience,
                                                     const Run& run) {
  return std::make_unique<Postgresql>(address, patience, run);
}

}  // namespace lofty::engine
