// Formats by one example.
// Covered by tests/value/specimen_test.cpp.

#include "lofty/specimen.hpp"

#include <unicode/dtfmtsym.h>
#include <unicode/locid.h>

#include <algorithm>
#include <cctype>
#include <utility>

#include "base/folded.hpp"
#include "lofty/error.hpp"

namespace lofty {

using engine::equal_folded;
namespace {

bool is_digit(char c) { return c >= '0' && c <= '9'; }
// ASCII letters, and all bytes of characters beyond it.
bool is_letter(char c) {
  return std::isalpha(static_cast<unsigned char>(c)) != 0 || static_cast<unsigned char>(c) >= 0x80;
}

// Blanks that stand between digits, or between digits and a mark: the usual one, the tab, and those without a break.
constexpr std::string_view blanks[] = {" ", "\t", "\u00A0", "\u202F", "\u2009"};

constexpr std::string_view apostrophes[] = {"'", "\u2019"};

std::string_view trimmed(std::string_view text) {
  for (bool any = true; any;) {
    any = false;
    for (const std::string_view blank : blanks) {
      if (text.starts_with(blank)) {
        text.remove_prefix(blank.size());
        any = true;
      } else if (text.ends_with(blank)) {
        text.remove_suffix(blank.size());
        any = true;
      }
    }
  }
  return text;
}

// Takes `front` off the text; of blanks, and of apostrophes, one is as good as another.
bool take_sign(std::string_view& text, std::string_view front) {
  const auto take = [&](std::string_view sign) {
    if (sign.empty() || !text.starts_with(sign)) return false;
    text.remove_prefix(sign.size());
    return true;
  };
  if (take(front)) return true;
  for (const auto& alike : {std::span<const std::string_view>(blanks), std::span<const std::string_view>(apostrophes)})
    if (std::find(alike.begin(), alike.end(), front) != alike.end())
      return std::any_of(alike.begin(), alike.end(), take);
  return false;
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
    if (std::isalpha(static_cast<unsigned char>(c)) != 0) letters += c;
  const bool code =
      letters.size() == 3 && std::all_of(letters.begin(), letters.end(), [](char c) { return c >= 'A' && c <= 'Z'; });
  return !letters.empty() && !code;
}

}  // namespace

// The months of one language, and the English ones.
struct Specimen::MonthNames {
  // By language: whole names and short ones, without a point at their end.
  std::vector<std::array<std::string, 12>> whole, brief;

  explicit MonthNames(const std::string& locale) {
    if (!locale.empty()) add(icu::Locale(locale.c_str()));
    add(icu::Locale::getEnglish());
  }

  // The names of a kind that a text begins with: the month (0 to 11) of the longest, and how long it is.
  static std::optional<std::pair<int, std::size_t>> at_front(const std::vector<std::array<std::string, 12>>& languages,
                                                             std::string_view text) {
    std::optional<std::pair<int, std::size_t>> found;
    for (const auto& names : languages)
      for (std::size_t m = 0; m < names.size(); ++m)
        if (text.size() >= names[m].size() && equal_folded(text.substr(0, names[m].size()), names[m]) &&
            (!found || names[m].size() > found->second))
          found = {static_cast<int>(m), names[m].size()};
    return found;
  }

