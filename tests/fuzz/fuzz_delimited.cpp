// Delimited text never crashes, reads the same with one thread and several, and has the rows that libcsv finds over
// everything, wherever chunks are cut.
#include <unistd.h>

#include <cstdint>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <optional>
#include <string>
#include <vector>

#include "io/delimited_source.hpp"
#include "lofty/lofty.hpp"
#include "support/plain_delimited.hpp"

namespace {

// All columns as text, in small chunks of a size that the input's own length gives.
void compare_with_plain(const std::filesystem::path& file, std::size_t size) {
  std::optional<std::vector<support::PlainRow>> ours, plain;
  try {
    const lofty::engine::DelimitedSource bare(file, {});
    std::string text(bare.end() - bare.body(), 0);
    text.resize(bare.file().read(bare.body(), text.data(), text.size()));
    if (lofty::engine::valid_prefix(text) != text.size()) return;
    plain = support::plain_rows(text, bare.delimiter(), bare.headings().size());

    lofty::ReadOptions options;
    for (const std::string& heading : bare.headings()) options.columns.push_back({heading, lofty::Kind::text});
    std::vector<std::size_t> all(bare.headings().size());
    for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
    lofty::engine::chunk_bytes = 1 + size % 61;
    const lofty::Table table = lofty::open_delimited(file, options)->read(all, {});
    ours.emplace(table.rows(), support::PlainRow(all.size()));
    for (std::size_t r = 0; r < table.rows(); ++r)
      for (std::size_t c = 0; c < all.size(); ++c)
        if (const lofty::Value value = table.value(r, c); !lofty::is_null(value)) (*ours)[r][c] = lofty::to_text(value);
  } catch (const lofty::Error&) {
  }
  lofty::engine::chunk_bytes = lofty::engine::usual_chunk_bytes;
  if (ours != plain) std::abort();
}

}  // namespace

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
  compare_with_plain(file, size);
  std::filesystem::remove(file);
  return 0;
}
