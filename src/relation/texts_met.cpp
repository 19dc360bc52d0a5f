#include "relation/texts_met.hpp"

#include <algorithm>

#include "base/access.hpp"
#include "base/parallel.hpp"

namespace lofty::engine {
namespace {

void add_column(const Column& column, const Run& run, TextsMet& met) {
  if (met.too_many()) return;
  if (column.dictionary().size() > TextsMet::most) return met.add_too_many();

  // By code, each thread some rows.
  constexpr std::size_t at_once = 4096;
  const RowRanges pieces = RowRanges::per_thread(column.rows(), run);
  std::vector<std::vector<std::size_t>> counts(pieces.count());
  parallel_for(pieces, run, [&](const RowRange& range, std::size_t piece) {
    std::vector<std::size_t>& own = counts[piece];
    own.resize(column.dictionary().size() + 1);
    std::vector<std::uint32_t> codes(at_once);
    for (std::size_t begin = range.begin; begin < range.end; begin += at_once) {
      const std::size_t count = std::min(at_once, range.end - begin);
      column.decode_code(begin, count, codes.data());
      for (std::size_t i = 0; i < count; ++i) ++own[std::min<std::size_t>(codes[i], own.size() - 1)];  // null: last
    }
  });
  for (std::uint32_t code = 0; code < column.dictionary().size(); ++code) {
    std::size_t rows = 0;
    for (const auto& own : counts) rows += own[code];
    met.add(column.dictionary().text(code), rows);
  }
}

}  // namespace

void add_texts(const Table& rows, const Run& run, TextsOfTable& met) {
  for (std::size_t c = 0; c < rows.headings().size(); ++c)
    if (rows.holds(c) && rows.type(c).kind == Kind::text)
      add_column(*engine::Access::data(rows).columns[c], run, met[c]);
}

}  // namespace lofty::engine
