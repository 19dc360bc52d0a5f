#pragma once
// A file's bytes at any offset, unpacked where it is compressed.
// Covered by tests/io/delimited_test.cpp and tests/io/sources_test.cpp.

#include <cstdint>
#include <filesystem>
#include <memory>
#include <vector>

namespace lofty::engine {

// A vector whose new elements are not cleared: they are read into at once.
template <class T>
struct Uncleared : std::allocator<T> {
  template <class U>
  struct rebind {
    using other = Uncleared<U>;
  };
  template <class U, class... Args>
  void construct(U* at, Args&&... args) {
    if constexpr (sizeof...(Args) == 0)
      ::new (static_cast<void*>(at)) U;
    else
      ::new (static_cast<void*>(at)) U(std::forward<Args>(args)...);
  }
};
using TextBuffer = std::vector<char, Uncleared<char>>;

// A file whose name ends in .gz is unpacked into a temporary file that has no name. Thread-safe.
class OpenFile {
 public:
  explicit OpenFile(const std::filesystem::path& path);  // throws Error(cannot_open, damaged_file)
  OpenFile(const OpenFile&) = delete;
  OpenFile& operator=(const OpenFile&) = delete;
  ~OpenFile();

  std::uint64_t size() const { return size_; }  // 0 where it has none, as a pipe
  // Appends up to `count` bytes from `offset` on; fewer at the end of the file. Throws Error(cannot_open).
  void read(std::uint64_t offset, std::size_t count, TextBuffer& out) const;

 private:
  void unpack(const std::string& shown);
  int descriptor_ = -1;
  std::uint64_t size_ = 0;
};

}  // namespace lofty::engine
