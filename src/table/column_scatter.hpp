#pragma once
// Results in another sequence than the rows they belong to, on their way to their rows.
// Covered by tests/table/column_scatter_test.cpp.

#include <cstdint>
#include <span>
#include <utility>
#include <variant>
#include <vector>

#include "base/buffer.hpp"
#include "table/column.hpp"
#include "table/packed_numbers.hpp"

namespace lofty::engine {

// Values by position, of a kind that 64 bits hold. int64_null and NaN are null; the unsigned have none. Packed ones are
// in words of 16 or 32 bits.
struct ByPosition {
  Type type;
  std::variant<Buffer<std::int64_t>, Buffer<std::uint32_t>, Buffer<double>, PackedNumbers> values;
};

// Takes columns' values by position, and gives the columns: the value at position i belongs to row rows[i].
//
// What that costs is memory that goes there and back. So several columns go together: the bits that their ranges need
// are packed into one record a row, of up to 32 bytes; the records are brought to their rows (through_buckets), and
// taken apart there.
// One thread at a time; each step works on several. `rows` has each row once; it and `run` have to outlive this.
class ColumnScatter {
 public:
  ColumnScatter(std::span<const std::uint32_t> rows, const Run& run) : rows_(rows), run_(run) {}

  // False, and nothing is taken, when these values do not fit the record of those that wait: columns() makes room.
  bool add(ByPosition& column);
  std::size_t waiting() const { return fields_.size(); }
  // What was added, in that sequence; nothing waits afterwards. O(rows).
  std::vector<ColumnPtr> columns();

 private:
  static constexpr std::size_t most_words = 4, most_fields = 8;
  // A column within the record, as the number that a sealed column stores: 0 for null.
  struct Field {
    ByPosition column;
    std::int64_t least = 0, greatest = 0;  // of the numbers as they are
    std::size_t nulls = 0;
    int bits = 0;
    std::size_t word = 0;  // of 64 bits
    int shift = 0;
  };
  Field measured(ByPosition column) const;
  template <class Word, std::size_t words>
  std::vector<ColumnPtr> brought();

  std::span<const std::uint32_t> rows_;
  const Run& run_;
  std::vector<Field> fields_;
  std::size_t words_ = 0;  // of 64 bits, that the fields take
};

}  // namespace lofty::engine
