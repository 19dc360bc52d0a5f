#include "relation/rows.hpp"

#include <tsl/robin_map.h>

#include <algorithm>
#include <atomic>
#include <deque>

#include "table/nearest.hpp"
#include "table/parallel.hpp"
#include "table/stopwatch.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {
namespace {

constexpr std::uint64_t no_key = ~std::uint64_t{0};  // null, or a text that the other side does not have

struct PairHash {
  std::size_t operator()(const std::pair<std::uint64_t, std::uint64_t>& p) const noexcept {
    const std::uint64_t words[2] = {p.first, p.second};
    return XXH3_64bits(words, sizeof words);
  }
};

std::string line_text(const Table& table, std::size_t row) {
  const auto& line_of = table.data().line_of;
  return line_of ? "line " + std::to_string(line_of(row)) : "row " + std::to_string(row + 1);
}

// A key's number -> the first row of the other table that has it. Small numbers, which most keys are, index an array.
class RowOfKey {
 public:
  explicit RowOfKey(std::size_t rows) : most_direct_(4 * rows + 1024) {}

  // The first row with this key: `row` itself when there was none yet.
  std::uint32_t add(std::uint64_t key, std::uint32_t row) {
    if (key >= most_direct_) return far_.try_emplace(key, row).first->second;
    if (key >= near_.size())
      near_.resize(std::min<std::size_t>(most_direct_, std::max<std::size_t>(key + 1, near_.size() * 2)), no_row);
    if (near_[key] == no_row) near_[key] = row;
    return near_[key];
  }
  std::uint32_t find(std::uint64_t key) const {
    if (key < near_.size()) return near_[key];
    if (far_.empty()) return no_row;
    const auto found = far_.find(key);
    return found == far_.end() ? no_row : found->second;
  }
  void find(const std::uint64_t* keys, std::size_t count, std::uint32_t* out) const {
    const std::uint32_t* const near = near_.data();
    const std::size_t near_size = near_.size();
    for (std::size_t i = 0; i < count; ++i) out[i] = keys[i] < near_size ? near[keys[i]] : find(keys[i]);
  }

 private:
  std::size_t most_direct_;
  std::vector<std::uint32_t> near_;
  tsl::robin_map<std::uint64_t, std::uint32_t> far_;
};

// Numbers a pair of key columns alike on both sides: equal values, equal numbers.
class KeyNumbers {
 public:
  KeyNumbers(const Column& left, const Column& right, const std::string& what) : left_(left), right_(right) {
    const Type &l = left.type(), &r = right.type();
    const bool exact = l.exact() && r.exact();
    if (!exact && l.kind != r.kind) mismatch(what);
    text_ = l.kind == Kind::text;
    scale_ = exact ? std::max(l.scale, r.scale) : 0;
    wide_ = left.lane() == Lane::int128 || right.lane() == Lane::int128 || l.scale != r.scale;
    if (wide_)
      for (std::size_t row = 0; row < right.rows(); ++row)
        if (!right.is_null(row)) wide_values_.add(wide_text(right, row));
    if (text_) {
      translated_.resize(left.dictionary().size());
      for (std::size_t i = 0; i < translated_.size(); ++i) {
        const std::uint32_t code = right.dictionary().find(left.dictionary().text(static_cast<std::uint32_t>(i)));
        translated_[i] = code == Dictionary::none ? no_key : code;
      }
    }
  }

  std::uint64_t right(std::size_t row) const { return text_ ? plain_code(right_.code(row)) : number(right_, row); }
  // Rows [begin, begin + count) of the left column at once.
  void left_block(std::size_t begin, std::size_t count, std::uint64_t* out) const {
    if (text_ || wide_ || left_.lane() != Lane::int64) {
      for (std::size_t i = 0; i < count; ++i) out[i] = left(begin + i);
      return;
    }
    auto* const values = reinterpret_cast<std::int64_t*>(out);  // signed and unsigned may share memory
    left_.decode_int64(begin, count, values);
    const std::int64_t least = right_.least(), greatest = right_.greatest();
    for (std::size_t i = 0; i < count; ++i) {
      const std::int64_t value = values[i];  // null is below every least value
      out[i] = value < least || value > greatest || value == int64_null
                   ? no_key
                   : static_cast<std::uint64_t>(value) - static_cast<std::uint64_t>(least);
    }
  }
  std::uint64_t left(std::size_t row) const {
    if (!text_) return number(left_, row);
    const std::uint32_t code = left_.code(row);
    return code == Dictionary::none ? no_key : translated_[code];
  }