 private:
  void add(const icu::Locale& locale) {
    UErrorCode status = U_ZERO_ERROR;
    const icu::DateFormatSymbols symbols(locale, status);
    if (U_FAILURE(status) != 0) return;
    for (const auto width : {icu::DateFormatSymbols::WIDE, icu::DateFormatSymbols::ABBREVIATED}) {
      int32_t count = 0;
      const icu::UnicodeString* const names = symbols.getMonths(count, icu::DateFormatSymbols::FORMAT, width);
      std::array<std::string, 12> out;
      for (int32_t m = 0; m < std::min(count, 12); ++m) {
        std::string& name = out[static_cast<std::size_t>(m)];
        names[m].toUTF8String(name);
        if (name.ends_with('.')) name.pop_back();
      }
      (width == icu::DateFormatSymbols::WIDE ? whole : brief).push_back(std::move(out));
    }
  }
};

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
    may_be(Part::minute, meaning[4], time && !free({Part::hour, Part::half_day_hour}) && free({Part::minute}), two);
    const bool no_hour = time && free({Part::hour, Part::half_day_hour});
    may_be(Part::hour, meaning[3], no_hour, two);
    may_be(Part::half_day_hour, (meaning[3] + 11) % 12 + 1, no_hour, two);
    return out;
  }

  // A month's name, half a day, or words.
  const bool named = kind_of(token.front()) == 1 && free({Part::month, Part::month_name, Part::short_month_name});
  for (const bool brief : {false, true}) {
    const auto found = MonthNames::at_front(brief ? months_->brief : months_->whole, token);
    if (named && found && found->first == meaning[1] - 1 && found->second == token.size())
      return {{brief ? Part::short_month_name : Part::month_name, {}, false}};
  }
  if (with_time && equal_folded(token, meaning[3] < 12 ? "AM" : "PM") && !free({Part::half_day_hour}) &&
      free({Part::half_day}))
    return {{Part::half_day, {}, false}};
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
    return !day || (with_time && !has({Part::minute})) || has({Part::half_day_hour}) != has({Part::half_day});
  });
  return readings;
}

namespace {

constexpr const char* forms =
    "as in \"12.5 % = 0.125\", \"1.234,50 \xE2\x82\xAC = 1234.50\" or \"31/12/2025 = 2025-12-31\"";

}  // namespace

void Specimen::learn_number(std::string_view specimen, std::string_view shown, std::string_view meant,
                            const Decimal& number, const Specimen* settled) {
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
    const auto take_at_digits = [&](const std::string& minus) {
      if (!prefix_.ends_with(minus)) return false;
      negative_at_digits_ = minus;
      prefix_.erase(prefix_.size() - minus.size());
      return true;
    };
    if (!take("(", ")") && !take("-", "") && !take("\xE2\x88\x92", "") && !take("", "-") && !take("", "\xE2\x88\x92") &&
        !take_at_digits("-") && !take_at_digits("\xE2\x88\x92"))
      refuse(Code::bad_value,
             "`" + std::string(shown) + "` shows no minus sign and no parentheses, but means a negative number",
             specimen, "as in \"-12.50 = -12.50\" or \"(12.50) = -12.50\"");
  }

  if (std::count(prefix_.begin(), prefix_.end(), '%') + std::count(suffix_.begin(), suffix_.end(), '%') > 1)
    refuse(Code::bad_value, "`" + std::string(shown) + "` has more than one per cent sign", specimen,
           "as in \"12.5 % = 0.125\"");

  // What is around a number without changing it: a currency, or what is counted.
  for (const std::string_view affix : {trimmed(prefix_), trimmed(suffix_)})
    if (!affix.empty()) mark_ = affix;

  // One reading, and only one.
  std::vector<Reading> readings = readings_as_number(shown.substr(first, last + 1 - first), meaning);
  if (settled != nullptr && readings.size() > 1) {
    const auto contradicts = [&](const Reading& r) {
      const auto differ = [](const std::string& a, const std::string& b) { return !a.empty() && !b.empty() && a != b; };
      return r.power != settled->power_ || differ(r.point, settled->point_) ||
             differ(r.thousands, settled->thousands_) || (!r.point.empty() && r.point == settled->thousands_) ||
             (!r.thousands.empty() && r.thousands == settled->point_);
    };
    std::vector<Reading> fitting = readings;
    std::erase_if(fitting, contradicts);
    if (!fitting.empty()) readings = std::move(fitting);
  }
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
  if (power_ != 0) mark_.clear();
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
           "a year, a month (by its number or its name) and a day, as in \"31/12/2025 = 2025-12-31\"");
  if (readings.size() > 1)
    refuse(Code::bad_value, "`" + std::string(shown) + "` can mean " + std::string(meant) + " in two ways", specimen,
           "an example whose day, month, year, hour and minute are all different, as \"31/12/25 = 2025-12-31\"");
  parts_ = std::move(readings.front());
}

