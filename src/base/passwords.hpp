#pragma once
// Addresses of tables on servers, and the passwords in them: nothing that is printed or saved has one.
// Covered by tests/server/address_test.cpp.

#include <string>
#include <vector>

#include "lofty/error.hpp"

namespace lofty::engine {

// The length of the scheme of "postgresql://..."; npos: the name is no address.
std::size_t scheme_length(const std::string& name);
inline bool is_address(const std::string& name) { return scheme_length(name) != std::string::npos; }
// The same text without the password that an address has; other names as they are.
std::string without_password(const std::string& name);
// The same of all addresses within a text, each up to a blank or a quote.
std::string without_passwords(const std::string& text);
// The same of all that problems say. Error does this; so does what returns problems.
std::vector<Problem> without_passwords(std::vector<Problem> problems);

}  // namespace lofty::engine
