#include "base/passwords.hpp"

#include <algorithm>
#include <cctype>

namespace lofty::engine {

std::size_t scheme_length(const std::string& name) {
  const std::size_t at = name.find("://");
  const auto fits = [](char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '+'; };
  const bool is_scheme = at != std::string::npos && at > 1 &&
                         std::all_of(name.begin(), name.begin() + static_cast<std::ptrdiff_t>(at), fits);
  return is_scheme ? at : std::string::npos;
}

std::string without_password(const std::string& name) {
  const std::size_t scheme = scheme_length(name);
  if (scheme == std::string::npos) return name;
  std::string out = name;

  // user:password@ in front of the host. A password may hold an unquoted @: the last one ends it.
  const std::size_t begin = scheme + 3, end = std::min(out.find_first_of("/?#", begin), out.size());
  const std::size_t at = out.rfind('@', end);
  const std::size_t colon = out.find(':', begin);
  if (at != std::string::npos && at >= begin && colon < at) out.erase(colon, at - colon);

  // ?password=... and ?sslpassword=... among the parameters.
  for (std::size_t from = out.find('?'); from != std::string::npos && from < out.find('#');) {
    const std::size_t next = std::min(out.find_first_of("&#", from + 1), out.size());
    const std::string key = out.substr(from + 1, std::min(out.find('=', from), next) - from - 1);
    const bool more = next < out.size() && out[next] == '&';
    if (key == "password" || key == "sslpassword") {
      // The next parameter moves to this position.
      out.erase(more ? from + 1 : from, next - from);
      if (!more) break;
      continue;
    }
    from = more ? next : std::string::npos;
  }
  return out;
}

std::string without_passwords(const std::string& text) {
  if (is_address(text)) return without_password(text);
  std::string out;
  std::size_t from = 0;
  for (std::size_t at = 0; (at = text.find("://", at)) != std::string::npos;) {
    // The address around it.
    std::size_t begin = at;
    while (begin > from && (std::isalnum(static_cast<unsigned char>(text[begin - 1])) != 0 || text[begin - 1] == '+'))
      --begin;
    const std::size_t end = std::min(text.find_first_of(" \t\n\"'`", at), text.size());
    out += text.substr(from, begin - from) + without_password(text.substr(begin, end - begin));
    from = at = end;
  }
  return out + text.substr(from);
}

std::vector<Problem> without_passwords(std::vector<Problem> problems) {
  for (Problem& p : problems) {
    for (std::string* const text : {&p.sentence, &p.advice, &p.nearest, &p.location.file})
      if (text->find("://") != std::string::npos) *text = without_passwords(*text);
    if (p.location.text.find("://") == std::string::npos) continue;
    std::string shown = without_passwords(p.location.text);
    if (shown == p.location.text) continue;
    p.location.text = std::move(shown);  // the marked text may be shorter now
    p.location.offset = 0;
    p.location.length = p.location.text.size();
  }
  return problems;
}

}  // namespace lofty::engine
