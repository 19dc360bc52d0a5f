#include "formula/evaluator.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include "formula/binder.hpp"
#include "formula/parser.hpp"

using namespace lofty;
using namespace lofty::engine;

namespace {

// Five columns: whole numbers i and j, decimals d, a text t and a date on.
struct World : RowSource {
  std::vector<ColumnPtr> columns;
  std::size_t count = 0;
  std::size_t rows() const override { return count; }
  void load(int column, std::size_t begin, std::size_t n, Vector& out) const override {
    load_column(*columns[static_cast<std::size_t>(column)], begin, n, out);
  }
  const Dictionary* dictionary(int column) const override {
    const Column& c = *columns[static_cast<std::size_t>(column)];
    return c.type().kind == Kind::text ? &c.dictionary() : nullptr;
  }
  void add(Type type, const std::vector<Value>& values) {
    Piece piece(type);
    for (const Value& value : values) piece.add(value);
    count = values.size();
    std::vector<Piece> pieces;
    pieces.push_back(std::move(piece));
    columns.push_back(Column::seal(type, std::move(pieces), {}));
  }
};

const std::vector<std::string> names = {"i", "j", "d", "t", "day"};

struct WorldScope : Scope {
  const World& world;
  explicit WorldScope(const World& w) : world(w) {}
  NodePtr name(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
    for (std::size_t c = 0; c < names.size(); ++c)
      if (names[c] == e.text) return make_column(static_cast<int>(c), world.columns[c]->type(), e, origin);
    throw Error(problem_at(Code::unknown_column, "no " + e.text, e, origin));
  }
  NodePtr aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
    return make_unknown(e, origin);
  }
  NodePtr window(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
    return make_unknown(e, origin);
  }
  NodePtr choice(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
    return make_unknown(e, origin);
  }
};

World small_world() {
  World world;
  const auto n = [](long v) { return Value(Decimal(v, 0)); };
  const auto m = [](const char* v) { return Value(*Decimal::parse(v)); };
  world.add({.kind = Kind::integer}, {n(7), n(-2), Value{}, n(0)});
  world.add({.kind = Kind::integer}, {n(2), n(3), n(5), n(0)});
  world.add({.kind = Kind::decimal, .scale = 2}, {m("1.25"), m("-0.50"), m("3.00"), Value{}});
  world.add({.kind = Kind::text},
            {Value(std::string("Comb 10")), Value(std::string("Été")), Value{}, Value(std::string(""))});
  world.add({.kind = Kind::date},
            {*Date::parse("2024-02-29"), *Date::parse("2025-03-31"), *Date::parse("2026-01-01"), Value{}});
  return world;
}

std::vector<std::string> run(const World& world, const std::string& text, const unsigned char* active = nullptr) {
  WorldScope scope(world);
  std::vector<Problem> problems;
  const auto origin = std::make_shared<Origin>(Origin{"test", text});
  const NodePtr node = engine::bind(*parse_expression(text), scope, origin, problems);
  if (!problems.empty()) return {std::string(to_string(problems.front().code)) + ": " + problems.front().sentence};
  const FormulaContext context{.slots = finish(*node)};
  Evaluator evaluator(world, context);
  try {
    const Vector& v = evaluator.evaluate(*node, 0, world.rows(), active);
    std::vector<std::string> out;
    for (std::size_t i = 0; i < world.rows(); ++i) out.push_back(v.is_null(i) ? "null" : to_text(v.value(i)));
    return out;
  } catch (const RowFailure& failure) {
    return {std::string(to_string(failure.code)) + " in row " + std::to_string(failure.row)};
  }
}

using Texts = std::vector<std::string>;

}  // namespace

