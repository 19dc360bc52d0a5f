#pragma once
// Standings as delimited text and as JSON.
// Covered by tests/io/write_test.cpp.

#include <string>

#include "lofty/standings.hpp"
#include "lofty/write.hpp"

namespace lofty::engine {

std::string csv_text(const Standings& standings, const WriteOptions& options);
// Throws Error(bad_heading) where two columns would have one name.
std::string json_answer(const Standings& standings);

}  // namespace lofty::engine
