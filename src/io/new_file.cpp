#include "io/new_file.hpp"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>

#include <array>
#include <atomic>
#include <cerrno>
#include <climits>
#include <cstdio>
#include <cstring>
#include <random>
#include <utility>

#include "io/child_process.hpp"
#include "io/folder.hpp"
#include "lofty/write.hpp"

namespace lofty {

namespace engine {
namespace {

namespace fs = std::filesystem;

// The temporary files of this process, where a signal handler can read them: no allocation, no lock. A file that finds
// no free slot is not removed by a signal, but by the next run.
struct Unfinished {
  enum State : int { free, filling, filled };
  std::atomic<int> state{free};
  std::array<char, PATH_MAX> path{};
};
constexpr std::size_t slots = 32;
std::array<Unfinished, slots> unfinished;

std::size_t note_unfinished(const fs::path& path) {
  const std::string& name = path.native();
  if (name.size() >= PATH_MAX) return slots;
  for (std::size_t i = 0; i < slots; ++i) {
    int expected = Unfinished::free;
    if (!unfinished[i].state.compare_exchange_strong(expected, Unfinished::filling)) continue;
    std::memcpy(unfinished[i].path.data(), name.c_str(), name.size() + 1);
    unfinished[i].state = Unfinished::filled;
    return i;
  }
  return slots;
}

std::string hex(std::uint64_t number) {
  constexpr const char* digits = "0123456789abcdef";
  std::string out(16, '0');
  for (std::size_t i = 16; i-- > 0; number >>= 4) out[i] = digits[number & 15];
  return out;
}

// What temporary files for this target begin with. The target's name goes in as a hash: it may be as long as a name can
// be already.
std::string prefix_for(const fs::path& target) {
  const std::string name = target.filename().string();
  return ".lofty-new-" + hex(XXH3_64bits(name.data(), name.size())) + "-";
}

// Removes what killed runs left for this target: files that are not locked.
void remove_leftovers(const fs::path& folder, const std::string& prefix) {
  each_name_in(folder, [&](const std::string& name) {
    if (!name.starts_with(prefix)) return true;
    const fs::path path = folder / name;
    const int file = ::open(path.c_str(), O_RDONLY | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK);
    if (file < 0) return true;
    struct stat status {};
    if (::fstat(file, &status) == 0 && S_ISREG(status.st_mode) && ::flock(file, LOCK_EX | LOCK_NB) == 0)
      ::unlink(path.c_str());
    ::close(file);
    return true;
  });
}

// The folder's entry is on the disk too. Where that cannot be told, the rename itself stays as it is.
void flush_folder(const fs::path& folder) {
  const int descriptor = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  if (descriptor < 0) return;
  ::fsync(descriptor);
  ::close(descriptor);
}

fs::path folder_of(const fs::path& target) { return target.has_parent_path() ? target.parent_path() : fs::path("."); }

constexpr const char* not_written_whole = "could not be written whole, and was not changed";

}  // namespace

Error file_failure(Code code, const fs::path& file, const std::string& what, int error_number) {
  Problem p{code, what + ": " + std::strerror(error_number), {}, {}, {}};
  p.location.file = file.string();
  if (code == Code::cannot_open) p.advice = "name a folder that is there and that you may write to";
  return Error(std::move(p));
}

fs::path output_target(const fs::path& file) {
  fs::path at = file;
  for (int links = 0;; ++links) {
    std::error_code error;
    if (!fs::is_symlink(fs::symlink_status(at, error))) return at;
    const fs::path next = fs::read_symlink(at, error);
    if (error || links == 40) throw file_failure(Code::cannot_open, file, "cannot be written", ELOOP);
    at = next.is_absolute() ? next : folder_of(at) / next;
  }
}

bool write_all(int descriptor, std::string_view text) {
  while (!text.empty()) {
    const ssize_t n = ::write(descriptor, text.data(), text.size());
    if (n < 0 && errno == EINTR) continue;
    if (n == 0) errno = ENOSPC;
    if (n <= 0) return false;
    text.remove_prefix(static_cast<std::size_t>(n));
  }
  return true;
}

NewFile::NewFile(const fs::path& file) : file_(file), target_(output_target(file)), slot_(slots) {
  const fs::path folder = folder_of(target_);
  const std::string prefix = prefix_for(target_);
  remove_leftovers(folder, prefix);
  struct stat old {};
  const bool replaces = ::stat(target_.c_str(), &old) == 0;

  // A name that no other run has.
  std::random_device random;
  for (int attempts = 0; descriptor_ < 0; ++attempts) {
    path_ = folder / (prefix + hex((std::uint64_t{random()} << 32) | random()));
    // Noted first: a signal in between finds nothing to remove, which is harmless.
    slot_ = note_unfinished(path_);
    descriptor_ = ::open(path_.c_str(), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, replaces ? 0600 : 0666);
    const int error = errno;
    // Until it is locked, another run may take it for a leftover and remove it: then it has no name any more.
    struct stat made {};
    if (descriptor_ >= 0 &&
        (::flock(descriptor_, LOCK_EX | LOCK_NB) != 0 || ::fstat(descriptor_, &made) != 0 || made.st_nlink == 0)) {
      ::close(descriptor_);
      descriptor_ = -1;
    } else if (descriptor_ < 0 && (error != EEXIST || attempts == 100)) {
      forget();
      throw file_failure(Code::cannot_open, file_, "cannot be written", error);
    }
    if (descriptor_ < 0) forget();
    if (descriptor_ < 0 && attempts == 100) throw file_failure(Code::cannot_open, file_, "cannot be written", EEXIST);
  }

  // The mode of what it replaces.
  if (!replaces) return;
  // Only root may give files away; where the owner cannot be kept, the mode still is.
  if (::fchown(descriptor_, old.st_uid, old.st_gid) != 0) errno = 0;
  if (::fchmod(descriptor_, old.st_mode & 07777) != 0) errno = 0;
}

NewFile::~NewFile() {
  if (descriptor_ < 0) return;
  ::unlink(path_.c_str());
  forget();
  ::close(descriptor_);
}

void NewFile::forget() {
  if (slot_ < slots) unfinished[slot_].state = Unfinished::free;
  slot_ = slots;
}

void NewFile::write(std::string_view text) {
  if (!write_all(descriptor_, text)) throw file_failure(Code::cannot_write, file_, not_written_whole, errno);
}

void NewFile::flush() {
  if (::fsync(descriptor_) != 0) throw file_failure(Code::cannot_write, file_, not_written_whole, errno);
}

void NewFile::replace_target() {
  flush();
  if (::rename(path_.c_str(), target_.c_str()) != 0)
    throw file_failure(Code::cannot_write, file_, not_written_whole, errno);
  forget();
  ::close(std::exchange(descriptor_, -1));  // after a flush that succeeded there is nothing left that could fail
  flush_folder(folder_of(target_));
}

bool NewFile::become_target() {
  flush();
  // Not every file system can rename without replacing; a hard link never replaces.
  bool renamed = ::renameat2(AT_FDCWD, path_.c_str(), AT_FDCWD, target_.c_str(), RENAME_NOREPLACE) == 0;
  if (!renamed && (errno == EINVAL || errno == ENOSYS))
    renamed = ::link(path_.c_str(), target_.c_str()) == 0 && ::unlink(path_.c_str()) == 0;
  if (!renamed) {
    if (errno == EEXIST) return false;
    throw file_failure(Code::cannot_write, file_, "could not be written", errno);
  }
  forget();
  ::close(std::exchange(descriptor_, -1));
  flush_folder(folder_of(target_));
  return true;
}

}  // namespace engine

void remove_unfinished_files() noexcept {
  for (engine::Unfinished& one : engine::unfinished)
    if (one.state == engine::Unfinished::filled) ::unlink(one.path.data());
  engine::kill_programs();
}

void write_file(const std::filesystem::path& file, std::string_view text) {
  write_file(file, [&](const TextSink& sink) { sink(text); });
}

void write_file(const std::filesystem::path& file, const std::function<void(const TextSink&)>& fill) {
  std::error_code ignored;
  const auto status = std::filesystem::status(file, ignored);
  if (std::filesystem::is_directory(status))
    throw engine::file_failure(Code::cannot_open, file, "this is a folder, not a file", EISDIR);
  if (!std::filesystem::exists(status) || std::filesystem::is_regular_file(status)) {
    engine::NewFile fresh(file);
    fill([&](std::string_view text) { fresh.write(text); });
    fresh.replace_target();
    return;
  }

  // A device or pipe cannot be replaced; it is written to.
  struct Device {
    int descriptor;
    ~Device() {
      if (descriptor >= 0) ::close(descriptor);
    }
  } to{::open(file.c_str(), O_WRONLY | O_CLOEXEC)};
  if (to.descriptor < 0) throw engine::file_failure(Code::cannot_open, file, "cannot be written", errno);
  const auto failure = [&] {
    return engine::file_failure(Code::cannot_write, file, "could not be written whole", errno);
  };
  fill([&](std::string_view text) {
    if (!engine::write_all(to.descriptor, text)) throw failure();
  });
  if (::close(std::exchange(to.descriptor, -1)) != 0) throw failure();
}

}  // namespace lofty
