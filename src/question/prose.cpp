#include "question/prose.hpp"

#include <algorithm>
#include <cctype>

#include "base/folded.hpp"
#include "base/name_table.hpp"
#include "lofty/decimal.hpp"

namespace lofty::engine {

std::string with_commas(std::size_t number) { return Decimal(static_cast<int128>(number), 0).grouped_text(); }

std::string plural(const std::string& noun) {
  if (noun.empty()) return noun;
  const char last = noun.back();
  const char before = noun.size() > 1 ? noun[noun.size() - 2] : 'a';
  if (last == 'y' && std::string("aeiou").find(before) == std::string::npos)
    return noun.substr(0, noun.size() - 1) + "ies";
  if (last == 's' || last == 'x' || (last == 'h' && (before == 'c' || before == 's'))) return noun + "es";
  return noun + "s";
}

std::string counted(std::size_t number, const std::string& noun) {
  return with_commas(number) + " " + (number == 1 ? noun : plural(noun));
}

std::string listed(const std::vector<std::string>& words, const char* joint) {
  std::string out;
  for (std::size_t i = 0; i < words.size(); ++i) {
    if (i > 0) out += i + 1 == words.size() ? std::string(" ") + joint + " " : ", ";
    out += words[i];
  }
  return out;
}

std::string quoted(const std::string& text) { return "`" + text + "`"; }

std::string toml_text(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) {
    const auto byte = static_cast<unsigned char>(c);
    if (c == '"' || c == '\\') {
      out += '\\';
      out += c;
    } else if (c == '\n') {
      out += "\\n";
    } else if (c == '\t') {
      out += "\\t";
    } else if (byte < 0x20 || byte == 0x7f) {
      constexpr const char* digits = "0123456789ABCDEF";
      out += std::string("\\u00") + digits[byte >> 4] + digits[byte & 15];
    } else {
      out += c;
    }
  }
  return out + "\"";
}

std::string toml_key(const std::string& name) {
  const bool bare =
      !name.empty() &&
      name.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-") == std::string::npos;
  return bare ? name : toml_text(name);
}

std::string noun_of_key(const std::string& column) {
  const std::string name = folded(column);
  for (const char* suffix : {"_no", "_id", "_number", "_code", "_key"}) {
    const std::string_view s = suffix;
    if (name.size() > s.size() && name.ends_with(s)) {
      std::string noun = column.substr(0, column.size() - s.size());
      std::replace(noun.begin(), noun.end(), '_', ' ');
      return noun;
    }
  }
  std::string noun = column;
  std::replace(noun.begin(), noun.end(), '_', ' ');
  return noun;
}

std::string noun_of_table(const std::string& alias) {
  const std::size_t cut = alias.find_last_of("_ ");
  std::string word = cut == std::string::npos ? alias : alias.substr(cut + 1);
  if (word.size() > 3 && word.ends_with("ies")) return word.substr(0, word.size() - 3) + "y";
  if (word.size() > 2 && word.back() == 's' && word[word.size() - 2] != 's') return word.substr(0, word.size() - 1);
  return "row";
}

std::string capitalized(std::string text) {
  if (!text.empty() && text[0] >= 'a' && text[0] <= 'z') text[0] = static_cast<char>(text[0] - 'a' + 'A');
  return text;
}

std::string filled_in(const std::string& text, const std::vector<Choice>& choices) {
  const auto in_name = [](char c) { return c == '_' || std::isalnum(static_cast<unsigned char>(c)) != 0; };
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    std::size_t end = at + 1;
    while (text[at] == ':' && end < text.size() && in_name(text[end])) ++end;
    const std::string word = text.substr(at, end - at);
    const auto chosen =
        std::find_if(choices.begin(), choices.end(), [&](const Choice& choice) { return word == ":" + choice.name; });
    out += chosen == choices.end() ? word : to_text(chosen->value);
    at = end;
  }
  return out;
}

}  // namespace lofty::engine

namespace lofty {

LOFTY_ENUM_NAMES(JoinType, {JoinType::left, "left"}, {JoinType::inner, "inner"}, {JoinType::right, "right"},
                 {JoinType::full, "full"})

LOFTY_ENUM_NAMES(Measure, {Measure::place, "place"}, {Measure::tiers, "tiers"}, {Measure::share, "share"},
                 {Measure::running_share, "running share"}, {Measure::percent_rank, "percent rank"},
                 {Measure::cumulative_distribution, "cumulative distribution"})

}  // namespace lofty
