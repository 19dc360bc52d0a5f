// Joining tables row by row.

#include "relation/rows.hpp"

#include <algorithm>
#include <array>
#include <atomic>

#include "base/access.hpp"
#include "base/folded.hpp"
#include "base/parallel.hpp"
#include "base/stopwatch.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

JoinedRows::JoinedRows(const Question& question, const Tables& tables, const Run& run, StretchJoins& joins)
    : JoinedRows(question, tables, run, &joins.partners_, &joins) {}

JoinedRows::JoinedRows(const Question& question, const Tables& tables, const Run& run, JoinCache* cache,
                       StretchJoins* stretches)
    : question_(question),
      tables_(tables),
      context_{.slots = question.slots},
      rows_(tables.first().rows()),
      partners_(question.tables.size()) {
  // Known from another question?
  const auto same = [](const Table& a, const Table& b) { return &Access::data(a) == &Access::data(b); };
  if (cache != nullptr)
    for (const JoinCache::Found& one : cache->found_) {
      if (!std::equal(one.tables.begin(), one.tables.end(), tables.read.begin(), tables.read.end(), same) ||
          one.joins != question.joins)
        continue;
      rows_ = one.rows;
      counting_rows_ = one.counting_rows;
      partners_ = one.partners;
      reports_ = one.reports;
      for (Report& report : reports_) report.seconds = 0;
      merged_ = one.merged;
      return;
    }

  // What second tables' keys are may be known from an earlier stretch; which of their rows are used, only after the
  // last.
  if (stretches != nullptr) stretches->joins_.resize(question.joins.size());
  for (std::size_t j = 0; j < question.joins.size(); ++j) {
    Stopwatch watch;
    const JoinUse& join = question.joins[j];
    Matched own;
    Matched& matched = stretches != nullptr ? stretches->joins_[j].matched : own;
    prepare(join, matched);
    Report report = match(join, matched, run);
    if (stretches == nullptr) add_unused(tables_[join.table], join, matched, report);
    rebuild(join, matched, report, run);
    merge_keys(join, run);
    report.seconds = watch.lap();
    if (stretches != nullptr) stretches->joins_[j].report.add(report);
    reports_.push_back(std::move(report));
  }

  // Rows of a table that is included are the last ones, as they were let in.
  counting_rows_ = rows_;
  if (std::any_of(question.joins.begin(), question.joins.end(), [](const JoinUse& join) { return join.include; }))
    while (counting_rows_ > 0 && row_in(0, counting_rows_ - 1) == no_row) --counting_rows_;
  if (cache != nullptr && !question.joins.empty())
    cache->found_.push_back({tables.read, question.joins, rows_, counting_rows_, partners_, reports_, merged_});
}

JoinedRows::JoinedRows(const Question& question, const Tables& tables, std::size_t rows, std::vector<Report> reports)
    : question_(question),
      tables_(tables),
      context_{.slots = question.slots},
      rows_(rows),
      counting_rows_(rows),
      partners_(question.tables.size()),
      reports_(std::move(reports)) {}

std::vector<JoinedRows::Report> StretchJoins::reports(const Question& question, const Tables& tables) const {
  std::vector<JoinedRows::Report> out;
  for (std::size_t j = 0; j < joins_.size(); ++j) {
    out.push_back(joins_[j].report);
    const JoinUse& join = question.joins[j];
    JoinedRows::add_unused(tables[join.table], join, joins_[j].matched, out.back());
  }
  return out;
}

const ColumnPtr* JoinedRows::merged(const RowColumn& column) const {
  for (const auto& [of, values] : merged_)
    if (of == column) return &values;
  return nullptr;
}

RowOrigin JoinedRows::origin_of(std::size_t row) const {
  std::size_t t = 0;  // a row that was let in has none of the first tables
  while (t + 1 < partners_.size() && row_in(t, row) == no_row) ++t;
  const TableData& table = tables_.data(t);
  const std::uint32_t at = row_in(t, row);
  const std::string file = table.file_of(at);
  return {file.empty() ? question_.tables[t].source->name() : file, table.place_of(at),
          t == 0 && !table.number_in_file};
}

JoinedRows::Sides JoinedRows::sides_of(const JoinUse& join) const {
  Sides sides;
  for (const JoinUse::Pair& pair : join.on) {
    const ColumnPtr* const whole = merged({pair.left_table, pair.left_column});
    sides.merged.push_back(whole != nullptr);
    sides.keys.add(whole != nullptr ? **whole : column_of(pair.left_table, pair.left_column),
                   column_of(join.table, pair.right_column),
                   "`" + tables_[pair.left_table].headings()[pair.left_column] + "`");
  }
  return sides;
}

