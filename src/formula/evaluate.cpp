// Evaluating a bound formula, batch by batch.

#include "formula/evaluator.hpp"

#include <algorithm>
#include <cmath>

#include "base/parallel.hpp"
#include "formula/evaluator_call.hpp"

namespace lofty::engine {

Value Vector::value(std::size_t i) const {
  if (is_null(i)) return std::monostate{};
  switch (type.kind) {
    case Kind::integer:
    case Kind::decimal: return Decimal(exact(i), type.scale);
    case Kind::floating: return doubles[i];
    case Kind::date: return Date{static_cast<std::int32_t>(ints[i])};
    case Kind::timestamp: return Timestamp{ints[i]};
    case Kind::boolean: return ints[i] != 0;
    default: return std::string(text(i));
  }
}

void load_column(const Column& column, std::size_t begin, std::size_t count, Vector& out) {
  out.type = column.type();
  switch (column.lane()) {
    case Lane::int64: out.set_int64(count); return column.decode_int64(begin, count, out.ints.data());
    case Lane::int128:
      out.lane = Vector::Lane::int128;
      out.wide.resize(count);
      return column.decode_int128(begin, count, out.wide.data());
    case Lane::float64:
      out.lane = Vector::Lane::float64;
      out.doubles.resize(count);
      return column.decode_float64(begin, count, out.doubles.data());
    case Lane::code:
      out.lane = Vector::Lane::code;
      out.dictionary = &column.dictionary();
      out.codes.resize(count);
      return column.decode_code(begin, count, out.codes.data());
  }
}

namespace {

// The texts of a distinct dictionary as rows, and one row more for null.
class DictionarySource : public RowSource {
 public:
  explicit DictionarySource(const Dictionary& dictionary) : dictionary_(dictionary) {}
  std::size_t rows() const override { return dictionary_.size() + 1; }
  void load(int, std::size_t begin, std::size_t count, Vector& out) const override {
    out.type = {.kind = Kind::text};
    out.lane = Vector::Lane::code;
    out.dictionary = &dictionary_;
    out.codes.resize(count);
    for (std::size_t i = 0; i < count; ++i)
      out.codes[i] = begin + i < dictionary_.size() ? static_cast<std::uint32_t>(begin + i) : Dictionary::none;
  }
  const Dictionary* dictionary(int) const override { return nullptr; }

