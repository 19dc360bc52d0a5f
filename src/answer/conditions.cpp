#include "answer/conditions.hpp"

namespace lofty::engine {

std::vector<std::uint8_t> truths(const Node& condition, const std::vector<ColumnPtr>& columns, std::size_t rows,
                                 const FormulaContext& context, const Run& run) {
  const ColumnPtr values = evaluate_column(condition, ColumnSource(rows, columns), context, run);
  std::vector<std::uint8_t> out(rows);
  for (std::size_t i = 0; i < rows; ++i)
    out[i] = values->is_null(i) ? is_unknown : values->int64(i) == 1 ? is_true : is_false;
  return out;
}

}  // namespace lofty::engine
