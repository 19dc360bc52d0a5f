#pragma once
// Standings as tables of a database server.

#include <string>

#include "lofty/export.hpp"
#include "lofty/run.hpp"
#include "lofty/standings.hpp"

namespace lofty LOFTY_EXPORT {

// An address without the password that it may hold; other texts as they are. For whatever is shown.
[[nodiscard]] std::string without_password(const std::string& address);

// Writes the listing into a new table of a server's database. The address has the form that TableFiles takes. Columns
// have their names, not their headings. Whole numbers and decimals become `numeric`, so that every digit stays. The
// table is written in one transaction. With `replace`, it replaces a table of that name. `timeout`: seconds that a statement may
// take; 0: any number. Throws Error: would_replace, cannot_open, not_allowed, cannot_read for a statement that fails,
// stopped, missing_program without libpq.
void write_server_table(const Standings& standings, const std::string& address, bool replace = false,
                        double timeout = 600, const Run& run = {});

}  // namespace lofty
