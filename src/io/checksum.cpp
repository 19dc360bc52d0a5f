// A file of its own, which calls the library: where xxHash is compiled into its callers (table/dictionary.hpp), what
// takes parts is too large to be.

#include "io/checksum.hpp"

#include <xxhash.h>

#include <cstdint>
#include <new>

namespace lofty::engine {

struct Checksum::State {
  State() : state(XXH3_createState(), &XXH3_freeState) {
    if (!state) throw std::bad_alloc();
    XXH3_128bits_reset(state.get());
  }
  std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state;
};

Checksum::Checksum() : state_(std::make_shared<State>()) {}

void Checksum::add(std::string_view bytes) { XXH3_128bits_update(state_->state.get(), bytes.data(), bytes.size()); }

std::string Checksum::hex() const {
  const XXH128_hash_t hash = XXH3_128bits_digest(state_->state.get());
  std::string hex;
  for (const std::uint64_t half : {std::uint64_t{hash.high64}, std::uint64_t{hash.low64}})
    for (int shift = 60; shift >= 0; shift -= 4) hex += "0123456789abcdef"[half >> shift & 15];
  return hex;
}

}  // namespace lofty::engine
