#include "order/key_codes.hpp"

namespace lofty::engine {
namespace {

class LentCodes final : public KeyCodes {
 public:
  explicit LentCodes(const KeyCodes& key) : KeyCodes(key.bits()), key_(key) {}
  std::uint64_t at(std::size_t row) const override { return key_.at(row); }
  void fill(std::size_t begin, std::size_t count, std::uint64_t* out) const override { key_.fill(begin, count, out); }

 private:
  const KeyCodes& key_;
};

class PickedCodes final : public KeyCodes {
 public:
  PickedCodes(const KeyCodes& key, const std::vector<std::uint32_t>& rows)
      : KeyCodes(key.bits()), key_(key), rows_(rows) {}
  std::uint64_t at(std::size_t row) const override { return key_.at(rows_[row]); }
  void fill(std::size_t begin, std::size_t count, std::uint64_t* out) const override {
    for (std::size_t i = 0; i < count; ++i) out[i] = key_.at(rows_[begin + i]);
  }

 private:
  const KeyCodes& key_;
  const std::vector<std::uint32_t>& rows_;
};

}  // namespace

std::unique_ptr<KeyCodes> lend(const KeyCodes& key) { return std::make_unique<LentCodes>(key); }

std::unique_ptr<KeyCodes> picked(const KeyCodes& key, const std::vector<std::uint32_t>& rows) {
  return std::make_unique<PickedCodes>(key, rows);
}

}  // namespace lofty::engine
