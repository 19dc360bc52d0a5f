#pragma once
// The checksum of bytes that come part by part.
// Covered by tests/derived/compare_test.cpp.

#include <memory>
#include <string>
#include <string_view>

namespace lofty::engine {

// XXH3 in 128 bits (Y. Collet). Throws std::bad_alloc.
class Checksum {
 public:
  Checksum();
  void add(std::string_view bytes);
  std::string hex() const;  // 32 digits

 private:
  struct State;
  std::shared_ptr<State> state_;
};

}  // namespace lofty::engine
