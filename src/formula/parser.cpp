#include "formula/parser.hpp"

#include <fast_float/fast_float.h>

#include <array>
#include <cmath>

#include "formula/lexer.hpp"
#include "table/infer.hpp"
#include "table/nearest.hpp"

namespace lofty::engine {
namespace {

// Deep enough for any formula a person writes, shallow enough for any thread's stack.
constexpr int most_nesting = 200;
constexpr std::size_t most_lexemes = 5000;

const std::vector<std::string>& reserved_words() {
  static const std::vector<std::string> words = {
      "and", "or", "not",  "between", "in",   "like", "is",   "null",  "case",   "when", "then",     "else",
      "end", "as", "from", "where",   "true", "asc",  "desc", "false", "escape", "over", "distinct", "filter"};
  return words;
}

bool is_reserved(const std::string& word) {
  for (const std::string& reserved : reserved_words())
    if (word == reserved) return true;
  return false;
}

class Parser {
 public:
  explicit Parser(std::string_view text) : text_(text), lexemes_(lex(text)) {
    // Long chains of signs nest to the left without brackets; a walk over the tree recurses that deep.
    if (lexemes_.size() > most_lexemes) fail("the formula is too long", "split it into several figures");
  }

  ExpressionPtr whole_expression() {
    if (here().token == Token::end)
      fail("the formula is empty", "write a name or a sum of names, like quantity * unit_price");
    ExpressionPtr expression = disjunction();
    expect_end();
    return expression;
  }

  WindowClause whole_window() {
    if (here().token == Token::end) fail("the window is empty", "partition by shop_no order by ordered_on");
    WindowClause clause = window_clause();
    expect_end();
    return clause;
  }

  std::vector<SortItem> whole_sort_list() {
    std::vector<SortItem> items;
    if (here().token == Token::end) fail("the sort list is empty", "write a name and a direction, like spend desc");
    do {
      items.push_back(sort_item());
    } while (accept_sign(","));
    expect_end();
    return items;
  }

 private:
  const Lexeme& here() const { return lexemes_[at_]; }
  const Lexeme& ahead(std::size_t n) const { return lexemes_[std::min(at_ + n, lexemes_.size() - 1)]; }
  const Lexeme& take() { return lexemes_[here().token == Token::end ? at_ : at_++]; }
  bool at_word(std::string_view word) const { return here().token == Token::word && here().folded == word; }
  bool at_sign(std::string_view sign) const { return here().token == Token::sign && here().text == sign; }
  bool accept_word(std::string_view word) {
    if (!at_word(word)) return false;
    ++at_;
    return true;
  }
  bool accept_sign(std::string_view sign) {
    if (!at_sign(sign)) return false;
    ++at_;
    return true;
  }

  [[noreturn]] void fail(std::string sentence, std::string advice = {}, std::string nearest = {}) const {
    fail_at(here(), std::move(sentence), std::move(advice), std::move(nearest));
  }
  [[noreturn]] void fail_at(const Lexeme& lexeme, std::string sentence, std::string advice = {},
                            std::string nearest = {}, Code code = Code::syntax) const {
    throw Error(formula_problem(code, std::move(sentence), text_, lexeme.begin, lexeme.end, std::move(nearest),
                                std::move(advice)));
  }

  std::string found() const {
    return here().token == Token::end
               ? "the formula ends"
               : "found `" + std::string(text_.substr(here().begin, here().end - here().begin)) + "`";
  }

  void expect_word(std::string_view word) {
    if (!accept_word(word)) fail("expected `" + std::string(word) + "`, " + found());
  }
  void expect_sign(std::string_view sign) {
    if (!accept_sign(sign)) fail("expected `" + std::string(sign) + "`, " + found());
  }
  void expect_end() const {
    if (here().token == Token::end) return;
    if (here().token == Token::word) {
      static const std::vector<std::string> joining = {"and", "or",  "between", "in",   "like",
                                                       "is",  "asc", "desc",    "nulls"};
      fail("expected a sign or the end, " + found(), {}, nearest_word(here().folded, joining));
    }
    fail("expected a sign or the end, " + found(), at_sign(",") ? "only sort lists take several parts" : "");
  }

