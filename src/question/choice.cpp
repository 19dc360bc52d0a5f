// Choosing other values for the choices of a ladder.

#include <algorithm>

#include "base/folded.hpp"
#include "lofty/error.hpp"
#include "lofty/ladder.hpp"
#include "question/prose.hpp"
#include "table/infer.hpp"

namespace lofty {

using namespace engine;

namespace {

// The text as a value of the same kind as `like`; nothing when it does not read as one.
std::optional<Value> parse_like(const Value& like, const std::string& text) {
  if (std::holds_alternative<std::string>(like)) return Value(text);
  const Reading reading = read_text(text);
  const bool exact = reading.look == Look::integer || reading.look == Look::decimal || reading.look == Look::padded;
  if (const auto* number = std::get_if<Decimal>(&like)) {
    if (exact && (reading.scale == 0 || number->scale() > 0)) return Value(Decimal(reading.coefficient, reading.scale));
    return std::nullopt;
  }
  if (std::holds_alternative<double>(like)) {
    if (reading.look == Look::exponent) return Value(reading.number);
    if (exact) return Value(Decimal(reading.coefficient, reading.scale).to_double());
    return std::nullopt;
  }
  if (std::holds_alternative<Date>(like) && reading.look == Look::date)
    return Value(Date{static_cast<std::int32_t>(reading.instant)});
  if (std::holds_alternative<Timestamp>(like) && (reading.look == Look::timestamp || reading.look == Look::zoned))
    return Value(Timestamp{reading.instant});
  if (std::holds_alternative<bool>(like) && reading.look == Look::boolean) return Value(reading.instant != 0);
  return std::nullopt;
}

const char* kind_of(const Value& value) {
  switch (value.index()) {
    case 1: return std::get<Decimal>(value).scale() > 0 ? "a number" : "a whole number";
    case 2: return "a number";
    case 3: return "a date like 2025-03-31";
    case 4: return "a timestamp like 2025-03-31 14:05:00";
    case 5: return "true or false";
    default: return "text";
  }
}

}  // namespace

std::optional<Decimal> percent_of(std::string_view text) {
  if (!text.ends_with('%')) return std::nullopt;
  text.remove_suffix(1);
  while (text.ends_with(' ')) text.remove_suffix(1);
  return Decimal::parse(text);
}

void choose(Ladder& ladder, const std::string& name, const std::string& text) {
  const auto problem = [&](Code code, std::string sentence, std::string nearest = {}, std::string advice = {}) {
    Problem p{code, std::move(sentence), {}, std::move(nearest), std::move(advice)};
    p.location.key = "choose";
    p.location.text = name + "=" + text;
    p.location.offset = code == Code::unknown_choice ? 0 : name.size() + 1;
    p.location.length = code == Code::unknown_choice ? name.size() : std::max<std::size_t>(1, text.size());
    return Error(std::move(p));
  };

  // The choice of that name gets the value, if it may have it.
  std::vector<std::string> names;
  for (Choice& choice : ladder.choices) {
    names.push_back(choice.name);
    if (choice.name != name) continue;
    const auto value = parse_like(choice.value, text);
    if (!value)
      throw problem(Code::bad_choice,
                    "the choice " + quoted(name) + " is " + kind_of(choice.value) + ", not `" + text + "`");
    const bool below = !is_null(choice.least) && *value < choice.least,
               above = !is_null(choice.most) && choice.most < *value;
    if (below || above) {
      std::string range = is_null(choice.most)    ? "at least " + to_text(choice.least)
                          : is_null(choice.least) ? "at most " + to_text(choice.most)
                                                  : "from " + to_text(choice.least) + " to " + to_text(choice.most);
      throw problem(Code::bad_choice, "the choice " + quoted(name) + " has to be " + range, {}, {});
    }
    if (!choice.among.empty() && std::find(choice.among.begin(), choice.among.end(), *value) == choice.among.end()) {
      std::vector<std::string> words;
      for (const Value& one : choice.among) words.push_back(to_text(one));
      throw problem(Code::bad_choice, "the choice " + quoted(name) + " has to be one of " + listed(words, "or"),
                    nearest_word(text, words));
    }
    choice.value = *value;
    return;
  }
  throw problem(Code::unknown_choice, "no choice is called " + quoted(name), nearest_word(name, names),
                names.empty() ? "the ladder has no [choices]" : "");
}

}  // namespace lofty
