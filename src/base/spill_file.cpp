#include "base/spill_file.hpp"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <string>

#include "lofty/error.hpp"

namespace lofty::engine {
namespace {

[[noreturn]] void fail(const std::string& what, int error, const std::string& folder) {
  throw Error(Problem{Code::cannot_write,
                      "what does not fit into memory cannot be kept in " + folder + ": " + what + std::strerror(error),
                      {},
                      {},
                      "allow more memory, or another folder: run.memory, run.spill_to"});
}

std::string amount(std::size_t size) { return "no room for " + std::to_string((size + 1048575) / 1048576) + " MiB: "; }

}  // namespace

std::string temporary_folder() {
  if (const char* const chosen = std::getenv("TMPDIR"); chosen != nullptr && *chosen != 0) return chosen;
  if (::access("/var/tmp", W_OK | X_OK) == 0) return "/var/tmp";
  return std::filesystem::temp_directory_path().string();
}

int nameless_file(const std::string& folder) {
  int file = ::open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, 0600);
  if (file < 0) {  // a file system that cannot: the name is removed at once
    std::string pattern = folder + "/lofty-XXXXXX";
    file = ::mkostemp(pattern.data(), O_CLOEXEC);
    if (file >= 0) ::unlink(pattern.c_str());
  }
  return file;
}

SpillFile::~SpillFile() {
  if (file_ >= 0) ::close(file_);
}

std::uint64_t SpillFile::take_room(std::size_t size, const std::string& folder) {
  if (file_ < 0) {
    file_ = nameless_file(folder);
    if (file_ < 0) fail({}, errno, folder);
    end_ = 0;
  }
  const int error = ::posix_fallocate(file_, static_cast<off_t>(end_), static_cast<off_t>(size));
  if (error != 0) fail(amount(size), error, folder);
  const std::uint64_t offset = end_;
  end_ += size;
  bytes_ += size;
  return offset;
}

SpillFile::Stretch SpillFile::map(std::size_t size, const std::string& folder) {
  const std::uint64_t offset = take_room(size, folder);
  void* const data = ::mmap(nullptr, size, PROT_READ | PROT_WRITE, MAP_SHARED, file_, static_cast<off_t>(offset));
  if (data == MAP_FAILED) {
    const int error = errno;
    unmap({nullptr, offset}, size);
    fail("it cannot be mapped: ", error, folder);
  }
  return {static_cast<char*>(data), offset};
}

// Bytes of the file in place of the same ones in memory, which others may be reading.
static bool map_in_place(char* data, std::size_t size, int file, std::uint64_t offset) {
  constexpr int access = PROT_READ | PROT_WRITE, form = MAP_SHARED | MAP_FIXED;
#ifdef __SANITIZE_THREAD__
  // To the thread sanitizer a mapping is a write, and a race with what reads: so it is not told.
  return ::syscall(SYS_mmap, data, size, access, form, file, offset) != -1;
#else
  return ::mmap(data, size, access, form, file, static_cast<off_t>(offset)) != MAP_FAILED;
#endif
}

SpillFile::Stretch SpillFile::move(char* data, std::size_t size, const std::string& folder) {
  const std::uint64_t offset = take_room(size, folder);
  int error = 0;
  for (std::size_t done = 0; done < size && error == 0;) {
    const ssize_t n = ::pwrite(file_, data + done, size - done, static_cast<off_t>(offset + done));
    if (n >= 0)
      done += static_cast<std::size_t>(n);
    else if (errno != EINTR)
      error = errno;
  }
  if (error == 0 && !map_in_place(data, size, file_, offset)) error = errno;
  if (error != 0) {
    unmap({nullptr, offset}, size);
    fail(amount(size), error, folder);
  }
  return {data, offset};
}

void SpillFile::unmap(const Stretch& stretch, std::size_t size) {
  // The room first: pages that will not be read again are then not written. A file system without holes keeps it until
  // the file is closed.
  if (!stretch.of_parent)
    ::fallocate(file_, FALLOC_FL_PUNCH_HOLE | FALLOC_FL_KEEP_SIZE, static_cast<off_t>(stretch.offset),
                static_cast<off_t>(size));
  if (stretch.data != nullptr) ::munmap(stretch.data, size);
  bytes_ -= size;
  if (bytes_ > 0 || file_ < 0) return;
  ::close(file_);  // the next run may want another folder
  file_ = -1;
}

void SpillFile::let_go(const Stretch& stretch, std::size_t size) { ::madvise(stretch.data, size, MADV_DONTNEED); }

}  // namespace lofty::engine