 private:
  static std::uint64_t plain_code(std::uint32_t code) { return code == Dictionary::none ? no_key : code; }

  std::uint64_t number(const Column& column, std::size_t row) const {
    if (column.is_null(row)) return no_key;
    if (column.lane() == Lane::float64) {
      const double value = column.float64(row);
      std::uint64_t bits;
      std::memcpy(&bits, &value, sizeof bits);
      return bits;
    }
    if (wide_) {
      const std::uint32_t code = wide_values_.find(wide_text(column, row));
      return code == Dictionary::none ? no_key : code;
    }
    // Counted from the other table's least value, so that most keys index an array; what lies outside has no partner.
    const std::int64_t value = column.int64(row);
    if (value < right_.least() || value > right_.greatest()) return no_key;
    return static_cast<std::uint64_t>(value) - static_cast<std::uint64_t>(right_.least());
  }

  // Exact numbers of different scales, or beyond 64 bits, are compared by their digits at the longer scale.
  std::string wide_text(const Column& column, std::size_t row) const {
    const Decimal value(column.integer(row), column.type().scale);
    return value.rescaled(scale_).value_or(value).text();
  }

  [[noreturn]] void mismatch(const std::string& what) const {
    const auto example = [](const Column& column) -> std::string {
      for (std::size_t row = 0; row < column.rows(); ++row)
        if (!column.is_null(row))
          return (column.type().kind == Kind::text ? "'" + to_text(column.value(row)) + "'"
                                                   : to_text(column.value(row)));
      return "nothing but nulls";
    };
    throw Error(Problem{Code::key_mismatch,
                        "the join keys cannot be equal: " + what + " is " + kind_name(left_.type().kind) +
                            " on one side (" + example(left_) + ") and " + kind_name(right_.type().kind) +
                            " on the other (" + example(right_) + ")",
                        {},
                        {},
                        "columns.NAME.type under [data] or [[data.join]] declares one of them"});
  }

  const Column &left_, &right_;
  bool text_ = false, wide_ = false;
  int scale_ = 0;
  std::vector<std::uint64_t> translated_;  // by code of the left dictionary
  Dictionary wide_values_;
};

}  // namespace

JoinedRows::JoinedRows(const Question& question, const Run& run)
    : question_(question),
      context_{.slots = question.slots},
      rows_(question.tables.front().table.rows()),
      partners_(question.tables.size()) {
  for (const JoinUse& join : question.joins) {
    Stopwatch watch;
    match(join, run);
    merge_keys(join, run);
    reports_.back().seconds = watch.lap();
  }
}

const ColumnPtr* JoinedRows::merged(const RowColumn& column) const {
  for (const auto& [of, values] : merged_)
    if (of == column) return &values;
  return nullptr;
}

std::string JoinedRows::place_of(std::size_t row) const {
  for (std::size_t t = 0; t < partners_.size(); ++t) {
    const std::uint32_t at = row_in(t, row);
    if (at != no_row)
      return line_text(question_.tables[t].table, at) + (t == 0 ? "" : " of " + question_.tables[t].source->name());
  }
  return "row " + std::to_string(row + 1);
}

