#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>
#include <cerrno>
#include <cstring>

#include "lofty/error.hpp"
#include "lofty/write.hpp"

namespace lofty {
namespace {

Error failure(Code code, const std::filesystem::path& file, const char* what, int error) {
  Problem p{code, std::string(what) + ": " + std::strerror(error), {}, {}, {}};
  p.place.file = file.string();
  if (code == Code::cannot_open) p.advice = "name a folder that is there and that you may write to";
  return Error(std::move(p));
}

bool write_all(int to, std::string_view text) {
  while (!text.empty()) {
    const ssize_t n = ::write(to, text.data(), text.size());
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return false;
    text.remove_prefix(static_cast<std::size_t>(n));
  }
  return true;
}

}  // namespace

void write_file(const std::filesystem::path& file, std::string_view text) {
  std::error_code ignored;
  const auto status = std::filesystem::status(file, ignored);
  if (std::filesystem::is_directory(status))
    throw failure(Code::cannot_open, file, "this is a folder, not a file", EISDIR);
  // A device or pipe cannot be replaced; it is written to.
  const bool special = std::filesystem::exists(status) && !std::filesystem::is_regular_file(status);
  const std::filesystem::path beside =
      special ? file : std::filesystem::path(file.string() + "." + std::to_string(::getpid()) + ".tmp");
  const int to = ::open(beside.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
  if (to < 0) throw failure(Code::cannot_open, file, "cannot be written", errno);
  bool ok = write_all(to, text);
  if (ok && !special) ok = ::fsync(to) == 0;
  int error = errno;
  if (::close(to) != 0 && ok) {
    ok = false;
    error = errno;
  }
  if (ok && !special && ::rename(beside.c_str(), file.c_str()) != 0) {
    ok = false;
    error = errno;
  }
  if (ok) return;
  if (!special) ::unlink(beside.c_str());
  throw failure(Code::cannot_write, file, "could not be written whole, and was not changed", error);
}

}  // namespace lofty
