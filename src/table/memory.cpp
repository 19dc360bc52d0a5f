#include "lofty/memory.hpp"

#include "table/buffer.hpp"

namespace lofty {

struct KeepMemory::Held {
  engine::MemoryReuse reuse;
};

KeepMemory::KeepMemory() : held_(std::make_unique<Held>()) {}
KeepMemory::~KeepMemory() = default;

}  // namespace lofty
