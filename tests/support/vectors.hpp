#pragma once
// Loops by vectors, tested with each kind that the machine has, and without any.

#include "base/vectors.hpp"

namespace lofty::engine {

// Allows no wider vectors than these while it lives, whatever becomes of the test.
class OnlyVectors {
 public:
  explicit OnlyVectors(Vectors widest) { allow_vectors(widest); }
  ~OnlyVectors() { allow_vectors(Vectors::avx512); }
  OnlyVectors(const OnlyVectors&) = delete;
  OnlyVectors& operator=(const OnlyVectors&) = delete;
};

// Calls test() for each kind of vectors.
template <class Test>
void with_all_vectors(const Test& test) {
  for (const Vectors widest : {Vectors::none, Vectors::avx2, Vectors::avx512}) {
    const OnlyVectors only(widest);
    test();
  }
}

}  // namespace lofty::engine
