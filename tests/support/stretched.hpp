#pragma once
// Tables of another catalog, read a few rows at a time where a question allows it.

#include <memory>

#include "lofty/catalog.hpp"

namespace support {

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
  std::shared_ptr<std::size_t> read_ = std::make_shared<std::size_t>(0);
};

}  // namespace support