  // Counts nesting for as long as it lives.
  struct Level {
    explicit Level(Parser& of) : parser(of) {
      if (++parser.nesting_ > most_nesting)
        parser.fail("the formula is nested too deeply", "split it into several figures");
    }
    ~Level() { --parser.nesting_; }
    Parser& parser;
  };

  ExpressionPtr make(Op op, std::size_t begin) const {
    auto expression = std::make_unique<Expression>();
    expression->op = op;
    expression->begin = begin;
    return expression;
  }
  ExpressionPtr close(ExpressionPtr expression) const {
    expression->end = at_ > 0 ? lexemes_[at_ - 1].end : 0;
    return expression;
  }
  template <class... Args>
  ExpressionPtr make(Op op, std::size_t begin, Args... args) const {
    ExpressionPtr expression = make(op, begin);
    (expression->args.push_back(std::move(args)), ...);
    return close(std::move(expression));
  }

  SortItem sort_item() {
    SortItem item;
    item.expression = disjunction();
    if (at_word("asc") || at_word("desc")) {
      item.direction_written = true;
      item.descending = take().folded == "desc";
    } else if (here().token == Token::word && !at_word("nulls") && !at_unit()) {
      static const std::vector<std::string> words = {"asc", "desc", "nulls", "ascending", "descending"};
      std::string nearest = nearest_word(here().folded, words);
      if (nearest.size() > 5) nearest.resize(nearest[0] == 'a' ? 3 : 4);
      fail("expected a direction, " + found(), "asc or desc", nearest);
    }
    if (accept_word("nulls")) {
      item.nulls_written = true;
      if (!at_word("first") && !at_word("last")) fail("expected `first` or `last` behind `nulls`, " + found());
      item.nulls_first = take().folded == "first";
    }
    return item;
  }

  ExpressionPtr disjunction() {
    const Level level(*this);
    const std::size_t begin = here().begin;
    ExpressionPtr left = conjunction();
    while (accept_word("or")) left = make(Op::logical_or, begin, std::move(left), conjunction());
    return left;
  }

  ExpressionPtr conjunction() {
    const std::size_t begin = here().begin;
    ExpressionPtr left = negation();
    while (accept_word("and")) left = make(Op::logical_and, begin, std::move(left), negation());
    return left;
  }

  ExpressionPtr negation() {
    const std::size_t begin = here().begin;
    std::size_t nots = 0;
    while (accept_word("not")) ++nots;
    ExpressionPtr inside = predicate();
    for (; nots > 0; --nots) inside = make(Op::logical_not, begin, std::move(inside));
    return inside;
  }

  ExpressionPtr predicate() {
    const std::size_t begin = here().begin;
    ExpressionPtr left = sum();
    for (;;) {
      static constexpr std::array<std::pair<std::string_view, Op>, 6> comparisons = {{{"=", Op::equal},
                                                                                      {"<>", Op::unequal},
                                                                                      {"<=", Op::less_equal},
                                                                                      {">=", Op::greater_equal},
                                                                                      {"<", Op::less},
                                                                                      {">", Op::greater}}};
      bool compared = false;
      for (const auto& [sign, op] : comparisons) {
        if (!accept_sign(sign)) continue;
        left = make(op, begin, std::move(left), sum());
        compared = true;
        break;
      }
      if (compared) continue;

      // What follows `is`, and what may have `not` before it.
      if (accept_word("is")) {
        left = truth_test(begin, std::move(left));
        continue;
      }
      const bool negated = at_word("not") && ahead(1).token == Token::word;
      if (negated) ++at_;
      if (accept_word("between")) {
        ExpressionPtr low = sum();
        expect_word("and");
        left = make(Op::between, begin, std::move(left), std::move(low), sum());
      } else if (accept_word("in")) {
        left = in_list(begin, std::move(left));
      } else if (accept_word("like")) {
        left = make(Op::like, begin, std::move(left), sum());
        if (accept_word("escape")) left->args.push_back(sum());
      } else if (negated) {
        fail("expected `between`, `in` or `like` behind `not`, " + found());
      } else {
        return left;
      }
      left->negated = negated;
      left = close(std::move(left));
    }
  }