// The keys of both sides; those of the second table are numbered once, whatever comes on the first side.
void JoinedRows::prepare(const JoinUse& join, Matched& matched) const {
  bool goes_on = matched.by_key != nullptr;
  for (std::size_t k = 0; k < join.on.size() && goes_on; ++k)
    if (join.on[k].left_table == 0) goes_on = matched.sides.keys.set_left(k, column_of(0, join.on[k].left_column));
  if (goes_on) return;
  const std::size_t right_rows = tables_[join.table].rows();
  matched.sides = sides_of(join);
  matched.by_key = std::make_unique<RowsByKey>(matched.sides.keys, right_rows);
  matched.used.resize(right_rows);
}

// Each row's partner, and which rows of the second table are one.
JoinedRows::Report JoinedRows::match(const JoinUse& join, Matched& matched, const Run& run) {
  const RowsByKey& by_key = *matched.by_key;
  std::vector<std::uint8_t>& used = matched.used;
  Report report = find_partners(join, matched.sides, by_key, used, run);
  if (join.many)  // later rows with the key are partners too
    for (std::uint32_t row = 0; row < used.size(); ++row)
      if (used[row] != 0 && by_key.next(row) != no_row) used[by_key.next(row)] = 1;
  return report;
}

// Rows of the second table that nothing refers to.
void JoinedRows::add_unused(const Table& of, const JoinUse& join, const Matched& matched, Report& report) {
  const TableData& table = Access::data(of);
  for (std::size_t row = 0; row < matched.used.size(); ++row) {
    if (matched.used[row] != 0) continue;
    ++report.without_rows;
    if (report.without_examples.size() >= Report::most_examples) continue;
    std::string text;
    for (const JoinUse::Pair& pair : join.on)
      text += (text.empty() ? "" : ", ") + to_text(table.columns[pair.right_column]->value(row));
    report.without_examples.push_back(text.empty() ? "blank" : text);
  }
}

// Fills partners_ of the join's table, and sets `used` for the rows that are a partner.
JoinedRows::Report JoinedRows::find_partners(const JoinUse& join, const Sides& sides, const RowsByKey& by_key,
                                             std::vector<std::uint8_t>& used, const Run& run) {
  const JoinKeys& keys = sides.keys;
  // Where the values of a row's key are: the key may come through an earlier join.
  const auto key_rows = [&](std::size_t row, std::vector<std::uint32_t>& rows) {
    for (std::size_t k = 0; k < keys.size(); ++k)
      rows[k] = sides.merged[k] != 0 ? static_cast<std::uint32_t>(row) : row_in(join.on[k].left_table, row);
    return std::span<const std::uint32_t>(rows);
  };
  const bool in_order =
      keys.size() == 1 && (sides.merged[0] != 0 || (join.on[0].left_table == 0 && partners_[0] == nullptr));

  const bool included =
      std::any_of(question_.joins.begin(), question_.joins.end(), [](const JoinUse& one) { return one.include; });
  const auto bytes = std::make_shared<Bytes>(rows() * sizeof(std::uint32_t));
  partners_[join.table] = bytes;
  auto* const partners = reinterpret_cast<std::uint32_t*>(bytes->data());
  const RowRanges pieces = RowRanges::fixed(rows(), 16 * batch_rows);
  std::vector<Report> reports(pieces.count());
  parallel_for(pieces, run, [&](const RowRange& range, std::size_t piece) {
    Report& report = reports[piece];
    std::array<std::uint64_t, batch_rows> numbers;
    std::vector<std::uint32_t> at(keys.size());
    for (std::size_t begin = range.begin; begin < range.end; begin += batch_rows) {
      const std::size_t count = std::min(batch_rows, range.end - begin);
      if (in_order)
        keys.column(0).left_block(begin, count, numbers.data());
      else
        for (std::size_t i = 0; i < count; ++i) numbers[i] = keys.left(key_rows(begin + i, at));
      std::uint32_t* const found = partners + begin;
      by_key.find(numbers.data(), count, found);

      std::uint32_t last = no_row;  // neighbours often share their partner
      for (std::size_t i = 0; i < count; ++i) {
        if (found[i] == no_row && included && row_in(0, begin + i) == no_row) {
          last = no_row;  // it stands for an entry only
        } else if (found[i] == no_row) {
          report.add_unmatched([&] { return keys.left_text(key_rows(begin + i, at)); });
        } else if (found[i] != last) {
          last = found[i];
          // Several threads may set the same flag; it is looked at first, because setting takes its line from the rest.
          if (std::atomic_ref(used[last]).load(std::memory_order_relaxed) == 0)
            std::atomic_ref(used[last]).store(1, std::memory_order_relaxed);
          if (by_key.next(last) != no_row && !join.many)
            throw several_partners(join, begin + i, last, by_key.next(last));
        }
      }
    }
  });

  bytes->may_leave_memory();
  Report whole;
  for (const Report& report : reports) whole.add(report);
  return whole;
}

