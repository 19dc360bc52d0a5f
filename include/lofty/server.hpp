#pragma once
// Standings as tables of a database server.

#include <string>

#include "lofty/export.hpp"
#include "lofty/run.hpp"
#include "lofty/standings.hpp"

namespace lofty LOFTY_EXPORT {

// An address without the password that it may hold; other texts as they are. For whatever is shown.
[[nodiscard]] std::string without_password(const std::string& address);

// The listing as a new table of a server's database, at an address as TableFiles takes it: columns under their names,
// of types that hold every value exactly (whole numbers and decimals are `numeric`). One transaction: whole or not at
// all. A table of that name is replaced where `replace` says so, at the end. `timeout`: seconds that a statement may
// take; 0: any number. Throws Error: would_replace, cannot_open, not_allowed, cannot_read for a statement that fails,
// stopped, missing_program without libpq.
void write_server_table(const Standings& standings, const std::string& address, bool replace = false,
                        double timeout = 600, const Run& run = {});

}  // namespace lofty