Specimen Specimen::parse(std::span<const std::string> examples, const std::string& locale) {
  if (examples.empty()) refuse(Code::bad_value, "there is no example", "", forms);
  Specimen out = parse(examples.front(), locale);
  for (const std::string& further : examples.subspan(1)) out.add_example(parsed(further, locale, &out));
  return out;
}

// What another example of the same form shows in addition.
void Specimen::add_example(const Specimen& other) {
  const auto contradict = [&](const char* in_what) {
    refuse(Code::bad_value, "this example and `" + source_ + "` differ in " + in_what, other.source_,
           "examples of one form, as \"1.234,50 = 1234.50\" and \"(99,00) = -99\"");
  };
  if (!is_number() || !other.is_number()) contradict("what they mean: only numbers have several examples");
  if (other.power_ != power_) contradict("how many times the number is what the text shows");
  const auto agree = [&](std::string& own, const std::string& more, const char* in_what) {
    if (own.empty()) own = more;
    if (!more.empty() && own != more) contradict(in_what);
  };
  agree(thousands_, other.thousands_, "the character between thousands");
  agree(point_, other.point_, "the decimal sign");
  if (!point_.empty() && point_ == thousands_) contradict("the decimal sign");
  agree(mark_, other.mark_, "the mark of their currency or unit");
  decimals_ = std::max(decimals_, other.decimals_);
  if (!other.negative_at_digits_.empty()) negative_at_digits_ = other.negative_at_digits_;
  if (other.negative_before_ != "-" || !other.negative_after_.empty()) {
    negative_before_ = other.negative_before_;
    negative_after_ = other.negative_after_;
  }
}

Kind Specimen::kind() const {
  if (is_number()) return decimals_ > 0 || power_ > 0 || !point_.empty() ? Kind::decimal : Kind::integer;
  const bool time = std::any_of(parts_.begin(), parts_.end(), [](const DatePart& p) { return p.part == Part::minute; });
  return time ? Kind::timestamp : Kind::date;
}

Specimen Specimen::parse(std::string_view specimen, const std::string& locale) {
  return parsed(specimen, locale, nullptr);
}

Specimen Specimen::parsed(std::string_view specimen, const std::string& locale, const Specimen* settled) {
  Specimen out;
  out.months_ = std::make_shared<MonthNames>(locale);
  out.source_ = std::string(specimen);
  const std::size_t equals = specimen.rfind('=');
  const std::string_view shown = trimmed(specimen.substr(0, std::min(equals, specimen.size())));
  const std::string_view meant =
      equals == std::string_view::npos ? std::string_view() : trimmed(specimen.substr(equals + 1));
  if (shown.empty() || meant.empty())
    refuse(Code::syntax, "a format is an example: a text, an equals sign, and what the text means", specimen, forms);

  if (const auto number = Decimal::parse(meant))
    out.learn_number(specimen, shown, meant, *number, settled);
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
  if (negative && !negative_at_digits_.empty()) return prefix_ + negative_at_digits_ + digits + suffix_;
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
        case Part::hour:
        case Part::half_day_hour: out += part.padded ? "hh" : "h"; break;
        case Part::half_day: out += "AM/PM"; break;
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
  if (!negative_at_digits_.empty())
    return positive + ";" + quoted(prefix_) + quoted(negative_at_digits_) + digits + quoted(suffix_);
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
      case Part::month_name: out += months_->whole.front()[month]; break;
      case Part::short_month_name: out += months_->brief.front()[month]; break;
      case Part::hour: out += two_digits(field(11, 2), part.padded); break;
      case Part::half_day_hour: out += two_digits((field(11, 2) + 11) % 12 + 1, part.padded); break;
      case Part::half_day: out += field(11, 2) < 12 ? "AM" : "PM"; break;
      case Part::minute: out += two_digits(field(14, 2), true); break;
      case Part::second: out += two_digits(field(17, 2), true); break;
    }
  }
  return out;
}

