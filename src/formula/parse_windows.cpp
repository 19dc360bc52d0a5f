// Windows: partition, order and frame, as ISO/IEC 9075-2, 7.15 writes them.
// Covered by tests/formula/parser_test.cpp.

#include "base/folded.hpp"
#include "base/name_table.hpp"
#include "formula/grammar.hpp"

namespace lofty::engine::grammar {
namespace {

FrameClause::End frame_end(LexemeReader& in) {
  FrameClause::End end;
  end.begin = in.here().begin;
  if (in.at_word("unbounded") && (in.word_ahead("preceding") || in.word_ahead("following"))) {
    in.take();
    end.edge = in.take().folded == "preceding" ? Edge::unbounded_preceding : Edge::unbounded_following;
  } else if (in.at_word("current") && in.word_ahead("row")) {
    in.skip(2);
    end.edge = Edge::current_row;
  } else {
    end.distance = sum(in);
    if (!in.at_word("preceding") && !in.at_word("following"))
      in.fail("expected `preceding` or `following`, " + in.found(), "between 6 preceding and current row");
    end.edge = in.take().folded == "preceding" ? Edge::preceding : Edge::following;
  }
  end.end = in.last_end();
  return end;
}

FrameClause frame_clause(LexemeReader& in) {
  FrameClause frame;
  frame.begin = in.here().begin;
  const std::string unit = in.take().folded;
  frame.unit = unit == "rows" ? FrameUnit::rows : unit == "range" ? FrameUnit::range : FrameUnit::groups;

  // Where it begins and ends.
  if (in.accept_word("between")) {
    frame.from = frame_end(in);
    in.expect_word("and");
    frame.to = frame_end(in);
  } else {
    if (in.here().token == Token::word && in.ahead(1).token != Token::end && !in.word_ahead("preceding") &&
        !in.word_ahead("following"))
      if (const std::string nearest = nearest_word(in.here().folded, {"between", "unbounded", "current"});
          !nearest.empty() && nearest != in.here().folded)
        in.fail("expected `between`, or where the frame begins, " + in.found(), {}, nearest);
    frame.from = frame_end(in);
    if (frame.from.edge == Edge::following || frame.from.edge == Edge::unbounded_following)
      in.fail("a frame that only says where it begins ends at the current row, so it cannot begin after it",
              "between current row and ... says both");
  }

  // Frames that cannot be.
  if (frame.from.edge == Edge::unbounded_following)
    in.fail("no frame begins with `unbounded following`", "it may end there");
  if (frame.to.edge == Edge::unbounded_preceding)
    in.fail("no frame ends with `unbounded preceding`", "it may begin there");
  if (frame.from.edge > frame.to.edge)
    in.fail("the frame ends before it begins", "between 6 preceding and current row");

  // What is left out of it.
  if (in.at_word("exclude")) {
    in.take();
    if (in.accept_word("current")) {
      in.expect_word("row");
      frame.excluded = Excluded::current_row;
    } else if (in.accept_word("group")) {
      frame.excluded = Excluded::group;
    } else if (in.accept_word("ties")) {
      frame.excluded = Excluded::ties;
    } else if (in.accept_word("no")) {
      in.expect_word("others");
    } else {
      in.fail("expected `current row`, `group`, `ties` or `no others` after `exclude`, " + in.found());
    }
  }
  frame.end = in.last_end();
  return frame;
}

}  // namespace

WindowClause base_window(LexemeReader& in) {
  WindowClause clause;
  clause.base_begin = in.here().begin;
  clause.base_end = in.here().end;
  clause.base = in.take().text;
  return clause;
}

bool at_unit(const LexemeReader& in) { return in.at_word("rows") || in.at_word("range") || in.at_word("groups"); }
// [base] [partition by ...] [order by ...] [frame]
WindowClause window_clause(LexemeReader& in) {
  const LexemeReader::Nesting nesting(in);
  WindowClause clause;
  // A window's name, where what follows is not a part of this word's own clause.
  const bool word = in.here().token == Token::word || in.here().token == Token::quoted_name;
  const bool alone = in.ahead(1).token == Token::end || (in.ahead(1).token == Token::sign && in.ahead(1).text == ")") ||
                     in.word_ahead("partition") || in.word_ahead("order") || in.word_ahead("rows") ||
                     in.word_ahead("range") || in.word_ahead("groups");
  const bool named = word && alone;
  if (word && !named && !at_unit(in) && !in.at_word("partition") && !in.at_word("order"))
    in.fail("expected `partition by` or `order by`, " + in.found(), {},
            nearest_word(in.here().folded, {"partition", "order"}));
  if (named) clause = base_window(in);
  clause.begin = named ? clause.base_begin : in.here().begin;

  // Its clauses, each of which may be missing.
  if (in.accept_word("partition")) {
    in.expect_word("by");
    do clause.partition.push_back(disjunction(in));
    while (in.accept_sign(","));
  }
  if (in.accept_word("order")) {
    in.expect_word("by");
    do clause.order.push_back(sort_item(in));
    while (in.accept_sign(","));
  }
  if (at_unit(in)) clause.frame = frame_clause(in);

  // Nothing else may follow.
  if (in.here().token == Token::word)
    in.fail("expected `partition by`, `order by`, `rows`, `range`, `groups` or the end of the window, " + in.found(),
            {}, nearest_word(in.here().folded, {"partition", "order", "rows", "range", "groups", "exclude"}));
  clause.end = in.last_end();
  return clause;
}

}  // namespace lofty::engine::grammar

namespace lofty {

LOFTY_ENUM_NAMES(FrameUnit, {FrameUnit::rows, "rows"}, {FrameUnit::range, "range"}, {FrameUnit::groups, "groups"})

LOFTY_ENUM_NAMES(Edge, {Edge::unbounded_preceding, "unbounded preceding"}, {Edge::preceding, "preceding"},
                 {Edge::current_row, "current row"}, {Edge::following, "following"},
                 {Edge::unbounded_following, "unbounded following"})

LOFTY_ENUM_NAMES(Excluded, {Excluded::no_others, "no others"}, {Excluded::current_row, "current row"},
                 {Excluded::group, "group"}, {Excluded::ties, "ties"})

}  // namespace lofty
