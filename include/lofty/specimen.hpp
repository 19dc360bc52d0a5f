#pragma once
// A format by one example: a text as a file or a reader has it, and what it means.

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/export.hpp"
#include "lofty/value.hpp"

namespace lofty LOFTY_EXPORT {

// "1.234,50 € = 1234.50", "12.5 % = 0.125", "(1,234.50) = -1234.50", "31/12/25 = 2025-12-31". What is left of the last
// equals sign is a text, and what is right of it the number (12, -0.5), date (2025-12-31) or timestamp (2025-12-31
// 14:05) that it means. The sign of the decimals, the sign between thousands, the number of decimals, percent and other
// powers of ten, a currency mark, how negative numbers are written, and the order of a date's parts follow from it.
//
//   const auto money = lofty::Specimen::parse("1.234,50 € = 1234.50");
//   money.text(lofty::Decimal(-98765, 1));   // "-9.876,50 €"
//   money.read("12,00 €");                   // 12.00
//
// A plain value, safe to share between threads.
class Specimen {
 public:
  // Throws Error(syntax) where there is no `=`, or a side is empty; Error(bad_value) where the text can't mean that, or
  // can mean it in two ways ("05/05/2025 = 2025-05-05"), with advice to an example that can't.
  // Months may have their names of `locale` ("de", "en_GB"; empty: English), and their English ones always.
  static Specimen parse(std::string_view specimen, const std::string& locale = {});
  // By several examples of one form: the first shows it, and others add what it does not show, as how negative numbers
  // are written ("1.234,50 = 1234.5", "(99,00) = -99"). Throws as the other, and Error(bad_value) where two examples
  // contradict each other, or there is none.
  static Specimen parse(std::span<const std::string> examples, const std::string& locale = {});

  const std::string& source() const { return source_; }  // as it was written, the first of several
  bool fits(const Type& type) const;                     // numbers for numbers, dates for dates and timestamps
  // What texts of this form are read as: integer where neither decimals nor smaller parts are shown, decimal, date or
  // timestamp.
  Kind kind() const;
  bool is_number() const { return parts_.empty(); }

  // ---- numbers
  int decimals() const { return decimals_; }  // that are shown
  int power() const { return power_; }        // shown = value * 10^power: 2 for percent
  // The same as a workbook's number format: `#,##0.00 "€"`. Nothing where such a format can't say it: powers of ten
  // other than percent. Programs show their own locale's signs of decimals and thousands.
  std::optional<std::string> workbook_format(int decimals) const;

  // The value as the example has it; a number is rounded half to even, to the example's decimals or to so many shown
  // ones. Null, what the format does not fit, and numbers that get more than 38 digits: to_text(value).
  std::string text(const Value& value) const { return text(value, decimals_); }
  std::string text(const Value& value, int decimals) const;
  // The other way: the value of a text of this form. Nothing for every other text. Signs between thousands are at every
  // third digit or nowhere, decimals may be fewer or more, and a currency or unit mark may be left out (but not percent
  // or a power of ten, which would change the value). Years of two digits are 1970 to 2069.
  std::optional<Value> read(std::string_view text) const;
  // The currency or unit that numbers have before or after them, without blanks. Empty: none, or one that read() needs.
  const std::string& mark() const { return mark_; }

 private:
  enum class Part : std::uint8_t {
    text,
    year,
    short_year,
    month,
    day,
    month_name,
    short_month_name,
    hour,
    half_day_hour,  // 1 to 12, next to half_day
    minute,
    second,
    half_day  // AM or PM
  };
  struct MonthNames;
  struct DatePart {
    Part part = Part::text;
    std::string words = {};  // Part::text
    bool padded = false;     // two digits always
  };
  struct Reading;

  // `settled`: an earlier example of the same form, which decides between several readings; null: none.
  static Specimen parsed(std::string_view specimen, const std::string& locale, const Specimen* settled);
  void learn_number(std::string_view specimen, std::string_view shown, std::string_view meant, const Decimal& number,
                    const Specimen* settled);
  void learn_date(std::string_view specimen, std::string_view shown, std::string_view meant);
  std::optional<std::string> number_text(const Decimal& value, int decimals) const;
  std::string date_text(const Value& value) const;
  std::optional<Value> read_number(std::string_view text) const;
  std::optional<Value> read_date(std::string_view text) const;
  std::vector<Reading> readings_as_number(std::string_view text, const Decimal& meaning) const;
  std::vector<DatePart> parts_of(const std::string& token, const std::vector<DatePart>& before,
                                 const std::array<int, 6>& meaning, bool with_time) const;
  void add_example(const Specimen& other);
  std::vector<std::vector<DatePart>> readings_as_date(std::string_view text, const std::array<int, 6>& meaning,
                                                      bool with_time) const;

  std::string source_;
  // Numbers: prefix, digits, suffix; a negative one has `negative` around all of that.
  std::string prefix_, suffix_, point_, thousands_;
  std::string negative_before_ = "-", negative_after_;
  std::string negative_at_digits_;  // "kr -99": the minus sign between the mark and the digits, instead of those
  std::string mark_;
  int decimals_ = 0;
  int power_ = 0;
  // Dates; empty: a number.
  std::vector<DatePart> parts_;
  std::shared_ptr<const MonthNames> months_;
};

}  // namespace lofty