// A formula and its value in each of the four rows.
TEST(Evaluator, GivesTheStandardsValues) {
  const World world = small_world();
  const std::pair<const char*, Texts> cases[] = {
      {"i + j", {"9", "1", "null", "0"}},
      {"i * d", {"8.75", "1.00", "null", "null"}},
      {"j - d", {"0.75", "3.50", "2.00", "null"}},
      {"i / j", {"division-by-zero in row 3"}},
      {"i / nullif(j, 0)", {"3.500000", "-0.666667", "null", "null"}},
      {"case when j = 0 then 0 else i / j end", {"3.500000", "-0.666667", "null", "0.000000"}},
      {"j <> 0 and i / j > 1", {"true", "false", "null", "false"}},
      {"j = 0 or 7 / j > 2", {"true", "true", "false", "true"}},
      {"coalesce(i, j)", {"7", "-2", "5", "0"}},
      {"coalesce(d, i)", {"1.25", "-0.50", "3.00", "0.00"}},
      {"-i", {"-7", "2", "null", "0"}},
      {"abs(d)", {"1.25", "0.50", "3.00", "null"}},
      {"mod(i, 3)", {"1", "-2", "null", "0"}},
      {"floor(d)", {"1", "-1", "3", "null"}},
      {"ceiling(d)", {"2", "0", "3", "null"}},
      {"greatest(i, j, 1)", {"7", "3", "null", "1"}},
      {"least(d, 1)", {"1.00", "-0.50", "1.00", "null"}},
      {"i > 0", {"true", "false", "null", "false"}},
      {"i > 0 or null", {"true", "null", "null", "null"}},
      {"i > 0 and null", {"null", "false", "null", "false"}},
      {"not i > 0", {"false", "true", "null", "true"}},
      {"i is null", {"false", "false", "true", "false"}},
      {"(i > 0) is unknown", {"false", "false", "true", "false"}},
      {"(i > 0) is not true", {"false", "true", "true", "true"}},
      {"i between 0 and 7", {"true", "false", "null", "true"}},
      {"i not between j and 100", {"false", "true", "null", "false"}},
      {"i in (7, 0)", {"true", "false", "null", "true"}},
      {"i in (7, null)", {"true", "null", "null", "null"}},
      {"i not in (7, null)", {"false", "null", "null", "null"}},
      {"d = 1.250", {"true", "false", "false", "null"}},
      {"t = ''", {"false", "false", "null", "true"}},
      {"t < 'D'", {"true", "false", "null", "true"}},
      {"t like 'Comb %'", {"true", "false", "null", "false"}},
      {"t like '_t_'", {"false", "true", "null", "false"}},
      {"t not like '%'", {"false", "false", "null", "false"}},
      {"t || '!'", {"Comb 10!", "Été!", "null", "!"}},
      {"upper(t)", {"COMB 10", "ÉTÉ", "null", ""}},
      {"char_length(t)", {"7", "3", "null", "0"}},
      {"substring(t from 2 for 2)", {"om", "té", "null", ""}},
      {"substring(t from 6)", {"10", "", "null", ""}},
      {"position('t' in t)", {"0", "2", "null", "0"}},
      {"trim(both '!' from '!!a!')", {"a", "a", "a", "a"}},
      {"cast(d as integer)", {"1", "0", "3", "null"}},
      {"cast(i as varchar) || t", {"7Comb 10", "-2Été", "null", "0"}},
      {"cast(t as integer)", {"bad-cast in row 0"}},
      {"case when t like 'x%' then cast(t as integer) end", {"null", "null", "null", "null"}},
      {"cast('2025-03-31' as date) = day", {"false", "true", "false", "null"}},
      {"extract(year from day)", {"2024", "2025", "2026", "null"}},
      {"extract(month from day) * 100 + extract(day from day)", {"229", "331", "101", "null"}},
      {"iso_week(day)", {"9", "14", "1", "null"}},
      {"weekday(day)", {"4", "1", "4", "null"}},
      {"quarter(day)", {"1", "1", "1", "null"}},
      {"start_of('month', day)", {"2024-02-01", "2025-03-01", "2026-01-01", "null"}},
      {"start_of('week', day)", {"2024-02-26", "2025-03-31", "2025-12-29", "null"}},
      {"day + interval '1' year", {"2025-02-28", "2026-03-31", "2027-01-01", "null"}},
      {"day - interval '1' month", {"2024-01-29", "2025-02-28", "2025-12-01", "null"}},
      {"day + j * interval '1' day", {"2024-03-02", "2025-04-03", "2026-01-06", "null"}},
      {"day <= date '2025-03-31'", {"true", "true", "false", "null"}},
      {"timestamp '2025-03-31 23:59:59' <= day",
       {"false", "true", "true", "null"}},  // a date against a timestamp compares days
      {"extract(day from (day - date '2024-02-28') day)", {"1", "397", "673", "null"}},
      {"9223372036854775807 + i", {"9223372036854775814", "9223372036854775805", "null", "9223372036854775807"}},
      {"99999999999999999999999999999999999999 + i", {"overflow in row 0"}},
      {"case when i > 0 then 1 else 0.5 end", {"1.0", "0.5", "0.5", "0.5"}},
      {"null + i", {"null", "null", "null", "null"}},
      {"1e2 / j", {"division-by-zero in row 3"}},
      {"power(i, 2)", {"49", "4", "null", "0"}},
  };
  for (const auto& [text, expected] : cases) EXPECT_EQ(run(world, text), expected) << text;
}