Error JoinedRows::several_partners(const JoinUse& join, std::size_t row, std::uint32_t first,
                                   std::uint32_t second) const {
  const std::string name = question_.tables[join.table].source->name();
  const TableData& other = tables_.data(join.table);
  return Error(Problem{Code::join_multiplies,
                       tables_.data(0).place_of(row_in(0, row)) + " of " + question_.tables[0].source->name() +
                           " has several partners in " + name + ": " + other.place_of(first) + " and " +
                           other.place_of(second) + "; joining them would count it more than once",
                       {},
                       {},
                       "every key has to occur once in " + name +
                           ": correct it, join by more columns, or say many = true if that is meant"});
}

void JoinedRows::Report::add(const Report& other) {
  unmatched += other.unmatched;
  seconds += other.seconds;
  several += other.several;
  more += other.more;
  for (const std::string& example : other.unmatched_examples) add_example(example);
}

void JoinedRows::Report::add_example(const std::string& text) {
  if (unmatched_examples.size() < most_examples &&
      std::ranges::find(unmatched_examples, text) == unmatched_examples.end())
    unmatched_examples.push_back(text);
}

// After its partners are found: leaves out rows without one, repeats rows with several, and lets in rows of the second
// table that nothing refers to, each where the join asks for it.
void JoinedRows::rebuild(const JoinUse& join, const Matched& matched, Report& report, const Run& run) {
  const RowsByKey& by_key = *matched.by_key;
  const std::vector<std::uint8_t>& used = matched.used;
  const bool drops = (join.type == JoinType::inner || join.type == JoinType::right) && report.unmatched > 0,
             adds = (join.type == JoinType::right || join.type == JoinType::full || join.include) &&
                    report.without_rows > 0;
  if (join.many)
    for (std::size_t row = 0; row < rows_; ++row) {
      const std::uint32_t partner = partners(join.table)[row];
      report.several += partner != no_row && by_key.next(partner) != no_row;
    }
  if (!drops && !adds && report.several == 0) return;

  // Which rows there are now.
  std::vector<std::uint32_t> from, partner;  // by new row: the old one, and the row of the second table
  for (std::size_t row = 0; row < rows_; ++row) {
    std::uint32_t at = partners(join.table)[row];
    if (at == no_row && drops) continue;
    do {
      from.push_back(static_cast<std::uint32_t>(row));
      partner.push_back(at);
      at = at == no_row || !join.many ? no_row : by_key.next(at);
    } while (at != no_row);
    if (from.size() > most_rows)
      throw Error(Problem{Code::too_many_rows, "the join makes more rows than can be numbered", {}, {}, {}});
  }
  report.more = from.size() + (drops ? report.unmatched : 0) - rows_;
  for (std::size_t row = 0; adds && row < used.size(); ++row) {
    if (used[row] != 0) continue;
    from.push_back(no_row);
    partner.push_back(static_cast<std::uint32_t>(row));
  }

  // Every table's row, and the merged keys, for each of them.
  for (std::size_t t = 0; t < join.table; ++t) {
    auto bytes = std::make_shared<Bytes>(from.size() * sizeof(std::uint32_t));
    auto* const to = reinterpret_cast<std::uint32_t*>(bytes->data());
    for (std::size_t i = 0; i < from.size(); ++i) to[i] = from[i] == no_row ? no_row : row_in(t, from[i]);
    bytes->may_leave_memory();
    partners_[t] = std::move(bytes);
  }
  for (auto& [column, values] : merged_) values = Column::picked(*values, from, run);
  auto bytes = std::make_shared<Bytes>(from.size() * sizeof(std::uint32_t));
  std::copy(partner.begin(), partner.end(), reinterpret_cast<std::uint32_t*>(bytes->data()));
  bytes->may_leave_memory();
  partners_[join.table] = std::move(bytes);
  rows_ = from.size();
}

