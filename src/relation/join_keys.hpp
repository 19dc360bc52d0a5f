#pragma once
// The keys of the two sides of a join as numbers: equal keys, equal numbers; and the rows of the second table by key.
// Covered by tests/relation/joins_test.cpp.

#include <cstdint>
#include <deque>
#include <span>
#include <string>
#include <vector>

#include "base/mix.hpp"
#include "order/key_table.hpp"
#include "table/column.hpp"
#include "table/dictionary.hpp"

namespace lofty::engine {

inline constexpr std::uint32_t no_row = 0xffffffff;
inline constexpr std::uint64_t no_key = ~std::uint64_t{0};  // null, or a value that the other side does not have

// A pair of key columns, whose values are numbered alike.
class KeyNumbers {
 public:
  // `name` is what messages call the left column. Throws Error(key_mismatch) where no values can be equal.
  KeyNumbers(const Column& left, const Column& right, const std::string& name);

  std::uint64_t right(std::size_t row) const;
  std::uint64_t left(std::size_t row) const;
  // Rows [begin, begin + count) of the left column at once.
  void left_block(std::size_t begin, std::size_t count, std::uint64_t* out) const;

  // Goes on with another left column of the same type. False where it cannot, because its values are wider than those
  // before: the numbers have to be made anew.
  bool set_left(const Column& left);
  const Column& left_column() const { return *left_; }

 private:
  std::uint64_t number(const Column& column, std::size_t row) const;
  std::string wide_text(const Column& column, std::size_t row) const;
  [[noreturn]] void mismatch(const std::string& name) const;

  void translate_texts();

  const Column *left_, *right_;
  bool text_ = false, wide_ = false;
  int scale_ = 0;
  std::vector<std::uint64_t> translated_;  // by code of the left dictionary
  Dictionary wide_values_;
};

// A key of several columns is numbered column by column: (number so far, next column) -> number.
struct KeyPair {
  std::uint64_t so_far = 0, next = 0;
  std::uint32_t tag() const { return static_cast<std::uint32_t>(mix_two(so_far, next) >> 32); }
  bool same(const KeyPair& other) const { return so_far == other.so_far && next == other.next; }
};

// A whole join key.
class JoinKeys {
 public:
  void add(const Column& left, const Column& right, const std::string& name) {
    columns_.emplace_back(left, right, name);
    pairs_.emplace_back();
  }
  std::size_t size() const { return columns_.size(); }
  const KeyNumbers& column(std::size_t k) const { return columns_[k]; }
  bool set_left(std::size_t k, const Column& left) { return columns_[k].set_left(left); }

  // The key of a row of the second table. All of them have to be numbered before the first left() is.
  std::uint64_t number_right(std::size_t row);
  // The key whose columns have their values in these rows; no_row: nothing.
  std::uint64_t left(std::span<const std::uint32_t> rows) const;
  // "17, blank": its values.
  std::string left_text(std::span<const std::uint32_t> rows) const;

 private:
  std::deque<KeyNumbers> columns_;
  std::vector<KeyTable<KeyPair>> pairs_;  // by column
};

// The rows of a table by key. Small keys, which most are, index an array.
class RowsByKey {
 public:
  RowsByKey(JoinKeys& keys, std::size_t rows);

  // The first row with each key; no_row.
  void find(const std::uint64_t* keys, std::size_t count, std::uint32_t* out) const;
  // The next row with the same key; no_row.
  std::uint32_t next(std::uint32_t row) const { return next_[row]; }

 private:
  struct FarKey {
    std::uint64_t key = 0;
    std::uint32_t tag() const { return static_cast<std::uint32_t>(mix(key) >> 32); }
    bool same(const FarKey& other) const { return key == other.key; }
  };
  std::uint32_t first_with(std::uint64_t key, std::uint32_t row);
  std::uint32_t find_far(std::uint64_t key) const {
    const std::uint32_t number = far_.find({key});
    return number == KeyTable<FarKey>::none ? no_row : far_rows_[number];
  }

  std::size_t most_near_;
  std::vector<std::uint32_t> near_, far_rows_;  // first rows: by key, and by number in far_
  KeyTable<FarKey> far_;
  std::vector<std::uint32_t> next_;
};

}  // namespace lofty::engine
