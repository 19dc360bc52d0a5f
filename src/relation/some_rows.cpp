#include "relation/some_rows.hpp"

#include <algorithm>

#include "table/parallel.hpp"

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
  const Pieces parts = Pieces::few(at.size());
  std::vector<Piece> pieces;
  for (std::size_t p = 0; p < parts.count(); ++p) pieces.emplace_back(node.type);
  parallel_for(parts, run, [&](const RowRange& part, std::size_t p) {
    Evaluator evaluator(rows, rows.context());
    Appender appender;
    std::vector<unsigned char> mask;
    for (std::size_t next = part.begin, end = part.end; next < end;) {
      // As many rows as are within one batch of the relation.
      const std::size_t begin = at[next];
      std::size_t last = next;
      while (last < end && at[last] < begin + batch_rows) ++last;
      const std::size_t length = at[last - 1] - begin + 1;
      mask.assign(length, 0);
      for (std::size_t i = next; i < last; ++i) mask[at[i] - begin] = 1;
      const Vector& values = evaluator.evaluate(node, begin, length, mask.data());
      appender.append(pieces[p], values, at.subspan(next, last - next), begin);
      next = last;
    }
  });
  return Column::seal(node.type, std::move(pieces), run);
}

}  // namespace lofty::engine
