#include "io/open_file.hpp"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>
#include <zlib.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <string>

#include "lofty/error.hpp"

namespace lofty::engine {
namespace {

Error failure(Code code, std::string sentence, const std::string& file) {
  Problem p{code, std::move(sentence), {}, {}, {}};
  p.place.file = file;
  return Error(std::move(p));
}

}  // namespace

OpenFile::OpenFile(const std::filesystem::path& path) {
  const std::string shown = path.string();
  descriptor_ = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (descriptor_ < 0)
    throw failure(Code::cannot_open, std::string("cannot be opened: ") + std::strerror(errno), shown);
  struct stat status {};
  const bool known = ::fstat(descriptor_, &status) == 0;
  try {
    if (known && S_ISDIR(status.st_mode)) throw failure(Code::cannot_open, "this is a folder, not a file", shown);
    if (path.extension() == ".gz") unpack(shown);
  } catch (const Error&) {
    ::close(descriptor_);
    throw;
  }
  if (::fstat(descriptor_, &status) == 0) size_ = static_cast<std::uint64_t>(status.st_size);
}

OpenFile::~OpenFile() { ::close(descriptor_); }

void OpenFile::unpack(const std::string& shown) {
  std::string pattern = (std::filesystem::temp_directory_path() / "lofty-XXXXXX").string();
  const int to = ::mkstemp(pattern.data());
  if (to < 0) throw failure(Code::cannot_open, std::string("no room to unpack it: ") + std::strerror(errno), shown);
  ::unlink(pattern.c_str());
  const auto fail = [&](Code code, std::string sentence) {
    ::close(to);
    return failure(code, std::move(sentence), shown);
  };
  const int packed = ::dup(descriptor_);
  const gzFile in = packed < 0 ? nullptr : ::gzdopen(packed, "rb");
  if (in == nullptr) throw fail(Code::cannot_open, "cannot be unpacked");
  std::vector<char> bytes(256 * 1024);
  for (int count; (count = ::gzread(in, bytes.data(), static_cast<unsigned>(bytes.size()))) != 0;) {
    bool written = count > 0;
    for (int done = 0; written && done < count;) {
      const ssize_t n = ::write(to, bytes.data() + done, static_cast<std::size_t>(count - done));
      if (n < 0 && errno == EINTR) continue;
      written = n > 0;
      done += static_cast<int>(n);
    }
    if (written) continue;
    const std::string why =
        count < 0 ? "the compressed file is damaged" : std::string("no room to unpack it: ") + std::strerror(errno);
    ::gzclose(in);
    throw fail(count < 0 ? Code::damaged_file : Code::cannot_open, why);
  }
  // Cut off in the middle, it ends without an error, but not at the end of the compressed stream.
  const bool whole = ::gzclose(in) == Z_OK;
  if (!whole) throw fail(Code::damaged_file, "the compressed file is damaged: it ends too early");
  ::close(descriptor_);
  descriptor_ = to;
}

void OpenFile::read(std::uint64_t offset, std::size_t count, TextBuffer& out) const {
  const std::size_t before = out.size();
  out.resize(before + count);
  std::size_t done = 0;
  while (done < count) {
    const ssize_t n = ::pread(descriptor_, out.data() + before + done, count - done, static_cast<off_t>(offset + done));
    if (n < 0 && errno == EINTR) continue;
    if (n < 0)
      throw Error(Problem{Code::cannot_open, std::string("reading failed: ") + std::strerror(errno), {}, {}, {}});
    if (n == 0) break;
    done += static_cast<std::size_t>(n);
  }
  out.resize(before + done);
}

}  // namespace lofty::engine
