#include "table/column_scatter.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <limits>
#include <numeric>
#include <optional>
#include <type_traits>

#include "base/parallel.hpp"
#include "base/through_buckets.hpp"
#include "base/word_width.hpp"
#include "table/extremes.hpp"
#include "table/put_fields.hpp"

namespace lofty::engine {
namespace {

int bytes_for(int bits) { return bits <= 8 ? 1 : bits <= 16 ? 2 : bits <= 32 ? 4 : 8; }

// First fit, longest first: which word each field is in, and where. Returns how many words that takes.
template <class Fields>
std::size_t lay_out(Fields& fields) {
  std::vector<std::size_t> by_length(fields.size());
  std::iota(by_length.begin(), by_length.end(), std::size_t{0});
  std::stable_sort(by_length.begin(), by_length.end(),
                   [&](std::size_t a, std::size_t b) { return fields[a].bits > fields[b].bits; });
  std::vector<int> used;
  for (const std::size_t f : by_length) {
    std::size_t word = 0;
    while (word < used.size() && used[word] + fields[f].bits > 64) ++word;
    if (word == used.size()) used.push_back(0);
    fields[f].word = word;
    fields[f].shift = used[word];
    used[word] += fields[f].bits;
  }
  return used.size();
}

// Calls with(values) for the array in which they are.
template <class With>
void with_array(const ByPosition& column, const With& with) {
  const auto* const packed = std::get_if<PackedNumbers>(&column.values);
  if (packed == nullptr)
    std::visit(
        [&](const auto& values) {
          if constexpr (requires { values[0]; }) with(values.data());
        },
        column.values);
  else if (packed->width == 2)
    with(packed->data<std::uint16_t>());
  else
    with(packed->data<std::uint32_t>());
}

// The number that means null; nothing where none does.
template <class Number>
std::optional<Number> null_of(const ByPosition& column) {
  if constexpr (std::is_signed_v<Number>) return int64_null;
  const auto* const packed = std::get_if<PackedNumbers>(&column.values);
  return packed != nullptr && packed->nulls ? std::optional<Number>(Number{0}) : std::nullopt;
}

}  // namespace

ColumnScatter::Field ColumnScatter::measured(ByPosition column) const {
  Field field{std::move(column)};
  if (const auto* doubles = std::get_if<Buffer<double>>(&field.column.values)) {
    const auto view = doubles->view();
    field.nulls = static_cast<std::size_t>(std::count_if(view.begin(), view.end(), [](double v) { return v != v; }));
    field.bits = 64;
    return field;
  }

  // The range of the numbers, piece by piece.
  struct Range {
    std::int64_t least = std::numeric_limits<std::int64_t>::max();
    std::int64_t greatest = std::numeric_limits<std::int64_t>::min();
    std::size_t nulls = 0;
  };
  const RowRanges pieces = RowRanges::fixed(rows_.size());
  std::vector<Range> ranges(pieces.count());
  parallel_for(pieces, run_, [&](const RowRange& piece, std::size_t number) {
    with_array(field.column, [&, begin = piece.begin, end = piece.end](const auto* values) {
      using Number = std::remove_cvref_t<decltype(*values)>;
      if constexpr (std::is_integral_v<Number>) {
        const std::optional<Number> null = null_of<Number>(field.column);
        constexpr std::size_t stretch = 2048;  // in the first-level cache, where it has to be gone over again
        Range range;
        for (std::size_t from = begin; from < end; from += stretch) {
          const std::size_t until = std::min(from + stretch, end);
          const auto [least, greatest] = least_and_greatest(values + from, until - from);
          if (least != null) {  // which is the least of all
            range.least = std::min<std::int64_t>(range.least, least);
            range.greatest = std::max<std::int64_t>(range.greatest, greatest);
            continue;
          }
          for (std::size_t i = from; i < until; ++i) {
            const bool none = values[i] == *null;
            range.nulls += none;
            range.least = std::min(range.least, none ? range.least : std::int64_t{values[i]});
            range.greatest = std::max(range.greatest, none ? range.greatest : std::int64_t{values[i]});
          }
        }
        ranges[number] = range;
      }
    });
  });

  // The range of all says how many bits each takes.
  Range all;
  for (const Range& range : ranges) {
    all.least = std::min(all.least, range.least);
    all.greatest = std::max(all.greatest, range.greatest);
    all.nulls += range.nulls;
  }
  if (all.least > all.greatest) all.least = all.greatest = 1;  // nothing but nulls, which are below
  field.least = all.least;
  field.greatest = all.greatest;
  field.nulls = all.nulls;
  // The least 64-bit number is null, so the range of the others and null fit 64 bits.
  field.bits = static_cast<int>(
      std::bit_width(static_cast<std::uint64_t>(all.greatest) - static_cast<std::uint64_t>(all.least) + 1));
  return field;
}

bool ColumnScatter::add(ByPosition& column) {
  if (fields_.size() == most_fields) return false;
  fields_.push_back(measured(std::move(column)));
  const std::size_t words = lay_out(fields_);
  if (words > most_words) {
    column = std::move(fields_.back().column);
    fields_.pop_back();
    lay_out(fields_);
    return false;
  }
  words_ = words;
  return true;
}

template <class Word, std::size_t words>
std::vector<ColumnPtr> ColumnScatter::brought() {
  std::vector<Piece::Packed> packed(fields_.size());

  // A record for each row, of all fields.
  const auto put_together = [&](std::size_t from, std::size_t count, DealtBlock<Word, words>& block) {
    for (auto& word : block) word.fill(0);
    for (const Field& field : fields_)
      with_array(field.column, [&](const auto* values) {
        put_field(values + from, count, field.least, field.shift, block[field.word].data());
      });
  };

  // The values by position go before the columns come: together they would be the most memory that a sort takes.
  const auto make_room = [&] {
    for (Field& field : fields_) {
      if (const auto* const narrow = std::get_if<PackedNumbers>(&field.column.values)) {
        field.least = narrow->value(static_cast<std::uint64_t>(field.least));
        field.greatest = narrow->value(static_cast<std::uint64_t>(field.greatest));
      }
      std::visit([](auto& values) { values = {}; }, field.column.values);
    }
    for (std::size_t f = 0; f < fields_.size(); ++f) {
      const Field& field = fields_[f];
      packed[f] = {{}, bytes_for(field.bits), rows_.size(), field.nulls, field.least, field.greatest};
      packed[f].data.allocate(rows_.size() * static_cast<std::size_t>(packed[f].width));
    }
  };

  // From the records, in the order of their rows, back to columns.
  const auto take_apart = [&](std::size_t row, std::size_t count, const Word* records) {
    for (std::size_t f = 0; f < fields_.size(); ++f) {
      const Field& field = fields_[f];
      const std::uint64_t mask = field.bits == 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << field.bits) - 1;
      const int shift = field.shift;
      with_word(packed[f].width, [&](auto number) {
        using Stored = decltype(number);
        auto* const out = reinterpret_cast<Stored*>(packed[f].data.data()) + row;
        const Word* const word = records + field.word;
        for (std::size_t i = 0; i < count; ++i)
          out[i] = static_cast<Stored>(static_cast<std::uint64_t>(word[i * words]) >> shift & mask);
      });
    }
  };
  through_buckets<Word, words>(rows_, run_, put_together, make_room, take_apart);
  std::vector<ColumnPtr> out;
  for (std::size_t f = 0; f < fields_.size(); ++f)
    out.push_back(Column::of_packed(fields_[f].column.type, std::move(packed[f])));
  return out;
}

std::vector<ColumnPtr> ColumnScatter::columns() {
  int bits = 0;
  for (const Field& field : fields_) bits += field.bits;
  std::vector<ColumnPtr> out;
  switch (words_) {
    case 0: return out;
    case 1: with_word(bytes_for(bits), [&](auto word) { out = brought<decltype(word), 1>(); }); break;
    case 2: out = brought<std::uint64_t, 2>(); break;
    default: out = brought<std::uint64_t, most_words>(); break;
  }
  fields_.clear();
  words_ = 0;
  return out;
}

}  // namespace lofty::engine
