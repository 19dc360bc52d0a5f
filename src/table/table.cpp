// The public face of a table.

#include "lofty/table.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "base/access.hpp"
#include "base/call_check.hpp"
#include "base/folded.hpp"
#include "lofty/catalog.hpp"
#include "lofty/error.hpp"
#include "table/table_data.hpp"

namespace lofty {

Table::Table() : data_(std::make_shared<const Data>()) {}
const std::string& Table::name() const { return data_->name; }
std::size_t Table::rows() const { return data_->rows; }
const std::vector<std::string>& Table::headings() const { return data_->headings; }
bool Table::holds(std::size_t column) const {
  return column < data_->columns.size() && data_->columns[column] != nullptr;
}
Type Table::type(std::size_t column) const {
  engine::require(holds(column), "the table holds the column");
  return data_->columns[column]->type();
}
Value Table::value(std::size_t row, std::size_t column) const {
  engine::require(holds(column) && row < rows(), "the table holds the column and the row");
  return data_->columns[column]->value(row);
}
const std::vector<Remark>& Table::remarks() const { return data_->remarks; }

std::string Table::Data::place_of(std::size_t row) const {
  return std::string(numbered) + " " + std::to_string(number_of(row));
}

std::string Table::Data::file_of(std::size_t row) const {
  std::string of;
  for (const FileRows& file : files)
    if (file.first_row <= row) of = file.name;
  return of;
}

struct TableBuilder::Inside {
  engine::TableData data;

  // Seals `rows` values, of which `put(piece, row)` adds one that is not null.
  template <class Put>
  void column(std::string heading, Type type, std::size_t rows, NullMask mask, const Put& put) {
    engine::require_mask(mask, rows);
    if (data.columns.empty()) data.rows = rows;
    if (rows != data.rows)
      throw Error(Problem{Code::ragged_row,
                          "column `" + heading + "` has " + std::to_string(rows) + " rows, the ones before have " +
                              std::to_string(data.rows),
                          {},
                          {},
                          {}});
    engine::Piece piece(type);
    for (std::size_t row = 0; row < rows; ++row) {
      if (mask.is_null(row))
        piece.add_null();
      else
        put(piece, row);
    }
    data.columns.push_back(engine::Column::seal(std::move(piece)));
    data.census.emplace_back();
    data.headings.push_back(std::move(heading));
  }
};

TableBuilder::TableBuilder(std::string name) : inside_(std::make_unique<Inside>()) {
  inside_->data.name = std::move(name);
}
TableBuilder::~TableBuilder() = default;
TableBuilder::TableBuilder(TableBuilder&&) noexcept = default;
TableBuilder& TableBuilder::operator=(TableBuilder&&) noexcept = default;

TableBuilder& TableBuilder::column(std::string heading, std::span<const std::int64_t> values, NullMask mask) {
  inside_->column(std::move(heading), {.kind = Kind::integer}, values.size(), mask,
                  [&](engine::Piece& piece, std::size_t row) { piece.add_integer(values[row]); });
  return *this;
}

TableBuilder& TableBuilder::column(std::string heading, std::span<const double> values, NullMask mask) {
  inside_->column(std::move(heading), {.kind = Kind::floating}, values.size(), mask,
                  [&](engine::Piece& piece, std::size_t row) { piece.add_double(values[row]); });
  return *this;
}

TableBuilder& TableBuilder::column(std::string heading, std::span<const Decimal> values, NullMask mask) {
  int scale = 0;
  for (const Decimal& value : values) scale = std::max(scale, value.scale());
  inside_->column(std::move(heading), {.kind = Kind::decimal, .scale = scale}, values.size(), mask,
                  [&](engine::Piece& piece, std::size_t row) {
                    const auto lifted = values[row].rescaled(scale);
                    if (!lifted)
                      throw Error(Problem{
                          Code::overflow,
                          values[row].text() + " with " + std::to_string(scale) + " decimals has more than 38 digits",
                          {},
                          {},
                          {}});
                    piece.add_wide(lifted->coefficient());
                  });
  return *this;
}

TableBuilder& TableBuilder::column(std::string heading, std::span<const Date> values, NullMask mask) {
  inside_->column(std::move(heading), {.kind = Kind::date}, values.size(), mask,
                  [&](engine::Piece& piece, std::size_t row) { piece.add_integer(values[row].days); });
  return *this;
}

TableBuilder& TableBuilder::column(std::string heading, std::span<const Timestamp> values, NullMask mask) {
  inside_->column(std::move(heading), {.kind = Kind::timestamp}, values.size(), mask,
                  [&](engine::Piece& piece, std::size_t row) { piece.add_integer(values[row].microseconds); });
  return *this;
}

TableBuilder& TableBuilder::column(std::string heading, std::span<const std::string_view> values, NullMask mask) {
  inside_->column(std::move(heading), {.kind = Kind::text}, values.size(), mask,
                  [&](engine::Piece& piece, std::size_t row) { piece.add_text(values[row]); });
  return *this;
}

TableBuilder& TableBuilder::column(std::string heading, std::span<const std::string> values, NullMask mask) {
  inside_->column(std::move(heading), {.kind = Kind::text}, values.size(), mask,
                  [&](engine::Piece& piece, std::size_t row) { piece.add_text(values[row]); });
  return *this;
}

TableBuilder& TableBuilder::column(std::string heading, std::span<const Value> values) {
  Type type{.kind = Kind::unknown};
  for (const Value& value : values) {
    Type one;
    switch (value.index()) {
      case 0: continue;
      case 1: {
        const Decimal& decimal = std::get<Decimal>(value);
        one = {.kind = decimal.scale() > 0 ? Kind::decimal : Kind::integer, .scale = decimal.scale()};
        break;
      }
      case 2: one.kind = Kind::floating; break;
      case 3: one.kind = Kind::date; break;
      case 4: one.kind = Kind::timestamp; break;
      case 5: one.kind = Kind::boolean; break;
      default: one.kind = Kind::text;
    }
    if (type.kind == Kind::unknown) {
      type = one;
    } else if (type.exact() && one.exact()) {
      if (one.scale > type.scale) type = one;
    } else if (type.kind != one.kind) {
      throw Error(Problem{Code::wrong_type,
                          "column `" + heading + "` mixes " + to_string(type.kind) + " and " + to_string(one.kind),
                          {},
                          {},
                          {}});
    }
  }

  // Nothing but nulls: text.
  if (type.kind == Kind::unknown) type.kind = Kind::text;
  inside_->column(std::move(heading), type, values.size(), {},
                  [&](engine::Piece& piece, std::size_t row) { piece.add(values[row]); });
  return *this;
}

Table TableBuilder::build() {
  std::vector<std::string> headings = inside_->data.headings;
  std::sort(headings.begin(), headings.end());
  for (std::size_t i = 0; i < headings.size(); ++i) {
    if (headings[i].empty() || (i > 0 && headings[i] == headings[i - 1]))
      throw Error(
          Problem{Code::bad_heading,
                  headings[i].empty() ? "a column has no heading" : "two columns are called `" + headings[i] + "`",
                  {},
                  {},
                  {}});
  }
  if (inside_->data.rows > engine::most_rows)
    throw Error(Problem{Code::too_many_rows, "a table has at most 4,294,967,294 rows", {}, {}, {}});
  auto data = std::make_shared<const engine::TableData>(std::move(inside_->data));
  inside_ = std::make_unique<Inside>();
  return engine::Access::made<Table>(std::move(data));
}

namespace {

class MemorySource : public TableSource {
 public:
  explicit MemorySource(Table table) : table_(std::move(table)) {}
  const std::string& name() const override { return table_.name(); }
  const std::vector<std::string>& headings() const override { return table_.headings(); }
  Table read(std::span<const std::size_t>, const Run&) const override { return table_; }
  TableSize size() const override { return {static_cast<double>(table_.rows()), 0}; }

