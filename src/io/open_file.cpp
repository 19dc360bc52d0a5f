#include "io/open_file.hpp"

#include <fcntl.h>
#include <sys/stat.h>
#include <unicode/ucnv.h>
#include <unicode/ucsdet.h>
#include <unistd.h>
#include <zlib.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <memory>
#include <string>
#include <utility>

#include "base/budget.hpp"
#include "base/spill_file.hpp"
#include "io/new_file.hpp"
#include "lofty/error.hpp"

namespace lofty::engine {
namespace {

constexpr std::size_t block = 256 * 1024;
Error failure(Code code, std::string sentence, const std::string& file) {
  Problem p{code, std::move(sentence), {}, {}, {}};
  p.location.file = file;
  return Error(std::move(p));
}

Error changed(const std::string& file) {
  Problem p{Code::changed_file, "it was changed while it was read", {}, {}, {}};
  p.location.file = file;
  p.advice = "try again when no other program is writing to it, or take a copy";
  return Error(std::move(p));
}

// Up to `count` bytes from where the descriptor is; -1 with errno on failure.
ssize_t read_some(int from, char* into, std::size_t count) {
  for (;;) {
    const ssize_t n = ::read(from, into, count);
    if (n >= 0 || errno != EINTR) return n;
  }
}

// A descriptor that closes itself.
struct Descriptor {
  int number;
  explicit Descriptor(int n) : number(n) {}
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  ~Descriptor() {
    if (number >= 0) ::close(number);
  }
  int release() { return std::exchange(number, -1); }
};

// zlib's state for reading gzip members, given back whatever happens.
struct Inflater {
  z_stream stream{};
  bool ready = inflateInit2(&stream, 15 + 16) == Z_OK;
  Inflater() = default;
  Inflater(const Inflater&) = delete;
  Inflater& operator=(const Inflater&) = delete;
  ~Inflater() {
    if (ready) inflateEnd(&stream);
  }
};

}  // namespace

void require_memory(std::uint64_t bytes, const std::string& shown) {
  constexpr std::uint64_t floor = 64 << 20;  // what the process itself takes is of this order
  if (bytes <= floor) return;
  const std::uint64_t limit = Budget::shared().limit();
  if (bytes <= limit) return;
  const auto mebibytes = [](std::uint64_t n) { return std::to_string((n + (1 << 20) - 1) >> 20) + " MiB"; };
  Problem p{
      Code::beyond_limit,
      "reading it takes some " + mebibytes(bytes) + " of memory at once, and " + mebibytes(limit) + " are allowed",
      {},
      {},
      "run.memory allows more; delimited text is read in little memory"};
  p.location.file = shown;
  throw Error(std::move(p));
}

int nameless_copy(const std::string& shown) {
  const int file = nameless_file(temporary_folder());
  if (file < 0) throw failure(Code::cannot_write, "no room to unpack it: " + std::string(std::strerror(errno)), shown);
  return file;
}

OpenFile::OpenFile(const std::filesystem::path& path) : shown_(path.string()) {
  descriptor_ = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (descriptor_ < 0)
    throw failure(Code::cannot_open, std::string("cannot be opened: ") + std::strerror(errno), shown_);
  Descriptor original(descriptor_);
  struct stat status {};
  if (::fstat(descriptor_, &status) != 0)
    throw failure(Code::cannot_open, std::string("cannot be opened: ") + std::strerror(errno), shown_);
  if (S_ISDIR(status.st_mode)) throw failure(Code::cannot_open, "this is a folder, not a file", shown_);
  if (S_ISBLK(status.st_mode) || (S_ISCHR(status.st_mode) && ::isatty(descriptor_) == 0))
    throw failure(Code::cannot_open, "this is a device, not a file", shown_);
  size_ = static_cast<std::uint64_t>(status.st_size);
  changed_ = status.st_mtim;
  watched_ = S_ISREG(status.st_mode);
  if (path.extension() != ".gz" && watched_) {
    original.release();
    return;
  }
  take(path.extension() == ".gz" ? unpack(shown_) : copy(shown_));
}

// A copy of our own takes the place of the file, which is closed by whoever opened it.
void OpenFile::take(int copied) {
  Descriptor own(copied);
  if (watched_) check_unchanged();
  struct stat status {};
  if (::fstat(own.number, &status) != 0)
    throw failure(Code::cannot_open, std::string("cannot be opened: ") + std::strerror(errno), shown_);
  size_ = static_cast<std::uint64_t>(status.st_size);
  watched_ = false;
  descriptor_ = own.release();
}

// What a byte-order mark says, other than UTF-8; empty: nothing.
std::string OpenFile::marked_encoding() const {
  char bytes[4] = {};
  const std::size_t count = read(0, bytes, sizeof bytes);
  const std::string_view front(bytes, count);
  if (front.starts_with(std::string_view("\xFF\xFE\0\0", 4))) return "UTF-32LE";
  if (front.starts_with("\xFF\xFE")) return "UTF-16LE";
  if (front.starts_with("\xFE\xFF")) return "UTF-16BE";
  return {};
}

namespace {

struct Converter {
  UErrorCode status = U_ZERO_ERROR;
  UConverter* ucnv;
  explicit Converter(const char* name) : ucnv(ucnv_open(name, &status)) {}
  Converter(const Converter&) = delete;
  Converter& operator=(const Converter&) = delete;
  ~Converter() { ucnv_close(ucnv); }
};

}  // namespace

OpenFile::OpenFile(const std::filesystem::path& path, const std::string& encoding) : OpenFile(path) {
  const std::string from = encoding.empty() ? marked_encoding() : encoding;
  if (from.empty()) return;
  Converter source(from.c_str()), utf8("UTF-8");
  if (U_FAILURE(source.status) != 0) {
    Problem p{Code::bad_value, "no encoding is called `" + from + "`", {}, {}, {}};
    p.location.key = "data.encoding";
    p.location.text = from;
    p.location.length = from.size();
    p.advice = "UTF-8, UTF-16, windows-1252, ISO-8859-15, Shift_JIS";
    throw Error(std::move(p));
  }
  if (std::string_view(ucnv_getName(source.ucnv, &source.status)) == "UTF-8") return;
  ucnv_setToUCallBack(source.ucnv, UCNV_TO_U_CALLBACK_STOP, nullptr, nullptr, nullptr, &source.status);

  // Block by block, through UTF-16.
  const int original = descriptor_;  // closed by the destructor until the copy takes its place
  Descriptor to(nameless_copy(shown_));
  std::vector<char> bytes(block), text(block);
  std::vector<UChar> between(block);
  UChar *filled = between.data(), *used = between.data();
  std::uint64_t offset = 0;
  bool reset = true;
  for (bool flush = false; !flush;) {
    const std::size_t count = read(offset, bytes.data(), bytes.size());
    flush = count < bytes.size();
    const char* from_bytes = bytes.data();
    const char* const end = from_bytes + count;
    for (bool more = true; more;) {
      char* out = text.data();
      UErrorCode status = U_ZERO_ERROR;
      ucnv_convertEx(utf8.ucnv, source.ucnv, &out, text.data() + text.size(), &from_bytes, end, between.data(), &used,
                     &filled, between.data() + between.size(), static_cast<UBool>(reset), static_cast<UBool>(flush),
                     &status);
      reset = false;
      if (!write_all(to.number, {text.data(), static_cast<std::size_t>(out - text.data())}))
        throw failure(Code::cannot_write, std::string("no room to convert it: ") + std::strerror(errno), shown_);
      more = status == U_BUFFER_OVERFLOW_ERROR;
      if (!more && U_FAILURE(status) != 0)
        throw failure(Code::bad_encoding,
                      "the bytes before " +
                          std::to_string(offset + static_cast<std::uint64_t>(from_bytes - bytes.data())) + " are not " +
                          from,
                      shown_);
    }
    offset += count;
  }
  take(to.release());
  ::close(original);
}

std::string likely_encoding(std::string_view text) {
  UErrorCode status = U_ZERO_ERROR;
  const std::unique_ptr<UCharsetDetector, void (*)(UCharsetDetector*)> detector(ucsdet_open(&status), ucsdet_close);
  ucsdet_setText(detector.get(), text.data(), static_cast<int32_t>(std::min<std::size_t>(text.size(), block)), &status);
  const UCharsetMatch* const match = ucsdet_detect(detector.get(), &status);
  const char* const name = match == nullptr ? nullptr : ucsdet_getName(match, &status);
  const bool sure = name != nullptr && ucsdet_getConfidence(match, &status) >= 50 && U_SUCCESS(status) != 0;
  // ISO-8859-1 is what most call Windows-1252, which has it but for control characters.
  return !sure || std::string_view(name) == "ISO-8859-1" || std::string_view(name) == "UTF-8" ? "windows-1252" : name;
}

OpenFile::~OpenFile() { ::close(descriptor_); }

void OpenFile::check_unchanged() const {
  if (!watched_) return;
  struct stat status {};
  if (::fstat(descriptor_, &status) != 0 || static_cast<std::uint64_t>(status.st_size) != size_ ||
      status.st_mtim.tv_sec != changed_.tv_sec || status.st_mtim.tv_nsec != changed_.tv_nsec)
    throw changed(shown_);
}

// Members follow one another; each has to begin as one, end with its checksum and length, and only zeros, as tapes are
// padded with, may follow the last.
int OpenFile::unpack(const std::string& shown) const {
  Descriptor to(nameless_copy(shown));
  Inflater inflater;
  if (!inflater.ready) throw failure(Code::cannot_read, "cannot be unpacked: not enough memory", shown);
  z_stream& z = inflater.stream;
  std::vector<char> packed(block), text(block);
  std::uint64_t total_in = 0, total_out = 0;
  bool inside = false, any = false, padding = false;
  const auto damaged = [&](const char* why) {
    return failure(Code::damaged_file, std::string("the compressed file is damaged: ") + why, shown);
  };

  // Member by member, until the file ends. inflate() consumes or writes bytes in each turn, or asks for more input,
  // which the outer loop reads; what it writes has a limit.
  for (;;) {
    const ssize_t count = read_some(descriptor_, packed.data(), packed.size());
    if (count < 0) throw failure(Code::cannot_read, std::string("reading failed: ") + std::strerror(errno), shown);
    if (count == 0) break;
    total_in += static_cast<std::uint64_t>(count);
    z.next_in = reinterpret_cast<Bytef*>(packed.data());
    z.avail_in = static_cast<uInt>(count);
    while (z.avail_in > 0 || inside) {
      if (!inside) {
        while (any && z.avail_in > 0 && *z.next_in == 0) {
          ++z.next_in;
          --z.avail_in;
          padding = true;
        }
        if (z.avail_in == 0) break;
        if (padding) throw damaged("what follows its end is no compressed text");
        inflateReset(&z);
        inside = any = true;
      }
      z.next_out = reinterpret_cast<Bytef*>(text.data());
      z.avail_out = static_cast<uInt>(text.size());
      const int result = inflate(&z, Z_NO_FLUSH);
      const std::size_t made = text.size() - z.avail_out;
      total_out += made;
      if (result == Z_MEM_ERROR) throw failure(Code::cannot_read, "cannot be unpacked: not enough memory", shown);
      if (result != Z_OK && result != Z_STREAM_END && result != Z_BUF_ERROR)
        throw damaged(z.msg != nullptr ? z.msg : "it cannot be unpacked");
      if (total_out > unpacked_floor && total_out / most_unpacked_per_byte > total_in)
        throw failure(Code::beyond_limit,
                      "it unpacks to more than " + std::to_string(most_unpacked_per_byte) + " times its size", shown);
      if (!write_all(to.number, {text.data(), made}))
        throw failure(Code::cannot_write, std::string("no room to unpack it: ") + std::strerror(errno), shown);
      if (result == Z_STREAM_END) inside = false;
      if (result == Z_BUF_ERROR || (result == Z_OK && z.avail_in == 0 && z.avail_out > 0)) break;
    }
  }
  if (inside || !any) throw damaged("it ends too early");
  return to.release();
}

int OpenFile::copy(const std::string& shown) const {
  // No copy before the first line has ended within the limit.
  std::string front;
  std::vector<char> bytes(block);
  const auto read_block = [&] {
    const ssize_t count = read_some(descriptor_, bytes.data(), bytes.size());
    if (count < 0) throw failure(Code::cannot_read, std::string("reading failed: ") + std::strerror(errno), shown);
    return std::string_view(bytes.data(), static_cast<std::size_t>(count));
  };
  std::string_view next = read_block();
  for (; !next.empty() && front.find_first_of("\r\n") == std::string::npos; next = read_block()) {
    if (front.size() > most_heading_bytes)
      throw failure(Code::beyond_limit, "its first line is longer than 4 MiB", shown);
    front += next;
  }

  // The copy, which ends with the pipe, or with an error on a full disk.
  Descriptor to(nameless_copy(shown));
  const auto write = [&](std::string_view text) {
    if (!write_all(to.number, text))
      throw failure(Code::cannot_write, std::string("no room to copy it: ") + std::strerror(errno), shown);
  };
  for (write(front); !next.empty(); next = read_block()) write(next);
  return to.release();
}

std::size_t OpenFile::read(std::uint64_t offset, char* into, std::size_t count) const {
  std::size_t done = 0;
  while (done < count) {
    const ssize_t n = ::pread(descriptor_, into + done, count - done, static_cast<off_t>(offset + done));
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) throw failure(Code::cannot_read, std::string("reading failed: ") + std::strerror(errno), shown_);
    if (n == 0) break;
    done += static_cast<std::size_t>(n);
  }
  return done;
}

void OpenFile::read(std::uint64_t offset, std::size_t count, TextBuffer& out) const {
  const std::size_t before = out.size();
  out.resize(before + count);
  out.resize(before + read(offset, out.data() + before, count));
}

std::string OpenFile::read_all() const {
  std::string bytes(static_cast<std::size_t>(size_), '\0');
  const std::size_t count = read(0, bytes.data(), bytes.size());
  check_unchanged();
  if (count != size_) throw changed(shown_);
  return bytes;
}

}  // namespace lofty::engine
