#include "relation/some_rows.hpp"

#include <algorithm>

#include "base/parallel.hpp"

namespace lofty::engine {

ColumnPtr values_there(const JoinedRows& rows, const Node& node, std::span<const std::uint32_t> at, const Run& run) {
  if (node.op != Op::name || node.type.zoned) return nullptr;
  const ColumnPtr own = rows.as_it_is(node.column);
  if (!own || !(own->type() == node.type)) return nullptr;
  if (at.size() == rows.rows()) return own;
  // Texts that do not occur would stay in the dictionary.
  return own->lane() == Lane::int64 ? Column::picked(*own, at, run) : nullptr;
}

ColumnPtr values_at(const JoinedRows& rows, const Node& node, std::span<const std::uint32_t> at, const Run& run) {
  if (ColumnPtr there = values_there(rows, node, at, run)) return there;
  const RowRanges parts = RowRanges::few(at.size());
  std::vector<Piece> pieces;
  for (std::size_t p = 0; p < parts.count(); ++p) pieces.emplace_back(node.type);
  parallel_for(parts, run, [&](const RowRange& part, std::size_t p) {
    Evaluator evaluator(rows, rows.context());
    Appender appender;
    std::vector<unsigned char> mask;
    each_batch_of(at.subspan(part.begin, part.size()), [&](std::size_t begin, std::size_t length, auto some) {
      mask.assign(length, 0);
      for (const std::uint32_t row : some) mask[row - begin] = 1;
      appender.append(pieces[p], evaluator.evaluate(node, begin, length, mask.data()), some, begin);
    });
  });
  return Column::seal(node.type, std::move(pieces), run);
}

}  // namespace lofty::engine
