#pragma once
// Small tables and shorthands for tests.

#include <string>
#include <vector>

#include "lofty/lofty.hpp"

namespace support {

inline lofty::Value number(long value) { return lofty::Decimal(value, 0); }
inline lofty::Value money(const char* text) { return *lofty::Decimal::parse(text); }
inline lofty::Value null() { return std::monostate{}; }

// A table in a catalog, from columns of values.
void add(lofty::Catalog& catalog, const std::string& name,
         const std::vector<std::pair<std::string, std::vector<lofty::Value>>>& columns);

// Seven order lines of three shops: two tie, one has no price at all.
lofty::Catalog small_shop();

// A standings column as texts, "" for null; by name.
std::vector<std::string> column(const lofty::Standings& standings, const std::string& name);
bool says(const lofty::Standings& standings, const std::string& code, const std::string& part = {});

// The problems of a ladder, each as "code: sentence".
std::vector<std::string> problems(const lofty::Ladder& ladder, const lofty::Catalog& catalog);

}  // namespace support
