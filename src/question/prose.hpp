#pragma once
// Words for sentences: counts, nouns, lists.

#include <string>
#include <vector>

#include "lofty/ladder.hpp"

namespace lofty::engine {

std::string with_commas(std::size_t number);                       // "11,931"
std::string plural(const std::string& noun);                       // "shop" -> "shops", "family" -> "families"
std::string counted(std::size_t number, const std::string& noun);  // "1 shop", "11,931 lines"
std::string listed(const std::vector<std::string>& words, const char* joint = "and");  // "a, b and c"
std::string quoted(const std::string& text);                                           // "`spend`"
// A text, and a name, as a ladder file has them: in double quotes, names only where they need them.
std::string toml_text(const std::string& text);
std::string toml_key(const std::string& name);
std::string noun_of_key(const std::string& column);   // "shop_no" -> "shop"
std::string noun_of_table(const std::string& alias);  // "order_lines" -> "line", "shops" -> "shop", "x" -> "row"
std::string capitalized(std::string text);
// A title or heading with its choices filled in: "the last :days days" -> "the last 30 days". Other colons stay.
std::string filled_in(const std::string& text, const std::vector<Choice>& choices);

}  // namespace lofty::engine
