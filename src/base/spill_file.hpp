#pragma once
// A file without a name, in which arrays lie that memory has no room for.
// Covered by tests/base/budget_test.cpp.

#include <cstddef>
#include <cstdint>
#include <string>

namespace lofty::engine {

// A new file in this folder that has no name, open for reading and writing: it is gone when its descriptor is closed,
// also where the process is killed. -1, and errno, where there is none.
int nameless_file(const std::string& folder);

// The folder for large files that are soon gone: what TMPDIR says, else /var/tmp, which is on a disk where /tmp may be
// in memory, else the system's.
std::string temporary_folder();

// Bytes of the file, mapped into memory: what is written there goes to the file when the system wants its memory back.
// Each stretch has a place of its own in the file, whose room on the disk is taken first, so that a full disk is found
// here and not at some later write; and given back with it. One thread at a time.
class SpillFile {
 public:
  SpillFile() = default;
  ~SpillFile();
  SpillFile(const SpillFile&) = delete;
  SpillFile& operator=(const SpillFile&) = delete;

  // What follows throws Error(cannot_write) where the folder takes no file, or has no room for it. Sizes and addresses
  // are multiples of a page.
  struct Stretch {
    char* data = nullptr;
    std::uint64_t offset = 0;  // in the file
    bool of_parent = false;    // in a child process: in the parent's file
  };
  Stretch map(std::size_t size, const std::string& folder);  // zeros
  // Writes this memory to the file and maps that in its place: the same bytes at the same address. Other threads may
  // read them meanwhile, and none may write.
  Stretch move(char* data, std::size_t size, const std::string& folder);
  void unmap(const Stretch& stretch, std::size_t size);
  // Lets go of the memory, not of the bytes: the next access fetches them again.
  static void let_go(const Stretch& stretch, std::size_t size);

  // In a child process: what is mapped stays readable, but the file is the parent's. The child's own arrays go into
  // a file of its own.
  void leave_to_parent() { file_ = -1; }

  std::uint64_t bytes() const { return bytes_; }  // in use

 private:
  std::uint64_t take_room(std::size_t size, const std::string& folder);
  int file_ = -1;
  std::uint64_t end_ = 0, bytes_ = 0;
};

}  // namespace lofty::engine
