#include "window/gathered.hpp"

#include <algorithm>
#include <cassert>
#include <functional>
#include <limits>
#include <string_view>
#include <type_traits>
#include <vector>

#include "base/far_memory.hpp"
#include "base/parallel.hpp"
#include "lofty/error.hpp"
#include "order/codes.hpp"
#include "window/packing.hpp"

namespace lofty::engine {
namespace {

template <class T>
std::vector<std::int64_t> code_point_ranks(const std::vector<T>& texts, const Run& run) {
  std::vector<std::string_view> views(texts.begin(), texts.end());
  const std::vector<std::uint32_t> ranks = text_ranks(views, TextOrder::code_point, {}, run);
  return {ranks.begin(), ranks.end()};
}

template <class T>
const T& value_of(const Key& key, std::size_t row) {
  return static_cast<const T*>(key.values())[row];
}

bool masked(const Key& key, std::size_t row) { return key.options.null_mask.is_null(row); }

struct Seen {
  std::int64_t least = std::numeric_limits<std::int64_t>::max(), greatest = std::numeric_limits<std::int64_t>::min();
  std::size_t nulls = 0;
};

Seen together(const std::vector<Seen>& pieces) {
  Seen all;
  for (const Seen& one : pieces) {
    all.least = std::min(all.least, one.least);
    all.greatest = std::max(all.greatest, one.greatest);
    all.nulls += one.nulls;
  }
  return all;
}

// Values of up to 64 bits. The least 64-bit number is a value in a caller's array, and null here: where it occurs and
// is not masked, 128 bits have to do.
template <class Get>
Gathered whole_numbers(const Key& key, std::span<const std::uint32_t> rows, const Run& run, const Get& get) {
  Gathered out;
  out.no_nulls = key.options.null_mask.empty();
  out.ints.allocate(rows.size());
  std::vector<Seen> seen(RowRanges::fixed(rows.size()).count());
  const auto look = [&](std::size_t begin, std::size_t end, std::size_t piece, auto with_mask) {
    constexpr bool has_mask = decltype(with_mask)::value;
    const std::uint32_t* const row = rows.data();
    std::int64_t* const to = out.ints.data();
    Seen own;
    for (std::size_t i = begin; i < end; ++i) {
      const bool null = has_mask && masked(key, row[i]);
      const std::int64_t value = null ? int64_null : get(row[i]);
      to[i] = value;
      own.least = std::min(own.least, null ? own.least : value);
      own.greatest = std::max(own.greatest, null ? own.greatest : value);
    }
    seen[piece] = own;
  };
  parallel_for(RowRanges::fixed(rows.size()), run, [&](const RowRange& range, std::size_t piece) {
    const std::size_t begin = range.begin, end = range.end;
    if (key.options.null_mask.empty())
      look(begin, end, piece, std::false_type{});
    else
      look(begin, end, piece, std::true_type{});
  });

  // How large they are.
  const Seen all = together(seen);
  if (all.least <= all.greatest)
    out.magnitude = std::max(-static_cast<int128>(all.least), static_cast<int128>(all.greatest));
  if (all.least != int64_null) return out;

  // The least 64-bit number means null: wider ones, then.
  Gathered wide;
  wide.lane = Gathered::Lane::int128;
  wide.wide.allocate(rows.size());
  for (std::size_t i = 0; i < rows.size(); ++i) wide.wide[i] = masked(key, rows[i]) ? int128_min : int128{get(rows[i])};
  return wide;
}

}  // namespace

Gathered gather(const Column& column, std::span<const std::uint32_t> rows, const Run& run) {
  Gathered out;
  out.scale = column.type().scale;
  switch (column.lane()) {
    case Lane::int64:
      out.ints.allocate(rows.size());
      parallel_for(RowRanges::fixed(rows.size()), run, [&](const RowRange& range) {
        const std::size_t begin = range.begin, end = range.end;
        column.pick_int64(rows.subspan(begin, end - begin), out.ints.data() + begin);
      });
      out.no_nulls = column.nulls() == 0;
      if (column.nulls() < column.rows())
        out.magnitude = std::max<int128>(column.greatest(), -static_cast<int128>(column.least()));
      break;
    case Lane::int128:
      out.lane = Gathered::Lane::int128;
      out.wide.allocate(rows.size());
      parallel_for(RowRanges::fixed(rows.size()), run, [&](const RowRange& range) {
        const std::size_t begin = range.begin, end = range.end;
        for (std::size_t i = begin; i < end; ++i)
          out.wide[i] = column.is_null(rows[i]) ? int128_min : column.integer(rows[i]);
      });
      break;
    case Lane::float64:
      out.lane = Gathered::Lane::float64;
      out.doubles.allocate(rows.size());
      parallel_for(RowRanges::fixed(rows.size()), run, [&](const RowRange& range) {
        const std::size_t begin = range.begin, end = range.end;
        const auto* const values = reinterpret_cast<const double*>(column.packed());
        read_ahead(
            begin, end, [&](std::size_t i) { return values + rows[i]; },
            [&](std::size_t i) { out.doubles[i] = values[rows[i]]; });
      });
      break;
    case Lane::code: {
      std::vector<std::string_view> texts;
      for (std::uint32_t code = 0; code < column.dictionary().size(); ++code)
        texts.push_back(column.dictionary().text(code));
      const std::vector<std::int64_t> ranks = code_point_ranks(texts, run);
      out.ints.allocate(rows.size());
      parallel_for(RowRanges::fixed(rows.size()), run, [&](const RowRange& range) {
        const std::size_t begin = range.begin, end = range.end;
        for (std::size_t i = begin; i < end; ++i) {
          const std::uint32_t code = column.code(rows[i]);
          out.ints[i] = code == Dictionary::none ? int64_null : ranks[code];
        }
      });
      out.magnitude = static_cast<int128>(texts.size());
      break;
    }
  }
  return out;
}

namespace {

template <class T>
Gathered gathered_doubles(const Key& key, std::span<const std::uint32_t> rows, const Run& run) {
  Gathered out;
  out.lane = Gathered::Lane::float64;
  out.doubles.allocate(rows.size());
  parallel_for(RowRanges::fixed(rows.size()), run, [&](const RowRange& range) {
    read_ahead(
        range.begin, range.end, [&](std::size_t i) { return &value_of<T>(key, rows[i]); },
        [&](std::size_t i) {
          out.doubles[i] = masked(key, rows[i]) ? std::numeric_limits<double>::quiet_NaN()
                                                : static_cast<double>(value_of<T>(key, rows[i]));
        });
  });
  return out;
}

Gathered gathered_unsigned(const Key& key, std::span<const std::uint32_t> rows) {
  Gathered out;
  out.lane = Gathered::Lane::int128;
  out.wide.allocate(rows.size());
  for (std::size_t i = 0; i < rows.size(); ++i)
    out.wide[i] = masked(key, rows[i]) ? int128_min : static_cast<int128>(value_of<std::uint64_t>(key, rows[i]));
  return out;
}

// At the longest scale of any of them.
Gathered gathered_decimals(const Key& key, std::span<const std::uint32_t> rows, const Run& run) {
  Gathered out;
  const RowRanges pieces = RowRanges::fixed(rows.size());
  std::vector<int> scales(pieces.count(), 0);
  parallel_for(pieces, run, [&](const RowRange& range, std::size_t piece) {
    for (std::size_t row = range.begin; row < range.end; ++row)  // in the sequence of the input: the same values
      if (!masked(key, row)) scales[piece] = std::max(scales[piece], value_of<Decimal>(key, row).scale());
  });
  out.scale = *std::max_element(scales.begin(), scales.end());

  // Each value at that scale, and the largest of each piece.
  std::vector<int128> magnitudes(pieces.count(), 0);
  const auto gather_into = [&](auto* to, const auto& null) {
    parallel_for(pieces, run, [&](const RowRange& range, std::size_t piece) {
      read_ahead(
          range.begin, range.end, [&](std::size_t i) { return &value_of<Decimal>(key, rows[i]); },
          [&](std::size_t i) {
            to[i] = null;
            if (masked(key, rows[i])) return;
            const Decimal& value = value_of<Decimal>(key, rows[i]);
            int128 scaled = 0;
            if (!scale_up(value.coefficient(), out.scale - value.scale(), scaled))
              throw Error(
                  Problem{Code::overflow, "the values cannot be brought to one scale in 38 digits", {}, {}, {}});
            magnitudes[piece] = std::max(magnitudes[piece], scaled < 0 ? -scaled : scaled);
            to[i] = static_cast<std::remove_reference_t<decltype(*to)>>(scaled);
          });
    });
    out.magnitude = *std::max_element(magnitudes.begin(), magnitudes.end());
  };

  // In 64 bits, as nearly always; else again in 128.
  out.ints.allocate(rows.size());
  gather_into(out.ints.data(), int64_null);
  if (out.magnitude <= std::numeric_limits<std::int64_t>::max()) return out;
  out.ints = {};
  out.lane = Gathered::Lane::int128;
  out.wide.allocate(rows.size());
  gather_into(out.wide.data(), int128_min);
  return out;
}

// Texts as their ranks.
Gathered gathered_texts(const Key& key, std::span<const std::uint32_t> rows, const Run& run) {
  const auto text = [&](std::size_t row) {
    return key.element() == Element::view ? value_of<std::string_view>(key, row)
                                          : std::string_view(value_of<std::string>(key, row));
  };
  std::vector<std::string_view> texts;
  for (const std::uint32_t row : rows)
    if (!masked(key, row)) texts.push_back(text(row));
  // Bytes of UTF-8 compare as code points do.
  sort_unless_stopped(texts.begin(), texts.end(), run, std::less<>());
  texts.erase(std::unique(texts.begin(), texts.end()), texts.end());
  return whole_numbers(key, rows, run, [&](std::size_t row) {
    return std::int64_t{std::lower_bound(texts.begin(), texts.end(), text(row)) - texts.begin()};
  });
}

Gathered gathered_values(const Key& key, std::span<const std::uint32_t> rows, const Run& run) {
  const auto whole = [&](auto type) {
    using T = decltype(type);
    return whole_numbers(key, rows, run,
                         [&](std::size_t row) { return static_cast<std::int64_t>(value_of<T>(key, row)); });
  };
  switch (key.element()) {
    case Element::int8: return whole(std::int8_t{});
    case Element::int16: return whole(std::int16_t{});
    case Element::int32: return whole(std::int32_t{});
    case Element::int64: return whole(std::int64_t{});
    case Element::uint8: return whole(std::uint8_t{});
    case Element::uint16: return whole(std::uint16_t{});
    case Element::uint32: return whole(std::uint32_t{});
    case Element::uint64: return gathered_unsigned(key, rows);
    case Element::float32: return gathered_doubles<float>(key, rows, run);
    case Element::float64: return gathered_doubles<double>(key, rows, run);
    case Element::date:
      return whole_numbers(key, rows, run,
                           [&](std::size_t row) { return std::int64_t{value_of<Date>(key, row).days}; });
    case Element::timestamp:
      return whole_numbers(key, rows, run, [&](std::size_t row) { return value_of<Timestamp>(key, row).microseconds; });
    case Element::decimal: return gathered_decimals(key, rows, run);
    case Element::view:
    case Element::string: return gathered_texts(key, rows, run);
  }
  return {};
}

Gathered of_packed(PackedNumbers packed, int scale) {
  Gathered out;
  out.scale = scale;
  out.no_nulls = !packed.nulls;
  out.magnitude = packed.magnitude();
  out.packed = std::move(packed);
  return out;
}

Gathered unpacked_rows(const PackedNumbers& by_row, std::span<const std::uint32_t> rows, const Run& run) {
  Gathered out;
  out.ints = unpacked(by_row, rows, run);
  out.no_nulls = !by_row.nulls;
  out.magnitude = by_row.magnitude();
  return out;
}

}  // namespace

Gathered gather_packed(const Column& column, std::span<const std::uint32_t> rows, const Run& run) {
  if (PackedNumbers packed = packed_by_position(column, rows, run))
    return of_packed(std::move(packed), column.type().scale);
  return gather(column, rows, run);
}

Gathered gather_packed(const Key& key, std::span<const std::uint32_t> rows, const Run& run) {
  const PackedNumbers by_row = packed_by_row(key, run);
  if (!by_row) return gathered_values(key, rows, run);
  PackedNumbers packed = packed_by_position(by_row, rows, run);
  return packed ? of_packed(std::move(packed), 0) : unpacked_rows(by_row, rows, run);
}

Gathered gather(const Key& key, std::span<const std::uint32_t> rows, const Run& run) {
  if (const PackedNumbers by_row = packed_by_row(key, run)) return unpacked_rows(by_row, rows, run);
  return gathered_values(key, rows, run);
}

void Gathered::unpack(const Run& run) {
  if (!packed) return;
  ints = unpacked(packed, run);
  packed = {};
}

}  // namespace lofty::engine