  ExpressionPtr truth_test(std::size_t begin, ExpressionPtr left) {
    const bool negated = accept_word("not");
    ExpressionPtr test;
    if (accept_word("null")) {
      test = make(Op::is_null, begin, std::move(left));
    } else if (at_word("true") || at_word("false") || at_word("unknown")) {
      const std::string word = take().folded;
      test = make(Op::is_truth, begin, std::move(left));
      test->text = word;
    } else {
      fail("expected `null`, `true`, `false` or `unknown` behind `is`, " + found());
    }
    test->negated = negated;
    return test;
  }

  ExpressionPtr in_list(std::size_t begin, ExpressionPtr left) {
    expect_sign("(");
    ExpressionPtr list = make(Op::in_list, begin);
    list->args.push_back(std::move(left));
    if (at_sign(")")) fail("the list is empty", "in ('paid', 'open')");
    do {
      list->args.push_back(disjunction());
    } while (accept_sign(","));
    expect_sign(")");
    return close(std::move(list));
  }

  ExpressionPtr sum() {
    const std::size_t begin = here().begin;
    ExpressionPtr left = product();
    for (;;) {
      if (accept_sign("+"))
        left = make(Op::add, begin, std::move(left), product());
      else if (accept_sign("-"))
        left = make(Op::subtract, begin, std::move(left), product());
      else if (accept_sign("||"))
        left = make(Op::concatenate, begin, std::move(left), product());
      else
        return left;
    }
  }

  ExpressionPtr product() {
    const std::size_t begin = here().begin;
    ExpressionPtr left = factor();
    for (;;) {
      if (accept_sign("*"))
        left = make(Op::multiply, begin, std::move(left), factor());
      else if (accept_sign("/"))
        left = make(Op::divide, begin, std::move(left), factor());
      else
        return left;
    }
  }

  ExpressionPtr factor() {
    const Level level(*this);
    const std::size_t begin = here().begin;
    if (accept_sign("-")) return make(Op::negate, begin, factor());
    if (accept_sign("+")) return factor();
    return primary();
  }

  ExpressionPtr primary() {
    const Lexeme& lexeme = here();
    switch (lexeme.token) {
      case Token::number: return number();
      case Token::text: {
        ExpressionPtr literal = make(Op::literal, take().begin);
        literal->value = lexeme.text;
        literal->type = {.kind = Kind::text};
        return close(std::move(literal));
      }
      case Token::choice: {
        ExpressionPtr choice = make(Op::choice, take().begin);
        choice->text = lexeme.text;
        return close(std::move(choice));
      }
      case Token::quoted_name: return name();
      case Token::word: return word();
      case Token::sign:
        if (accept_sign("(")) return bracketed(lexeme.begin);
        break;
      case Token::end: break;
    }
    fail("expected a name, a number or a text, " + found());
  }

  ExpressionPtr bracketed(std::size_t begin) {
    ExpressionPtr inside = disjunction();
    expect_sign(")");
    if (at_word("day")) {
      ++at_;
      return make(Op::days_of, begin, std::move(inside));
    }
    return inside;
  }

  ExpressionPtr number() {
    const Lexeme& lexeme = take();
    ExpressionPtr literal = make(Op::literal, lexeme.begin);
    if (const auto exact = Decimal::parse(lexeme.text)) {
      literal->value = *exact;
      literal->type = {.kind = exact->scale() > 0 ? Kind::decimal : Kind::integer, .scale = exact->scale()};
      return close(std::move(literal));
    }
    double value = 0;
    const auto result = fast_float::from_chars(lexeme.text.data(), lexeme.text.data() + lexeme.text.size(), value);
    if (lexeme.text.find_first_of("eE") == std::string::npos || result.ec != std::errc{} || !std::isfinite(value))
      fail_at(lexeme, "this number has more than 38 digits, or is out of range");
    literal->value = value;
    literal->type = {.kind = Kind::floating};
    return close(std::move(literal));
  }

