#pragma once
// Loops by vectors, tested with each kind that the machine has, and without any.

#include "table/vectors.hpp"

namespace lofty::engine {

// Calls test() for each kind of vectors; all are allowed again afterwards.
template <class Test>
void with_all_vectors(const Test& test) {
  struct AllAgain {
    ~AllAgain() { allow_vectors(Vectors::avx512); }
  } again;
  for (const Vectors widest : {Vectors::none, Vectors::avx2, Vectors::avx512}) {
    allow_vectors(widest);
    test();
  }
}

}  // namespace lofty::engine
