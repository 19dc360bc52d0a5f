#include "formula/parser.hpp"

#include <gtest/gtest.h>

#include "lofty/error.hpp"

using namespace lofty;
using namespace lofty::engine;

namespace {

// A tree as text, every operator in brackets.
std::string show(const Expression& e) {
  const auto arg = [&](std::size_t i) { return show(*e.args[i]); };
  const auto all = [&] {
    std::string out;
    for (const auto& a : e.args) out += (out.empty() ? "" : " ") + show(*a);
    return out;
  };
  switch (e.op) {
    case Op::literal:
      return std::holds_alternative<std::string>(e.value) ? "'" + to_text(e.value) + "'" : to_text(e.value);
    case Op::null: return "null";
    case Op::interval: return to_text(e.value) + e.text;
    case Op::name: return (e.qualifier.empty() ? "" : e.qualifier + ".") + (e.quoted ? "\"" + e.text + "\"" : e.text);
    case Op::choice: return ":" + e.text;
    case Op::star: return "*";
    case Op::call:
      return e.text + "(" + (e.distinct ? "distinct " : "") + all() + ")" + (e.filter ? "|" + show(*e.filter) : "");
    case Op::negate: return "(- " + arg(0) + ")";
    case Op::logical_not: return "(not " + arg(0) + ")";
    default: break;
  }
  static constexpr const char* signs[] = {
      "",   "",     "",      "",   "",     "",     "-",       "+",   "-",   "*",   "/",
      "||", "=",    "<>",    "<",  "<=",   ">",    ">=",      "and", "or",  "not", "between",
      "in", "like", "null?", "is", "case", "cast", "extract", "",    "days"};
  return "(" + std::string(e.negated ? "not " : "") + signs[static_cast<int>(e.op)] + " " + all() + ")";
}

}  // namespace

TEST(Parser, FollowsTheStandardsPrecedence) {
  const std::pair<const char*, const char*> cases[] = {
      {"1 + 2 * 3", "(+ 1 (* 2 3))"},
      {"(1 + 2) * 3", "(* (+ 1 2) 3)"},
      {"1 - 2 - 3", "(- (- 1 2) 3)"},
      {"- a * b", "(* (- a) b)"},
      {"a or b and not c", "(or a (and b (not c)))"},
      {"not a = b", "(not (= a b))"},
      {"a between 1 and 2 and b", "(and (between a 1 2) b)"},
      {"a not between 1 and 2", "(not between a 1 2)"},
      {"status in ('paid', 'open')", "(in status 'paid' 'open')"},
      {"status not in ('it''s')", "(not in status 'it's')"},
      {"shop like 'Cr%' escape '!'", "(like shop 'Cr%' '!')"},
      {"a is not null or b is unknown", "(or (not null? a) (is b))"},
      {"'a' || b || 'c'", "(|| (|| 'a' b) 'c')"},
      {"case when a then 1 else 2 end", "(case a 1 2)"},
      {"case a when 1 then 'x' end", "(case (= a 1) 'x')"},
      {"cast(a as decimal(12,2)) + 1", "(+ (cast a) 1)"},
      {"extract(month from ordered_on)", "(extract ordered_on)"},
      {"date '2025-03-31' - 3 * interval '1' day", "(- 2025-03-31 (* 3 1day))"},
      {"sum(amount) filter (where status = 'paid')", "sum(amount)|(= status 'paid')"},
      {"count(distinct order_no)", "count(distinct order_no)"},
      {"count(*)", "count(*)"},
      {"shops.shop || \"Order No\"", "(|| shops.shop \"Order No\")"},
      {":days * 2", "(* :days 2)"},
      {"extract(day from (a - b) day)", "(extract (days (- a b)))"},
      {"date", "date"},  // a name unless a literal follows
      {"rank + date", "(+ rank date)"},
      {"sum", "sum"},
      {"substring(a from 2 for 3)", "substring(a 2 3)"},
      {"trim(leading '0' from a)", "trim_leading(a '0')"},
      {"a -- the rest is a comment\n + 1", "(+ a 1)"},
      {"QUANTITY * Unit_Price", "(* QUANTITY Unit_Price)"},
  };
  for (const auto& [text, tree] : cases) {
    try {
      EXPECT_EQ(show(*parse_expression(text)), tree) << text;
    } catch (const Error& error) {
      ADD_FAILURE() << text << ": " << error.what();
    }
  }
}

