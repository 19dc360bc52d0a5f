#pragma once
// For one source file of a program: every vector counts for Run::memory.
//
// This replaces the program's `new` and `delete`, as the standard lets a program do. Arrays of 64 KiB and more are
// counted; where memory is spent, those of a megabyte and more lie in the file that Run::spill_to names.

#include <cstddef>
#include <new>

#include "lofty/memory.hpp"

void* operator new(std::size_t size) {
  for (;;) {
    if (void* const data = lofty::counted_new(size)) return data;
    const std::new_handler handler = std::get_new_handler();
    if (handler == nullptr) throw std::bad_alloc();
    handler();
  }
}
// The form that doesn't throw is replaced too, because the `delete` below takes what either gives.
void* operator new(std::size_t size, const std::nothrow_t& /*form*/) noexcept {
  try {
    return operator new(size);
  } catch (...) {
    return nullptr;  // there is no memory, or the file has no room
  }
}
void operator delete(void* data) noexcept { lofty::counted_delete(data); }
void operator delete(void* data, std::size_t /*size*/) noexcept { lofty::counted_delete(data); }
void operator delete(void* data, const std::nothrow_t& /*form*/) noexcept { lofty::counted_delete(data); }
