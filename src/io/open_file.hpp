#pragma once
// A file's bytes at any offset, unpacked where it is compressed.
// Covered by tests/io/delimited_test.cpp and tests/io/sources_test.cpp.

#include <cstdint>
#include <ctime>
#include <filesystem>
#include <memory>
#include <string>
#include <string_view>
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

// Deflate packs at most 1,032 bytes into one. Text that compresses so well is hostile rather than large, and parts of
// real workbooks stay far below; under the floor any ratio does no harm.
inline constexpr std::uint64_t most_unpacked_per_byte = 400, unpacked_floor = 64 << 20;

// docs/limits.md. A heading line that long is a quote that was never closed.
inline constexpr std::size_t most_heading_bytes = 4 << 20;

// One open file. The same descriptor serves from the heading line to the last message, so that a file that is replaced
// meanwhile goes on being read as it was; one that is changed in place is noticed by check_unchanged(). A file whose
// name ends in .gz is unpacked into a temporary file without a name, and what can be read only once, as a pipe, is
// copied into one. Thread-safe.
class OpenFile {
 public:
  // Throws Error(cannot_open, cannot_read, cannot_write, damaged_file, changed_file), and Error(beyond_limit) for
  // compressed text that unpacks to an absurd size and for a pipe whose first line exceeds most_heading_bytes. A folder
  // and a device, other than a terminal, are Error(cannot_open).
  explicit OpenFile(const std::filesystem::path& path);
  // The same as text in UTF-8: of another encoding it is turned into that, into a temporary file without a name.
  // `encoding` is a name that ICU knows; empty: what a byte-order mark says, else UTF-8. Throws also Error(bad_value)
  // for an unknown name, Error(bad_encoding) for bytes that are not of the encoding.
  OpenFile(const std::filesystem::path& path, const std::string& encoding);
  OpenFile(const OpenFile&) = delete;
  OpenFile& operator=(const OpenFile&) = delete;
  ~OpenFile();

  std::uint64_t size() const { return size_; }
  // Appends up to `count` bytes from `offset` on; fewer at the end of the file. Throws Error(cannot_read).
  void read(std::uint64_t offset, std::size_t count, TextBuffer& out) const;
  // The same into memory of the caller's: how many bytes there were.
  std::size_t read(std::uint64_t offset, char* into, std::size_t count) const;
  // All of it. Throws as read() and check_unchanged().
  std::string read_all() const;
  // Throws Error(changed_file) when the file's size or time of change is not what it was when it was opened.
  void check_unchanged() const;

 private:
  int unpack(const std::string& shown) const;
  int copy(const std::string& shown) const;
  std::string marked_encoding() const;
  void take(int own);
  std::string shown_;
  int descriptor_ = -1;
  std::uint64_t size_ = 0;
  bool watched_ = false;  // false: the bytes are a copy of our own
  struct timespec changed_ {};
};

// The encoding that a text seems to have, by ICU's detector: "windows-1252" where it can't tell.
std::string likely_encoding(std::string_view text);

// For forms of files that are held in memory while they are read. Throws Error(beyond_limit), which names `shown`, if
// `bytes` are more than 64 MiB and more than the memory that arrays may take.
void require_memory(std::uint64_t bytes, const std::string& shown);

// A new empty file without a name in the temporary folder. Throws Error(cannot_write), which names `shown`.
int nameless_copy(const std::string& shown);

}  // namespace lofty::engine
