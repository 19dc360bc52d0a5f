// What operators join: literals, names, brackets, case, cast, extract.
// Covered by tests/formula/parser_test.cpp.

#include <fast_float/fast_float.h>

#include <cmath>

#include "base/folded.hpp"
#include "formula/grammar.hpp"
#include "table/infer.hpp"

namespace lofty::engine::grammar {
namespace {

const std::vector<std::string>& reserved_words() {
  static const std::vector<std::string> words = {
      "and", "or", "not",  "between", "in",   "like", "is",   "null",  "case",   "when", "then",     "else",
      "end", "as", "from", "where",   "true", "asc",  "desc", "false", "escape", "over", "distinct", "filter"};
  return words;
}

ExpressionPtr number(LexemeReader& in) {
  const Lexeme& lexeme = in.take();
  ExpressionPtr literal = make(Op::literal, lexeme.begin);
  if (const auto exact = Decimal::parse(lexeme.text)) {
    literal->value = *exact;
    literal->type = {.kind = exact->scale() > 0 ? Kind::decimal : Kind::integer, .scale = exact->scale()};
    return close(in, std::move(literal));
  }
  double value = 0;
  const auto result = fast_float::from_chars(lexeme.text.data(), lexeme.text.data() + lexeme.text.size(), value);
  if (lexeme.text.find_first_of("eE") == std::string::npos || result.ec != std::errc{} || !std::isfinite(value))
    in.fail_at(lexeme, "this number has more than 38 digits, or is out of range");
  literal->value = value;
  literal->type = {.kind = Kind::floating};
  return close(in, std::move(literal));
}

ExpressionPtr name(LexemeReader& in) {
  ExpressionPtr expression = make(Op::name, in.here().begin);
  expression->quoted = in.here().token == Token::quoted_name;
  expression->text = in.take().text;
  if (in.at_sign(".")) {
    in.take();
    if (in.here().token != Token::word && in.here().token != Token::quoted_name)
      in.fail("expected a column after the point, " + in.found());
    expression->qualifier = expression->text;
    expression->quoted = in.here().token == Token::quoted_name;
    expression->text = in.take().text;
  }
  return close(in, std::move(expression));
}

ExpressionPtr moment(LexemeReader& in, Look look, const char* example) {
  const std::size_t begin = in.take().begin;
  const Lexeme& literal = in.take();
  Reading reading = read_text(literal.text);
  ExpressionPtr expression = make(Op::literal, begin);
  if (look == Look::timestamp && reading.look == Look::zoned) expression->type.zoned = true;
  if (reading.look != look && !expression->type.zoned)
    in.fail_at(literal, "`" + literal.text + "` is not a " + (look == Look::date ? "date" : "timestamp"),
               std::string("write it as ") + example);
  if (look == Look::date) {
    expression->type.kind = Kind::date;
    expression->value = Date{static_cast<std::int32_t>(reading.instant)};
  } else {
    expression->type.kind = Kind::timestamp;
    expression->value = Timestamp{reading.instant};
  }
  return close(in, std::move(expression));
}

const std::vector<std::string>& units() {
  static const std::vector<std::string> words = {"year", "month", "day", "hour", "minute", "second"};
  return words;
}

ExpressionPtr interval(LexemeReader& in) {
  ExpressionPtr expression = make(Op::interval, in.take().begin);
  const Lexeme& count = in.take();
  const auto number = Decimal::parse(count.text);
  if (!number || number->scale() != 0 || number->coefficient() > 1'000'000'000 ||
      number->coefficient() < -1'000'000'000)
    in.fail_at(count, "`" + count.text + "` is not a whole number", "interval '3' day");
  expression->value = *number;
  if (in.here().token != Token::word) in.fail("expected a unit, " + in.found(), "interval '3' day");
  bool known = false;
  for (const std::string& unit : units()) known = known || unit == in.here().folded;
  if (!known)
    in.fail("`" + in.here().text + "` is not a unit of an interval", "year, month, day, hour, minute or second",
            nearest_word(in.here().folded, units()));
  expression->text = in.take().folded;
  return close(in, std::move(expression));
}

// What is extracted elsewhere, and has its own function here.
std::string current_or_near(const std::string& field) {
  if (field == "week") return "iso_week(ordered_on)";
  if (field == "quarter") return "quarter(ordered_on)";
  if (field == "dow" || field == "weekday") return "weekday(ordered_on)";
  return {};
}

ExpressionPtr extract(LexemeReader& in) {
  ExpressionPtr expression = make(Op::extract, in.take().begin);
  in.expect_sign("(");
  bool known = false;
  for (const std::string& unit : units()) known = known || in.at_word(unit);
  if (!known) {
    const std::string now = current_or_near(in.here().folded);
    in.fail("`" + in.here().text + "` cannot be extracted",
            now.empty() ? "year, month, day, hour, minute or second" : now, nearest_word(in.here().folded, units()));
  }
  expression->text = in.take().folded;
  in.expect_word("from");
  expression->args.push_back(disjunction(in));
  in.expect_sign(")");
  return close(in, std::move(expression));
}

ExpressionPtr case_when(LexemeReader& in) {
  ExpressionPtr expression = make(Op::case_when, in.take().begin);
  ExpressionPtr subject;
  if (!in.at_word("when")) subject = disjunction(in);
  if (!in.at_word("when"))
    in.fail("expected `when`, " + in.found(), "case when status = 'void' then 0 else amount end");
  while (in.accept_word("when")) {
    ExpressionPtr condition = disjunction(in);
    if (subject) {
      const std::size_t begin = condition->begin, end = condition->end;
      condition = make(in, Op::equal, begin, copy(*subject), std::move(condition));
      condition->end = end;
    }
    in.expect_word("then");
    expression->args.push_back(std::move(condition));
    expression->args.push_back(disjunction(in));
  }
  if (in.accept_word("else")) expression->args.push_back(disjunction(in));
  in.expect_word("end");
  return close(in, std::move(expression));
}

int small_number(LexemeReader& in, int most) {
  const Lexeme& lexeme = in.here();
  const auto value = lexeme.token == Token::number ? Decimal::parse(lexeme.text) : std::nullopt;
  if (!value || value->scale() != 0 || value->coefficient() > most)
    in.fail("expected a number from 0 to " + std::to_string(most) + ", " + in.found());
  in.take();
  return static_cast<int>(value->coefficient());
}

Type type_name(LexemeReader& in, CastSize& size) {
  const Lexeme& lexeme = in.take();
  const std::string& word = lexeme.folded;
  if (word == "integer" || word == "int" || word == "bigint" || word == "smallint") {
    size.bits = word == "smallint" ? 16 : word == "bigint" ? 64 : 0;  // the standard leaves integer's to us
    return {.kind = Kind::integer};
  }
  if (word == "decimal" || word == "numeric" || word == "dec") {
    Type type{.kind = Kind::decimal};
    if (in.accept_sign("(")) {
      size.digits = static_cast<int>(small_number(in, 38));
      if (in.accept_sign(",")) type.scale = small_number(in, 38);
      in.expect_sign(")");
    }
    return type;
  }

  // Types without further words, and texts.
  if (word == "float" || word == "real") return {.kind = Kind::floating};
  if (word == "double") {
    in.expect_word("precision");
    return {.kind = Kind::floating};
  }
  if (word == "date") return {.kind = Kind::date};
  if (word == "timestamp") return {.kind = Kind::timestamp};
  if (word == "boolean") return {.kind = Kind::boolean};
  if (word == "varchar" || word == "char" || word == "text") {
    if (in.accept_sign("(")) {
      size.characters = static_cast<int>(small_number(in, 1'000'000'000));
      in.expect_sign(")");
    }
    return {.kind = Kind::text};
  }

  // No type.
  static const std::vector<std::string> types = {"integer",   "decimal", "float",  "date",
                                                 "timestamp", "boolean", "varchar"};
  in.fail_at(lexeme, "no type `" + lexeme.text + "`",
             "integer, decimal(12,2), float, date, timestamp, boolean or varchar", nearest_word(word, types),
             Code::unknown_word);
}

ExpressionPtr cast(LexemeReader& in) {
  ExpressionPtr expression = make(Op::cast, in.take().begin);
  in.expect_sign("(");
  expression->args.push_back(disjunction(in));
  in.expect_word("as");
  if (in.here().token != Token::word) in.fail("expected a type, " + in.found());
  expression->type = type_name(in, expression->size);
  in.expect_sign(")");
  return close(in, std::move(expression));
}

ExpressionPtr bracketed(LexemeReader& in, std::size_t begin) {
  ExpressionPtr inside = disjunction(in);
  in.expect_sign(")");
  for (const char* const unit : {"day", "hour", "minute", "second"}) {
    if (!in.accept_word(unit)) continue;
    ExpressionPtr difference = make(in, Op::days_of, begin, std::move(inside));
    difference->text = unit;
    return difference;
  }
  return inside;
}

ExpressionPtr word(LexemeReader& in) {
  const Lexeme& lexeme = in.here();
  const std::string& folded = lexeme.folded;
  const bool quoted_next = in.ahead(1).token == Token::text;
  if (folded == "null") {
    in.take();
    return close(in, make(Op::null, lexeme.begin));
  }
  if (folded == "true" || folded == "false") {
    in.take();
    ExpressionPtr literal = make(Op::literal, lexeme.begin);
    literal->value = folded == "true";
    literal->type = {.kind = Kind::boolean};
    return close(in, std::move(literal));
  }

  // Words that begin something longer.
  if (folded == "date" && quoted_next) return moment(in, Look::date, "2025-03-31");
  if (folded == "timestamp" && quoted_next) return moment(in, Look::timestamp, "2025-03-31 14:05:00");
  if (folded == "interval" && quoted_next) return interval(in);
  if (folded == "case") return case_when(in);
  if (in.ahead(1).token == Token::sign && in.ahead(1).text == "(") {
    if (folded == "cast") return cast(in);
    if (folded == "extract") return extract(in);
    if (folded == "substring" || folded == "position" || folded == "trim") return worded_call(in);
    if (!is_reserved(folded)) return call(in);
  }

  // A name, if it is not reserved.
  if (is_reserved(folded))
    in.fail("expected a name, a number or a text, " + in.found(),
            "if a column is called so, write \"" + lexeme.text + "\"");
  return name(in);
}

}  // namespace

bool is_reserved(const std::string& word) {
  for (const std::string& reserved : reserved_words())
    if (word == reserved) return true;
  return false;
}

ExpressionPtr primary(LexemeReader& in) {
  const Lexeme& lexeme = in.here();
  switch (lexeme.token) {
    case Token::number: return number(in);
    case Token::text: {
      ExpressionPtr literal = make(Op::literal, in.take().begin);
      literal->value = lexeme.text;
      literal->type = {.kind = Kind::text};
      return close(in, std::move(literal));
    }
    case Token::choice: {
      ExpressionPtr choice = make(Op::choice, in.take().begin);
      choice->text = lexeme.text;
      return close(in, std::move(choice));
    }
    case Token::quoted_name: return name(in);
    case Token::word: return word(in);
    case Token::sign:
      if (in.accept_sign("(")) return bracketed(in, lexeme.begin);
      break;
    case Token::end: break;
  }
  in.fail("expected a name, a number or a text, " + in.found());
}

}  // namespace lofty::engine::grammar
