#include "relation/row_sieve.hpp"

#include <algorithm>

#include "base/access.hpp"
#include "base/parallel.hpp"
#include "base/stopwatch.hpp"
#include "relation/row_pass.hpp"
#include "relation/some_rows.hpp"

namespace lofty::engine {

RowSieve::RowSieve(const Question& question, const Table& table, StretchJoins& joins, const Run& run)
    : question_(question), joins_(joins), run_(run) {
  for (std::size_t c = 0; c < table.headings().size(); ++c) {
    if (!table.holds(c)) continue;
    columns_.push_back(std::make_unique<Kept>());
    columns_.back()->column = c;
    columns_.back()->type = table.type(c);
  }
}

Outcome RowSieve::add(const Tables& tables, std::size_t rows_before) {
  Stopwatch watch;
  const JoinedRows rows(question_, tables, run_, joins_);
  if (rows_before + tables.first().rows() > most_rows || sifted_.rows.read + rows.rows() > most_rows)
    return Outcome::many_rows;
  watch.lap();  // joins have a time of their own
  RowsThatCount counted = RowPass(question_, rows, nullptr, run_).counted();
  constexpr std::size_t worth_it = 4;  // rows for each one that is kept
  if (sifted_.rows.read == 0 && counted.rows.size() > rows.rows() / worth_it) return Outcome::many_count;

  // As the table numbers them, each once, and the first of which it is unknown whether it counts: it is named.
  std::vector<std::uint32_t>& kept = counted.rows;
  if (counted.counts.unknown > 0 && sifted_.rows.unknown == 0)
    kept.insert(std::lower_bound(kept.begin(), kept.end(), counted.counts.unknown_example),
                counted.counts.unknown_example);
  for (std::uint32_t& row : kept) row = rows.row_of_table(0, row);
  kept.erase(std::unique(kept.begin(), kept.end()), kept.end());
  keep(tables.first(), kept);
  for (const std::uint32_t row : kept) numbers_.push_back(static_cast<std::uint32_t>(rows_before + row));

  sifted_.rows.add(counted.counts);
  add_texts(tables.first(), run_, *sifted_.texts_met);
  sifted_.seconds += watch.lap();
  return Outcome::held;
}

// These rows of the stretch at hand, column by column.
void RowSieve::keep(const Table& table, const std::vector<std::uint32_t>& rows) {
  const ColumnSource source(table.rows(), engine::Access::data(table).columns);
  parallel_for(columns_.size(), run_, [&](std::size_t c) {
    Kept& kept = *columns_[c];
    Piece piece(kept.type);
    Appender appender;
    Vector values;
    each_batch_of(rows, [&](std::size_t begin, std::size_t length, auto some) {
      source.load(static_cast<int>(kept.column), begin, length, values);
      appender.append(piece, values, some, begin);
    });
    if (rows.empty()) return;
    piece.pack();
    piece.keep_in(kept.parts);
    kept.pieces.push_back(std::move(piece));
  });
}

SiftedRows RowSieve::finish(const Tables& tables) {
  const Table& whole = tables.first();
  const TableData& all = Access::data(whole);
  auto data = std::make_shared<Table::Data>(all);
  data->rows = numbers_.size();
  data->columns.assign(all.headings.size(), nullptr);
  for (const std::unique_ptr<Kept>& kept : columns_)
    data->columns[kept->column] = Column::seal(kept->type, std::move(kept->pieces), run_);

  // Places are those in the file.
  const auto numbers = std::make_shared<const std::vector<std::uint32_t>>(std::move(numbers_));
  data->number_in_file = [numbers, whole](std::size_t row) {
    return engine::Access::data(whole).number_of((*numbers)[row]);
  };
  for (Table::Data::FileRows& file : data->files)
    file.first_row =
        static_cast<std::size_t>(std::lower_bound(numbers->begin(), numbers->end(), file.first_row) - numbers->begin());
  sifted_.table = Access::made<Table>(std::move(data));
  sifted_.read = all.rows;
  sifted_.reports = joins_.reports(question_, tables);
  return std::move(sifted_);
}

}  // namespace lofty::engine
