// Formats by one example.
// Covered by tests/table/specimen_test.cpp.

#include "lofty/specimen.hpp"

#include <algorithm>
#include <cctype>
#include <set>
#include <utility>

#include "lofty/error.hpp"

namespace lofty {
namespace {

constexpr std::array<std::string_view, 12> month_names = {"January",   "February", "March",    "April",
                                                          "May",       "June",     "July",     "August",
                                                          "September", "October",  "November", "December"};

bool is_digit(char c) { return c >= '0' && c <= '9'; }
bool is_letter(char c) { return std::isalpha(static_cast<unsigned char>(c)) != 0; }

std::string_view trimmed(std::string_view text) {
  while (!text.empty() && (text.front() == ' ' || text.front() == '\t')) text.remove_prefix(1);
  while (!text.empty() && (text.back() == ' ' || text.back() == '\t')) text.remove_suffix(1);
  return text;
}

[[noreturn]] void refuse(Code code, std::string sentence, std::string_view specimen, std::string advice) {
  Problem p{code, std::move(sentence), {}, {}, std::move(advice)};
  p.location.text = std::string(specimen);
  p.location.length = specimen.size();
  throw Error(std::move(p));
}

std::optional<Decimal> times_power(const Decimal& value, int power) {
  // A power of ten moves the point: the digits stay.
  if (power <= value.scale()) {
    const int scale = value.scale() - power;
    return scale <= Decimal::max_digits ? std::optional(Decimal(value.coefficient(), scale)) : std::nullopt;
  }
  std::string digits =
      Decimal(value.coefficient(), 0).text() + std::string(static_cast<std::size_t>(power - value.scale()), '0');
  return Decimal::parse(digits);
}

std::string two_digits(int number, bool padded) { return (padded && number < 10 ? "0" : "") + std::to_string(number); }

// Three capitals on their own are a currency's code, not a unit such as thousands.
bool is_unit(std::string_view affix) {
  std::string letters;
  for (const char c : affix)
    if (is_letter(c)) letters += c;
  const bool code =
      letters.size() == 3 && std::all_of(letters.begin(), letters.end(), [](char c) { return c >= 'A' && c <= 'Z'; });
  return !letters.empty() && !code;
}

}  // namespace

// One way in which a text can be a number.
struct Specimen::Reading {
  std::string point, thousands;
  int decimals = 0, power = 0;
};

std::vector<Specimen::Reading> Specimen::readings_as_number(std::string_view text, const Decimal& meaning) const {
  // The signs between digits, in their order. Each is one character, or several bytes of one.
  std::vector<std::string> signs;
  std::vector<std::size_t> run_lengths = {0};
  std::string digits;
  for (const char c : text) {
    if (is_digit(c)) {
      digits += c;
      ++run_lengths.back();
    } else if (run_lengths.back() == 0) {
      signs.back() += c;
    } else {
      signs.emplace_back(1, c);
      run_lengths.push_back(0);
    }
  }

  // What the affixes say of the power.
  const std::string affixes = prefix_ + suffix_;
  const bool percent = affixes.find('%') != std::string::npos;
  const bool permille = affixes.find("\xE2\x80\xB0") != std::string::npos;
  const bool unit = is_unit(prefix_) || is_unit(suffix_);

  // Each reading of the signs, under each power that is possible.
  std::vector<Reading> plain, powered;
  for (const bool has_point : {false, true}) {
    if (has_point && signs.empty()) continue;
    const std::size_t separators = signs.size() - (has_point ? 1 : 0);
    const std::string point = has_point ? signs.back() : "";
    const std::string thousands = separators > 0 ? signs.front() : "";
    bool possible = point != thousands || point.empty();
    for (std::size_t i = 0; i < separators; ++i)
      possible = possible && signs[i] == thousands && run_lengths[i + 1] == 3 && (i > 0 || run_lengths[0] <= 3);
    if (!possible) continue;
    const int decimals = has_point ? static_cast<int>(run_lengths.back()) : 0;
    const auto whole = Decimal::parse(digits);
    if (!whole || digits.size() > Decimal::max_digits) continue;
    const Decimal shown(whole->coefficient(), decimals);
    for (int power = -12; power <= 12; ++power) {
      if (percent ? power != 2 : permille ? power != 3 : power != 0 && !unit) continue;
      const auto moved = times_power(meaning, power);
      if (moved && *moved == shown)
        (power == 0 || percent || permille ? plain : powered).push_back({point, thousands, decimals, power});
    }
  }

  // Zero is zero under every power: it says nothing about one.
  if (meaning.coefficient() == 0) powered.clear();
  plain.insert(plain.end(), powered.begin(), powered.end());
  return plain;
}

namespace {

int kind_of(char c) { return is_digit(c) ? 0 : is_letter(c) ? 1 : 2; }

// Runs of digits, runs of letters, and what is between them.
std::vector<std::string> tokens_of(std::string_view text) {
  std::vector<std::string> tokens;
  for (const char c : text) {
    if (tokens.empty() || kind_of(tokens.back().back()) != kind_of(c)) tokens.emplace_back();
    tokens.back() += c;
  }
  return tokens;
}

}  // namespace

// What a token may be, after the parts before it.
std::vector<Specimen::DatePart> Specimen::parts_of(const std::string& token, const std::vector<DatePart>& before,
                                                   const std::array<int, 6>& meaning, bool with_time) const {
  const auto free = [&](std::initializer_list<Part> any) {
    return std::none_of(before.begin(), before.end(),
                        [&](const DatePart& p) { return std::find(any.begin(), any.end(), p.part) != any.end(); });
  };
  std::vector<DatePart> out;
  if (kind_of(token.front()) == 0) {
    const int number = token.size() <= 4 ? std::stoi(token) : -1;
    const bool two = token.size() == 2, few = token.size() <= 2;
    const auto may_be = [&](Part part, int value, bool fits, bool padded) {
      if (fits && number == value) out.push_back({part, {}, padded});
    };
    may_be(Part::year, meaning[0], token.size() == 4 && free({Part::year, Part::short_year}), true);
    may_be(Part::short_year, meaning[0] % 100, two && free({Part::year, Part::short_year}), true);
    may_be(Part::month, meaning[1], few && free({Part::month, Part::month_name, Part::short_month_name}), two);
    may_be(Part::day, meaning[2], few && free({Part::day}), two);
    // Times are written in one order only.
    const bool time = with_time && few;
    may_be(Part::second, meaning[5], time && !free({Part::minute}) && free({Part::second}), two);
    may_be(Part::minute, meaning[4], time && !free({Part::hour}) && free({Part::minute}), two);
    may_be(Part::hour, meaning[3], time && free({Part::hour}), two);
    return out;
  }

  // A month's name, or words.
  const std::string_view name = month_names[static_cast<std::size_t>(meaning[1] - 1)];
  const bool named = kind_of(token.front()) == 1 && free({Part::month, Part::month_name, Part::short_month_name});
  if (named && token == name) return {{Part::month_name, {}, false}};
  if (named && token == name.substr(0, 3)) return {{Part::short_month_name, {}, false}};
  return {{Part::text, token, false}};
}

std::vector<std::vector<Specimen::DatePart>> Specimen::readings_as_date(std::string_view text,
                                                                        const std::array<int, 6>& meaning,
                                                                        bool with_time) const {
  std::vector<std::vector<DatePart>> readings = {{}};
  for (const std::string& token : tokens_of(text)) {
    std::vector<std::vector<DatePart>> longer;
    for (const std::vector<DatePart>& before : readings)
      for (const DatePart& part : parts_of(token, before, meaning, with_time)) {
        longer.push_back(before);
        longer.back().push_back(part);
      }
    readings = std::move(longer);
  }

  // A date has a year, a month and a day; a time at least hours and minutes.
  std::erase_if(readings, [&](const std::vector<DatePart>& parts) {
    const auto has = [&](std::initializer_list<Part> any) {
      return std::any_of(parts.begin(), parts.end(),
                         [&](const DatePart& p) { return std::find(any.begin(), any.end(), p.part) != any.end(); });
    };
    const bool day = has({Part::year, Part::short_year}) &&
                     has({Part::month, Part::month_name, Part::short_month_name}) && has({Part::day});
    return !day || (with_time && !has({Part::minute}));
  });
  return readings;
}

namespace {

constexpr const char* forms =
    "as in \"12.5 % = 0.125\", \"1.234,50 \xE2\x82\xAC = 1234.50\" or \"31/12/2025 = 2025-12-31\"";

}  // namespace

void Specimen::learn_number(std::string_view specimen, std::string_view shown, std::string_view meant,
                            const Decimal& number) {
  const std::size_t first = shown.find_first_of("0123456789"), last = shown.find_last_of("0123456789");
  if (first == std::string_view::npos)
    refuse(Code::bad_value, "`" + std::string(shown) + "` has no digits", specimen, forms);
  prefix_ = std::string(shown.substr(0, first));
  suffix_ = std::string(shown.substr(last + 1));

  // A negative example shows what is around a negative number.
  Decimal meaning = number;
  if (meaning.coefficient() < 0) {
    // What a negative example has around it, and a positive one has not: a minus sign on either side, or parentheses.
    meaning = Decimal(-meaning.coefficient(), meaning.scale());
    const auto take = [&](const std::string& before, const std::string& after) {
      if (!prefix_.starts_with(before) || !suffix_.ends_with(after)) return false;
      negative_before_ = before;
      negative_after_ = after;
      prefix_.erase(0, before.size());
      suffix_.erase(suffix_.size() - after.size());
      return true;
    };
    if (!take("(", ")") && !take("-", "") && !take("\xE2\x88\x92", "") && !take("", "-") && !take("", "\xE2\x88\x92"))
      refuse(Code::bad_value,
             "`" + std::string(shown) + "` shows no minus sign and no parentheses, but means a negative number",
             specimen, "as in \"-12.50 = -12.50\" or \"(12.50) = -12.50\"");
  }

  // One reading, and only one.
  std::vector<Reading> readings = readings_as_number(shown.substr(first, last + 1 - first), meaning);
  if (readings.empty())
    refuse(Code::bad_value, "`" + std::string(shown) + "` cannot mean " + std::string(meant), specimen, forms);
  if (readings.size() > 1)
    refuse(Code::bad_value,
           "`" + std::string(shown) + "` can mean " + std::string(meant) + " in two ways: `" +
               (readings[0].thousands.empty() ? readings[1].thousands : readings[0].thousands) +
               "` may be in front of decimals, or between thousands",
           specimen, "an example that has both, as \"1,234.50 = 1234.50\"");
  point_ = readings.front().point;
  thousands_ = readings.front().thousands;
  decimals_ = readings.front().decimals;
  power_ = readings.front().power;
}

void Specimen::learn_date(std::string_view specimen, std::string_view shown, std::string_view meant) {
  bool zoned = false;
  const auto date = Date::parse(meant);
  const auto moment = Timestamp::parse(meant, &zoned);
  if (!date && (!moment || zoned))
    refuse(Code::bad_value, "`" + std::string(meant) + "` is neither a number nor a date", specimen, forms);
  const std::string text = date ? date->text() + " 00:00:00" : moment->text();
  std::array<int, 6> meaning{};
  constexpr std::array<std::pair<std::size_t, std::size_t>, 6> fields = {
      {{0, 4}, {5, 2}, {8, 2}, {11, 2}, {14, 2}, {17, 2}}};
  for (std::size_t i = 0; i < fields.size(); ++i)
    meaning[i] = std::stoi(text.substr(fields[i].first, fields[i].second));
  std::vector<std::vector<DatePart>> readings = readings_as_date(shown, meaning, !date);
  if (readings.empty())
    refuse(Code::bad_value, "`" + std::string(shown) + "` cannot mean " + std::string(meant), specimen,
           "a year, a month (also by its English name) and a day, as in \"31/12/2025 = 2025-12-31\"");
  if (readings.size() > 1)
    refuse(Code::bad_value, "`" + std::string(shown) + "` can mean " + std::string(meant) + " in two ways", specimen,
           "an example whose day, month, year, hour and minute are all different, as \"31/12/25 = 2025-12-31\"");
  parts_ = std::move(readings.front());
}

Specimen Specimen::parse(std::string_view specimen) {
  Specimen out;
  out.source_ = std::string(specimen);
  const std::size_t equals = specimen.rfind('=');
  const std::string_view shown = trimmed(specimen.substr(0, std::min(equals, specimen.size())));
  const std::string_view meant =
      equals == std::string_view::npos ? std::string_view() : trimmed(specimen.substr(equals + 1));
  if (shown.empty() || meant.empty())
    refuse(Code::syntax, "a format is an example: a text, an equals sign, and what the text means", specimen, forms);

  if (const auto number = Decimal::parse(meant))
    out.learn_number(specimen, shown, meant, *number);
  else
    out.learn_date(specimen, shown, meant);
  return out;
}

bool Specimen::fits(const Type& type) const {
  return is_number() ? type.numeric() : type.kind == Kind::date || type.kind == Kind::timestamp;
}

std::optional<std::string> Specimen::number_text(const Decimal& value, int decimals) const {
  const auto moved = times_power(value, power_);
  const auto rounded = moved ? moved->rescaled(decimals) : std::nullopt;
  if (!rounded) return std::nullopt;
  const bool negative = rounded->coefficient() < 0;
  const std::string plain = rounded->text().substr(negative ? 1 : 0);
  const std::size_t point = std::min(plain.find('.'), plain.size());
  std::string digits;
  for (std::size_t i = 0; i < point; ++i) {
    if (i > 0 && (point - i) % 3 == 0) digits += thousands_;
    digits += plain[i];
  }
  if (decimals > 0) digits += (point_.empty() ? (thousands_ == "." ? "," : ".") : point_) + plain.substr(point + 1);
  return (negative ? negative_before_ : "") + prefix_ + digits + suffix_ + (negative ? negative_after_ : "");
}

std::optional<std::string> Specimen::workbook_format(int decimals) const {
  const auto quoted = [](const std::string& text) {
    std::string out, word;
    const auto flush = [&] {
      if (!word.empty()) out += "\"" + word + "\"";
      word.clear();
    };
    for (const char c : text) {
      if (c == '%') {
        flush();
        out += c;
      } else if (c != '"') {
        word += c;
      }
    }
    flush();
    return out;
  };

  // Dates.
  if (!is_number()) {
    std::string out;
    for (const DatePart& part : parts_) {
      switch (part.part) {
        case Part::text: out += quoted(part.words); break;
        case Part::year: out += "yyyy"; break;
        case Part::short_year: out += "yy"; break;
        case Part::month: out += part.padded ? "mm" : "m"; break;
        case Part::day: out += part.padded ? "dd" : "d"; break;
        case Part::month_name: out += "mmmm"; break;
        case Part::short_month_name: out += "mmm"; break;
        case Part::hour: out += part.padded ? "hh" : "h"; break;
        case Part::minute: out += "mm"; break;
        case Part::second: out += "ss"; break;
      }
    }
    return out;
  }

  // Numbers, and what negative ones have around them.
  const bool percent = prefix_.find('%') != std::string::npos || suffix_.find('%') != std::string::npos;
  if (power_ != (percent ? 2 : 0)) return std::nullopt;
  const std::string digits = std::string(thousands_.empty() ? "0" : "#,##0") +
                             (decimals > 0 ? "." + std::string(static_cast<std::size_t>(decimals), '0') : "");
  const std::string positive = quoted(prefix_) + digits + quoted(suffix_);
  if (negative_before_ == "-" && negative_after_.empty()) return positive;
  return positive + ";" + quoted(negative_before_) + positive + quoted(negative_after_);
}

std::string Specimen::text(const Value& value, int decimals) const {
  if (!is_number()) return date_text(value);
  const auto* const exact = std::get_if<Decimal>(&value);
  const auto* const floating = std::get_if<double>(&value);
  const auto number = exact != nullptr      ? std::optional(*exact)
                      : floating != nullptr ? Decimal::parse(to_text(*floating))
                                            : std::nullopt;
  const auto out = number ? number_text(*number, decimals) : std::nullopt;
  return out ? *out : to_text(value);
}

std::string Specimen::date_text(const Value& value) const {
  std::string digits;
  if (const auto* const date = std::get_if<Date>(&value)) digits = date->text() + " 00:00:00";
  if (const auto* const moment = std::get_if<Timestamp>(&value)) digits = moment->text();
  if (digits.empty()) return to_text(value);
  const auto field = [&](std::size_t at, std::size_t length) { return std::stoi(digits.substr(at, length)); };
  std::string out;
  for (const DatePart& part : parts_) {
    const auto month = static_cast<std::size_t>(field(5, 2) - 1);
    switch (part.part) {
      case Part::text: out += part.words; break;
      case Part::year: out += digits.substr(0, 4); break;
      case Part::short_year: out += digits.substr(2, 2); break;
      case Part::month: out += two_digits(field(5, 2), part.padded); break;
      case Part::day: out += two_digits(field(8, 2), part.padded); break;
      case Part::month_name: out += month_names[month]; break;
      case Part::short_month_name: out += month_names[month].substr(0, 3); break;
      case Part::hour: out += two_digits(field(11, 2), part.padded); break;
      case Part::minute: out += two_digits(field(14, 2), true); break;
      case Part::second: out += two_digits(field(17, 2), true); break;
    }
  }
  return out;
}

std::optional<Value> Specimen::read_number(std::string_view text) const {
  bool negative = false;
  if (text.size() > negative_before_.size() + negative_after_.size() && text.starts_with(negative_before_) &&
      text.ends_with(negative_after_)) {
    negative = true;
    text.remove_prefix(negative_before_.size());
    text.remove_suffix(negative_after_.size());
  }
  if (text.size() < prefix_.size() + suffix_.size() || !text.starts_with(prefix_) || !text.ends_with(suffix_))
    return std::nullopt;
  text.remove_prefix(prefix_.size());
  text.remove_suffix(suffix_.size());

  // Thousands are in groups of three, all of them or none.
  std::string digits;
  std::size_t run = 0;
  bool grouped = false, after_point = false;
  while (!text.empty()) {
    if (is_digit(text.front())) {
      digits += text.front();
      ++run;
      text.remove_prefix(1);
    } else if (!after_point && !thousands_.empty() && text.starts_with(thousands_)) {
      if (run == 0 || (grouped ? run != 3 : run > 3)) return std::nullopt;
      grouped = true;
      run = 0;
      text.remove_prefix(thousands_.size());
    } else if (!after_point && !point_.empty() && text.starts_with(point_) && run > 0) {
      if (grouped && run != 3) return std::nullopt;
      after_point = true;
      digits += '.';
      run = 0;
      text.remove_prefix(point_.size());
    } else {
      return std::nullopt;
    }
  }
  if (run == 0 || (grouped && !after_point && run != 3)) return std::nullopt;

  // The number that it means.
  const auto shown = Decimal::parse(digits);
  const auto value = shown ? times_power(*shown, -power_) : std::nullopt;
  if (!value) return std::nullopt;
  return negative ? Decimal(-value->coefficient(), value->scale()) : *value;
}

std::optional<Value> Specimen::read_date(std::string_view text) const {
  std::array<int, 6> found{0, 0, 0, 0, 0, 0};
  bool with_time = false;
  const auto number = [&](std::size_t least, std::size_t most) -> std::optional<int> {
    std::size_t size = 0;
    while (size < most && size < text.size() && is_digit(text[size])) ++size;
    if (size < least) return std::nullopt;
    const int value = std::stoi(std::string(text.substr(0, size)));
    text.remove_prefix(size);
    return value;
  };

  // Part by part.
  for (const DatePart& part : parts_) {
    std::optional<int> value;
    switch (part.part) {
      case Part::text:
        if (!text.starts_with(part.words)) return std::nullopt;
        text.remove_prefix(part.words.size());
        continue;
      case Part::month_name:
      case Part::short_month_name:
        for (std::size_t m = 0; m < month_names.size() && !value; ++m) {
          const std::string_view name = part.part == Part::month_name ? month_names[m] : month_names[m].substr(0, 3);
          if (!text.starts_with(name)) continue;
          text.remove_prefix(name.size());
          value = static_cast<int>(m) + 1;
        }
        break;
      case Part::year: value = number(4, 4); break;
      default: value = number(part.padded ? 2 : 1, 2); break;
    }
    if (!value) return std::nullopt;
    switch (part.part) {
      case Part::year: found[0] = *value; break;
      case Part::short_year: found[0] = *value + (*value < 70 ? 2000 : 1900); break;
      case Part::day: found[2] = *value; break;
      case Part::hour: found[3] = *value; break;
      case Part::minute: found[4] = *value; break;
      case Part::second: found[5] = *value; break;
      default: found[1] = *value; break;
    }
    with_time = with_time || part.part == Part::hour;
  }

  // A day that there is, and a time.
  const auto day = text.empty() ? Date::from_parts(found[0], found[1], found[2]) : std::nullopt;
  if (!day || found[3] > 23 || found[4] > 59 || found[5] > 59) return std::nullopt;
  if (!with_time) return *day;
  return Timestamp{((day->days * INT64_C(24) + found[3]) * 60 + found[4]) * INT64_C(60'000'000) +
                   found[5] * INT64_C(1'000'000)};
}

std::optional<Value> Specimen::read(std::string_view text) const {
  text = trimmed(text);
  return is_number() ? read_number(text) : read_date(text);
}

}  // namespace lofty
