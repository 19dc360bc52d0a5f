#pragma once
// Standings as delimited text and as JSON.
// Covered by tests/io/write_test.cpp.

#include <string>

#include "lofty/standings.hpp"
#include "lofty/write.hpp"

namespace lofty::engine {

void write_csv(const Standings& standings, const WriteOptions& options, const TextSink& sink, const Run& run);
// Texts that an office program runs as formulas: `cells-run-as-formulas`.
std::vector<Remark> csv_remarks(const Standings& standings);
// Throws Error(bad_heading) where two columns would have one name.
void write_json(const Standings& standings, const TextSink& sink, const Run& run);

}  // namespace lofty::engine