void JoinedRows::merge_keys(const JoinUse& join, const Run& run) {
  if (join.type != JoinType::right && join.type != JoinType::full && !join.include) return;
  for (const JoinUse::Pair& pair : join.on) {
    const auto heading = [&](std::size_t table, std::size_t column) {
      return question_.tables[table].source->headings()[column];
    };
    if (!equal_folded(heading(pair.left_table, pair.left_column), heading(join.table, pair.right_column))) continue;
    const RowColumn at{pair.left_table, pair.left_column};
    const ColumnPtr before = merged(at) != nullptr ? *merged(at) : nullptr;
    const Column &left = before ? *before : column_of(at.table, at.column),
                 &right = column_of(join.table, pair.right_column);

    // The value of the left side, else that of the right one, in a type for both.
    Type type = left.type();
    if (type.kind == Kind::integer && right.type().kind == Kind::decimal) type = right.type();
    type.scale = std::max(type.scale, right.type().scale);
    Piece piece(type);
    for (std::size_t row = 0; row < rows_; ++row) {
      if (row % batch_rows == 0) check_stop(run);
      const std::uint32_t l = before ? static_cast<std::uint32_t>(row) : row_in(at.table, row),
                          r = row_in(join.table, row);
      const Value own = l != no_row ? left.value(l) : Value{};
      piece.add(is_null(own) && r != no_row ? right.value(r) : own);
    }
    std::vector<Piece> pieces;
    pieces.push_back(std::move(piece));
    ColumnPtr whole = Column::seal(type, std::move(pieces), run);

    // In place of what an earlier join merged.
    const auto same = std::find_if(merged_.begin(), merged_.end(), [&](const auto& one) { return one.first == at; });
    if (same == merged_.end())
      merged_.emplace_back(at, std::move(whole));
    else
      same->second = std::move(whole);
  }
}

void JoinedRows::load(int column, std::size_t begin, std::size_t count, Vector& out) const {
  const RowColumn& at = question_.row_columns[static_cast<std::size_t>(column)];
  if (const ColumnPtr* const values = merged(at)) return load_column(**values, begin, count, out);
  if (at.of_window()) return load_column(*windows_[at.column], begin, count, out);
  const Column& from = column_of(at.table, at.column);
  if (partners_[at.table] == nullptr && at.table == 0) return load_column(from, begin, count, out);

  // Values through the partners' rows.
  const std::uint32_t* const partner = partners(at.table) + begin;
  out.type = from.type();
  const auto gather = [&](auto& to, auto null, const auto& get) {
    to.resize(count);
    for (std::size_t i = 0; i < count; ++i) to[i] = partner[i] == no_row ? null : get(partner[i]);
  };
  switch (from.lane()) {
    case Lane::int64:
      out.lane = Vector::Lane::int64;
      return gather(out.ints, int64_null, [&](std::uint32_t row) { return from.int64(row); });
    case Lane::int128:
      out.lane = Vector::Lane::int128;
      return gather(out.wide, int128_min, [&](std::uint32_t row) { return from.integer(row); });
    case Lane::float64:
      out.lane = Vector::Lane::float64;
      return gather(out.doubles, std::numeric_limits<double>::quiet_NaN(),
                    [&](std::uint32_t row) { return from.float64(row); });
    case Lane::code:
      out.lane = Vector::Lane::code;
      out.dictionary = &from.dictionary();
      return gather(out.codes, Dictionary::none, [&](std::uint32_t row) { return from.code(row); });
  }
}

ColumnPtr JoinedRows::as_it_is(int column) const {
  const RowColumn& at = question_.row_columns[static_cast<std::size_t>(column)];
  if (at.of_window() || at.table != 0 || partners_[0] != nullptr || merged(at) != nullptr) return nullptr;
  return tables_.data(0).columns[at.column];
}

const Dictionary* JoinedRows::dictionary(int column) const {
  const RowColumn& at = question_.row_columns[static_cast<std::size_t>(column)];
  if (const ColumnPtr* const values = merged(at))
    return (*values)->type().kind == Kind::text ? &(*values)->dictionary() : nullptr;
  const Column& from = at.of_window() ? *windows_[at.column] : column_of(at.table, at.column);
  return from.type().kind == Kind::text ? &from.dictionary() : nullptr;
}

}  // namespace lofty::engine
