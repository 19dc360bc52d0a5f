#pragma once
// Words, numbers, texts and signs of a formula.

#include <string>
#include <string_view>
#include <vector>

#include "lofty/error.hpp"

namespace lofty::engine {

enum class Token : unsigned char { end, word, quoted_name, number, text, sign, choice };

struct Lexeme {
  Token token = Token::end;
  std::size_t begin = 0, end = 0;
  std::string text;    // words as written; texts and quoted names without their quotes; choices without the colon
  std::string folded;  // words only
};

// All lexemes, the last one Token::end. Throws Error(Code::syntax).
std::vector<Lexeme> lex(std::string_view text);

// The characters [begin, end) of a formula.
struct Span {
  std::string_view text;
  std::size_t begin = 0, end = 0;
};
Problem formula_problem(Code code, std::string sentence, const Span& at, std::string nearest = {},
                        std::string advice = {});

}  // namespace lofty::engine
