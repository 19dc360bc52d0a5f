#pragma once
// Reading a large table and totalling it in one pass, a stretch of rows at a time, so that its rows are never all kept.
// Covered by tests/ladder/stretches_test.cpp.

#include <optional>
#include <span>
#include <vector>

#include "lofty/run.hpp"
#include "question/resolve.hpp"
#include "relation/row_sieve.hpp"
#include "relation/stretch_totals.hpp"

namespace lofty::engine {

// A question of the pass, and what its rows gave.
struct PassedQuestion {
  Resolution* resolution = nullptr;
  std::vector<TotalledRows>* totalled = nullptr;  // by level; empty: not in one pass
};

// Totals the rows of some questions over the same tables, where one pass over them is enough for every level; the
// resolutions' tables are read then, the first one without its columns. An inner level totals all rows, not only those
// inside what the level outside lists. False where one pass is not enough, as far as can be told now, or turns out not
// to be: Resolution::read() and another look at the rows have to follow, and find what is wrong with them. Throws Error
// of what reading meets.
bool total_in_one_pass(std::span<const PassedQuestion> questions, const Run& run);

// Reads the tables of a question, and of the first one keeps the rows that count alone: where the question can do with
// these, and they are few. The resolution then has them for its first table. Nothing, as above, where all rows have to
// be kept. Throws Error of what reading meets.
std::optional<SiftedRows> sift_in_one_pass(Resolution& resolution, const Run& run);

}  // namespace lofty::engine
