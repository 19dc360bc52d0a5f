#pragma once
// The library's own way into the handles of its public headers, whose data callers cannot reach.

#include <memory>
#include <utility>

namespace lofty::engine {

struct Access {
  // Precondition: not moved from.
  template <class Handle>
  static const typename Handle::Data& data(const Handle& handle) {
    return *handle.data_;
  }
  template <class Handle>
  static Handle made(std::shared_ptr<const typename Handle::Data> data) {
    return Handle(std::move(data));
  }
};

}  // namespace lofty::engine
