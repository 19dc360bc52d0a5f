// Sorting by codes: all keys of a row concatenated, and the row number behind them, so that plain integers are sorted
// and equal rows keep their input order for free. 64 bits where that is enough, 128 where it is not, and an array of
// words beyond.
#include "lofty/order.hpp"

#include <algorithm>
#include <bit>
#include <cassert>
#include <numeric>

#include "order/codes.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {
namespace {

int bits_of(const std::vector<Codes>& keys) {
  return std::accumulate(keys.begin(), keys.end(), 0, [](int sum, const Codes& codes) { return sum + codes.bits; });
}

template <class Word>
void sort_packed(std::size_t size, const std::vector<const Codes*>& keys, int row_bits, int key_bits, int peer_bits,
                 int group_bits, OrderData& data) {
  std::vector<Word> words(size);
  for (std::size_t i = 0; i < size; ++i) {
    Word word = 0;
    for (const Codes* codes : keys)  // a shift by the whole width is not defined; then nothing stands before this key
      word = codes->bits >= static_cast<int>(sizeof(Word)) * 8
                 ? codes->values[i]
                 : static_cast<Word>(word << codes->bits) | codes->values[i];
    words[i] = static_cast<Word>(word << row_bits) | i;
  }
  std::sort(words.begin(), words.end());
  const Word row_mask = (Word{1} << row_bits) - 1;
  // How far a word is shifted to leave its group bits, its peer bits, its key bits.
  const int key_shift = row_bits, peer_shift = row_bits + key_bits - peer_bits,
            group_shift = row_bits + key_bits - group_bits;
  const auto differs = [&](std::size_t i, int shift) {
    constexpr int width = static_cast<int>(sizeof(Word)) * 8;
    return i == 0 || (shift < width && (words[i] >> shift) != (words[i - 1] >> shift));
  };
  for (std::size_t i = 0; i < size; ++i) {
    data.rows[i] = static_cast<std::uint32_t>(words[i] & row_mask);
    if (differs(i, group_shift)) data.marks[i] |= OrderData::group_start;
    if (differs(i, peer_shift)) data.marks[i] |= OrderData::peer_start;
    if (differs(i, key_shift)) data.marks[i] |= OrderData::key_start;
  }
}

void sort_wide(std::size_t size, const std::vector<const Codes*>& keys, std::size_t peer_keys, std::size_t group_keys,
               OrderData& data) {
  std::iota(data.rows.begin(), data.rows.end(), 0u);
  const auto compare = [&](std::uint32_t a, std::uint32_t b, std::size_t upto) {
    for (std::size_t k = 0; k < upto; ++k) {
      const std::uint64_t x = keys[k]->values[a], y = keys[k]->values[b];
      if (x != y) return x < y ? -1 : 1;
    }
    return 0;
  };
  std::sort(data.rows.begin(), data.rows.end(), [&](std::uint32_t a, std::uint32_t b) {
    const int by_key = compare(a, b, keys.size());
    return by_key != 0 ? by_key < 0 : a < b;
  });
  for (std::size_t i = 0; i < size; ++i) {
    const auto differs = [&](std::size_t upto) { return i == 0 || compare(data.rows[i - 1], data.rows[i], upto) != 0; };
    if (differs(group_keys)) data.marks[i] |= OrderData::group_start;
    if (differs(peer_keys)) data.marks[i] |= OrderData::peer_start;
    if (differs(keys.size())) data.marks[i] |= OrderData::key_start;
  }
}

}  // namespace