std::optional<Value> Specimen::read_number(std::string_view text) const {
  // A sign, once: around all of it as the example has it, or a minus in front; or in front of the digits.
  bool negative = false;
  const auto take_minus = [&] {
    if (negative || !(take_sign(text, "-") || take_sign(text, "\xE2\x88\x92"))) return;
    negative = true;
    text = trimmed(text);
  };
  if ((negative_before_ != "-" || !negative_after_.empty()) &&
      text.size() > negative_before_.size() + negative_after_.size() && text.starts_with(negative_before_) &&
      text.ends_with(negative_after_)) {
    negative = true;
    text.remove_prefix(negative_before_.size());
    text.remove_suffix(negative_after_.size());
  } else {
    take_minus();
  }

  // The mark may be left out, and blanks around it are free. Percent and powers of ten may not.
  const std::string_view before = trimmed(prefix_), after = trimmed(suffix_);
  const auto missing = [&](std::string_view affix) { return !affix.empty() && mark_.empty(); };
  if (!before.empty() && text.starts_with(before))
    text.remove_prefix(before.size());
  else if (missing(before))
    return std::nullopt;
  if (!after.empty() && text.ends_with(after))
    text.remove_suffix(after.size());
  else if (missing(after))
    return std::nullopt;
  text = trimmed(text);
  take_minus();

  // Thousands are in groups of three, all of them or none.
  std::string digits;
  std::size_t run = 0;
  bool grouped = false, after_point = false;
  while (!text.empty()) {
    if (is_digit(text.front())) {
      digits += text.front();
      ++run;
      text.remove_prefix(1);
    } else if (!after_point && run > 0 && take_sign(text, thousands_)) {
      // No number of thousands begins with zero: 0,500 is a half, if anything.
      if (grouped ? run != 3 : run > 3 || digits.front() == '0') return std::nullopt;
      grouped = true;
      run = 0;
    } else if (!after_point && (run > 0 || digits.empty()) && take_sign(text, point_)) {
      if (grouped && run != 3) return std::nullopt;
      after_point = true;
      digits += '.';
      run = 0;
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
  int half_day = -1;
  Part last = Part::text;
  for (const DatePart& part : parts_) {
    std::optional<int> value;
    const bool after_short_name = last == Part::short_month_name;
    last = part.part;
    switch (part.part) {
      case Part::text:
        // The point of a short name, which "May" does not have, may be missing.
        if (take_sign(text, part.words)) continue;
        if (after_short_name && part.words.starts_with('.') && take_sign(text, std::string_view(part.words).substr(1)))
          continue;
        if (after_short_name && part.words == ".") continue;
        return std::nullopt;
      case Part::month_name:
      case Part::short_month_name:
        if (const auto name =
                MonthNames::at_front(part.part == Part::month_name ? months_->whole : months_->brief, text)) {
          text.remove_prefix(name->second);
          value = name->first + 1;
        }
        break;
      case Part::half_day:
        if (const std::string_view half = text.substr(0, 2); equal_folded(half, "am") || equal_folded(half, "pm")) {
          value = equal_folded(half, "pm") ? 12 : 0;
          text.remove_prefix(2);
        }
        break;
      case Part::year: value = number(4, 4); break;
      default: value = number(1, 2); break;  // an example of two digits may be padded or not
    }
    if (!value) return std::nullopt;
    switch (part.part) {
      case Part::year: found[0] = *value; break;
      case Part::short_year: found[0] = *value + (*value < 70 ? 2000 : 1900); break;
      case Part::day: found[2] = *value; break;
      case Part::hour: found[3] = *value; break;
      case Part::half_day_hour:
        if (*value < 1 || *value > 12) return std::nullopt;
        found[3] = *value % 12;
        break;
      case Part::half_day: half_day = *value; break;
      case Part::minute: found[4] = *value; break;
      case Part::second: found[5] = *value; break;
      default: found[1] = *value; break;
    }
    with_time = with_time || part.part == Part::minute;
  }
  if (half_day > 0) found[3] += half_day;

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
