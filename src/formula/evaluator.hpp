#pragma once
// Evaluating bound formulas over batches of rows.
// Covered by tests/formula/evaluator_test.cpp, against a one-value-at-a-time reference.

#include <cmath>
#include <deque>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "formula/node.hpp"
#include "lofty/error.hpp"
#include "lofty/run.hpp"
#include "table/column.hpp"
#include "table/dictionary.hpp"
#include "value/exact.hpp"

namespace lofty::engine {

// Rows handled at once: the arrays of a few operators stay in the second-level cache.
inline constexpr std::size_t batch_rows = 4096;

// The values of one node for one batch. Exactly one array is in use, told by `lane`; nulls are the same special
// values as in Piece, and a view without data for `text`.
struct Vector {
  enum class Lane : unsigned char { int64, int128, float64, code, text };
  Lane lane = Lane::int64;
  Type type;
  std::vector<std::int64_t> ints;
  std::vector<int128> wide;
  std::vector<double> doubles;
  std::vector<std::uint32_t> codes;
  std::vector<std::string_view> texts;
  const Dictionary* dictionary = nullptr;  // of `codes`
  std::deque<std::string> made;            // texts that an operator made

  void set_int64(std::size_t count) {
    lane = Lane::int64;
    ints.resize(count);
  }
  void set_text(std::size_t count) {
    lane = Lane::text;
    texts.assign(count, std::string_view());
    made.clear();
  }
  bool is_null(std::size_t i) const {
    switch (lane) {
      case Lane::int64: return ints[i] == int64_null;
      case Lane::int128: return wide[i] == int128_min;
      case Lane::float64: return std::isnan(doubles[i]);
      case Lane::code: return codes[i] == Dictionary::none;
      case Lane::text: return texts[i].data() == nullptr;
    }
    return true;
  }
  int128 exact(std::size_t i) const { return lane == Lane::int64 ? int128{ints[i]} : wide[i]; }
  std::string_view text(std::size_t i) const { return lane == Lane::code ? dictionary->text(codes[i]) : texts[i]; }
  Value value(std::size_t i) const;
};

// Where a relation's columns come from.
class RowSource {
 public:
  virtual ~RowSource() = default;
  virtual std::size_t rows() const = 0;
  // Rows [begin, begin + count) of a column; sets every member of `out` that its lane uses.
  virtual void load(int column, std::size_t begin, std::size_t count, Vector& out) const = 0;
  // The dictionary of a text column; null when it has none.
  virtual const Dictionary* dictionary(int column) const = 0;
};

void load_column(const Column& column, std::size_t begin, std::size_t count, Vector& out);

// Sealed columns, side by side.
class ColumnSource : public RowSource {
 public:
  ColumnSource(std::size_t rows, std::vector<ColumnPtr> columns) : rows_(rows), columns_(std::move(columns)) {}
  std::size_t rows() const override { return rows_; }
  void load(int column, std::size_t begin, std::size_t count, Vector& out) const override {
    load_column(*columns_[static_cast<std::size_t>(column)], begin, count, out);
  }
  const Dictionary* dictionary(int column) const override {
    const Column& c = *columns_[static_cast<std::size_t>(column)];
    return c.type().kind == Kind::text ? &c.dictionary() : nullptr;
  }

 private:
  std::size_t rows_;
  std::vector<ColumnPtr> columns_;
};

// A value that one row made impossible. `row` counts from 0 in the source.
struct RowFailure {
  Code code;
  std::string sentence, advice;
  std::size_t row;
  const Node* node;
};

// What the formulas of a question need in addition to rows.
struct FormulaContext {
  int slots = 0;                     // of scratch memory, as finish() counted them
  std::vector<Value> overalls = {};  // by Node::overall; empty before they are known, when nothing may need them
};

// Scratch memory and evaluation for trees over one source. Not thread-safe: one per thread. `context` has to outlive
// it.
//
// A row is active when `active` is null or active[i] != 0. Values of rows that are not active may be anything, and
// never fail: so `case`, `coalesce`, `and` and `or` shield what is to their right. Results stay valid until the
// same node is evaluated again.
class Evaluator {
 public:
  Evaluator(const RowSource& source, const FormulaContext& context)
      : source_(source), context_(context), scratch_(static_cast<std::size_t>(context.slots)) {}
  Evaluator(const RowSource&, FormulaContext&&) = delete;

  // Throws RowFailure for the first active row (of the operator that fails first) whose value cannot be.
  const Vector& evaluate(const Node& node, std::size_t begin, std::size_t count, const unsigned char* active);

 private:
  struct Scratch {
    Vector out, left, right;  // left and right: operands converted to a common lane
    std::vector<unsigned char> mask;
    Vector distinct;  // results by code, where the node depends on one text column only
    const Dictionary* distinct_of = nullptr;
    ColumnPtr shared;
    bool cannot_share = false;
    // Of a node that is used in several places: the batch that `out` holds, and the rows that were active (none: all).
    std::size_t begin = ~std::size_t{0}, count = 0;
    std::vector<unsigned char> seen;
    bool all_seen = false;
    std::size_t same = 0;  // of a node that is the same for every row: how many rows `out` has it for
  };
  bool holds(Scratch& scratch, std::size_t begin, std::size_t count, const unsigned char*& active) const;
  void evaluate_once(const Node& node, std::size_t begin, std::size_t count, const unsigned char* active,
                     Scratch& scratch);
  struct Loaded {
    Vector values;
    std::size_t begin = ~std::size_t{0}, count = 0;
  };
  struct Call;  // the arguments of evaluate(), passed on
  friend struct Call;

  // A column's rows; kept until another batch is asked for.
  const Vector& load(int column, std::size_t begin, std::size_t count, const Zone* zone = nullptr);

  const RowSource& source_;
  const FormulaContext& context_;
  std::vector<Scratch> scratch_;
  std::deque<Loaded> columns_;  // a deque: growing it moves nothing that a caller holds
};

// Adds value i to a piece of its type.
void append(Piece& piece, const Vector& v, std::size_t i);

// Adds many: texts of one dictionary are looked up once each. One for a piece and the node that fills it.
class Appender {
 public:
  // All values of a batch.
  void append(Piece& piece, const Vector& v, std::size_t count);
  // Those of these rows; the batch begins with row `begin`.
  void append(Piece& piece, const Vector& v, std::span<const std::uint32_t> rows, std::size_t begin);

 private:
  template <class Index>
  void append(Piece& piece, const Vector& v, std::size_t count, const Index& index);
  const Dictionary* dictionary_ = nullptr;
  std::vector<std::uint32_t> codes_;  // by code of the dictionary: the piece's
};

// A formula over whole columns, as a sealed column. Throws RowFailure.
ColumnPtr evaluate_column(const Node& node, const ColumnSource& source, const FormulaContext& context, const Run& run);

}  // namespace lofty::engine
