// Delimited text never crashes, and reads the same with one thread and several.
#include <unistd.h>

#include <cstdint>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>

#include "lofty/lofty.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const std::filesystem::path file =
      std::filesystem::temp_directory_path() / ("lofty_fuzz_" + std::to_string(::getpid()) + ".csv");
  std::ofstream(file, std::ios::binary).write(reinterpret_cast<const char*>(data), static_cast<std::streamsize>(size));
  const auto read = [&](int threads) -> std::string {
    try {
      const auto source = lofty::open_delimited(file);
      std::vector<std::size_t> all(source->headings().size());
      for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
      const lofty::Table table = source->read(all, {.threads = threads});
      std::string out = std::to_string(table.rows());
      for (std::size_t r = 0; r < table.rows(); ++r)
        for (std::size_t c = 0; c < all.size(); ++c) out += "|" + lofty::to_text(table.value(r, c));
      return out + lofty::profile_text(lofty::profile(table));
    } catch (const lofty::Error& error) {
      return lofty::problems_text(error.problems());
    }
  };
  if (read(1) != read(2)) std::abort();
  std::filesystem::remove(file);
  return 0;
}
