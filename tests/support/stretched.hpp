#pragma once
// Tables that are read a few rows at a time where a question allows it.

#include <memory>

#include "io/delimited_source.hpp"
#include "lofty/catalog.hpp"
#include "plan/plan.hpp"

namespace support {

// Rows that have to be looked at twice are read twice, however few there are, as long as it lives.
struct ReadingTwice {
  ReadingTwice() { lofty::engine::most_kept_share = 0; }
  ReadingTwice(const ReadingTwice&) = delete;
  ReadingTwice& operator=(const ReadingTwice&) = delete;
  ~ReadingTwice() { lofty::engine::most_kept_share = lofty::engine::usual_kept_share; }
};

// Files are read in chunks of so many bytes, and in stretches of so many chunks, as long as it lives.
struct Stretching {
  Stretching(std::size_t bytes, std::size_t chunks) {
    lofty::engine::chunk_bytes = bytes;
    lofty::engine::stretch_chunks = chunks;
  }
  Stretching(const Stretching&) = delete;
  Stretching& operator=(const Stretching&) = delete;
  ~Stretching() {
    lofty::engine::chunk_bytes = lofty::engine::usual_chunk_bytes;
    lofty::engine::stretch_chunks = lofty::engine::usual_stretch_chunks;
  }

 private:
  const ReadingTwice twice_;
};

// Those of another catalog.
class Stretched : public lofty::Catalog {
 public:
  // `inner` has to outlive it.
  Stretched(const lofty::Catalog& inner, std::size_t rows) : inner_(inner), rows_(rows) {}
  std::shared_ptr<const lofty::TableSource> open(const std::string& name,
                                                 const lofty::ReadOptions& options) const override;
  // How many tables were read so, to their ends.
  std::size_t read() const { return *read_; }

 private:
  const lofty::Catalog& inner_;
  std::size_t rows_;
  const ReadingTwice twice_;
  std::shared_ptr<std::size_t> read_ = std::make_shared<std::size_t>(0);
};

}  // namespace support
