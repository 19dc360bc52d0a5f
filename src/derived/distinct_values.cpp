#include "derived/distinct_values.hpp"

#include <algorithm>
#include <bit>

#include "base/mix.hpp"
#include "order/key_table.hpp"
#include "order/word_sort.hpp"

namespace lofty::engine {
namespace {

// A value after the values of the columns before it, which have the number `before`.
struct RowKey {
  std::uint64_t low = 0, high = 0;
  std::uint32_t before = 0;
  bool null = false;

  std::uint32_t tag() const {
    return static_cast<std::uint32_t>(mix_two(low ^ before, high + (null ? 1 : 0) + before) >> 32);
  }
  bool same(const RowKey& other) const {
    return low == other.low && high == other.high && before == other.before && null == other.null;
  }
};

// A value's bits. Not null.
struct Bits {
  std::uint64_t low = 0, high = 0;
};
Bits bits_of(const Column& column, std::size_t row) {
  switch (column.lane()) {
    case Lane::int64: return {static_cast<std::uint64_t>(column.int64(row)), 0};
    case Lane::code: return {column.code(row), 0};
    case Lane::float64: return {std::bit_cast<std::uint64_t>(column.float64(row)), 0};
    case Lane::int128: break;
  }
  const int128 value = column.integer(row);
  return {static_cast<std::uint64_t>(value), static_cast<std::uint64_t>(value >> 64)};
}

RowKey key_of(const Column& column, std::size_t row, std::uint32_t before) {
  if (column.is_null(row)) return {.before = before, .null = true};
  const Bits bits = bits_of(column, row);
  return {bits.low, bits.high, before};
}

constexpr std::size_t stretch = 65536;  // rows between looks at whether to stop

template <class Work>
void each_row(std::size_t rows, Progress& progress, const Work& work) {
  for (std::size_t begin = 0; begin < rows; begin += stretch) {
    const std::size_t end = std::min(rows, begin + stretch);
    for (std::size_t row = begin; row < end; ++row) work(row);
    progress.add(end - begin);
  }
}

// Do whole numbers only rise, or only fall, from row to row? Then no two are the same.
bool monotonic(const Column& column) {
  if (column.lane() != Lane::int64 || column.nulls() > 0 || column.rows() < 2) return false;
  const bool rising = column.int64(0) < column.int64(1);
  for (std::size_t row = 1; row < column.rows(); ++row) {
    const std::int64_t before = column.int64(row - 1), here = column.int64(row);
    if (before == here || (before < here) != rising) return false;
  }
  return true;
}

}  // namespace

DistinctValues::DistinctValues(const Column& column, Progress& progress) : rows_(column.rows()) {
  all_differ_ = monotonic(column);

  // By the place of a value in its range, where that is not much wider than there are rows.
  std::uint64_t places = column.lane() == Lane::code ? column.dictionary().size() : 0;
  if (column.lane() == Lane::int64 && column.nulls() < rows_) {
    places = static_cast<std::uint64_t>(column.greatest()) - static_cast<std::uint64_t>(column.least()) + 1;
    if (places == 0 || places > 4 * rows_ + 1024) places = 0;  // the whole range of 64 bits wraps round
  }
  if (all_differ_)
    progress.add(rows_);
  else if (places > 0)
    number_by_place(column, static_cast<std::size_t>(places), progress);
  else
    number_by_key(column, progress);
}

void DistinctValues::number_by_place(const Column& column, std::size_t places, Progress& progress) {
  constexpr std::uint32_t none = 0xffffffff;
  std::vector<std::uint32_t> number(places, none);
  const bool codes = column.lane() == Lane::code;
  const std::uint64_t least = codes ? 0 : static_cast<std::uint64_t>(column.least());
  each_row(rows_, progress, [&](std::size_t row) {
    if (column.is_null(row)) return;
    std::uint32_t& id = number[codes ? column.code(row) : static_cast<std::uint64_t>(column.int64(row)) - least];
    if (id == none) id = static_cast<std::uint32_t>(first_rows_.size());
    meet(id, row);
  });
}

void DistinctValues::number_by_key(const Column& column, Progress& progress) {
  KeyTable<RowKey> table;
  each_row(rows_, progress, [&](std::size_t row) {
    if (!column.is_null(row)) meet(table.find_or_add(key_of(column, row, 0)), row);
  });
}

namespace {

// A hash of each row's values.
class RowHashes {
 public:
  explicit RowHashes(const std::vector<ColumnPtr>& columns) {
    for (const ColumnPtr& column : columns)
      if (column) columns_.push_back(column.get());
  }
  std::uint64_t of(std::size_t row) const {
    std::uint64_t hash = 0;
    for (const Column* const column : columns_) {
      const Bits bits = column->is_null(row) ? Bits{0, ~std::uint64_t{0}} : bits_of(*column, row);
      hash = mix_two(hash + bits.low, bits.high + 0x2545f4914f6cdd1dULL);
    }
    return hash;
  }

 private:
  std::vector<const Column*> columns_;
};

// Exactly, column by column: how many of these rows differ from all before them.
std::size_t count_different(const std::vector<ColumnPtr>& columns, const std::vector<std::uint32_t>& rows) {
  std::vector<std::uint32_t> ids(rows.size(), 0);
  std::size_t different = rows.empty() ? 0 : 1;
  for (const ColumnPtr& column : columns) {
    if (!column) continue;
    KeyTable<RowKey> table;
    for (std::size_t i = 0; i < rows.size(); ++i) ids[i] = table.find_or_add(key_of(*column, rows[i], ids[i]));
    different = table.size();
    if (different == rows.size()) break;
  }
  return different;
}

}  // namespace

std::size_t count_duplicate_rows(const std::vector<ColumnPtr>& columns, std::size_t rows, Progress& progress) {
  const RowHashes hash(columns);
  std::vector<std::uint64_t> sorted(rows);
  const Run& run = progress.run();
  parallel_for(RowRanges::fixed(rows), progress, [&](const RowRange& range, std::size_t) {
    for (std::size_t row = range.begin; row < range.end; ++row) sorted[row] = hash.of(row);
  });
  WordSorter(rows).sort(sorted.data(), rows);

  // The hashes that occur twice, and the rows that have one of them.
  std::vector<std::uint64_t> twice;
  for (std::size_t i = 1; i < rows; ++i)
    if (sorted[i] == sorted[i - 1] && (twice.empty() || twice.back() != sorted[i])) twice.push_back(sorted[i]);
  if (twice.empty()) return 0;
  sorted = {};
  const RowRanges pieces = RowRanges::fixed(rows);
  std::vector<std::vector<std::uint32_t>> found(pieces.count());
  parallel_for(pieces, run, [&](const RowRange& range, std::size_t piece) {
    for (std::size_t row = range.begin; row < range.end; ++row)
      if (std::binary_search(twice.begin(), twice.end(), hash.of(row)))
        found[piece].push_back(static_cast<std::uint32_t>(row));
  });
  std::vector<std::uint32_t> doubtful;
  for (const auto& part : found) doubtful.insert(doubtful.end(), part.begin(), part.end());
  return doubtful.size() - count_different(columns, doubtful);
}

}  // namespace lofty::engine