TEST(Evaluator, TypesAreCheckedWithAdvice) {
  const World world = small_world();
  const std::pair<const char*, const char*> cases[] = {
      {"t > 5", "wrong-type: text compared with a number: `t` is text, `5` is an integer"},
      {"day >= '2025-01-01'", "wrong-type: a date compared with text: `day` is a date, `'2025-01-01'` is text"},
      {"t + 1", "wrong-type: `t` is text and cannot be added"},
      {"day + 3", "wrong-type: a number cannot be added to a date: it has no unit"},
      {"day - day", "wrong-type: the difference of two dates needs its unit"},
      {"i and j = 1", "wrong-type: `i` is a number, not a condition"},
      {"coalesce(i, t)", "wrong-type: the results have different types: `i` is a number, `t` is text"},
      {"upper(i)", "wrong-type: `upper` takes text; `i` is a number"},
      {"roundd(i)", "unknown-function: no function `roundd`"},
      {"abs(i, j)", "wrong-arguments: `abs` takes 1 argument, not 2"},
      {"extract(hour from day)", "wrong-type: a date has no hour"},
      {"lag(i)", "wrong-arguments: `lag` goes with a window: which rows does it see?"},
  };
  for (const auto& [text, problem] : cases) EXPECT_EQ(run(world, text), Texts{problem}) << text;
}

TEST(Evaluator, RowsThatAreNotActiveNeverFail) {
  const World world = small_world();
  const unsigned char active[] = {1, 1, 1, 0};
  EXPECT_EQ(run(world, "i / j", active)[0], "3.500000");
}

