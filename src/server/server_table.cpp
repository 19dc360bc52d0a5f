// A table or view of a database server, read in stretches.

#include <algorithm>
#include <cstdlib>
#include <map>
#include <optional>
#include <set>

#include "base/access.hpp"
#include "base/budget.hpp"
#include "base/kept_parts.hpp"
#include "base/parallel.hpp"
#include "lofty/error.hpp"
#include "lofty/nearest.hpp"
#include "server/copied_rows.hpp"
#include "server/servers.hpp"
#include "server/statement_words.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {
namespace {

Error problem(const ServerAddress& address, Code code, std::string sentence, std::string advice = {}) {
  Problem p{code, std::move(sentence), {}, {}, std::move(advice)};
  p.location.file = address.shown;
  return Error(std::move(p));
}

// A column of the table, and the expression that sends its values. The expression is empty for a type that Lofty does
// not have.
struct ServerColumn {
  std::string name, type, sent;
  SentColumn as;
};

// How values of a type are sent, by the server's own name of it. Types that have no counterpart here go as text where
// their text is their value.
ServerColumn column_of(const std::string& name, const std::string& type, bool is_enum,
                       const std::string& declared_scale) {
  static const std::map<std::string, std::pair<SentAs, Type>> counterparts = {
      {"int2", {SentAs::int2, {Kind::integer}}},
      {"int4", {SentAs::int4, {Kind::integer}}},
      {"int8", {SentAs::int8, {Kind::integer}}},
      {"numeric", {SentAs::numeric, {Kind::decimal}}},
      {"float4", {SentAs::float4, {Kind::floating}}},
      {"float8", {SentAs::float8, {Kind::floating}}},
      {"date", {SentAs::date, {Kind::date}}},
      {"timestamp", {SentAs::timestamp, {Kind::timestamp}}},
      {"timestamptz", {SentAs::timestamp, {.kind = Kind::timestamp, .zoned = true}}},
      {"bool", {SentAs::boolean, {Kind::boolean}}},
      {"text", {SentAs::text, {Kind::text}}},
      {"varchar", {SentAs::text, {Kind::text}}}};
  static const std::set<std::string> as_text = {"bpchar", "name", "uuid", "citext"};

  ServerColumn out{name, type, quoted_name(name), {name, SentAs::text, {Kind::text}}};
  if (const auto found = counterparts.find(type); found != counterparts.end())
    out.as = {name, found->second.first, found->second.second};
  else
    out.sent = is_enum || as_text.contains(type) ? "cast(" + out.sent + " as text)" : "";
  if (!declared_scale.empty())
    out.as.type.scale = std::clamp(std::atoi(declared_scale.c_str()), 0, Decimal::max_digits);
  return out;
}

class ServerTable final : public TableSource {
 public:
  ServerTable(std::shared_ptr<ServerDatabase> database, const ServerAddress& address,
              const std::vector<std::string>& order)
      : database_(std::move(database)), address_(address) {
    const Run run;
    ServerDatabase::Lease connection(*database_, run);
    find(*connection, run);
    describe(*connection, run);
    for (const std::string& column : order) {
      if (std::find(headings_.begin(), headings_.end(), column) == headings_.end()) {
        Problem p{
            Code::unknown_column, "no column `" + column + "` in " + name_, {}, nearest_word(column, headings_), {}};
        p.location.key = "data.order";
        throw Error(std::move(p));
      }
      order_ += (order_.empty() ? " order by " : ", ") + quoted_name(column);
    }
  }

  const std::string& name() const override { return name_; }
  const std::vector<std::string>& headings() const override { return headings_; }
  std::string form() const override { return "the types of the server's columns"; }
  TableSize size() const override { return {rows_, bytes_, stretch_bytes}; }
  bool has_order() const override { return !order_.empty(); }
  Table read(std::span<const std::size_t> columns, const Run& run) const override;
  std::unique_ptr<TableStretches> stretches(std::span<const std::size_t> columns, const Run& run) const override;

  static constexpr double stretch_bytes = 16e6;
  const ServerAddress& address() const { return address_; }
  ServerDatabase& database() const { return *database_; }

