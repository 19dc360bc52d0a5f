// The lexemes of a formula, one after another.
// Covered by tests/formula/parser_test.cpp.

#include "formula/lexeme_reader.hpp"

#include "base/folded.hpp"

namespace lofty::engine {
namespace {

// Deep enough for any formula a person writes, shallow enough for any thread's stack.
constexpr int most_nesting = 200;
constexpr std::size_t most_lexemes = 5000;

}  // namespace

LexemeReader::LexemeReader(std::string_view text) : text_(text), lexemes_(lex(text)) {
  // Long chains of signs nest to the left without brackets; a walk over the tree recurses that deep.
  if (lexemes_.size() > most_lexemes) fail("the formula is too long", "split it into several figures");
}

bool LexemeReader::accept_word(std::string_view word) {
  if (!at_word(word)) return false;
  ++at_;
  return true;
}

bool LexemeReader::accept_sign(std::string_view sign) {
  if (!at_sign(sign)) return false;
  ++at_;
  return true;
}

void LexemeReader::expect_word(std::string_view word) {
  if (!accept_word(word)) fail("expected `" + std::string(word) + "`, " + found());
}

void LexemeReader::expect_sign(std::string_view sign) {
  if (!accept_sign(sign)) fail("expected `" + std::string(sign) + "`, " + found());
}

void LexemeReader::expect_end() const {
  if (here().token == Token::end) return;
  if (here().token == Token::word) {
    if (at_word("as"))
      fail("expected a sign or the end, " + found(), "the name comes first: totals.spend = \"sum(amount)\"");
    if (at_ > 0 && lexemes_[at_ - 1].token == Token::word &&
        nearest_word(here().folded, {"and", "or", "asc", "desc"}).empty())
      fail("expected a sign or the end, " + found(),
           "a name with a blank in it goes in double quotes: \"" + lexemes_[at_ - 1].text + " " + here().text + "\"");
    static const std::vector<std::string> joining = {"and", "or",  "between", "in",   "like",
                                                     "is",  "asc", "desc",    "nulls"};
    fail("expected a sign or the end, " + found(), {}, nearest_word(here().folded, joining));
  }
  fail("expected a sign or the end, " + found(), at_sign(",") ? "only sort lists take several parts" : "");
}

void LexemeReader::fail(std::string sentence, std::string advice, std::string nearest) const {
  fail_at(here(), std::move(sentence), std::move(advice), std::move(nearest));
}

void LexemeReader::fail_at(const Lexeme& lexeme, std::string sentence, std::string advice, std::string nearest,
                           Code code) const {
  throw Error(formula_problem(code, std::move(sentence), {text_, lexeme.begin, lexeme.end}, std::move(nearest),
                              std::move(advice)));
}

std::string LexemeReader::found() const {
  if (here().token == Token::end) return "the formula ends";
  return "found `" + std::string(text_.substr(here().begin, here().end - here().begin)) + "`";
}

LexemeReader::Nesting::Nesting(LexemeReader& in) : in_(in) {
  if (++in.nesting_ > most_nesting) in.fail("the formula is nested too deeply", "split it into several figures");
}

}  // namespace lofty::engine
