// Covered by tests/reliability/outputs_test.cpp.
#include "io/write_marks.hpp"

#include <zlib.h>

namespace lofty::engine {
namespace {

constexpr std::size_t header_end = 33;  // of a PNG: the signature's 8 bytes, and the IHDR chunk's 25

// A chunk: its length, type, content and checksum (ISO/IEC 15948).
std::string text_chunk() {
  const std::string content = std::string("Software") + '\0' + "Lofty Ladder";
  const auto big_endian = [](std::uint32_t number) {
    std::string out;
    for (int shift = 24; shift >= 0; shift -= 8) out += static_cast<char>(number >> shift & 0xff);
    return out;
  };
  const std::string typed = "tEXt" + content;
  const auto sum = ::crc32(0, reinterpret_cast<const Bytef*>(typed.data()), static_cast<uInt>(typed.size()));
  return big_endian(static_cast<std::uint32_t>(content.size())) + typed + big_endian(static_cast<std::uint32_t>(sum));
}

}  // namespace

std::string marked_png(const std::string& png) {
  return png.substr(0, header_end) + text_chunk() + png.substr(header_end);
}

bool is_marked_png(const std::string& beginning) {
  return beginning.size() > header_end && beginning.substr(header_end).starts_with(text_chunk());
}

}  // namespace lofty::engine
