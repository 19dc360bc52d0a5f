// Covered by tests/io/feeding_test.cpp.
#include "lofty/standings.hpp"

#include <algorithm>

#include "answer/standings_data.hpp"
#include "base/access.hpp"
#include "table/table_data.hpp"

namespace lofty {

Table table_of(const Standings& answer, std::string name) {
  engine::TableData data;
  data.rows = answer.rows();
  const auto add = [&](const std::string& heading, const Type& type, const auto& value) {
    data.headings.push_back(heading);
    engine::Piece piece(type);
    for (std::size_t r = 0; r < answer.rows(); ++r) piece.add(value(r));
    data.columns.push_back(engine::Column::seal(std::move(piece)));
  };
  for (std::size_t c = 0; c < answer.columns().size(); ++c)
    add(answer.columns()[c].name, answer.columns()[c].type, [&](std::size_t r) { return answer.value(r, c); });
  const engine::StandingsData& inside = engine::Access::data(answer);
  for (std::size_t k = 0; k < inside.keys.size(); ++k)
    if (std::find(data.headings.begin(), data.headings.end(), inside.key_names[k]) == data.headings.end())
      add(inside.key_names[k], inside.keys[k]->type(),
          [&](std::size_t r) { return inside.keys[k]->value(inside.rows[r]); });
  for (const Remark& remark : answer.remarks()) data.remarks.push_back({remark.code, name + ": " + remark.sentence});
  data.name = std::move(name);
  data.census.resize(data.columns.size());
  return engine::Access::made<Table>(std::make_shared<const engine::TableData>(std::move(data)));
}

}  // namespace lofty