 private:
  const Dictionary& dictionary_;
};

}  // namespace

void Evaluator::Call::all_null() const {
  switch (lane_of(out.type)) {
    case lofty::engine::Lane::float64:
      out.lane = Vector::Lane::float64;
      out.doubles.assign(count, std::nan(""));
      break;
    case lofty::engine::Lane::code: out.set_text(count); break;
    default: out.lane = Vector::Lane::int64; out.ints.assign(count, int64_null);
  }
}

void Evaluator::Call::literal() const {
  static const Value unknown;
  const auto overall = static_cast<std::size_t>(node.overall);
  const Value& value = node.overall < 0                          ? node.value
                       : overall < self.context_.overalls.size() ? self.context_.overalls[overall]
                                                                 : unknown;

  // As many of them as there are rows.
  out.type = node.type;
  if (const auto* text = std::get_if<std::string>(&value)) {
    out.lane = Vector::Lane::text;
    out.made.clear();
    out.made.push_back(*text);
    out.texts.assign(count, out.made.front());
  } else if (const auto* number = std::get_if<double>(&value)) {
    out.lane = Vector::Lane::float64;
    out.doubles.assign(count, *number);
  } else if (const auto* decimal = std::get_if<Decimal>(&value)) {
    // A choice's or literal's scale may be less than its type's.
    const auto lifted = decimal->rescaled(node.type.scale).value_or(*decimal);
    if (fits_int64(lifted.coefficient()) && lifted.coefficient() != int64_null) {
      out.lane = Vector::Lane::int64;
      out.ints.assign(count, static_cast<std::int64_t>(lifted.coefficient()));
    } else {
      out.lane = Vector::Lane::int128;
      out.wide.assign(count, lifted.coefficient());
    }
  } else {
    std::int64_t one = int64_null;
    if (const auto* day = std::get_if<Date>(&value)) one = day->days;
    if (const auto* moment = std::get_if<Timestamp>(&value)) one = moment->microseconds;
    if (const auto* truth = std::get_if<bool>(&value)) one = *truth ? 1 : 0;
    if (lofty::is_null(value)) return all_null();
    out.lane = Vector::Lane::int64;
    out.ints.assign(count, one);
  }
}

bool Evaluator::Call::share() const {
  const Dictionary* const dictionary = self.source_.dictionary(node.only_text_column);
  if (dictionary == nullptr || scratch.cannot_share || dictionary->size() > self.source_.rows()) return false;
  if (scratch.distinct_of != dictionary) {
    const DictionarySource source(*dictionary);
    Evaluator once(source, self.context_);
    Piece piece(node.type);
    try {
      for (std::size_t at = 0; at < source.rows(); at += batch_rows) {
        const std::size_t n = std::min(batch_rows, source.rows() - at);
        const Vector& values = once.evaluate(node, at, n, nullptr);
        for (std::size_t i = 0; i < n; ++i) piece.add(values.value(i));
      }
    } catch (const RowFailure&) {
      scratch.cannot_share = true;
      return false;
    }
    scratch.distinct_of = dictionary;
    scratch.shared = Column::seal(std::move(piece));
    load_column(*scratch.shared, 0, source.rows(), scratch.distinct);
  }

  // Each row gets what its text gave.
  const Vector& codes = self.load(node.only_text_column, begin, count);
  const Vector& by_code = scratch.distinct;
  const std::size_t null_row = dictionary->size();
  const auto spread = [&](const auto& from, auto& to) {
    to.resize(count);
    for (std::size_t i = 0; i < count; ++i)
      to[i] = from[codes.codes[i] == Dictionary::none ? null_row : codes.codes[i]];
  };
  out.lane = by_code.lane;
  out.dictionary = by_code.dictionary;
  switch (by_code.lane) {
    case Vector::Lane::int64: spread(by_code.ints, out.ints); break;
    case Vector::Lane::int128: spread(by_code.wide, out.wide); break;
    case Vector::Lane::float64: spread(by_code.doubles, out.doubles); break;
    default: spread(by_code.codes, out.codes); break;
  }
  return true;
}

void Evaluator::Call::run() const {
  switch (node.op) {
    case Op::literal: return literal();
    case Op::null: return all_null();
    case Op::negate: return negate();
    case Op::add:
    case Op::subtract:
    case Op::multiply:
    case Op::divide: return arithmetic();
    case Op::concatenate: return concatenate();
    case Op::equal:
    case Op::unequal:
    case Op::less:
    case Op::less_equal:
    case Op::greater:
    case Op::greater_equal: return comparison();
    case Op::logical_and:
    case Op::logical_or: return logical();
    case Op::logical_not: return logical_not();
    case Op::between: return between();
    case Op::in_list: return in_list();
    case Op::like: return like();
    case Op::is_null:
    case Op::is_truth: return test();
    case Op::case_when: return case_when();
    case Op::cast: return cast();
    case Op::extract: return extract();
    case Op::call: break;
    default: return all_null();
  }
  switch (node.function) {
    case Function::coalesce: return coalesce();
    case Function::nullif: return nullif();
    case Function::greatest:
    case Function::least: return extreme();
    case Function::iso_week:
    case Function::weekday:
    case Function::quarter:
    case Function::start_of: return date_function();
    case Function::upper:
    case Function::lower:
    case Function::trim:
    case Function::trim_leading:
    case Function::trim_trailing:
    case Function::char_length:
    case Function::substring:
    case Function::position: return text_function();
    default: return number_function();
  }
}

const Vector& Evaluator::load(int column, std::size_t begin, std::size_t count, const Zone* zone) {
  const auto index = static_cast<std::size_t>(column);
  if (columns_.size() <= index) columns_.resize(index + 1);
  Loaded& loaded = columns_[index];
  if (loaded.begin != begin || loaded.count != count) {
    source_.load(column, begin, count, loaded.values);
    loaded.begin = begin;
    loaded.count = count;
  }
  if (loaded.values.type.zoned) loaded.values.type.zone = zone;
  return loaded.values;
}

// Does a shared node's scratch hold these rows of this batch already? If not, `active` becomes what has to be
// evaluated: the rows that were active before as well, because an earlier caller may still read them. They did not fail
// before, so they do not now. Each new evaluation adds a row at least, whatever the masks: a chain of figures, each of
// which uses the one before twice, costs no power of two.
bool Evaluator::holds(Scratch& scratch, std::size_t begin, std::size_t count, const unsigned char*& active) const {
  if (scratch.begin == begin && scratch.count == count) {
    if (scratch.all_seen) return true;
    bool more = active == nullptr;
    for (std::size_t i = 0; i < count && !more; ++i) more = active[i] != 0 && scratch.seen[i] == 0;
    if (!more) return true;
  } else {
    scratch.seen.assign(count, 0);
  }
  scratch.begin = ~std::size_t{0};  // until it has not failed
  scratch.all_seen = active == nullptr;
  if (active == nullptr) return false;
  for (std::size_t i = 0; i < count; ++i) scratch.seen[i] |= static_cast<unsigned char>(active[i] != 0);
  active = scratch.seen.data();
  return false;
}

// What is the same for every row, such as the first day of a period, is worked out for one of them that is active; and
// not again in the batches that follow.
void Evaluator::evaluate_once(const Node& node, std::size_t begin, std::size_t count, const unsigned char* active,
                              Scratch& scratch) {
  Vector& out = scratch.out;
  if (scratch.same == 0) {
    std::size_t first = 0;
    while (active != nullptr && first < count && active[first] == 0) ++first;
    if (first == count) return Call{*this, node, begin, count, active, scratch, out}.all_null();
    Call{*this, node, begin + first, 1, nullptr, scratch, out}.run();
    out.type = node.type;
  }
  const auto spread = [&](auto& values) {
    const auto one = values.front();
    values.assign(count, one);
  };
  switch (out.lane) {
    case Vector::Lane::int64: spread(out.ints); break;
    case Vector::Lane::int128: spread(out.wide); break;
    case Vector::Lane::float64: spread(out.doubles); break;
    case Vector::Lane::code: spread(out.codes); break;
    case Vector::Lane::text: spread(out.texts); break;
  }
  scratch.same = count;
}

const Vector& Evaluator::evaluate(const Node& node, std::size_t begin, std::size_t count, const unsigned char* active) {
  if (node.op == Op::name) return load(node.column, begin, count, node.type.zone);
  Scratch& scratch = scratch_.at(static_cast<std::size_t>(node.slot));
  if (node.constant && count > 0 && node.op != Op::literal && node.op != Op::null) {
    if (scratch.same != count) {
      scratch.out.type = node.type;
      evaluate_once(node, begin, count, active, scratch);
    }
    return scratch.out;
  }
  if (node.shared && holds(scratch, begin, count, active)) return scratch.out;
  scratch.out.type = node.type;
  const Call call{*this, node, begin, count, active, scratch, scratch.out};
  if (node.only_text_column < 0 || !call.share()) {
    call.run();
    scratch.out.type = node.type;
  }
  if (node.shared) {
    scratch.begin = begin;
    scratch.count = count;
  }
  return scratch.out;
}

void append(Piece& piece, const Vector& v, std::size_t i) {
  if (v.is_null(i)) return piece.add_null();
  switch (v.lane) {
    case Vector::Lane::int64: return piece.add_integer(v.ints[i]);
    case Vector::Lane::int128: return piece.add_wide(v.wide[i]);
    case Vector::Lane::float64: return piece.add_double(v.doubles[i]);
    default: return piece.add_text(v.text(i));
  }
}

template <class Index>
void Appender::append(Piece& piece, const Vector& v, std::size_t count, const Index& index) {
  if (v.lane == Vector::Lane::int64 && piece.wide.empty()) {
    // Null is the same number here and there.
    const std::size_t before = piece.ints.size();
    piece.ints.resize(before + count);
    for (std::size_t i = 0; i < count; ++i) piece.ints[before + i] = v.ints[index(i)];
  } else if (v.lane == Vector::Lane::code) {
    if (dictionary_ != v.dictionary) {
      dictionary_ = v.dictionary;
      codes_.assign(v.dictionary->size(), Dictionary::none);
    }
    for (std::size_t i = 0; i < count; ++i) {
      const std::uint32_t code = v.codes[index(i)];
      if (code != Dictionary::none && codes_[code] == Dictionary::none)
        codes_[code] = piece.dictionary.add(v.dictionary->text(code));
      piece.codes.push_back(code == Dictionary::none ? code : codes_[code]);
    }
  } else {
    for (std::size_t i = 0; i < count; ++i) lofty::engine::append(piece, v, index(i));
  }
}

void Appender::append(Piece& piece, const Vector& v, std::size_t count) {
  append(piece, v, count, [](std::size_t i) { return i; });
}

void Appender::append(Piece& piece, const Vector& v, std::span<const std::uint32_t> rows, std::size_t begin) {
  append(piece, v, rows.size(), [&](std::size_t i) { return rows[i] - begin; });
}

ColumnPtr evaluate_column(const Node& node, const ColumnSource& source, const FormulaContext& context, const Run& run) {
  Evaluator evaluator(source, context);
  Appender appender;
  Piece piece(node.type);
  for (std::size_t begin = 0; begin < source.rows(); begin += batch_rows) {
    check_stop(run);
    const std::size_t count = std::min(batch_rows, source.rows() - begin);
    const Vector& v = evaluator.evaluate(node, begin, count, nullptr);
    appender.append(piece, v, count);
  }
  return Column::seal(std::move(piece));
}

}  // namespace lofty::engine
