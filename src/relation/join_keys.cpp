// Numbering join keys, and finding rows by them.

#include "relation/join_keys.hpp"

#include <algorithm>
#include <bit>

#include "lofty/error.hpp"

namespace lofty::engine {

KeyNumbers::KeyNumbers(const Column& left, const Column& right, const std::string& name)
    : left_(&left), right_(&right) {
  const Type &l = left.type(), &r = right.type();
  const bool exact = l.exact() && r.exact();
  if (!exact && l.kind != r.kind) mismatch(name);
  text_ = l.kind == Kind::text;
  scale_ = exact ? std::max(l.scale, r.scale) : 0;

  // Numbers of different scales, or beyond 64 bits, are numbered by a dictionary of their digits.
  wide_ = left.lane() == Lane::int128 || right.lane() == Lane::int128 || l.scale != r.scale;
  if (wide_)
    for (std::size_t row = 0; row < right.rows(); ++row)
      if (!right.is_null(row)) wide_values_.add(wide_text(right, row));

  if (text_) translate_texts();
}

// Texts keep the codes of the right side.
void KeyNumbers::translate_texts() {
  const Dictionary &left = left_->dictionary(), &right = right_->dictionary();
  translated_.resize(left.size());
  for (std::size_t i = 0; i < translated_.size(); ++i) {
    const std::uint32_t code = right.find(left.text(static_cast<std::uint32_t>(i)));
    translated_[i] = code == Dictionary::none ? no_key : code;
  }
}

bool KeyNumbers::set_left(const Column& left) {
  if (left.lane() == Lane::int128 && !wide_) return false;
  left_ = &left;
  if (text_) translate_texts();
  return true;
}

std::uint64_t KeyNumbers::right(std::size_t row) const {
  if (!text_) return number(*right_, row);
  const std::uint32_t code = right_->code(row);
  return code == Dictionary::none ? no_key : code;
}

std::uint64_t KeyNumbers::left(std::size_t row) const {
  if (!text_) return number(*left_, row);
  const std::uint32_t code = left_->code(row);
  return code == Dictionary::none ? no_key : translated_[code];
}

void KeyNumbers::left_block(std::size_t begin, std::size_t count, std::uint64_t* out) const {
  if (text_ || wide_ || left_->lane() != Lane::int64) {
    for (std::size_t i = 0; i < count; ++i) out[i] = left(begin + i);
    return;
  }
  auto* const values = reinterpret_cast<std::int64_t*>(out);  // signed and unsigned may share memory
  left_->decode_int64(begin, count, values);
  const std::int64_t least = right_->least(), greatest = right_->greatest();
  for (std::size_t i = 0; i < count; ++i) {
    const std::int64_t value = values[i];  // null is below every least value
    out[i] = value < least || value > greatest || value == int64_null
                 ? no_key
                 : static_cast<std::uint64_t>(value) - static_cast<std::uint64_t>(least);
  }
}

std::uint64_t KeyNumbers::number(const Column& column, std::size_t row) const {
  if (column.is_null(row)) return no_key;
  if (column.lane() == Lane::float64) return std::bit_cast<std::uint64_t>(column.float64(row));
  if (wide_) {
    const std::uint32_t code = wide_values_.find(wide_text(column, row));
    return code == Dictionary::none ? no_key : code;
  }
  // Counted from the other table's least value, so that most keys index an array; what is outside has no partner.
  const std::int64_t value = column.int64(row);
  if (value < right_->least() || value > right_->greatest()) return no_key;
  return static_cast<std::uint64_t>(value) - static_cast<std::uint64_t>(right_->least());
}

// The digits at the longer of the two scales.
std::string KeyNumbers::wide_text(const Column& column, std::size_t row) const {
  const Decimal value(column.integer(row), column.type().scale);
  return value.rescaled(scale_).value_or(value).text();
}

void KeyNumbers::mismatch(const std::string& name) const {
  const auto example = [](const Column& column) -> std::string {
    for (std::size_t row = 0; row < column.rows(); ++row)
      if (!column.is_null(row))
        return (column.type().kind == Kind::text ? "'" + to_text(column.value(row)) + "'" : to_text(column.value(row)));
    return "nothing but nulls";
  };
  throw Error(Problem{Code::key_mismatch,
                      "the join keys cannot be equal: " + name + " is " + to_string(left_->type().kind) +
                          " on one side (" + example(*left_) + ") and " + to_string(right_->type().kind) +
                          " on the other (" + example(*right_) + ")",
                      {},
                      {},
                      "columns.NAME.type under [data] or [[data.join]] declares one of them"});
}

std::uint64_t JoinKeys::number_right(std::size_t row) {
  std::uint64_t key = columns_[0].right(row);
  for (std::size_t k = 1; k < columns_.size() && key != no_key; ++k) {
    const std::uint64_t next = columns_[k].right(row);
    key = next == no_key ? no_key : pairs_[k].find_or_add({key, next});
  }
  return key;
}

std::uint64_t JoinKeys::left(std::span<const std::uint32_t> rows) const {
  std::uint64_t key = no_key;
  for (std::size_t k = 0; k < columns_.size(); ++k) {
    const std::uint64_t next = rows[k] == no_row ? no_key : columns_[k].left(rows[k]);
    if (next == no_key) return no_key;
    if (k == 0) {
      key = next;
      continue;
    }
    const std::uint32_t number = pairs_[k].find({key, next});
    if (number == KeyTable<KeyPair>::none) return no_key;
    key = number;
  }
  return key;
}

std::string JoinKeys::left_text(std::span<const std::uint32_t> rows) const {
  std::string text;
  for (std::size_t k = 0; k < columns_.size(); ++k) {
    const Value value = rows[k] == no_row ? Value{} : columns_[k].left_column().value(rows[k]);
    text += (k > 0 ? ", " : "") + (is_null(value) ? std::string("blank") : to_text(value));
  }
  return text;
}

RowsByKey::RowsByKey(JoinKeys& keys, std::size_t rows) : most_near_(4 * rows + 1024), next_(rows, no_row) {
  std::vector<std::uint32_t> last_alike(rows, no_row);  // of the first row with a key: the last one so far
  for (std::uint32_t row = 0; row < rows; ++row) {
    const std::uint64_t key = keys.number_right(row);
    if (key == no_key) continue;
    const std::uint32_t first = first_with(key, row);
    if (first != row) next_[last_alike[first]] = row;
    last_alike[first] = row;
  }
}

// The first row with this key: `row` itself where there was none yet.
std::uint32_t RowsByKey::first_with(std::uint64_t key, std::uint32_t row) {
  if (key >= most_near_) {
    const std::uint32_t number = far_.find_or_add({key});
    if (number == far_rows_.size()) far_rows_.push_back(row);
    return far_rows_[number];
  }
  if (key >= near_.size())
    near_.resize(std::min<std::size_t>(most_near_, std::max<std::size_t>(key + 1, near_.size() * 2)), no_row);
  if (near_[key] == no_row) near_[key] = row;
  return near_[key];
}

void RowsByKey::find(const std::uint64_t* keys, std::size_t count, std::uint32_t* out) const {
  const std::uint32_t* const near = near_.data();
  const std::size_t near_size = near_.size();
  for (std::size_t i = 0; i < count; ++i)
    out[i] = keys[i] < near_size ? near[keys[i]] : keys[i] < most_near_ ? no_row : find_far(keys[i]);
}

}  // namespace lofty::engine
