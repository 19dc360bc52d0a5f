#pragma once
// Positions in pieces, on several threads where that pays.

#include "table/parallel.hpp"

namespace lofty::engine {

inline std::size_t pieces_of(std::size_t size) {
  constexpr std::size_t piece_rows = 250'000;
  return size < rows_worth_threads ? 1 : (size + piece_rows - 1) / piece_rows;
}

// Calls work(begin, end), or work(begin, end, piece), for the pieces of [0, size).
template <class Work>
void in_pieces(std::size_t size, const Run& run, const Work& work) {
  const std::size_t pieces = pieces_of(size);
  parallel_for(pieces, run, [&](std::size_t piece) {
    const std::size_t begin = size * piece / pieces, end = size * (piece + 1) / pieces;
    if constexpr (requires { work(begin, end, piece); })
      work(begin, end, piece);
    else
      work(begin, end);
  });
}

}  // namespace lofty::engine
