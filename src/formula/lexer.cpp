#include "formula/lexer.hpp"

#include "base/folded.hpp"

namespace lofty::engine {

Problem formula_problem(Code code, std::string sentence, const Span& at, std::string nearest, std::string advice) {
  Problem problem{code, std::move(sentence), {}, std::move(nearest), std::move(advice)};
  problem.location.text = std::string(at.text);
  problem.location.offset = at.begin;
  problem.location.length = at.end > at.begin ? at.end - at.begin : 1;
  return problem;
}

namespace {

bool is_letter(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_' || static_cast<unsigned char>(c) >= 0x80;
}
bool is_digit(char c) { return c >= '0' && c <= '9'; }

class Lexer {
 public:
  explicit Lexer(std::string_view text) : text_(text) {}

  std::vector<Lexeme> run() {
    std::vector<Lexeme> out;
    for (;;) {
      skip_blanks();
      Lexeme lexeme = next();
      lexeme.end = at_;
      out.push_back(std::move(lexeme));
      if (out.back().token == Token::end) return out;
    }
  }

 private:
  char peek(std::size_t ahead = 0) const { return at_ + ahead < text_.size() ? text_[at_ + ahead] : '\0'; }

  void skip_blanks() {
    for (;;) {
      while (at_ < text_.size() &&
             (text_[at_] == ' ' || text_[at_] == '\t' || text_[at_] == '\n' || text_[at_] == '\r'))
        ++at_;
      if (peek() != '-' || peek(1) != '-') return;
      while (at_ < text_.size() && text_[at_] != '\n') ++at_;  // a comment, as in the standard
    }
  }

  // The inside of a quoted text or name; `quote` is doubled to mean itself.
  std::string quoted(char quote, const char* what) {
    const std::size_t begin = at_++;
    std::string inside;
    for (;;) {
      if (at_ >= text_.size())
        throw Error(formula_problem(Code::syntax, std::string("this ") + what + " never ends",
                                    {text_, begin, text_.size()}, {}, std::string("close it with ") + quote));
      const char c = text_[at_++];
      if (c == quote) {
        if (peek() != quote) return inside;
        ++at_;
      }
      inside += c;
    }
  }

  Lexeme next() {
    Lexeme lexeme;
    lexeme.begin = at_;
    if (at_ >= text_.size()) return lexeme;
    const char c = text_[at_];

    // Words and numbers.
    if (is_letter(c)) {
      while (at_ < text_.size() && (is_letter(text_[at_]) || is_digit(text_[at_]))) ++at_;
      lexeme.token = Token::word;
      lexeme.text = std::string(text_.substr(lexeme.begin, at_ - lexeme.begin));
      lexeme.folded = folded(lexeme.text);
      return lexeme;
    }
    if (is_digit(c) || (c == '.' && is_digit(peek(1)))) {
      number();
      lexeme.token = Token::number;
      lexeme.text = std::string(text_.substr(lexeme.begin, at_ - lexeme.begin));
      return lexeme;
    }

    // Texts, quoted names and choices.
    if (c == '\'') {
      lexeme.token = Token::text;
      lexeme.text = quoted('\'', "text");
      return lexeme;
    }
    if (c == '"') {
      lexeme.token = Token::quoted_name;
      lexeme.text = quoted('"', "quoted name");
      return lexeme;
    }
    if (c == ':' && is_letter(peek(1))) {
      ++at_;
      while (at_ < text_.size() && (is_letter(text_[at_]) || is_digit(text_[at_]))) ++at_;
      lexeme.token = Token::choice;
      lexeme.text = std::string(text_.substr(lexeme.begin + 1, at_ - lexeme.begin - 1));
      return lexeme;
    }

    // Signs of two characters, then of one.
    lexeme.token = Token::sign;
    for (const std::string_view sign : {"<>", "<=", ">=", "||", "==", "!=", "&&"}) {
      if (text_.substr(at_, 2) != sign) continue;
      at_ += 2;
      const char* const right = sign == "==" ? "=" : sign == "!=" ? "<>" : sign == "&&" ? "and" : nullptr;
      if (right != nullptr)
        throw Error(formula_problem(Code::syntax, "`" + std::string(sign) + "` is not a sign of this language",
                                    {text_, lexeme.begin, at_}, right));
      lexeme.text = std::string(sign);
      return lexeme;
    }
    if (std::string_view("+-*/(),.<>=").find(c) == std::string_view::npos) {
      ++at_;
      const bool bracket = c == '[' || c == ']' || c == '`';
      throw Error(formula_problem(Code::syntax, "`" + std::string(1, c) + "` has no meaning here",
                                  {text_, lexeme.begin, at_}, {},
                                  bracket    ? "names with blanks go in double quotes: \"Order No\""
                                  : c == '%' ? "mod(a, b) is the rest of a division"
                                             : ""));
    }
    ++at_;
    lexeme.text = std::string(1, c);
    return lexeme;
  }

  void number() {
    const std::size_t begin = at_;
    while (is_digit(peek())) ++at_;
    if (peek() == '.') {
      ++at_;
      while (is_digit(peek())) ++at_;
    }
    if ((peek() == 'e' || peek() == 'E') &&
        (is_digit(peek(1)) || ((peek(1) == '+' || peek(1) == '-') && is_digit(peek(2))))) {
      at_ += 2;
      while (is_digit(peek())) ++at_;
    }
    if (is_letter(peek()))
      throw Error(formula_problem(Code::syntax, "a number and a word run together", {text_, begin, at_ + 1}, {},
                                  "put a blank or a sign between them"));
  }

  std::string_view text_;
  std::size_t at_ = 0;
};

}  // namespace

std::vector<Lexeme> lex(std::string_view text) { return Lexer(text).run(); }

}  // namespace lofty::engine
