#pragma once
// Tables: named columns of equal length, read once and never changed.

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/export.hpp"
#include "lofty/null_mask.hpp"
#include "lofty/remark.hpp"
#include "lofty/value.hpp"

namespace lofty::engine {
struct Access;
}

namespace lofty LOFTY_EXPORT {

// A sealed table. Cheap to copy (copies share the rows); immutable, so any number of threads may read it. A table that
// was moved from may only be assigned to and destroyed.
class Table {
 public:
  Table();      // without rows and columns
  struct Data;  // what the library holds; not for callers

  const std::string& name() const;  // as messages call it: "order_lines.csv"
  std::size_t rows() const;
  const std::vector<std::string>& headings() const;
  // A table read for one question holds only the columns that the question mentions. False beyond headings().size().
  bool holds(std::size_t column) const;
  // Preconditions for these two: holds(column), row < rows(). Throws CallError.
  Type type(std::size_t column) const;
  Value value(std::size_t row, std::size_t column) const;
  // What reading it left in doubt: values that did not fit their column's type, ...
  const std::vector<Remark>& remarks() const;

 private:
  friend struct engine::Access;
  explicit Table(std::shared_ptr<const Data> data) : data_(std::move(data)) {}
  std::shared_ptr<const Data> data_;
};

// Makes a table from arrays. The arrays are copied. All columns must have the same number of rows, headings must be
// distinct and not empty: else build() throws Error(Code::bad_heading) or Error(Code::ragged_row).
//
//   lofty::Table shops = lofty::TableBuilder("shops").column("shop_no", numbers).column("shop", names).build();
//
// `null_mask` is empty, or as long as the values (else CallError), non-zero where the value is null; NaN is null too. A
// builder that was moved from may only be assigned to and destroyed.
class TableBuilder {
 public:
  explicit TableBuilder(std::string name);
  ~TableBuilder();
  TableBuilder(TableBuilder&&) noexcept;
  TableBuilder& operator=(TableBuilder&&) noexcept;

  TableBuilder& column(std::string heading, std::span<const std::int64_t> values, NullMask null_mask = {});
  TableBuilder& column(std::string heading, std::span<const double> values, NullMask null_mask = {});
  TableBuilder& column(std::string heading, std::span<const Decimal> values, NullMask null_mask = {});
  TableBuilder& column(std::string heading, std::span<const Date> values, NullMask null_mask = {});
  TableBuilder& column(std::string heading, std::span<const Timestamp> values, NullMask null_mask = {});
  TableBuilder& column(std::string heading, std::span<const std::string_view> values, NullMask null_mask = {});
  TableBuilder& column(std::string heading, std::span<const std::string> values, NullMask null_mask = {});
  TableBuilder& column(std::string heading, const char* const*) = delete;
  // Any mixture of kinds is refused with Error(Code::wrong_type); all null gives text.
  TableBuilder& column(std::string heading, std::span<const Value> values);

  Table build();

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

}  // namespace lofty
