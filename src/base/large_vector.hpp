#pragma once
// Vectors for callers, as large as a table.
// Covered by tests/base/large_vector_test.cpp.

#include <cstddef>
#include <vector>

#include "lofty/run.hpp"

namespace lofty::engine {

// Has all threads fetch these pages, huge ones where the system has them, which nothing has touched yet. The bytes are
// zeros, before and after. A hint: few pages, or those of one thread, are left to who uses them.
void fetch_pages(void* data, std::size_t size, const Run& run);

// A vector's memory is cleared, first by the system, page by page, which takes longer than many a kernel, and then once
// more. The first can be shared between threads, and huge pages are cleared several times faster.
template <class T>
void resize_large(std::vector<T>& values, std::size_t size, const Run& run) {
  if (values.capacity() < size) {
    values.reserve(size);
    fetch_pages(values.data() + values.size(), (size - values.size()) * sizeof(T), run);
  }
  values.resize(size);
}
template <class T>
std::vector<T> large_vector(std::size_t size, const Run& run) {
  std::vector<T> values;
  resize_large(values, size, run);
  return values;
}

}  // namespace lofty::engine
