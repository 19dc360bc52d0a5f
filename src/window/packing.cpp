#include "window/packing.hpp"

#include <algorithm>
#include <vector>

#include "base/far_memory.hpp"
#include "base/parallel.hpp"
#include "base/word_width.hpp"

namespace lofty::engine {
namespace {

// From here on an array and its page tables exceed the second-level cache.
constexpr std::size_t rows_worth_packing = 1'000'000;

template <class T>
PackedNumbers packed_array(const Key& key, const Run& run) {
  const std::size_t size = key.size();
  if (size < rows_worth_packing) return {};
  const T* const values = static_cast<const T*>(key.values());
  const std::uint8_t* const mask = key.options.null_mask.empty() ? nullptr : key.options.null_mask.data();
  struct Seen {
    std::int64_t least = std::numeric_limits<std::int64_t>::max(), greatest = int64_null;
    bool nulls = false;
  };

  // The range of the numbers, piece by piece.
  std::vector<Seen> seen(RowRanges::fixed(size).count());
  parallel_for(RowRanges::fixed(size), run, [&](const RowRange& range, std::size_t piece) {
    const std::size_t begin = range.begin, end = range.end;
    Seen own;
    for (std::size_t row = begin; row < end; ++row) {
      const auto value = static_cast<std::int64_t>(values[row]);
      const bool null = mask != nullptr && mask[row] != 0;
      own.nulls |= null;
      own.least = std::min(own.least, null ? own.least : value);
      own.greatest = std::max(own.greatest, null ? own.greatest : value);
    }
    seen[piece] = own;
  });

  // Does it fit few bytes?
  Seen all;
  for (const Seen& one : seen) {
    all.least = std::min(all.least, one.least);
    all.greatest = std::max(all.greatest, one.greatest);
    all.nulls = all.nulls || one.nulls;
  }
  if (all.least == int64_null) return {};
  if (all.least > all.greatest) all.least = all.greatest = 0;  // nothing but nulls
  PackedNumbers out = PackedNumbers::between(all.least, all.greatest, all.nulls);
  out.allocate(size);

  // Packed, piece by piece.
  with_word(out.width, [&](auto word) {
    using Word = decltype(word);
    Word* const to = out.data<Word>();
    parallel_for(RowRanges::fixed(size), run, [&](const RowRange& range) {
      const std::size_t begin = range.begin, end = range.end;
      const std::uint64_t before = out.before;
      for (std::size_t row = begin; row < end; ++row) {
        const auto number = static_cast<Word>(static_cast<std::uint64_t>(values[row]) - before);
        to[row] = mask != nullptr && mask[row] != 0 ? Word{0} : number;
      }
    });
  });
  return out;
}

// `out` has its shape; `words` of so many bytes less `minus` are its own.
PackedNumbers gathered_words(PackedNumbers out, const unsigned char* words, int bytes, std::uint64_t minus,
                             std::span<const std::uint32_t> rows, const Run& run) {
  // So many values of this size: their sum fits 64 bits.
  const int128 most = std::numeric_limits<std::int64_t>::max() / static_cast<std::int64_t>(rows.size() + 1);
  if (out.width > 4 || out.magnitude() > most) return {};
  out.allocate(rows.size());
  with_word(bytes, [&](auto word) {
    const auto* const from = reinterpret_cast<const decltype(word)*>(words);
    with_word(out.width, [&](auto narrow) {
      using Narrow = decltype(narrow);
      Narrow* const to = out.data<Narrow>();
      parallel_for(RowRanges::fixed(rows.size()), run, [&](const RowRange& range) {
        const std::size_t begin = range.begin, end = range.end;
        const std::uint32_t* const row = rows.data();
        read_ahead(
            begin, end, [&](std::size_t i) { return from + row[i]; },
            [&](std::size_t i) { to[i] = static_cast<Narrow>(from[row[i]] - minus); });
      });
    });
  });
  return out;
}

// Calls with(reader), of numbers by row.
template <class With>
void with_reader(const PackedNumbers& numbers, const With& with) {
  switch (numbers.width) {
    case 2: return with_words<std::uint16_t>(numbers, with);
    case 4: return with_words<std::uint32_t>(numbers, with);
    default: return with_words<std::uint64_t>(numbers, with);
  }
}

}  // namespace

PackedNumbers packed_by_row(const Key& key, const Run& run) {
  switch (key.element()) {
    case Element::int16: return packed_array<std::int16_t>(key, run);
    case Element::int32: return packed_array<std::int32_t>(key, run);
    case Element::int64: return packed_array<std::int64_t>(key, run);
    case Element::uint16: return packed_array<std::uint16_t>(key, run);
    case Element::uint32: return packed_array<std::uint32_t>(key, run);
    default: return {};
  }
}

PackedNumbers packed_by_position(const PackedNumbers& by_row, std::span<const std::uint32_t> rows, const Run& run) {
  return gathered_words(PackedNumbers::between(by_row.least, by_row.greatest, by_row.nulls), by_row.words.data(),
                        by_row.width, 0, rows, run);
}

PackedNumbers packed_by_position(const Column& column, std::span<const std::uint32_t> rows, const Run& run) {
  if (column.lane() != Lane::int64 || column.width() > 4 || column.nulls() == column.rows()) return {};
  // A column counts from 1 after its null, whether it has one or not.
  const bool nulls = column.nulls() > 0;
  return gathered_words(PackedNumbers::between(column.least(), column.greatest(), nulls), column.packed(),
                        column.width(), nulls ? 0 : 1, rows, run);
}

Buffer<std::int64_t> unpacked(const PackedNumbers& numbers, const Run& run) {
  Buffer<std::int64_t> out(numbers.size);
  with_reader(numbers, [&](const auto& read) {
    parallel_for(RowRanges::fixed(numbers.size), run, [&](const RowRange& range) {
      const std::size_t begin = range.begin, end = range.end;
      for (std::size_t i = begin; i < end; ++i) out[i] = read(i);
    });
  });
  return out;
}

Buffer<std::int64_t> unpacked(const PackedNumbers& by_row, std::span<const std::uint32_t> rows, const Run& run) {
  Buffer<std::int64_t> out(rows.size());
  with_reader(by_row, [&](const auto& read) {
    parallel_for(RowRanges::fixed(rows.size()), run, [&](const RowRange& range) {
      const std::size_t begin = range.begin, end = range.end;
      read_ahead(
          begin, end, [&](std::size_t i) { return read.words + rows[i]; },
          [&](std::size_t i) { out[i] = read(rows[i]); });
    });
  });
  return out;
}

}  // namespace lofty::engine
