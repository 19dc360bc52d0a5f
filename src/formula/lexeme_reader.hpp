#pragma once
// Goes through the lexemes of one formula, from left to right, and makes the parts of its tree.
//
// Every rule of the grammar takes one of these, reads what is its own, and leaves it at the lexeme that follows.
// What is unexpected is thrown as Error(Code::syntax), with the text and the offending bytes.

#include <algorithm>
#include <memory>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "formula/expression.hpp"
#include "formula/lexer.hpp"

namespace lofty::engine {

class LexemeReader {
 public:
  explicit LexemeReader(std::string_view text);  // keeps the view

  // ---- looking, and going on. At the end all of them stay where they are.
  const Lexeme& here() const { return lexemes_[at_]; }
  const Lexeme& ahead(std::size_t n) const { return lexemes_[std::min(at_ + n, lexemes_.size() - 1)]; }
  const Lexeme& take() { return lexemes_[here().token == Token::end ? at_ : at_++]; }
  void skip(std::size_t count) { at_ = std::min(at_ + count, lexemes_.size() - 1); }
  bool at_word(std::string_view word) const { return here().token == Token::word && here().folded == word; }
  bool at_sign(std::string_view sign) const { return here().token == Token::sign && here().text == sign; }
  bool word_ahead(std::string_view word) const { return ahead(1).token == Token::word && ahead(1).folded == word; }
  bool accept_word(std::string_view word);  // true: it was here, and is taken
  bool accept_sign(std::string_view sign);
  void expect_word(std::string_view word);  // throws where it is not here
  void expect_sign(std::string_view sign);
  void expect_end() const;

  // ---- what is wrong here, or at a lexeme taken before
  [[noreturn]] void fail(std::string sentence, std::string advice = {}, std::string nearest = {}) const;
  [[noreturn]] void fail_at(const Lexeme& lexeme, std::string sentence, std::string advice = {},
                            std::string nearest = {}, Code code = Code::syntax) const;
  std::string found() const;  // "found `x`", or "the formula ends"

  std::size_t last_end() const { return at_ > 0 ? lexemes_[at_ - 1].end : 0; }  // of the lexeme taken last

  // Counts how deep rules are nested, for as long as it lives; throws beyond 200.
  class Nesting {
   public:
    explicit Nesting(LexemeReader& in);
    Nesting(const Nesting&) = delete;
    Nesting& operator=(const Nesting&) = delete;
    ~Nesting() { --in_.nesting_; }

   private:
    LexemeReader& in_;
  };

 private:
  std::string_view text_;
  std::vector<Lexeme> lexemes_;
  std::size_t at_ = 0;
  int nesting_ = 0;
};

}  // namespace lofty::engine
