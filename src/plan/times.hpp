#pragma once
// Seconds of the steps of an answer.
// Covered by tests/derived/cost_test.cpp.

#include <compare>
#include <cstddef>
#include <cstdint>
#include <map>

#include "lofty/step_kind.hpp"

namespace lofty::engine {

// What windows see: rows; entries before their places are known; entries with their places.
enum class WindowStage : std::uint8_t { rows, entries, places };

// A step that a plan prices and an answer times.
struct StepId {
  StepKind kind = StepKind::read;
  std::size_t level = 0;                  // of nested ones; 0 for reading
  std::size_t number = 0;                 // among the level's steps of the kind: a table, a join, a sort, a window
  WindowStage stage = WindowStage::rows;  // of sorts and windows
  friend auto operator<=>(const StepId&, const StepId&) = default;
};

using Times = std::map<StepId, double>;  // seconds

}  // namespace lofty::engine
