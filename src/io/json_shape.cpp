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
      const char* const close = number_end(at, end);
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

bool JsonShape::find(std::string_view line, std::vector<JsonValue>& values) const {
  if (around_.empty()) return false;
  values.resize(names_.size());
  const char *at = line.data(), *const end = at + line.size();
  for (std::size_t i = 0;; ++i) {
    const Between& between = around_[i];
    if (static_cast<std::size_t>(end - at) < between.size || !begins_with(at, between)) return false;
    at += between.size;
    if (i == names_.size()) return at == end;
    at = take_value(at, end, values[i]);
    if (at == nullptr) return false;
  }
}

const JsonShape* JsonShapes::find(std::string_view line) {
  if (in_vain_ >= most_in_vain) return nullptr;
  for (std::size_t i = 0; i < known_; ++i) {
    const std::size_t shape = (last_ + i) % known_;
    if (!shapes_[shape].find(line, values_)) continue;
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
