#include "support/stretched.hpp"

#include <algorithm>

#include "base/access.hpp"
#include "table/table_data.hpp"

namespace support {
namespace {

using namespace lofty;

// A table in memory as if it came in stretches, each with dictionaries of its own.
class CutTable final : public TableStretches {
 public:
  CutTable(Table table, std::size_t rows, std::shared_ptr<std::size_t> read)
      : table_(std::move(table)), rows_(rows), read_(std::move(read)) {}

  std::optional<Table> next() override {
    const std::size_t count = std::min(rows_, table_.rows() - next_);
    if (count == 0) return std::nullopt;
    auto data = std::make_shared<engine::TableData>(engine::Access::data(table_));
    data->rows = count;
    for (engine::ColumnPtr& column : data->columns) {
      if (!column) continue;
      engine::Piece piece(column->type());
      for (std::size_t row = next_; row < next_ + count; ++row) piece.add(column->value(row));
      column = engine::Column::seal(std::move(piece));
    }
    next_ += count;
    return engine::Access::made<Table>(std::move(data));
  }
  Table whole() override {
    ++*read_;
    auto data = std::make_shared<engine::TableData>(engine::Access::data(table_));
    for (engine::ColumnPtr& column : data->columns) column = nullptr;
    return engine::Access::made<Table>(std::move(data));
  }

 private:
  Table table_;
  std::size_t rows_, next_ = 0;
  std::shared_ptr<std::size_t> read_;
};

class CutSource final : public TableSource {
 public:
  CutSource(std::shared_ptr<const TableSource> inner, std::size_t rows, std::shared_ptr<std::size_t> read)
      : inner_(std::move(inner)), rows_(rows), read_(std::move(read)) {}
  const std::string& name() const override { return inner_->name(); }
  const std::vector<std::string>& headings() const override { return inner_->headings(); }
  std::string form() const override { return inner_->form(); }
  TableSize size() const override {
    TableSize size = inner_->size();
    size.stretch_bytes = 1;
    return size;
  }
  Table read(std::span<const std::size_t> columns, const Run& run) const override { return inner_->read(columns, run); }
  std::unique_ptr<TableStretches> stretches(std::span<const std::size_t> columns, const Run& run) const override {
    return std::make_unique<CutTable>(inner_->read(columns, run), rows_, read_);
  }

 private:
  std::shared_ptr<const TableSource> inner_;
  std::size_t rows_;
  std::shared_ptr<std::size_t> read_;
};

}  // namespace

std::shared_ptr<const TableSource> Stretched::open(const std::string& name, const ReadOptions& options) const {
  return std::make_shared<CutSource>(inner_.open(name, options), rows_, read_);
}

}  // namespace support
