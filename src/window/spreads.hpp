#pragma once
// Variances and deviations by their functions.

#include "formula/functions.hpp"
#include "rank/moments.hpp"

namespace lofty::engine {

inline bool is_spread(Function function) {
  return function == Function::var_pop || function == Function::var_samp || function == Function::stddev_pop ||
         function == Function::stddev_samp;
}
// Precondition: it is one.
inline Spread spread_of(Function function) {
  return {.root = function == Function::stddev_pop || function == Function::stddev_samp,
          .less = function == Function::var_samp || function == Function::stddev_samp ? 1 : 0};
}

}  // namespace lofty::engine