void JoinedRows::match(const JoinUse& join, const Run& run) {
  const Table& other = question_.tables[join.table].table;
  const std::size_t left_rows = rows(), right_rows = other.rows();
  std::deque<KeyNumbers> keys;
  std::vector<const Column*> left_columns;
  std::vector<std::uint8_t> by_relation;  // a key that earlier joins merged has a value for each row of the relation
  for (const JoinUse::Pair& pair : join.on) {
    const ColumnPtr* const whole = merged({pair.left_table, pair.left_column});
    const Column& left = whole != nullptr ? **whole : column_of(pair.left_table, pair.left_column);
    left_columns.push_back(&left);
    by_relation.push_back(whole != nullptr);
    keys.emplace_back(left, column_of(join.table, pair.right_column),
                      "`" + question_.tables[pair.left_table].table.headings()[pair.left_column] + "`");
  }
  // Keys of several columns are numbered pair by pair: (number so far, next column) -> number.
  std::vector<tsl::robin_map<std::pair<std::uint64_t, std::uint64_t>, std::uint64_t, PairHash>> pairs(keys.size());
  RowOfKey row_of(right_rows);
  // The next row with the same key; and of each first one the last so far.
  std::vector<std::uint32_t> again(right_rows, no_row), last_alike(right_rows, no_row);
  for (std::size_t row = 0; row < right_rows; ++row) {
    std::uint64_t key = keys[0].right(row);
    for (std::size_t k = 1; k < keys.size() && key != no_key; ++k) {
      const std::uint64_t next = keys[k].right(row);
      key = next == no_key ? no_key : pairs[k].try_emplace({key, next}, pairs[k].size()).first->second;
    }
    if (key == no_key) continue;
    const std::uint32_t first = row_of.add(key, static_cast<std::uint32_t>(row));
    if (first != row) again[last_alike[first]] = static_cast<std::uint32_t>(row);
    last_alike[first] = static_cast<std::uint32_t>(row);
  }
  // The key of a row of the first table may come through an earlier join.
  const auto left_row = [&](std::size_t k, std::size_t row) -> std::uint32_t {
    return by_relation[k] != 0 ? static_cast<std::uint32_t>(row) : row_in(join.on[k].left_table, row);
  };
  const auto left_key = [&](std::size_t row) {
    std::uint64_t key = 0;
    for (std::size_t k = 0; k < keys.size(); ++k) {
      const std::uint32_t at = left_row(k, row);
      const std::uint64_t next = at == no_row ? no_key : keys[k].left(at);
      if (next == no_key) return no_key;
      if (k == 0) {
        key = next;
      } else {
        const auto found = pairs[k].find({key, next});
        if (found == pairs[k].end()) return no_key;
        key = found->second;
      }
    }
    return key;
  };
  const auto key_text = [&](std::size_t row) {
    std::string text;
    for (std::size_t k = 0; k < keys.size(); ++k) {
      const std::uint32_t at = left_row(k, row);
      const Value value = at == no_row ? Value{} : left_columns[k]->value(at);
      text += (k > 0 ? ", " : "") + (is_null(value) ? std::string("blank") : to_text(value));
    }
    return text;
  };
  const auto add_example = [](std::vector<std::string>& list, const std::string& text) {
    if (std::find(list.begin(), list.end(), text) == list.end()) list.push_back(text);
  };
  const auto several_partners = [&](std::size_t row, std::uint32_t partner) {
    const std::string name = question_.tables[join.table].source->name();
    throw Error(Problem{Code::join_multiplies,
                        place_of(row) + " of " + question_.tables[0].source->name() + " has several partners in " +
                            name + ": " + line_text(other, partner) + " and " + line_text(other, again[partner]) +
                            "; joining them would count it more than once",
                        {},
                        {},
                        "every key has to stand once in " + name +
                            ": correct it, join by more columns, or say many = true if that is meant"});
  };
  partners_[join.table].allocate(left_rows * sizeof(std::uint32_t));
  auto* const found_rows = reinterpret_cast<std::uint32_t*>(partners_[join.table].data());
  constexpr std::size_t piece_rows = 256 * 1024;
  const std::size_t pieces = (left_rows + piece_rows - 1) / piece_rows;
  std::vector<std::uint8_t> used(right_rows, 0);
  std::vector<Report> reports(pieces);
  parallel_for(pieces, run, [&](std::size_t piece) {
    check_stop(run);
    Report& report = reports[piece];
    const bool one_key =
        keys.size() == 1 && (by_relation[0] != 0 || (join.on[0].left_table == 0 && partners_[0].size() == 0));
    std::vector<std::uint64_t> block(batch_rows);
    const std::size_t end = std::min(left_rows, (piece + 1) * piece_rows);
    for (std::size_t begin = piece * piece_rows; begin < end; begin += batch_rows) {
      const std::size_t count = std::min(batch_rows, end - begin);
      if (one_key)
        keys[0].left_block(begin, count, block.data());
      else
        for (std::size_t i = 0; i < count; ++i) block[i] = left_key(begin + i);
      std::uint32_t* const found = found_rows + begin;
      row_of.find(block.data(), count, found);
      std::uint32_t last = no_row;  // neighbours often share their partner
      for (std::size_t i = 0; i < count; ++i) {
        if (found[i] == no_row) {
          ++report.unmatched;
          if (report.unmatched_examples.size() < 3) add_example(report.unmatched_examples, key_text(begin + i));
        } else if (found[i] != last) {
          last = found[i];
          // Several threads may set the same flag; it is looked at first, because setting takes its line from the rest.
          if (std::atomic_ref(used[last]).load(std::memory_order_relaxed) == 0)
            std::atomic_ref(used[last]).store(1, std::memory_order_relaxed);
          if (again[last] != no_row && !join.many) several_partners(begin + i, last);
        }
      }
    }
  });
  if (join.many)
    for (std::size_t row = 0; row < right_rows; ++row)
      if (used[row] != 0 && again[row] != no_row) used[again[row]] = 1;  // later rows with the key are partners too
  Report report;
  for (const Report& one : reports) {
    report.unmatched += one.unmatched;
    for (const std::string& example : one.unmatched_examples)
      if (report.unmatched_examples.size() < 3) add_example(report.unmatched_examples, example);
  }
  for (std::size_t row = 0; row < right_rows; ++row) {
    if (used[row]) continue;
    ++report.without_rows;
    if (report.without_examples.size() >= 3) continue;
    std::string text;
    for (const JoinUse::Pair& pair : join.on)
      text += (text.empty() ? "" : ", ") + to_text(column_of(join.table, pair.right_column).value(row));
    report.without_examples.push_back(text.empty() ? "blank" : text);
  }
  rebuild(join, again, used, report, run);
  reports_.push_back(std::move(report));
}

