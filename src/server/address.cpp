#include "server/address.hpp"

#include "base/passwords.hpp"
#include "lofty/error.hpp"

namespace lofty::engine {
namespace {

[[noreturn]] void refuse(std::string sentence) {
  throw Error(Problem{Code::unknown_table, std::move(sentence), {}, {}, "postgresql://user@host/database#order_lines"});
}

}  // namespace

ServerAddress parse_address(const std::string& name) {
  const std::string shown = without_password(name);
  const std::string scheme = name.substr(0, scheme_length(name));
  if (scheme != "postgresql" && scheme != "postgres") refuse("no server here is called `" + scheme + "`: " + shown);
  const std::size_t mark = name.rfind('#');
  if (mark == std::string::npos || mark + 1 == name.size()) refuse("the address " + shown + " names no table");
  return {name.substr(0, mark), name.substr(mark + 1), shown};
}

}  // namespace lofty::engine