  ExpressionPtr word() {
    const Lexeme& lexeme = here();
    const std::string& folded = lexeme.folded;
    const bool quoted_next = ahead(1).token == Token::text;
    if (folded == "null") {
      ++at_;
      return close(make(Op::null, lexeme.begin));
    }
    if (folded == "true" || folded == "false") {
      ++at_;
      ExpressionPtr literal = make(Op::literal, lexeme.begin);
      literal->value = folded == "true";
      literal->type = {.kind = Kind::boolean};
      return close(std::move(literal));
    }

    // Words that begin something longer.
    if (folded == "date" && quoted_next) return moment(Look::date, "2025-03-31");
    if (folded == "timestamp" && quoted_next) return moment(Look::timestamp, "2025-03-31 14:05:00");
    if (folded == "interval" && quoted_next) return interval();
    if (folded == "case") return case_when();
    if (ahead(1).token == Token::sign && ahead(1).text == "(") {
      if (folded == "cast") return cast();
      if (folded == "extract") return extract();
      if (folded == "substring" || folded == "position" || folded == "trim") return worded_call();
      if (!is_reserved(folded)) return call();
    }

    // A name, if it is not reserved.
    if (is_reserved(folded))
      fail("expected a name, a number or a text, " + found(),
           "if a column is called so, write \"" + lexeme.text + "\"");
    return name();
  }

  ExpressionPtr name() {
    ExpressionPtr expression = make(Op::name, here().begin);
    expression->quoted = here().token == Token::quoted_name;
    expression->text = take().text;
    if (at_sign(".")) {
      ++at_;
      if (here().token != Token::word && here().token != Token::quoted_name)
        fail("expected a column behind the point, " + found());
      expression->qualifier = expression->text;
      expression->quoted = here().token == Token::quoted_name;
      expression->text = take().text;
    }
    return close(std::move(expression));
  }

  ExpressionPtr moment(Look look, const char* example) {
    const std::size_t begin = take().begin;
    const Lexeme& literal = take();
    Reading reading = read_text(literal.text);
    ExpressionPtr expression = make(Op::literal, begin);
    if (look == Look::timestamp && reading.look == Look::zoned) expression->type.zoned = true;
    if (reading.look != look && !expression->type.zoned)
      fail_at(literal, "`" + literal.text + "` is not a " + (look == Look::date ? "date" : "timestamp"),
              std::string("write it as ") + example);
    if (look == Look::date) {
      expression->type.kind = Kind::date;
      expression->value = Date{static_cast<std::int32_t>(reading.instant)};
    } else {
      expression->type.kind = Kind::timestamp;
      expression->value = Timestamp{reading.instant};
    }
    return close(std::move(expression));
  }

  static const std::vector<std::string>& units() {
    static const std::vector<std::string> words = {"year", "month", "day", "hour", "minute", "second"};
    return words;
  }

