#pragma once
// Memory for large arrays.
// Covered by tests/base/buffer_test.cpp.

#include <cstddef>
#include <memory>
#include <span>
#include <type_traits>

namespace lofty::engine {

// Memory of at least this size, and how large it is; to be given back with that room.
struct Room {
  void* data = nullptr;
  std::size_t size = 0;
};
Room allocate_bytes(std::size_t size);
void give_back_bytes(void* data, std::size_t room);
// These bytes are not written to any longer: they may be moved to a file when memory is short (budget.hpp).
void may_leave_memory(void* data, std::size_t room);

// An array that is written before it is read, so that it need not be cleared first. Large ones are on huge pages where
// the system has them: a tenth of the page faults, and gathers twice as fast. Throws std::bad_alloc.
template <class T>
class Buffer {
  static_assert(std::is_trivially_copyable_v<T>);

 public:
  Buffer() = default;
  explicit Buffer(std::size_t size) { allocate(size); }

  void allocate(std::size_t size);  // what was there is lost
  T* data() { return data_.get(); }
  const T* data() const { return data_.get(); }
  std::size_t size() const { return size_; }
  T& operator[](std::size_t i) { return data_.get()[i]; }
  const T& operator[](std::size_t i) const { return data_.get()[i]; }
  std::span<const T> view() const { return {data_.get(), size_}; }
  void may_leave_memory() const { engine::may_leave_memory(data_.get(), data_.get_deleter().room); }

 private:
  struct Free {
    std::size_t room = 0;  // bytes
    void operator()(T* data) const { give_back_bytes(data, room); }
  };
  std::unique_ptr<T, Free> data_;
  std::size_t size_ = 0;
};

using Bytes = Buffer<unsigned char>;

template <class T>
void Buffer<T>::allocate(std::size_t size) {
  data_.reset();  // first, so that the two are not there at once
  size_ = 0;
  const Room room = allocate_bytes(size * sizeof(T));
  data_ = {static_cast<T*>(room.data), Free{room.size}};
  size_ = size;
}

}  // namespace lofty::engine