 private:
  Table table_;
};

// A table that comes whole.
class OneStretch final : public TableStretches {
 public:
  explicit OneStretch(Table table) : table_(std::move(table)) {}
  std::optional<Table> next() override {
    if (std::exchange(handed_over_, true)) return std::nullopt;
    return table_;
  }
  Table whole() override {
    auto data = std::make_shared<Table::Data>(engine::Access::data(table_));
    data->columns.assign(data->headings.size(), nullptr);
    return engine::Access::made<Table>(std::move(data));
  }

 private:
  const Table table_;
  bool handed_over_ = false;
};

}  // namespace

std::unique_ptr<TableStretches> TableSource::stretches(std::span<const std::size_t> columns, const Run& run) const {
  return std::make_unique<OneStretch>(read(columns, run));
}

void Catalog::add(Table table) {
  const std::string name = table.name();
  tables_.insert_or_assign(name, std::move(table));
}

std::shared_ptr<const TableSource> Catalog::open(const std::string& name, const ReadOptions& options) const {
  if (!options.more.empty() || !options.file_column.empty())
    throw Error(Problem{Code::bad_value,
                        "only files of delimited text can be one table, and `" + name + "` is none",
                        {},
                        {},
                        "a table with the rows of all"});
  const auto found = tables_.find(name);
  if (found != tables_.end()) return std::make_shared<MemorySource>(found->second);
  std::vector<std::string> names;
  for (const auto& [key, table] : tables_) names.push_back(key);
  throw Error(Problem{Code::unknown_table, "no table `" + name + "`", {}, nearest_word(name, names), {}});
}

}  // namespace lofty
