#include "io/json_shape.hpp"

#include <algorithm>
#include <bit>
#include <cstring>

namespace lofty::engine {
namespace {

constexpr std::uint64_t ones = 0x0101010101010101;

bool is_blank(char c) { return c == ' ' || c == '\t' || c == '\r'; }

// Eight bytes, the first the lowest.
static_assert(std::endian::native == std::endian::little);
std::uint64_t eight(const char* at) {
  std::uint64_t word = 0;
  std::memcpy(&word, at, sizeof word);
  return word;
}

// The first byte from `at` on that a text can only hold escaped: a quote, a backslash or a control character; `end`
// or beyond where there is none before. Of the marks of each kind the lowest is sure, as borrows go upwards.
const char* plain_end(const char* at, const char* end) {
  constexpr std::uint64_t tops = ones * 0x80;
  const auto below = [](std::uint64_t word, std::uint64_t byte) { return (word - ones * byte) & ~word & tops; };
  for (; at < end; at += 8) {
    const std::uint64_t word = eight(at);
    const std::uint64_t found = below(word ^ (ones * '"'), 1) | below(word ^ (ones * '\\'), 1) | below(word, 0x20);
    if (found != 0) return at + std::countr_zero(found) / 8;
  }
  return at;
}

// The first byte from `at` on that is no digit; `end` where there is none before. A digit is what has 3 in its upper
// half and nothing above 9 in its lower one; carries go upwards.
const char* digits_end(const char* at, const char* end) {
  for (; at < end; at += 8) {
    const std::uint64_t word = eight(at) ^ (ones * '0');
    const std::uint64_t others = (word | (word + ones * 6)) & (ones * 0xf0);
    if (others != 0) return std::min(at + std::countr_zero(others) / 8, end);
  }
  return end;
}

// Where the number that begins here ends; null where it is none (RFC 8259, section 6).
[[gnu::always_inline]] inline const char* number_end(const char* at, const char* end) {
  const auto digits = [&] {
    const char* const from = at;
    at = digits_end(at, end);
    return at != from;
  };
  if (at < end && *at == '-') ++at;
  const bool zero = at < end && *at == '0';
  const char* const whole = at;
  if (!digits() || (zero && at - whole > 1)) return nullptr;
  if (at < end && *at == '.' && (++at, !digits())) return nullptr;
  if (at < end && (*at == 'e' || *at == 'E')) {
    ++at;
    if (at < end && (*at == '+' || *at == '-')) ++at;
    if (!digits()) return nullptr;
  }
  return at;
}

// The same for a number without sign and exponent that is shorter than eight bytes, by one look at them. Null for any
// other. What is no digit is marked as in digits_end(): a point's mark lets no carry through, so the next one is sure
// too.
[[gnu::always_inline]] inline const char* short_number_end(const char* at, const char* end) {
  const std::uint64_t word = eight(at) ^ (ones * '0');
  std::uint64_t others = (word | (word + ones * 6)) & (ones * 0xf0);
  int size = std::countr_zero(others) / 8;
  if (size == 0 || size == 8 || (*at == '0' && size > 1)) return nullptr;
  if (at[size] == '.') {
    const int point = size;
    others &= ~(std::uint64_t{0xff} << (8 * point));
    size = std::countr_zero(others) / 8;
    if (size == point + 1 || size == 8) return nullptr;
  }
  return at[size] == 'e' || at[size] == 'E' || at + size > end ? nullptr : at + size;
}

// Where the value that begins here ends; null where it is none, or one with escapes or values inside.
[[gnu::always_inline]] inline const char* take_value(const char* at, const char* end, JsonValue& value) {
  const auto word = [&](std::string_view text, JsonValue::Kind kind) -> const char* {
    if (!std::string_view(at, static_cast<std::size_t>(end - at)).starts_with(text)) return nullptr;
    value = {{at, text.size()}, kind};
    return at + text.size();
  };
  if (at == end) return nullptr;
  switch (*at) {
    case '"': {
      const char* const close = plain_end(at + 1, end);
      if (close >= end || *close != '"') return nullptr;
      value = {{at + 1, static_cast<std::size_t>(close - at - 1)}, JsonValue::Kind::text};
      return close + 1;
    }
    case 'n': return word("null", JsonValue::Kind::null);
    case 't': return word("true", JsonValue::Kind::boolean);
    case 'f': return word("false", JsonValue::Kind::boolean);
    default: {
      const char* close = short_number_end(at, end);
      if (close == nullptr) close = number_end(at, end);
      if (close != nullptr) value = {{at, static_cast<std::size_t>(close - at)}, JsonValue::Kind::number};
      return close;
    }
  }
}

}  // namespace

const char* json_number_end(const char* at, const char* end) { return number_end(at, end); }

bool JsonShape::learn(std::string_view line) {
  names_.clear();
  around_.clear();
  const auto give_up = [&] {
    names_.clear();
    around_.clear();
    return false;
  };
  const char *at = line.data(), *const end = at + line.size(), *from = at;
  const auto add_between = [&](const char* to) {
    const auto size = static_cast<std::size_t>(to - from);
    around_.push_back({std::string(from, to) + std::string(padding, '\0'), size});
  };
  const auto skip = [&](char wanted) {
    while (at < end && is_blank(*at)) ++at;
    if (at == end || *at != wanted) return false;
    ++at;
    return true;
  };

  // Member by member: name, colon, value.
  if (!skip('{')) return give_up();
  do {
    JsonValue name, value;
    while (at < end && is_blank(*at)) ++at;
    const char* const colon = take_value(at, end, name);
    if (colon == nullptr || name.kind != JsonValue::Kind::text) return give_up();
    at = colon;
    if (!skip(':')) return give_up();
    while (at < end && is_blank(*at)) ++at;
    const char* const after = take_value(at, end, value);
    if (after == nullptr) return give_up();
    names_.emplace_back(name.text);
    add_between(at);
    from = at = after;
  } while (skip(','));

  // Its end.
  if (!skip('}')) return give_up();
  while (at < end && is_blank(*at)) ++at;
  if (at != end) return give_up();
  add_between(end);
  return true;
}

bool JsonShape::begins_with(const char* at, const Between& between) {
  const char* other = between.bytes.data();
  std::size_t left = between.size;
  for (; left >= 8; left -= 8, at += 8, other += 8)
    if (eight(at) != eight(other)) return false;
  return left == 0 || ((eight(at) ^ eight(other)) << (8 * (8 - left))) == 0;
}

std::size_t JsonShape::find(std::string_view lines, std::vector<JsonValue>& values) const {
  if (around_.empty()) return 0;
  values.resize(names_.size());
  const char *at = lines.data(), *const end = at + lines.size();
  for (std::size_t i = 0;; ++i) {
    const Between& between = around_[i];
    if (static_cast<std::size_t>(end - at) < between.size || !begins_with(at, between)) return 0;
    at += between.size;
    if (i == names_.size()) return at == end || *at == '\n' ? static_cast<std::size_t>(at - lines.data()) : 0;
    at = take_value(at, end, values[i]);
    if (at == nullptr) return 0;
  }
}

const JsonShape* JsonShapes::find(std::string_view lines) {
  if (in_vain_ >= most_in_vain) return nullptr;
  for (std::size_t i = 0; i < known_; ++i) {
    const std::size_t shape = (last_ + i) % known_;
    size_ = shapes_[shape].find(lines, values_);
    if (size_ == 0) continue;
    last_ = shape;
    in_vain_ = 0;
    return &shapes_[shape];
  }
  ++in_vain_;
  return nullptr;
}

void JsonShapes::learn(std::string_view line) {
  if (in_vain_ >= most_in_vain) return;
  const std::size_t at = known_ < most ? known_ : oldest_++ % most;
  if (!shapes_[at].learn(line)) return;
  known_ = std::max(known_, at + 1);
  last_ = at;
}

}  // namespace lofty::engine