namespace {

// The reference: one value at a time, from the definitions, in Decimal arithmetic.
struct Failed {};

// How many decimals a formula's type has, by the rules for types alone.
int scale_of(const Expression& e) {
  int most = 0;
  switch (e.op) {
    case Op::literal: return e.type.scale;
    case Op::name: return e.text == "d" ? 2 : 0;
    case Op::multiply: return scale_of(*e.args[0]) + scale_of(*e.args[1]);
    case Op::divide: return std::min(scale_of(*e.args[0]) + 6, 38);
    case Op::case_when:
      for (std::size_t i = 1; i < e.args.size(); i += 2) most = std::max(most, scale_of(*e.args[i]));
      return e.args.size() % 2 == 1 ? std::max(most, scale_of(*e.args.back())) : most;
    default:
      for (const ExpressionPtr& arg : e.args) most = std::max(most, scale_of(*arg));
      return most;
  }
}

// One of several results takes the type that holds them all.
Value picked(const Value& value, const Expression& e) {
  if (!std::holds_alternative<Decimal>(value)) return value;
  const auto lifted = std::get<Decimal>(value).rescaled(scale_of(e));
  if (!lifted) throw Failed{};
  return *lifted;
}

Value reference(const Expression& e, const std::vector<Value>& row) {
  const auto arg = [&](std::size_t i) { return reference(*e.args[i], row); };
  const auto truth = [](const Value& v) { return is_null(v) ? -1 : std::get<bool>(v) ? 1 : 0; };
  const auto from_truth = [](int t) { return t < 0 ? Value{} : Value(t == 1); };
  switch (e.op) {
    case Op::literal: return e.value;
    case Op::null: return {};
    case Op::name:
      for (std::size_t c = 0; c < names.size(); ++c)
        if (names[c] == e.text) return row[c];
      return {};
    case Op::add:
    case Op::subtract:
    case Op::multiply:
    case Op::divide: {
      const Value a = arg(0), b = arg(1);
      if (is_null(a) || is_null(b)) return {};
      const Decimal &x = std::get<Decimal>(a), &y = std::get<Decimal>(b);
      const auto r = e.op == Op::add        ? add(x, y)
                     : e.op == Op::subtract ? subtract(x, y)
                     : e.op == Op::multiply ? multiply(x, y)
                                            : divide(x, y);
      if (!r) throw Failed{};
      return *r;
    }
    case Op::negate: {
      const Value a = arg(0);
      if (is_null(a)) return {};
      return Decimal(-std::get<Decimal>(a).coefficient(), std::get<Decimal>(a).scale());
    }
    case Op::equal:
    case Op::less:
    case Op::greater_equal: {
      const Value a = arg(0), b = arg(1);
      if (is_null(a) || is_null(b)) return {};
      return e.op == Op::equal ? a == b : e.op == Op::less ? a < b : !(a < b);
    }
    case Op::logical_and: {
      const int a = truth(arg(0));
      if (a == 0) return false;
      const int b = truth(arg(1));
      return b == 0 ? Value(false) : from_truth(a < 0 || b < 0 ? -1 : 1);
    }
    case Op::logical_or: {
      const int a = truth(arg(0));
      if (a == 1) return true;
      const int b = truth(arg(1));
      return b == 1 ? Value(true) : from_truth(a < 0 || b < 0 ? -1 : 0);
    }
    case Op::logical_not: {
      const int a = truth(arg(0));
      return from_truth(a < 0 ? -1 : 1 - a);
    }
    case Op::is_null: return is_null(arg(0)) != e.negated;
    case Op::case_when:
      for (std::size_t i = 0; i + 1 < e.args.size(); i += 2)
        if (truth(arg(i)) == 1) return picked(arg(i + 1), e);
      return e.args.size() % 2 == 1 ? picked(arg(e.args.size() - 1), e) : Value{};
    case Op::call:  // coalesce
      for (std::size_t i = 0; i < e.args.size(); ++i) {
        const Value v = arg(i);
        if (!is_null(v)) return picked(v, e);
      }
      return {};
    default: throw Failed{};
  }
}

std::string any_number(int depth);

std::string any_condition(int depth) {
  if (depth <= 0) return *rc::gen::element<std::string>("t = 'a'", "t < 'b'", "i = 0", "d < 1.5", "t is null");
  switch (*rc::gen::inRange(0, 6)) {
    case 0: return "(" + any_condition(depth - 1) + " and " + any_condition(depth - 1) + ")";
    case 1: return "(" + any_condition(depth - 1) + " or " + any_condition(depth - 1) + ")";
    case 2: return "(not " + any_condition(depth - 1) + ")";
    case 3: return "(" + any_number(depth - 1) + " < " + any_number(depth - 1) + ")";
    case 4: return "(" + any_number(depth - 1) + " is not null)";
    default: return "(" + any_number(depth - 1) + " >= " + any_number(depth - 1) + ")";
  }
}

std::string any_number(int depth) {
  if (depth <= 0) return *rc::gen::element<std::string>("i", "j", "d", "3", "0.25", "100000000000", "-7");
  switch (*rc::gen::inRange(0, 7)) {
    case 0: return "(" + any_number(depth - 1) + " + " + any_number(depth - 1) + ")";
    case 1: return "(" + any_number(depth - 1) + " - " + any_number(depth - 1) + ")";
    case 2: return "(" + any_number(depth - 1) + " * " + any_number(depth - 1) + ")";
    case 3: return "(" + any_number(depth - 1) + " / " + any_number(depth - 1) + ")";
    case 4:
      return "(case when " + any_condition(depth - 1) + " then " + any_number(depth - 1) + " else " +
             any_number(depth - 1) + " end)";
    case 5: return "coalesce(" + any_number(depth - 1) + ", " + any_number(depth - 1) + ")";
    default: return "(- " + any_number(depth - 1) + ")";
  }
}

}  // namespace

