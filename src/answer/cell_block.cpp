#include "answer/cell_block.hpp"

#include <algorithm>
#include <cmath>
#include <span>

#include "answer/standings_data.hpp"
#include "base/access.hpp"
#include "base/budget.hpp"
#include "table/table_data.hpp"
#include "value/put_text.hpp"

namespace lofty::engine {

CellBlock::CellBlock(const Standings& listing) : listing_(&listing) {
  const StandingsData& data = Access::data(listing);
  rows_ = &data.rows;
  for (std::size_t c = 0; c < listing.columns().size(); ++c) {
    Cells cells;
    cells.type = listing.columns()[c].type;
    if (data.levels.empty()) {
      cells.from = data.values[c].get();
      cells.lane = cells.from->lane();
      cells.type.scale = cells.from->type().scale;
    }
    cells_.push_back(std::move(cells));
  }
}

CellBlock::CellBlock(const Table& table) {
  for (const ColumnPtr& column : engine::Access::data(table).columns) {
    Cells cells;
    cells.from = column.get();
    cells.type = column->type();
    cells.lane = column->lane();
    cells_.push_back(std::move(cells));
  }
}

void CellBlock::bring_in_order(const Run& run) {
  if (rows_ == nullptr || !Budget::shared().has_in_file()) return;
  for (const Cells& cells : cells_)
    if (cells.from == nullptr) return;
  for (Cells& cells : cells_) {
    cells.own = Column::picked(*cells.from, *rows_, run);
    cells.from = cells.own.get();
  }
  rows_ = nullptr;
}

void CellBlock::load(const RowRange& rows) {
  for (std::size_t c = 0; c < cells_.size(); ++c) load(c, rows);
}

void CellBlock::load(std::size_t column, const RowRange& rows) {
  Cells& cells = cells_[column];
  const std::size_t count = rows.size();
  loaded_ = count;
  const auto row = [&](std::size_t i) -> std::size_t {
    return rows_ != nullptr ? (*rows_)[rows.begin + i] : rows.begin + i;
  };
  if (cells.from == nullptr || cells.lane == Lane::int128) {
    // Few, or seldom.
    cells.values.resize(count);
    for (std::size_t i = 0; i < count; ++i)
      cells.values[i] = cells.from == nullptr ? listing_->value(rows.begin + i, column) : cells.from->value(row(i));
    return;
  }
  switch (cells.lane) {
    case Lane::float64:
      cells.doubles.resize(count);
      for (std::size_t i = 0; i < count; ++i) cells.doubles[i] = cells.from->float64(row(i));
      break;
    case Lane::code: {
      cells.ints.resize(count);
      cells.texts.resize(count);
      for (std::size_t i = 0; i < count; ++i) cells.ints[i] = cells.from->code(row(i));
      for (std::size_t i = 0; i < count; ++i) {
        const auto code = static_cast<std::uint32_t>(cells.ints[i]);
        cells.texts[i] = code == Dictionary::none ? std::string_view{} : cells.from->dictionary().text(code);
      }
      break;
    }
    default:
      cells.ints.resize(count);
      if (rows_ != nullptr)
        cells.from->pick_int64(std::span(*rows_).subspan(rows.begin, count), cells.ints.data());
      else
        cells.from->decode_int64(rows.begin, count, cells.ints.data());
  }
}

bool CellBlock::is_null(std::size_t column, std::size_t row) const {
  const Cells& cells = cells_[column];
  if (cells.from == nullptr || cells.lane == Lane::int128) return lofty::is_null(cells.values[row]);
  switch (cells.lane) {
    case Lane::float64: return std::isnan(cells.doubles[row]);
    case Lane::code: return static_cast<std::uint32_t>(cells.ints[row]) == Dictionary::none;
    default: return cells.ints[row] == int64_null;
  }
}

void CellBlock::put(std::size_t column, std::size_t row, std::string& out) const {
  const Cells& cells = cells_[column];
  if (cells.from == nullptr || cells.lane == Lane::int128) {
    out += to_text(cells.values[row], cells.type);
    return;
  }
  switch (cells.type.kind) {
    case Kind::integer:
    case Kind::decimal: return put_decimal(cells.ints[row], cells.type.scale, out);
    case Kind::floating: out += to_text(cells.doubles[row]); return;
    case Kind::date: return put_date(static_cast<std::int32_t>(cells.ints[row]), out);
    case Kind::timestamp: out += to_text(Timestamp{cells.ints[row]}, cells.type); return;
    case Kind::boolean: out += cells.ints[row] != 0 ? "true" : "false"; return;
    default: out += cells.texts[row];
  }
}

void CellBlock::put_all(std::size_t column) {
  const Cells& cells = cells_[column];
  TextStrip& out = cells_[column].strip;
  out.ends.resize(loaded_);
  const bool stored_as_ints = cells.from != nullptr && cells.lane == Lane::int64;
  const bool is_number = stored_as_ints && cells.type.exact(),
             is_date = stored_as_ints && cells.type.kind == Kind::date;
  if (!is_number && !is_date) {
    out.bytes.clear();
    for (std::size_t i = 0; i < loaded_; ++i) {
      if (!is_null(column, i)) put(column, i, out.bytes);
      out.ends[i] = out.bytes.size();
    }
    out.bytes.append(TextStrip::slack, '\0');
    return;
  }

  // Of a known length at most: straight into place.
  const std::size_t most = is_date ? most_date : 22 + static_cast<std::size_t>(cells.type.scale);
  out.bytes.resize(std::max(out.bytes.size(), loaded_ * most + TextStrip::slack));
  char* const begin = out.bytes.data();
  char* at = begin;
  for (std::size_t i = 0; i < loaded_; ++i) {
    const std::int64_t value = cells.ints[i];
    if (value != int64_null)
      at = is_number ? write_decimal(value, cells.type.scale, at) : write_date(static_cast<std::int32_t>(value), at);
    out.ends[i] = static_cast<std::size_t>(at - begin);
  }
}

}  // namespace lofty::engine
