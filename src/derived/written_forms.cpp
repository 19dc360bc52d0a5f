#include "derived/written_forms.hpp"

#include <algorithm>
#include <cctype>
#include <optional>
#include <utility>

#include "base/folded.hpp"
#include "base/parallel.hpp"
#include "lofty/error.hpp"
#include "question/prose.hpp"

namespace lofty::engine {
namespace {

constexpr std::size_t sample_size = 200, most_representatives = 16;

bool is_digit(char c) { return c >= '0' && c <= '9'; }

void replace_all(std::string& text, std::string_view what, std::string_view with) {
  for (std::size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += with.size())
    text.replace(at, what.size(), with);
}

// A form by its examples; nothing where they are none.
std::optional<WrittenForm> form_of(std::vector<std::string> examples) {
  try {
    Specimen specimen = Specimen::parse(examples);
    return WrittenForm{std::move(examples), std::move(specimen), 0};
  } catch (const Error&) {
    return std::nullopt;
  }
}

// What may stand around a number: percent, a currency, or a short unit; but no word for a power of ten.
bool may_be_mark(std::string_view affix) {
  std::string letters;
  for (const char c : affix) {
    if (is_digit(c)) return false;
    if (std::isalpha(static_cast<unsigned char>(c)) != 0) letters += c;
  }
  constexpr std::string_view powers[] = {"k", "m", "mio", "mn", "bn", "mill"};
  return letters.size() <= 3 && affix.size() <= 8 &&
         std::none_of(std::begin(powers), std::end(powers),
                      [&](std::string_view power) { return equal_folded(letters, power); });
}

// The examples that a text gives as a number: each way in which its signs may be meant.
void add_numbers(std::string_view text, std::vector<WrittenForm>& out) {
  const std::size_t first = text.find_first_of("0123456789"), last = text.find_last_of("0123456789");
  if (first == std::string_view::npos || text.find('=') != std::string_view::npos) return;
  const std::string_view before = text.substr(0, first), after = text.substr(last + 1);
  if (!may_be_mark(before) || !may_be_mark(after) || before.find_first_of("-(") != std::string_view::npos ||
      after.find_first_of("-)") != std::string_view::npos)
    return;
  const bool percent = after.find('%') != std::string_view::npos || before.find('%') != std::string_view::npos;
  for (const std::string_view thousands : {"", ",", ".", " ", "'", "\u00A0", "\u202F", "\u2019"})
    for (const std::string_view point : {"", ".", ","}) {
      std::string core(text.substr(first, last + 1 - first));
      if (thousands == point || (!thousands.empty() && core.find(thousands) == std::string::npos) ||
          (!point.empty() && core.find(point) == std::string::npos))
        continue;
      if (!thousands.empty()) replace_all(core, thousands, "");
      if (!point.empty()) replace_all(core, point, ".");
      auto number = Decimal::parse(core);
      if (!number || core.find_first_not_of("0123456789.") != std::string::npos) continue;
      if (percent) number = Decimal(number->coefficient(), number->scale() + 2);
      if (auto form = form_of({std::string(text) + " = " + number->text()})) out.push_back(std::move(*form));
    }
}

// The same as a date: each order of its parts. A name is a month.
void add_dates(std::string_view text, std::vector<WrittenForm>& out) {
  if (text.find('=') != std::string_view::npos || text.size() > 40) return;
  std::vector<int> numbers;
  std::string word;
  int month = 0;
  constexpr std::string_view months = "janfebmaraprmayjunjulaugsepoctnovdec";
  for (std::size_t at = 0; at < text.size();) {
    std::size_t end = at;
    if (is_digit(text[at])) {
      while (end < text.size() && is_digit(text[end])) ++end;
      if (end - at > 4) return;
      numbers.push_back(std::stoi(std::string(text.substr(at, end - at))));
    } else if (std::isalpha(static_cast<unsigned char>(text[at])) != 0) {
      while (end < text.size() && std::isalpha(static_cast<unsigned char>(text[end])) != 0) ++end;
      const std::size_t found = end - at >= 3 ? months.find(folded(text.substr(at, 3))) : std::string_view::npos;
      if (found != std::string_view::npos && found % 3 == 0) month = static_cast<int>(found / 3) + 1;
      word = folded(text.substr(at, end - at));
    } else {
      ++end;
    }
    at = end;
  }

  // A day, and a time after it.
  const std::size_t day_parts = month > 0 ? 2 : 3;
  if (numbers.size() < day_parts || numbers.size() > day_parts + 3) return;
  const std::size_t time_parts = numbers.size() - day_parts;
  if (time_parts == 1) return;
  std::string time;
  if (time_parts > 0) {
    const int hour = numbers[day_parts], half = word == "pm" && hour < 12 ? 12 : word == "am" && hour == 12 ? -12 : 0;
    const int second = time_parts == 3 ? numbers[day_parts + 2] : 0;
    if (hour > 23 || numbers[day_parts + 1] > 59 || second > 59) return;
    time =
        Timestamp{((INT64_C(60) * (hour + half) + numbers[day_parts + 1]) * 60 + second) * 1'000'000}.text().substr(10);
  }
  const auto add = [&](int year, int in_month, int day) {
    if (year < 100) year += year < 70 ? 2000 : 1900;
    const auto date = Date::from_parts(year, in_month, day);
    if (!date) return;
    if (auto form = form_of({std::string(text) + " = " + date->text() + time})) out.push_back(std::move(*form));
  };
  if (month > 0) {
    add(numbers[1], month, numbers[0]);
    add(numbers[0], month, numbers[1]);
  } else {
    add(numbers[2], numbers[1], numbers[0]);
    add(numbers[2], numbers[0], numbers[1]);
    add(numbers[0], numbers[1], numbers[2]);
  }
}

// Negative numbers that a form does not read, as (12.50) or 12.50-: a second example from the first of them.
void add_negative(const std::vector<CountedText>& texts, WrittenForm& form) {
  if (!form.specimen.is_number()) return;
  for (const CountedText& one : texts) {
    const bool around = one.text.starts_with('(') && one.text.ends_with(')'), behind = one.text.ends_with('-');
    if ((!around && !behind) || form.specimen.read(one.text)) continue;
    const auto value = form.specimen.read(one.text.substr(around, one.text.size() - around - 1));
    const auto* const number = value ? std::get_if<Decimal>(&*value) : nullptr;
    if (number == nullptr || number->coefficient() == 0) continue;
    std::vector<std::string> examples = form.examples;
    examples.push_back(std::string(one.text) + " = " + Decimal(-number->coefficient(), number->scale()).text());
    if (auto both = form_of(std::move(examples))) {
      form = std::move(*both);
      return;
    }
  }
}

std::size_t count_of(const std::vector<CountedText>& texts) {
  std::size_t count = 0;
  for (const CountedText& one : texts) count += one.count;
  return count;
}

std::size_t fitting(const std::vector<CountedText>& texts, const Specimen& specimen, const Run& run) {
  std::size_t fits = 0, looked = 0;
  for (const CountedText& one : texts) {
    if (++looked % 4096 == 0) check_stop(run);
    fits += specimen.read(one.text) ? one.count : 0;
  }
  return fits;
}

// Do both make the same of every text that both read?
bool same_meaning(const std::vector<CountedText>& texts, const Specimen& a, const Specimen& b, const Run& run) {
  std::size_t looked = 0;
  return std::all_of(texts.begin(), texts.end(), [&](const CountedText& one) {
    if (++looked % 4096 == 0) check_stop(run);
    const auto left = a.read(one.text), right = b.read(one.text);
    return !left || !right || *left == *right;
  });
}

}  // namespace

std::vector<WrittenForm> written_forms(const std::vector<CountedText>& texts, const Run& run) {
  // Those of a sample that say most: many signs, many digits.
  std::vector<CountedText> sample;
  const std::size_t step = std::max<std::size_t>(1, texts.size() / sample_size);
  for (std::size_t i = 0; i < texts.size(); i += step) sample.push_back(texts[i]);
  std::vector<CountedText> telling = sample;
  const auto signs = [](const CountedText& one) {
    return std::count_if(one.text.begin(), one.text.end(), [](char c) { return !is_digit(c); });
  };
  std::stable_sort(telling.begin(), telling.end(), [&](const CountedText& a, const CountedText& b) {
    return std::pair(signs(a), a.text.size()) > std::pair(signs(b), b.text.size());
  });
  if (telling.size() > most_representatives) {  // some of those that say least, too
    std::rotate(telling.begin() + most_representatives / 2, telling.end() - most_representatives / 2, telling.end());
    telling.resize(most_representatives);
  }

  // Each way that one of them gives and that most of the sample allows.
  std::vector<WrittenForm> forms;
  for (const CountedText& one : telling) {
    std::vector<WrittenForm> found;
    add_numbers(one.text, found);
    add_dates(one.text, found);
    for (WrittenForm& form : found) {
      add_negative(sample, form);
      if (fitting(sample, form.specimen, run) * 10 >= count_of(sample) * 9) forms.push_back(std::move(form));
    }
  }

  // All values, and each meaning once.
  const std::size_t all = count_of(texts);
  for (WrittenForm& form : forms) form.fits = fitting(texts, form.specimen, run);
  std::erase_if(forms, [&](const WrittenForm& form) { return form.fits * 100 < all * 99; });
  std::stable_sort(forms.begin(), forms.end(),
                   [](const WrittenForm& a, const WrittenForm& b) { return a.fits > b.fits; });
  std::vector<WrittenForm> out;
  for (WrittenForm& form : forms)
    if (std::none_of(out.begin(), out.end(),
                     [&](const WrittenForm& other) { return same_meaning(texts, form.specimen, other.specimen, run); }))
      out.push_back(std::move(form));
  return out;
}

std::string written_key(const std::vector<std::string>& examples) {
  std::string out;
  for (const std::string& one : examples) out += (out.empty() ? "" : ", ") + toml_text(one);
  return "written = " + (examples.size() == 1 ? out : "[" + out + "]");
}

}  // namespace lofty::engine