  ExpressionPtr interval() {
    ExpressionPtr expression = make(Op::interval, take().begin);
    const Lexeme& count = take();
    const auto number = Decimal::parse(count.text);
    if (!number || number->scale() != 0 || number->coefficient() > 1'000'000'000 ||
        number->coefficient() < -1'000'000'000)
      fail_at(count, "`" + count.text + "` is not a whole number", "interval '3' day");
    expression->value = *number;
    if (here().token != Token::word) fail("expected a unit, " + found(), "interval '3' day");
    bool known = false;
    for (const std::string& unit : units()) known = known || unit == here().folded;
    if (!known)
      fail("`" + here().text + "` is not a unit of an interval", "year, month, day, hour, minute or second",
           nearest_word(here().folded, units()));
    expression->text = take().folded;
    return close(std::move(expression));
  }

  ExpressionPtr case_when() {
    ExpressionPtr expression = make(Op::case_when, take().begin);
    ExpressionPtr subject;
    if (!at_word("when")) subject = disjunction();
    if (!at_word("when")) fail("expected `when`, " + found(), "case when status = 'void' then 0 else amount end");
    while (accept_word("when")) {
      ExpressionPtr condition = disjunction();
      if (subject) {
        const std::size_t begin = condition->begin, end = condition->end;
        condition = make(Op::equal, begin, copy(*subject), std::move(condition));
        condition->end = end;
      }
      expect_word("then");
      expression->args.push_back(std::move(condition));
      expression->args.push_back(disjunction());
    }
    if (accept_word("else")) expression->args.push_back(disjunction());
    expect_word("end");
    return close(std::move(expression));
  }

  ExpressionPtr cast() {
    ExpressionPtr expression = make(Op::cast, take().begin);
    expect_sign("(");
    expression->args.push_back(disjunction());
    expect_word("as");
    if (here().token != Token::word) fail("expected a type, " + found());
    expression->type = type_name();
    expect_sign(")");
    return close(std::move(expression));
  }

  int small_number(int most) {
    const Lexeme& lexeme = here();
    const auto value = lexeme.token == Token::number ? Decimal::parse(lexeme.text) : std::nullopt;
    if (!value || value->scale() != 0 || value->coefficient() > most)
      fail("expected a number from 0 to " + std::to_string(most) + ", " + found());
    ++at_;
    return static_cast<int>(value->coefficient());
  }

  Type type_name() {
    const Lexeme& lexeme = take();
    const std::string& word = lexeme.folded;
    if (word == "integer" || word == "int" || word == "bigint" || word == "smallint") return {.kind = Kind::integer};
    if (word == "decimal" || word == "numeric" || word == "dec") {
      Type type{.kind = Kind::decimal};
      if (accept_sign("(")) {
        small_number(38);
        if (accept_sign(",")) type.scale = small_number(38);
        expect_sign(")");
      }
      return type;
    }

    // Types without further words, and texts.
    if (word == "float" || word == "real") return {.kind = Kind::floating};
    if (word == "double") {
      expect_word("precision");
      return {.kind = Kind::floating};
    }
    if (word == "date") return {.kind = Kind::date};
    if (word == "timestamp") return {.kind = Kind::timestamp};
    if (word == "boolean") return {.kind = Kind::boolean};
    if (word == "varchar" || word == "char" || word == "text") {
      if (accept_sign("(")) {
        small_number(1'000'000'000);
        expect_sign(")");
      }
      return {.kind = Kind::text};
    }

    // No type.
    static const std::vector<std::string> types = {"integer",   "decimal", "float",  "date",
                                                   "timestamp", "boolean", "varchar"};
    fail_at(lexeme, "no type `" + lexeme.text + "`",
            "integer, decimal(12,2), float, date, timestamp, boolean or varchar", nearest_word(word, types),
            Code::unknown_word);
  }

  ExpressionPtr extract() {
    ExpressionPtr expression = make(Op::extract, take().begin);
    expect_sign("(");
    bool known = false;
    for (const std::string& unit : units()) known = known || at_word(unit);
    if (!known)
      fail("`" + here().text + "` cannot be extracted", "year, month, day, hour, minute or second",
           nearest_word(here().folded, units()));
    expression->text = take().folded;
    expect_word("from");
    expression->args.push_back(disjunction());
    expect_sign(")");
    return close(std::move(expression));
  }

  // substring(x from 2 for 3), position('a' in x), trim(both ' ' from x): the standard's words, or commas.
  ExpressionPtr worded_call() {
    ExpressionPtr expression = make(Op::call, here().begin);
    expression->text = take().folded;
    expect_sign("(");
    if (expression->text == "trim" && (at_word("both") || at_word("leading") || at_word("trailing"))) {
      const std::string side = take().folded;
      expression->text = side == "both" ? "trim" : "trim_" + side;
      ExpressionPtr characters;
      if (!at_word("from")) characters = sum();
      expect_word("from");
      expression->args.push_back(sum());
      if (characters) expression->args.push_back(std::move(characters));
      expect_sign(")");
      return close(std::move(expression));
    }
    expression->args.push_back(sum());
    const bool position = expression->text == "position";
    while (accept_sign(",") || accept_word(position ? "in" : "from") || (!position && accept_word("for")))
      expression->args.push_back(sum());
    expect_sign(")");
    return close(std::move(expression));
  }

  ExpressionPtr call() {
    ExpressionPtr expression = make(Op::call, here().begin);
    expression->text = take().folded;
    expect_sign("(");

    // The arguments.
    if (at_sign("*")) {
      ExpressionPtr star = make(Op::star, take().begin);
      expression->args.push_back(close(std::move(star)));
    } else if (!at_sign(")")) {
      expression->distinct = accept_word("distinct");
      do {
        expression->args.push_back(disjunction());
      } while (accept_sign(","));
      if (at_word("order") && word_ahead("by")) {
        at_ += 2;
        do expression->within_group.push_back(sort_item());
        while (accept_sign(","));
      }
    }
    expect_sign(")");

    // Clauses after the brackets, in the standard's order.
    if (at_word("within") && word_ahead("group")) {
      at_ += 2;
      expect_sign("(");
      expect_word("order");
      expect_word("by");
      do expression->within_group.push_back(sort_item());
      while (accept_sign(","));
      expect_sign(")");
    }
    if (at_word("filter") && ahead(1).token == Token::sign && ahead(1).text == "(") {
      ++at_;
      expect_sign("(");
      expect_word("where");
      expression->filter = disjunction();
      expect_sign(")");
    }
    if (at_word("from") && (word_ahead("first") || word_ahead("last"))) {
      ++at_;
      expression->from_last = take().folded == "last";
    }
    if ((at_word("ignore") || at_word("respect")) && word_ahead("nulls")) {
      expression->nulls = take().folded == "ignore" ? NullTreatment::ignore : NullTreatment::respect;
      ++at_;
    }

    // The window.
    if (at_word("over")) {
      const std::size_t begin = take().begin;
      if (accept_sign("(")) {
        expression->over = std::make_unique<WindowClause>(window_clause());
        expect_sign(")");
      } else {
        if (here().token != Token::word && here().token != Token::quoted_name)
          fail("expected a window behind `over`, " + found(), "over (partition by shop_no order by ordered_on)");
        expression->over = std::make_unique<WindowClause>(base_window());
        expression->over->bare = true;
      }
      expression->over->begin = begin;
      expression->over->end = lexemes_[at_ - 1].end;
    }
    return close(std::move(expression));
  }

  bool word_ahead(std::string_view word) const { return ahead(1).token == Token::word && ahead(1).folded == word; }

  WindowClause base_window() {
    WindowClause clause;
    clause.base_begin = here().begin;
    clause.base_end = here().end;
    clause.base = take().text;
    return clause;
  }

  bool at_unit() const { return at_word("rows") || at_word("range") || at_word("groups"); }
  // [base] [partition by ...] [order by ...] [frame]
  WindowClause window_clause() {
    const Level level(*this);
    WindowClause clause;
    // A window's name, where what follows is not a part of this word's own clause.
    const bool word = here().token == Token::word || here().token == Token::quoted_name;
    const bool alone = ahead(1).token == Token::end || (ahead(1).token == Token::sign && ahead(1).text == ")") ||
                       word_ahead("partition") || word_ahead("order") || word_ahead("rows") || word_ahead("range") ||
                       word_ahead("groups");
    const bool named = word && alone;
    if (word && !named && !at_unit() && !at_word("partition") && !at_word("order"))
      fail("expected `partition by` or `order by`, " + found(), {},
           nearest_word(here().folded, {"partition", "order"}));
    if (named) clause = base_window();
    clause.begin = named ? clause.base_begin : here().begin;

    // Its clauses, each of which may be missing.
    if (accept_word("partition")) {
      expect_word("by");
      do clause.partition.push_back(disjunction());
      while (accept_sign(","));
    }
    if (accept_word("order")) {
      expect_word("by");
      do clause.order.push_back(sort_item());
      while (accept_sign(","));
    }
    if (at_unit()) clause.frame = frame_clause();

    // Nothing else may follow.
    if (here().token == Token::word)
      fail("expected `partition by`, `order by`, `rows`, `range`, `groups` or the end of the window, " + found(), {},
           nearest_word(here().folded, {"partition", "order", "rows", "range", "groups", "exclude"}));
    clause.end = lexemes_[at_ > 0 ? at_ - 1 : 0].end;
    return clause;
  }

  FrameClause frame_clause() {
    FrameClause frame;
    frame.begin = here().begin;
    const std::string unit = take().folded;
    frame.unit = unit == "rows" ? FrameUnit::rows : unit == "range" ? FrameUnit::range : FrameUnit::groups;

    // Where it begins and ends.
    if (accept_word("between")) {
      frame.from = frame_end();
      expect_word("and");
      frame.to = frame_end();
    } else {
      if (here().token == Token::word && ahead(1).token != Token::end && !word_ahead("preceding") &&
          !word_ahead("following"))
        if (const std::string nearest = nearest_word(here().folded, {"between", "unbounded", "current"});
            !nearest.empty() && nearest != here().folded)
          fail("expected `between`, or where the frame begins, " + found(), {}, nearest);
      frame.from = frame_end();
      if (frame.from.edge == Edge::following || frame.from.edge == Edge::unbounded_following)
        fail("a frame that only says where it begins ends at the current row, and cannot begin behind it",
             "between current row and ... says both");
    }

    // Frames that cannot be.
    if (frame.from.edge == Edge::unbounded_following)
      fail("no frame begins with `unbounded following`", "it may end there");
    if (frame.to.edge == Edge::unbounded_preceding)
      fail("no frame ends with `unbounded preceding`", "it may begin there");
    if (frame.from.edge > frame.to.edge) fail("the frame ends before it begins", "between 6 preceding and current row");

    // What is left out of it.
    if (at_word("exclude")) {
      ++at_;
      if (accept_word("current")) {
        expect_word("row");
        frame.excluded = Excluded::current_row;
      } else if (accept_word("group")) {
        frame.excluded = Excluded::group;
      } else if (accept_word("ties")) {
        frame.excluded = Excluded::ties;
      } else if (accept_word("no")) {
        expect_word("others");
      } else {
        fail("expected `current row`, `group`, `ties` or `no others` behind `exclude`, " + found());
      }
    }
    frame.end = lexemes_[at_ - 1].end;
    return frame;
  }

  FrameClause::End frame_end() {
    FrameClause::End end;
    end.begin = here().begin;
    if (at_word("unbounded") && (word_ahead("preceding") || word_ahead("following"))) {
      ++at_;
      end.edge = take().folded == "preceding" ? Edge::unbounded_preceding : Edge::unbounded_following;
    } else if (at_word("current") && word_ahead("row")) {
      at_ += 2;
      end.edge = Edge::current_row;
    } else {
      end.distance = sum();
      if (!at_word("preceding") && !at_word("following"))
        fail("expected `preceding` or `following`, " + found(), "between 6 preceding and current row");
      end.edge = take().folded == "preceding" ? Edge::preceding : Edge::following;
    }
    end.end = lexemes_[at_ - 1].end;
    return end;
  }

  std::string_view text_;
  std::vector<Lexeme> lexemes_;
  std::size_t at_ = 0;
  int nesting_ = 0;
};

}  // namespace

ExpressionPtr copy(const Expression& from) {
  auto to = std::make_unique<Expression>();
  to->op = from.op;
  to->begin = from.begin;
  to->end = from.end;
  to->text = from.text;
  to->qualifier = from.qualifier;
  to->quoted = from.quoted;
  to->negated = from.negated;
  to->distinct = from.distinct;
  to->value = from.value;
  to->type = from.type;
  for (const ExpressionPtr& arg : from.args) to->args.push_back(copy(*arg));
  if (from.filter) to->filter = copy(*from.filter);
  for (const SortItem& item : from.within_group) to->within_group.push_back(copy(item));
  if (from.over) to->over = std::make_unique<WindowClause>(copy(*from.over));
  to->nulls = from.nulls;
  to->from_last = from.from_last;
  return to;
}

SortItem copy(const SortItem& from) {
  return {copy(*from.expression), from.direction_written, from.descending, from.nulls_written, from.nulls_first};
}

WindowClause copy(const WindowClause& from) {
  WindowClause to;
  to.base = from.base;
  to.base_begin = from.base_begin;
  to.base_end = from.base_end;
  to.bare = from.bare;
  for (const ExpressionPtr& part : from.partition) to.partition.push_back(copy(*part));
  for (const SortItem& item : from.order) to.order.push_back(copy(item));
  if (from.frame) {
    const auto end = [](const FrameClause::End& e) {
      return FrameClause::End{e.edge, e.distance ? copy(*e.distance) : nullptr, e.begin, e.end};
    };
    to.frame = FrameClause{from.frame->unit,     end(from.frame->from), end(from.frame->to),
                           from.frame->excluded, from.frame->begin,     from.frame->end};
  }
  to.begin = from.begin;
  to.end = from.end;
  return to;
}

ExpressionPtr parse_expression(std::string_view text) { return Parser(text).whole_expression(); }
std::vector<SortItem> parse_sort_list(std::string_view text) { return Parser(text).whole_sort_list(); }
WindowClause parse_window(std::string_view text) { return Parser(text).whole_window(); }

}  // namespace lofty::engine