Order make_order(std::size_t size, std::vector<Codes> within, std::vector<Codes> by, std::vector<Codes> tiebreak,
                 const std::vector<std::uint8_t>& unranked) {
  assert(size <= most_rows);
  if (!unranked.empty()) {  // a bit in front of the `by` keys puts them last, whatever `nulls first` says
    Codes flag;
    flag.bits = 1;
    flag.values.assign(unranked.begin(), unranked.end());
    by.insert(by.begin(), std::move(flag));
  }
  auto data = std::make_shared<OrderData>();
  data->rows.resize(size);
  data->marks.assign(size, 0);
  std::vector<const Codes*> keys;
  for (const auto* list : {&within, &by, &tiebreak})
    for (const Codes& codes : *list)
      if (codes.bits > 0) keys.push_back(&codes);
  const int group_bits = bits_of(within), peer_bits = group_bits + bits_of(by),
            key_bits = peer_bits + bits_of(tiebreak);
  const int row_bits = std::bit_width(size > 0 ? size - 1 : 0);
  if (key_bits + row_bits <= 64) {
    sort_packed<std::uint64_t>(size, keys, row_bits, key_bits, peer_bits, group_bits, *data);
  } else if (key_bits + row_bits <= 128) {
    sort_packed<uint128>(size, keys, row_bits, key_bits, peer_bits, group_bits, *data);
  } else {
    const auto used = [](const std::vector<Codes>& list) {
      return static_cast<std::size_t>(
          std::count_if(list.begin(), list.end(), [](const Codes& c) { return c.bits > 0; }));
    };
    sort_wide(size, keys, used(within) + used(by), used(within), *data);
  }
  for (std::size_t i = 0; i < size; ++i) {
    std::uint8_t& mark = data->marks[i];
    if (unranked.empty() || unranked[data->rows[i]] == 0) mark |= OrderData::is_ranked;
    data->groups += (mark & OrderData::group_start) != 0;
    data->undecided += (mark & OrderData::key_start) == 0;
  }
  return Order(std::move(data));
}

}  // namespace lofty::engine

namespace lofty {

std::size_t Order::size() const { return data_->rows.size(); }
std::span<const std::uint32_t> Order::rows() const& { return data_->rows; }
bool Order::starts_group(std::size_t position) const {
  return (data_->marks[position] & engine::OrderData::group_start) != 0;
}
bool Order::starts_peers(std::size_t position) const {
  return (data_->marks[position] & engine::OrderData::peer_start) != 0;
}
bool Order::ranked(std::size_t position) const { return (data_->marks[position] & engine::OrderData::is_ranked) != 0; }
std::size_t Order::groups() const { return data_->groups; }
std::size_t Order::undecided() const { return data_->undecided; }

std::vector<std::uint32_t> Order::inverse() const {
  std::vector<std::uint32_t> positions(size());
  for (std::size_t i = 0; i < positions.size(); ++i) positions[data_->rows[i]] = static_cast<std::uint32_t>(i);
  return positions;
}

namespace {

std::vector<engine::Codes> encode_all(const std::vector<Key>& keys, std::size_t size) {
  std::vector<engine::Codes> codes;
  for (const Key& key : keys) {
    assert(key.size == size && "all keys have the same length");
    assert(key.options.null_mask.empty() || key.options.null_mask.size() == size);
    static_cast<void>(size);
    engine::encode(key, codes);
  }
  return codes;
}

// Rows whose first key is null, or nothing when there are none.
std::vector<std::uint8_t> null_rows(const Key& key) {
  std::vector<std::uint8_t> nulls;
  const auto& mask = key.options.null_mask;
  const auto* const floats = key.element == Element::float32 ? static_cast<const float*>(key.values) : nullptr;
  const auto* const doubles = key.element == Element::float64 ? static_cast<const double*>(key.values) : nullptr;
  for (std::size_t i = 0; i < key.size; ++i) {
    const bool null = (!mask.empty() && mask[i] != 0) || (floats != nullptr && floats[i] != floats[i]) ||
                      (doubles != nullptr && doubles[i] != doubles[i]);
    if (null && nulls.empty()) nulls.resize(key.size);
    if (null) nulls[i] = 1;
  }
  return nulls;
}

}  // namespace

Order order(const Groups& within, const std::vector<Key>& by, const std::vector<Key>& tiebreak, const Run&) {
  assert(!by.empty() && "an order needs a key");
  const std::size_t size = by.front().size;
  return engine::make_order(size, encode_all(within.keys, size), encode_all(by, size), encode_all(tiebreak, size),
                            null_rows(by.front()));
}

Order order(const std::vector<Key>& by, const std::vector<Key>& tiebreak, const Run& run) {
  return order(Groups{}, by, tiebreak, run);
}

}  // namespace lofty