TEST(Parser, SaysWhatAndWhere) {
  const struct {
    const char* text;
    const char* sentence;
    std::size_t offset;
    const char* nearest;
  } cases[] = {
      {"", "the formula is empty", 0, ""},
      {"a +", "expected a name, a number or a text, the formula ends", 3, ""},
      {"a b", "expected a sign or the end, found `b`", 2, ""},
      {"a adn b", "expected a sign or the end, found `adn`", 2, "and"},
      {"(a", "expected `)`, the formula ends", 2, ""},
      {"a == b", "`==` is not a sign of this language", 2, "="},
      {"a != b", "`!=` is not a sign of this language", 2, "<>"},
      {"'abc", "this text never ends", 0, ""},
      {"a in ()", "the list is empty", 6, ""},
      {"cast(a as integr)", "no type `integr`", 10, "integer"},
      {"date '2025-02-30'", "`2025-02-30` is not a date", 5, ""},
      {"interval '1' dya", "`dya` is not a unit of an interval", 13, "day"},
      {"3x", "a number and a word run together", 0, ""},
      {"a [b]", "`[` has no meaning here", 2, ""},
      {"sum(a) over (partion by b)", "expected `partition by` or `order by`, found `partion`", 13, "partition"},
      {"sum(a) over (order b)", "expected `by`, found `b`", 19, ""},
      {"sum(a) over (order by b rows betwen 1 preceding and current row)",
       "expected `between`, or where the frame begins, found `betwen`", 29, "between"},
      {"sum(a) over (order by b rows 1)", "expected `preceding` or `following`, found `)`", 30, ""},
      {"sum(a) over (rows between current row and 1 preceding)", "the frame ends before it begins", 53, ""},
      {"sum(a) over (rows 1 following)",
       "a frame that only says where it begins ends at the current row, so it cannot begin after it", 29, ""},
      {"sum(a) over (rows unbounded preceding exclude tie)",
       "expected `current row`, `group`, `ties` or `no others` after `exclude`, found `tie`", 46, ""},
      {"sum(a) over (partition by b ordr by c)",
       "expected `partition by`, `order by`, `rows`, `range`, `groups` or the end of the window, found `ordr`", 28,
       "order"},
      {"sum(a) over", "expected a window after `over`, the formula ends", 11, ""},
  };
  for (const auto& c : cases) {
    try {
      parse_expression(c.text);
      ADD_FAILURE() << c.text << " was taken";
    } catch (const Error& error) {
      const Problem& p = error.problems().front();
      EXPECT_EQ(p.sentence, c.sentence) << c.text;
      EXPECT_EQ(p.location.offset, c.offset) << c.text;
      EXPECT_EQ(p.nearest, c.nearest) << c.text;
      EXPECT_GE(p.location.length, 1u);
    }
  }
}

TEST(Parser, WindowsAreReadAsTheStandardWritesThem) {
  const auto e = parse_expression(
      "nth_value(a, 2) from last ignore nulls over (w partition by b, c order by d desc nulls first "
      "groups between 2 preceding and unbounded following exclude ties)");
  ASSERT_TRUE(e->over);
  EXPECT_TRUE(e->from_last);
  EXPECT_EQ(e->nulls, NullTreatment::ignore);
  const WindowClause& over = *e->over;
  EXPECT_EQ(over.base, "w");
  EXPECT_FALSE(over.bare);
  EXPECT_EQ(over.partition.size(), 2u);
  ASSERT_EQ(over.order.size(), 1u);
  EXPECT_TRUE(over.order[0].descending && over.order[0].nulls_first);
  ASSERT_TRUE(over.frame);
  EXPECT_EQ(over.frame->unit, FrameUnit::groups);
  EXPECT_EQ(over.frame->from.edge, Edge::preceding);
  EXPECT_EQ(over.frame->to.edge, Edge::unbounded_following);
  EXPECT_EQ(over.frame->excluded, Excluded::ties);
  const auto bare = parse_expression("sum(rows) filter (where range > 1) over w + 1");
  EXPECT_EQ(bare->op, Op::add);
  EXPECT_TRUE(bare->args[0]->over->bare && bare->args[0]->filter);
  const auto percentile = parse_expression("percentile_cont(0.9) within group (order by a desc)");
  ASSERT_EQ(percentile->within_group.size(), 1u);
  EXPECT_TRUE(percentile->within_group[0].descending);
  EXPECT_EQ(parse_expression("last_value(a) within group (order by b, c)")->within_group.size(), 2u);
  // Copies hold all of it: `case` copies its subject.
  const auto twice = parse_expression("case lag(a) over (order by b rows 1 preceding) when 1 then 2 when 3 then 4 end");
  EXPECT_TRUE(twice->args[0]->args[0]->over && twice->args[2]->args[0]->over->frame);
  const WindowClause named = parse_window("partition by a order by b rows 3 preceding");
  EXPECT_EQ(named.frame->to.edge, Edge::current_row);
}

TEST(Parser, SortListsHaveDirectionsAndNulls) {
  const auto items = parse_sort_list("spend desc, shop, a + b asc nulls first");
  ASSERT_EQ(items.size(), 3u);
  EXPECT_TRUE(items[0].direction_written && items[0].descending && !items[0].nulls_written);
  EXPECT_FALSE(items[1].direction_written || items[1].descending);
  EXPECT_TRUE(items[2].nulls_first);
  try {
    parse_sort_list("spend dsc");
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.problems().front().nearest, "desc");
  }
}

TEST(Parser, RefusesWhatWouldOverrunTheStack) {
  EXPECT_THROW(parse_expression(std::string(100'000, '(')), Error);
  std::string chain = "1";
  for (int i = 0; i < 10'000; ++i) chain += "+1";
  EXPECT_THROW(parse_expression(chain), Error);
  EXPECT_THROW(parse_expression(std::string(100'000, '-') + "1"), Error);
}