  // The columns as they are sent. Throws Error(wrong_type) for one of a type that has no counterpart.
  std::vector<SentColumn> sent(std::span<const std::size_t> columns) const {
    std::vector<SentColumn> out;
    for (const std::size_t c : columns) {
      if (columns_[c].sent.empty())
        throw problem(
            address_, Code::wrong_type,
            "`" + columns_[c].name + "` is of the type " + columns_[c].type + ", which no column here can have",
            "a view on the server can cast it");
      out.push_back(columns_[c].as);
    }
    return out;
  }
  std::string copy_statement(std::span<const std::size_t> columns) const {
    std::string list;
    for (const std::size_t c : columns) list += (list.empty() ? "" : ", ") + columns_[c].sent;
    return "copy (select " + list + " from " + qualified_ + order_ + ") to stdout (format binary)";
  }
  std::shared_ptr<TableData> empty_data() const {
    auto data = std::make_shared<TableData>();
    data->name = name();
    data->headings = headings_;
    data->columns.resize(headings_.size());
    data->census.resize(headings_.size());
    return data;
  }

 private:
  // Finds the table by its name. A point may separate its schema from it.
  void find(ServerConnection& connection, const Run& run) {
    for (const std::string& name : table_names(address_.table)) {
      const auto found = connection.query(
          "select c.oid, quote_ident(n.nspname) || '.' || quote_ident(c.relname), c.reltuples, pg_table_size(c.oid) "
          "from pg_class c join pg_namespace n "
          "on n.oid = c.relnamespace where c.oid = to_regclass(" +
              quoted_text(name) + ") and c.relkind in ('r', 'v', 'm', 'f', 'p')",
          run);
      if (found.empty()) continue;
      name_ = connection.query("select current_database()", run).at(0).at(0).value_or("") + "#" + address_.table;
      id_ = found[0].at(0).value_or("");
      qualified_ = found[0].at(1).value_or("");
      const double rows = std::strtod(found[0].at(2).value_or("-1").c_str(), nullptr);
      if (rows >= 0) rows_ = rows;
      bytes_ = std::strtod(found[0].at(3).value_or("0").c_str(), nullptr);
      return;
    }

    // No such table: suggest the nearest name.
    std::vector<std::string> known;
    for (const auto& row : connection.query(
             "select case when pg_table_is_visible(c.oid) then c.relname else n.nspname || '.' || c.relname end from "
             "pg_class c "
             "join pg_namespace n on n.oid = c.relnamespace where c.relkind in ('r', 'v', 'm', 'f', 'p') and "
             "n.nspname not in ('pg_catalog', 'information_schema', 'pg_toast') order by 1",
             run))
      known.push_back(row.at(0).value_or(""));
    Problem p{Code::unknown_table,
              "the database has no table `" + address_.table + "`",
              {},
              nearest_word(address_.table, known),
              {}};
    for (std::size_t i = 0; i < std::min<std::size_t>(known.size(), 8); ++i)
      p.advice += (i > 0 ? ", #" : "#") + known[i];
    p.location.file = address_.shown;
    throw Error(std::move(p));
  }

  // Its columns, and their types; of a domain the type below it.
  void describe(ServerConnection& connection, const Run& run) {
    const auto rows = connection.query(
        "with recursive base(attnum, attname, typid, typmod) as (select attnum, attname, atttypid, atttypmod from "
        "pg_attribute where attrelid = " +
            id_ +
            " and attnum > 0 and not attisdropped union all select b.attnum, b.attname, t.typbasetype, case when "
            "t.typtypmod >= 0 then t.typtypmod else "
            "b.typmod end from base b join pg_type t on t.oid = b.typid where t.typtype = 'd') select b.attname, "
            "t.typname, t.typtype, case when t.typname = "
            "'numeric' and b.typmod >= 4 then (b.typmod - 4) & 65535 end from base b join pg_type t on t.oid = b.typid "
            "where t.typtype <> 'd' order by b.attnum",
        run);
    for (const auto& row : rows) {
      columns_.push_back(
          column_of(row.at(0).value_or(""), row.at(1).value_or(""), row.at(2) == "e", row.at(3).value_or("")));
      headings_.push_back(columns_.back().name);
    }
    if (columns_.empty()) throw problem(address_, Code::bad_heading, "the table has no columns");
  }

  const std::shared_ptr<ServerDatabase> database_;
  const ServerAddress address_;
  std::string name_;  // "sales#order_lines"
  std::string id_, qualified_, order_;
  std::vector<ServerColumn> columns_;
  std::vector<std::string> headings_;
  std::optional<double> rows_;
  double bytes_ = 0;
};

// Rows in the order of the server, about 16 MB at a time.
class ServerStretches final : public TableStretches {
 public:
  ServerStretches(const ServerTable& table, std::span<const std::size_t> columns, double bytes, const Run& run)
      : table_(table),
        wanted_(columns.begin(), columns.end()),
        sent_(table.sent(columns)),
        rows_(sent_),
        bytes_(bytes),
        run_(run),
        connection_(table.database(), run) {
    connection_.idle = false;
    connection_->begin_stream(table.copy_statement(wanted_), run);
  }
  ~ServerStretches() override {
    if (!connection_.idle) connection_->cancel();
  }

