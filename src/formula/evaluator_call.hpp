#pragma once
// The operations of a formula, each over one batch: what Evaluator::evaluate() calls for a node. Their definitions are
// in evaluator_*.cpp, by kind.
// Covered by tests/formula/evaluator_test.cpp.

#include <cmath>

#include "formula/evaluator.hpp"

namespace lofty::engine {

inline bool is_active(const unsigned char* active, std::size_t i) { return active == nullptr || active[i] != 0; }

inline constexpr std::int64_t day_length = 86'400'000'000;  // microseconds

// One node, one batch. Results go to `out`, whose type is the node's.
struct Evaluator::Call {
  Evaluator& self;
  const Node& node;
  std::size_t begin, count;
  const unsigned char* active;
  Scratch& scratch;
  Vector& out;

  void run() const;
  // Results by code, computed on first use; false when a distinct value fails, so that rows must decide.
  bool share() const;

  [[noreturn]] void fail(Code code, std::string sentence, std::size_t i, std::string advice = {}) const {
    throw RowFailure{code, std::move(sentence), std::move(advice), begin + i, &node};
  }
  const Vector& arg(std::size_t index) const { return self.evaluate(*node.args[index], begin, count, active); }
  const Vector& arg(std::size_t index, const unsigned char* mask) const {
    return self.evaluate(*node.args[index], begin, count, mask);
  }
  // Null literals have no lane of their own.
  bool is_null_literal(std::size_t index) const { return node.args[index]->op == Op::null; }
  void all_null() const;
  static std::string shown(const Vector& v, std::size_t i) { return to_text(v.value(i)); }
  void literal() const;

  // ---- numbers

  // The argument as doubles.
  const std::vector<double>& doubles(const Vector& from, Vector& scratch_vector) const;
  static bool combine(Op op, std::int64_t a, std::int64_t b, std::int64_t& r);
  // True when every result fits 64 bits.
  template <Op op>
  bool exact_int64(const std::int64_t* a, const std::int64_t* b, std::int64_t lift_a, std::int64_t lift_b,
                   std::int64_t* r) const;
  void exact_binary(const Vector& a, const Vector& b) const;
  void exact_quotient(const Vector& a, const Vector& b) const;
  void arithmetic() const;
  void negate() const;
  [[noreturn]] void zero_division(const Vector&, std::size_t i) const;
  // Back to 64 bits where everything fits, so that what follows is fast.
  void narrow() const;
  void number_function() const;
  void float_function(const Vector& a) const;
  template <class Fn>
  void exact_each(const Fn& fn) const {
    out.lane = Vector::Lane::int128;
    out.wide.resize(count);
    for (std::size_t i = 0; i < count; ++i) out.wide[i] = fn(i);
    narrow();
  }

  // ---- dates and moments

  void move_moment() const;
  template <class Fn>
  void from_moment(const Vector& v, const Fn& fn) const;
  void extract() const;
  void date_function() const;

  // ---- conditions

  static bool holds(Op op, int order);
  // A value that is used together with `other`: a wall clock, which is written without an offset, is that of the zone
  // in which a moment with an offset is shown.
  static std::int64_t instant(const Vector& v, const Vector& other, std::size_t i);
  // Compares two values that are not null: negative, 0 or positive.
  static int compare(const Vector& a, const Vector& b, std::size_t i);
  void comparison() const;
  void between() const;
  void in_list() const;
  void logical() const;
  void logical_not() const;
  void test() const;
  static std::int64_t tri_not(std::int64_t truth) { return truth == int64_null ? truth : 1 - truth; }

  // ---- picking one of several values

  void start_picking() const;
  // Row i takes its value from `from`, whose type may be narrower than the node's.
  void pick(const Vector& from, std::size_t i) const;
  void case_when() const;
  void coalesce() const;
  void nullif() const;
  void extreme() const;

  // ---- texts

  void like() const;
  std::string cut(std::string text) const;
  bool in_size(const Decimal& value) const;
  void round_exact(const Vector& a) const;
  void width_bucket(const Vector& x) const;
  std::string_view keep(std::string text) const;
  void text_function() const;
  void substring(const Vector& v) const;
  void trim(const Vector& v) const;
  void concatenate() const;
  template <class Fn>
  void make_texts(const Vector& v, const Fn& fn) const {
    out.set_text(count);
    for (std::size_t i = 0; i < count; ++i)
      if (!v.is_null(i) && is_active(active, i)) out.texts[i] = fn(i);
  }

  // ---- casts

  void cast() const;
  Value from_text(std::string_view text, std::size_t i) const;
  [[noreturn]] void bad_cast(const std::string& value, std::size_t i) const;
  Value converted(const Value& value, const Type& from, std::size_t i, bool was_text) const;
  void put(const Value& value, std::size_t i) const;
};

}  // namespace lofty::engine
