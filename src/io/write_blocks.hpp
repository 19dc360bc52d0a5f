#pragma once
// Rows written block by block: all threads format them, and they are handed over in their order.
// Covered by tests/io/write_test.cpp.

#include <optional>
#include <string>

#include "answer/cell_block.hpp"
#include "base/in_order.hpp"
#include "lofty/write.hpp"

namespace lofty::engine {

// Blocks of rows, each made by put(cells, rows, text).
template <class Put>
void write_blocks(CellBlock cells, std::size_t rows, const TextSink& sink, const Run& run, const Put& put) {
  struct Block {
    std::optional<CellBlock> cells;
    std::string text;
  };
  cells.bring_in_order(run);
  std::size_t written = 0;
  make_in_order<Block>(
      RowRanges::costly(rows, CellBlock::usual_rows), run,
      [&](const RowRange& range, Block& block) {
        if (!block.cells) block.cells.emplace(cells);
        block.text.clear();
        if (range.size() == 0) return;
        block.cells->load(range);
        put(*block.cells, range, block.text);
      },
      [&](const Block& block) {
        if (!block.text.empty()) sink(block.text);
        written += CellBlock::usual_rows;
        if (run.progress) run.progress(std::min(1.0, static_cast<double>(written) / static_cast<double>(rows + 1)));
      });
}

}  // namespace lofty::engine