// After its partners are found: leaves out rows without one, repeats rows with several, and lets in rows of the second
// table that nothing refers to, each where the join asks for it.
void JoinedRows::rebuild(const JoinUse& join, const std::vector<std::uint32_t>& next_alike,
                         const std::vector<std::uint8_t>& used, Report& report, const Run& run) {
  const bool drops = (join.kind == JoinKind::inner || join.kind == JoinKind::right) && report.unmatched > 0,
             adds = (join.kind == JoinKind::right || join.kind == JoinKind::full) && report.without_rows > 0;
  if (join.many)
    for (std::size_t row = 0; row < rows_; ++row) {
      const std::uint32_t partner = partners(join.table)[row];
      report.several += partner != no_row && next_alike[partner] != no_row;
    }
  if (!drops && !adds && report.several == 0) return;
  std::vector<std::uint32_t> from, partner;  // by new row: the old one, and the row of the second table
  for (std::size_t row = 0; row < rows_; ++row) {
    std::uint32_t at = partners(join.table)[row];
    if (at == no_row && drops) continue;
    do {
      from.push_back(static_cast<std::uint32_t>(row));
      partner.push_back(at);
      at = at == no_row || !join.many ? no_row : next_alike[at];
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
  for (std::size_t t = 0; t < join.table; ++t) {
    Bytes bytes(from.size() * sizeof(std::uint32_t));
    auto* const to = reinterpret_cast<std::uint32_t*>(bytes.data());
    for (std::size_t i = 0; i < from.size(); ++i) to[i] = from[i] == no_row ? no_row : row_in(t, from[i]);
    partners_[t] = std::move(bytes);
  }
  for (auto& [column, values] : merged_) values = Column::picked(*values, from, run);
  Bytes bytes(from.size() * sizeof(std::uint32_t));
  std::copy(partner.begin(), partner.end(), reinterpret_cast<std::uint32_t*>(bytes.data()));
  partners_[join.table] = std::move(bytes);
  rows_ = from.size();
}

void JoinedRows::merge_keys(const JoinUse& join, const Run& run) {
  if (join.kind != JoinKind::right && join.kind != JoinKind::full) return;
  for (const JoinUse::Pair& pair : join.on) {
    const auto heading = [&](std::size_t table, std::size_t column) {
      return question_.tables[table].source->headings()[column];
    };
    if (!equal_folded(heading(pair.left_table, pair.left_column), heading(join.table, pair.right_column))) continue;
    const RowColumn at{pair.left_table, pair.left_column};
    const ColumnPtr before = merged(at) != nullptr ? *merged(at) : nullptr;
    const Column &left = before ? *before : column_of(at.table, at.column),
                 &right = column_of(join.table, pair.right_column);
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
  if (partners_[at.table].size() == 0 && at.table == 0) return load_column(from, begin, count, out);
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

const Dictionary* JoinedRows::dictionary(int column) const {
  const RowColumn& at = question_.row_columns[static_cast<std::size_t>(column)];
  if (const ColumnPtr* const values = merged(at))
    return (*values)->type().kind == Kind::text ? &(*values)->dictionary() : nullptr;
  const Column& from = at.of_window() ? *windows_[at.column] : column_of(at.table, at.column);
  return from.type().kind == Kind::text ? &from.dictionary() : nullptr;
}

}  // namespace lofty::engine
