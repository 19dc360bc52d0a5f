#pragma once
// Conditions on entries.
// Covered by tests/ladder/standings_test.cpp.

#include <cstdint>
#include <vector>

#include "formula/evaluator.hpp"

namespace lofty::engine {

enum Truth : std::uint8_t { is_false, is_true, is_unknown };

// By row, a Truth. Throws RowFailure.
std::vector<std::uint8_t> truths(const Node& condition, const std::vector<ColumnPtr>& columns, std::size_t rows,
                                 const FormulaContext& context, const Run& run);

}  // namespace lofty::engine
