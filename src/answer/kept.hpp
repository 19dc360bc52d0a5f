#pragma once
// Which entries keep.where, keep.best and keep.worst let through.
// Covered by tests/ladder/standings_test.cpp.

#include <cstdint>
#include <vector>

#include "answer/level_input.hpp"
#include "answer/places.hpp"

namespace lofty::engine {

struct Kept {
  std::vector<std::uint32_t> entries;      // in the order of places
  bool all = true;                         // is every entry kept?
  std::vector<std::size_t> positions;      // where not all are: of the kept ones in the order of places, ascending
  std::vector<std::uint32_t> passed_over;  // by kept entry: how many are left out before it; empty: none
  std::vector<std::uint8_t> passes;        // by entry: keep.where is true; empty: all do
  std::size_t not_passed = 0;              // entries for which it is not
  struct TiedCut {
    std::size_t at, before;  // the positions after the cut, and before it
    bool best;               // of the best, or of the worst
  };
  std::vector<TiedCut> cuts;     // that go through a tie
  std::vector<CutTie> cut_ties;  // by kept entry: ties that are in only because of their place

  void add(std::size_t position, const Places& places, std::size_t passed = 0);
  bool lets_through(std::uint32_t entry) const { return passes.empty() || passes[entry] != 0; }
};

// Throws RowFailure.
Kept keep(const LevelInput& input, const Entries& entries, const Places& places);

}  // namespace lofty::engine