  std::optional<Table> next() override {
    const MemoryLimit limit(run_);
    if (!fill()) return std::nullopt;
    auto data = table_.empty_data();
    data->rows = rows_.rows();
    std::vector<Piece> pieces = rows_.take();
    for (std::size_t i = 0; i < wanted_.size(); ++i) {
      // A number without a declared scale has that of the first stretch.
      if (types_.size() == i) types_.push_back(pieces[i].type);
      if (pieces[i].type.scale > types_[i].scale) {
        types_hold_ = false;
        return std::nullopt;
      }
      if (pieces[i].type.scale < types_[i].scale) pieces[i].rescale(types_[i].scale);
      data->columns[wanted_[i]] = Column::seal(std::move(pieces[i]));
    }
    read_ += data->rows;
    return Access::made<Table>(std::move(data));
  }
  bool types_hold() const override { return types_hold_; }
  Table whole() override {
    auto data = table_.empty_data();
    data->rows = read_;
    return Access::made<Table>(std::move(data));
  }

  // Returns the next rows, a piece a column; empty at the end.
  std::vector<Piece> pieces() { return fill() ? rows_.take() : std::vector<Piece>(); }
  const std::vector<SentColumn>& sent() const { return sent_; }
  std::size_t rows_at_hand() const { return rows_.rows(); }

  // Reads until there is enough for a stretch. False: there are no more rows.
  bool fill() {
    try {
      while (!ended_ && static_cast<double>(rows_.bytes()) < bytes_) {
        const std::string_view part = connection_->next_part(run_);
        ended_ = part.empty();
        if (!ended_) rows_.add(part);
      }
    } catch (const Misplaced& found) {
      throw problem(table_.address(), Code::bad_value,
                    "`" + sent_[found.column].name + "` holds " + found.what + " in row " +
                        std::to_string(read_ + rows_.rows() + 1) + ", as the server sent them",
                    "a condition in a view on the server can leave such rows out");
    } catch (const std::out_of_range& damaged) {
      throw problem(table_.address(), Code::damaged_file,
                    std::string("the server's answer cannot be read: ") + damaged.what());
    }
    if (ended_) connection_.idle = true;
    if (read_ + rows_.rows() > most_rows)
      throw problem(table_.address(), Code::too_many_rows,
                    "it has more than 4,294,967,294 rows, which is as many as can be numbered");
    return rows_.rows() > 0;
  }

 private:
  const ServerTable& table_;
  const std::vector<std::size_t> wanted_;
  const std::vector<SentColumn> sent_;
  CopiedRows rows_;
  const double bytes_;
  const Run& run_;
  ServerDatabase::Lease connection_;
  std::vector<Type> types_;
  std::size_t read_ = 0;
  bool ended_ = false, types_hold_ = true;
};

Table ServerTable::read(std::span<const std::size_t> columns, const Run& run) const {
  const MemoryLimit limit(run);
  ServerStretches rows(*this, columns, stretch_bytes, run);
  auto data = empty_data();
  std::vector<std::vector<Piece>> pieces(columns.size());
  const KeptColumns kept = kept_columns(columns.size(), static_cast<std::uint64_t>(bytes_ / stretch_bytes));
  while (rows.fill()) {
    data->rows += rows.rows_at_hand();
    std::vector<Piece> more = rows.pieces();
    for (std::size_t i = 0; i < columns.size(); ++i) {
      more[i].pack();
      if (!kept.empty()) more[i].keep_in(*kept[i]);
      pieces[i].push_back(std::move(more[i]));
    }
  }
  for (std::size_t i = 0; i < columns.size(); ++i) {
    Type type = rows.sent()[i].type;
    for (const Piece& piece : pieces[i]) type.scale = std::max(type.scale, piece.type.scale);
    data->columns[columns[i]] = Column::seal(type, std::move(pieces[i]), run);
  }
  return Access::made<Table>(std::move(data));
}

std::unique_ptr<TableStretches> ServerTable::stretches(std::span<const std::size_t> columns, const Run& run) const {
  return std::make_unique<ServerStretches>(*this, columns, stretch_bytes, run);
}

}  // namespace

std::shared_ptr<const TableSource> open_server_table(std::shared_ptr<ServerDatabase> database,
                                                     const ServerAddress& address,
                                                     const std::vector<std::string>& order) {
  return std::make_shared<ServerTable>(std::move(database), address, order);
}

}  // namespace lofty::engine
