// Texts.
#include "formula/evaluator_call.hpp"

#include <unicode/locid.h>
#include <unicode/unistr.h>

#include <algorithm>

namespace lofty::engine {

namespace {

std::size_t code_points(std::string_view text) {
  return static_cast<std::size_t>(std::count_if(text.begin(), text.end(), [](char c) { return (c & 0xc0) != 0x80; }));
}

// The byte at which code point `index` starts; text.size() when there are fewer.
std::size_t byte_of(std::string_view text, std::int64_t index) {
  std::size_t at = 0;
  for (; index > 0 && at < text.size(); --index) {
    ++at;
    while (at < text.size() && (text[at] & 0xc0) == 0x80) ++at;
  }
  return at;
}

std::string cased(std::string_view text, bool upper) {
  icu::UnicodeString wide =
      icu::UnicodeString::fromUTF8(icu::StringPiece(text.data(), static_cast<std::int32_t>(text.size())));
  if (upper)
    wide.toUpper(icu::Locale::getRoot());
  else
    wide.toLower(icu::Locale::getRoot());
  if (wide.isBogus() != 0) throw std::bad_alloc();
  std::string out;
  wide.toUTF8String(out);
  return out;
}

// `%` any run, `_` one character. Greedy with one point of return: linear for patterns people write.
bool matches(std::string_view text, std::string_view pattern, char escape) {
  std::size_t t = 0, p = 0, star = std::string_view::npos, resume = 0;
  while (t < text.size()) {
    const bool escaped = p + 1 < pattern.size() && escape != 0 && pattern[p] == escape;
    if (p < pattern.size() && !escaped && pattern[p] == '%') {
      star = p++;
      resume = t;
      continue;
    }
    if (p < pattern.size() && !escaped && pattern[p] == '_') {
      ++p;
      t += byte_of(text.substr(t), 1);
      continue;
    }
    if (p < pattern.size() && pattern[p + escaped] == text[t]) {
      p += 1 + escaped;
      ++t;
      continue;
    }
    if (star == std::string_view::npos) return false;
    p = star + 1;
    resume += byte_of(text.substr(resume), 1);
    t = resume;
  }

  // What is left of the pattern may be empty.
  while (p < pattern.size() && pattern[p] == '%') ++p;
  return p == pattern.size();
}

}  // namespace

void Evaluator::Call::like() const {
  if (is_null_literal(0) || is_null_literal(1)) return all_null();
  const Vector &v = arg(0), &pattern = arg(1);
  const Vector* const escape = node.args.size() > 2 && !is_null_literal(2) ? &arg(2) : nullptr;
  out.set_int64(count);
  for (std::size_t i = 0; i < count; ++i) {
    std::int64_t truth = int64_null;
    if (!v.is_null(i) && !pattern.is_null(i)) {
      const char sign =
          escape != nullptr && !escape->is_null(i) && escape->text(i).size() == 1 ? escape->text(i)[0] : '\0';
      truth = matches(v.text(i), pattern.text(i), sign);
    }
    out.ints[i] = node.negated ? tri_not(truth) : truth;
  }
}

std::string_view Evaluator::Call::keep(std::string text) const {
  out.made.push_back(std::move(text));
  return out.made.back();
}

void Evaluator::Call::text_function() const {
  for (std::size_t k = 0; k < node.args.size(); ++k)
    if (is_null_literal(k)) return all_null();
  const Vector& v = arg(0);
  switch (node.function) {
    case Function::upper:
    case Function::lower:
      return make_texts(v, [&](std::size_t i) { return keep(cased(v.text(i), node.function == Function::upper)); });
    case Function::char_length:
      out.set_int64(count);
      for (std::size_t i = 0; i < count; ++i)
        out.ints[i] = v.is_null(i) ? int64_null : static_cast<std::int64_t>(code_points(v.text(i)));
      return;
    case Function::position: {
      const Vector& in = arg(1);
      out.set_int64(count);
      for (std::size_t i = 0; i < count; ++i) {
        out.ints[i] = int64_null;
        if (v.is_null(i) || in.is_null(i)) continue;
        const auto at = in.text(i).find(v.text(i));
        out.ints[i] =
            at == std::string_view::npos ? 0 : static_cast<std::int64_t>(code_points(in.text(i).substr(0, at))) + 1;
      }
      return;
    }
    case Function::substring: return substring(v);
    default: return trim(v);
  }
}

void Evaluator::Call::substring(const Vector& v) const {
  const Vector& from = arg(1);
  const Vector* const length = node.args.size() > 2 ? &arg(2) : nullptr;
  make_texts(v, [&](std::size_t i) -> std::string_view {
    if (from.is_null(i) || (length != nullptr && length->is_null(i))) return {};
    const int128 most = int128{1} << 62;  // no text is as long
    int128 first = from.exact(i) - 1, last = most;
    if (length != nullptr) {
      if (length->exact(i) < 0) fail(Code::bad_cast, "substring with a negative length", i);
      if (__builtin_add_overflow(first, length->exact(i), &last)) last = most;  // two numbers of 38 digits
    }
    first = std::clamp<int128>(first, 0, most);
    last = std::clamp<int128>(last, first, most);
    const std::string_view text = v.text(i);
    const std::size_t a = byte_of(text, static_cast<std::int64_t>(first));
    const std::size_t b = byte_of(text.substr(a), static_cast<std::int64_t>(last - first));
    return keep(std::string(text.substr(a, b)));
  });
}

void Evaluator::Call::trim(const Vector& v) const {
  const Vector* const characters = node.args.size() > 1 ? &arg(1) : nullptr;
  make_texts(v, [&](std::size_t i) -> std::string_view {
    if (characters != nullptr && characters->is_null(i)) return {};
    const std::string_view unit = characters != nullptr ? characters->text(i) : " ";
    std::string_view text = v.text(i);
    if (!unit.empty()) {
      if (node.function != Function::trim_trailing)
        while (text.starts_with(unit)) text.remove_prefix(unit.size());
      if (node.function != Function::trim_leading)
        while (text.ends_with(unit)) text.remove_suffix(unit.size());
    }
    return keep(std::string(text));
  });
}

void Evaluator::Call::concatenate() const {
  if (is_null_literal(0) || is_null_literal(1)) return all_null();
  const Vector &a = arg(0), &b = arg(1);
  make_texts(a, [&](std::size_t i) -> std::string_view {
    if (b.is_null(i)) return {};
    return keep(std::string(a.text(i)) + std::string(b.text(i)));
  });
}

}  // namespace lofty::engine