// Over generated formulas and rows the batches give what the reference gives, row by row; where the reference fails on
// some row, so do the batches, and nowhere else.
RC_GTEST_PROP(EvaluatorProperty, AgreesWithTheReference, ()) {
  World world;
  const auto rows = static_cast<std::size_t>(*rc::gen::inRange(1, 12));
  std::vector<std::vector<Value>> columns(names.size());
  for (std::size_t r = 0; r < rows; ++r) {
    const auto whole = [&] {
      return *rc::gen::weightedOneOf<Value>(
          {{1, rc::gen::just(Value{})},
           {6, rc::gen::map(rc::gen::inRange<long>(-3, 4), [](long v) { return Value(Decimal(v, 0)); })},
           {1, rc::gen::map(rc::gen::arbitrary<std::int64_t>(), [](std::int64_t v) { return Value(Decimal(v, 0)); })}});
    };
    columns[0].push_back(whole());
    columns[1].push_back(whole());
    columns[2].push_back(*rc::gen::weightedOneOf<Value>(
        {{1, rc::gen::just(Value{})},
         {4, rc::gen::map(rc::gen::inRange<long>(-300, 300), [](long v) { return Value(Decimal(v, 2)); })}}));
    columns[3].push_back(*rc::gen::weightedOneOf<Value>(
        {{1, rc::gen::just(Value{})},
         {3, rc::gen::map(rc::gen::element<std::string>("a", "b", "", "B"), [](std::string v) { return Value(v); })}}));
    columns[4].push_back(Value{});
  }
  world.add({.kind = Kind::integer}, columns[0]);
  world.add({.kind = Kind::integer}, columns[1]);
  world.add({.kind = Kind::decimal, .scale = 2}, columns[2]);
  world.add({.kind = Kind::text}, columns[3]);
  world.add({.kind = Kind::date}, columns[4]);
  const std::string text =
      *rc::gen::arbitrary<bool>() ? any_number(*rc::gen::inRange(1, 4)) : any_condition(*rc::gen::inRange(1, 4));
  RC_LOG() << text << "\n";
  const auto expression = parse_expression(text);
  WorldScope scope(world);
  std::vector<Problem> problems;
  const NodePtr node = engine::bind(*expression, scope, std::make_shared<Origin>(Origin{"test", text}), problems);
  RC_PRE(problems.empty());  // a product of too many decimals is refused beforehand
  const FormulaContext context{.slots = finish(*node)};
  Evaluator evaluator(world, context);
  bool any_failed = false;
  std::vector<std::optional<Value>> expected;
  for (std::size_t r = 0; r < rows; ++r) {
    std::vector<Value> row;
    for (const auto& column : columns) row.push_back(column[r]);
    try {
      expected.emplace_back(reference(*expression, row));
    } catch (const Failed&) {
      expected.emplace_back();
      any_failed = true;
    }
  }
  try {
    const Vector& v = evaluator.evaluate(*node, 0, rows, nullptr);
    RC_ASSERT(!any_failed);
    for (std::size_t r = 0; r < rows; ++r) RC_ASSERT(v.value(r) == *expected[r]);
  } catch (const RowFailure& failure) {
    RC_ASSERT(any_failed);
    if (any_failed && failure.code == Code::division_by_zero) {
      RC_ASSERT(!expected[failure.row].has_value());
    }
  }
}
