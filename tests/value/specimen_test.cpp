// Formats by one example.
#include "lofty/specimen.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include "support/tables.hpp"

using namespace lofty;
using support::money;

namespace {

std::string refusal(const char* specimen) {
  try {
    Specimen::parse(specimen);
    return "no refusal";
  } catch (const Error& error) {
    EXPECT_EQ(error.problems().size(), 1u);
    EXPECT_FALSE(error.problems()[0].advice.empty()) << specimen;
    return std::string(to_string(error.code())) + ": " + error.problems()[0].sentence;
  }
}

Value date(const char* text) { return *Date::parse(text); }
Value moment(const char* text) { return *Timestamp::parse(text); }

}  // namespace

TEST(Specimen, ShowsNumbersAsTheExampleDoes) {
  const struct {
    const char *specimen, *value, *shown;
  } cases[] = {
      {"12 = 12", "7", "7"},
      {"12.50 = 12.50", "7", "7.00"},
      {"12.50 = 12.50", "-1234.5", "-1234.50"},  // no thousands in it, so none are shown
      {"1,234.50 = 1234.50", "-1234567.5", "-1,234,567.50"},
      {"1.234,50 \u20AC = 1234.50", "98765.4", "98.765,40 \u20AC"},
      {"\u20AC 1,234 = 1234", "-98765", "-\u20AC 98,765"},
      {"EUR 1,234 = 1234", "5", "EUR 5"},
      {"1 234,5 kr = 1234.5", "12345.25", "12 345,2 kr"},  // half to even
      {"1\u202F234 = 1234", "1234567", "1\u202F234\u202F567"},
      {"1'234.50 = 1234.5", "1234567", "1'234'567.00"},
      {"12.5 % = 0.125", "0.5", "50.0 %"},
      {"12.5% = 0.125", "-0.5", "-50.0%"},
      {"12 \u2030 = 0.012", "0.5", "500 \u2030"},
      {"1.2 k = 1200", "12345", "12.3 k"},
      {"3.5 million = 3500000", "1000000", "1.0 million"},
      {"(1,234.50) = -1234.50", "-7", "(7.00)"},
      {"(1,234.50) = -1234.50", "7", "7.00"},
      {"12.50- = -12.50", "-7", "7.00-"},
      {"-\u20AC12.50 = -12.50", "-7", "-\u20AC7.00"},
      {"1,234,567 = 1234567", "1234", "1,234"},
      {"0.5 = 0.5", "99999999999999999999999999999999999.5", "99999999999999999999999999999999999.5"},
  };
  for (const auto& one : cases) {
    const Specimen format = Specimen::parse(one.specimen);
    EXPECT_TRUE(format.is_number());
    EXPECT_EQ(format.text(money(one.value)), one.shown) << one.specimen;
    EXPECT_EQ(format.source(), one.specimen);
  }
  EXPECT_EQ(Specimen::parse("12.5 % = 0.125").text(0.25), "25.0 %");  // floats too
  EXPECT_EQ(Specimen::parse("12.5 % = 0.125").text(support::null()), "");
  EXPECT_EQ(Specimen::parse("12.5 % = 0.125").text(std::string("x")), "x");
}

TEST(Specimen, ShowsDatesAsTheExampleDoes) {
  const struct {
    const char *specimen, *value, *shown;
  } cases[] = {
      {"31/12/2025 = 2025-12-31", "2026-03-05", "05/03/2026"},
      {"12/31/25 = 2025-12-31", "2026-03-05", "03/05/26"},
      {"9.3.2025 = 2025-03-09", "2026-11-25", "25.11.2026"},
      {"31 December 2025 = 2025-12-31", "2026-03-05", "05 March 2026"},
      {"Dec 9, 2025 = 2025-12-09", "2026-03-15", "Mar 15, 2026"},
      {"20251231 = 2025-12-31", "2026-03-05", ""},
  };
  for (const auto& one : cases) {
    if (*one.shown == 0) {
      EXPECT_THROW(Specimen::parse(one.specimen), Error) << one.specimen;
      continue;
    }
    const Specimen format = Specimen::parse(one.specimen);
    EXPECT_FALSE(format.is_number());
    EXPECT_EQ(format.text(date(one.value)), one.shown) << one.specimen;
    EXPECT_EQ(format.read(one.shown), date(one.value)) << one.specimen;
  }
  const Specimen time = Specimen::parse("31/12/2025 14:05 = 2025-12-31 14:05");
  EXPECT_EQ(time.text(moment("2026-03-05 07:09:59")), "05/03/2026 07:09");
  EXPECT_EQ(time.read("05/03/2026 07:09"), moment("2026-03-05 07:09"));
  EXPECT_TRUE(time.fits({.kind = Kind::timestamp}));
  EXPECT_FALSE(time.fits({.kind = Kind::integer}));
}

TEST(Specimen, RefusesWhatItCannotMean) {
  const struct {
    const char *specimen, *refusal;
  } cases[] = {
      {"", "syntax: a format is an example: a text, an equals sign, and what the text means"},
      {"12.5 %", "syntax: a format is an example: a text, an equals sign, and what the text means"},
      {" = 12", "syntax: a format is an example: a text, an equals sign, and what the text means"},
      {"12 = twelve", "bad-value: `twelve` is neither a number nor a date"},
      {"12 = 13", "bad-value: `12` cannot mean 13"},
      {"12.5 = 0.125", "bad-value: `12.5` cannot mean 0.125"},  // no percent sign, no unit
      {"12.5 % = 12.5", "bad-value: `12.5 %` cannot mean 12.5"},
      {"1.234 k = 1234",
       "bad-value: `1.234 k` can mean 1234 in two ways: `.` may be in front of decimals, or between thousands"},
      {"1,23,456 = 123456", "bad-value: `1,23,456` cannot mean 123456"},
      {"none = 12", "bad-value: `none` has no digits"},
      {"12 = -12", "bad-value: `12` shows no minus sign and no parentheses, but means a negative number"},
      {"05/05/2025 = 2025-05-05", "bad-value: `05/05/2025` can mean 2025-05-05 in two ways"},
      {"12/11/12 = 2012-11-12", "bad-value: `12/11/12` can mean 2012-11-12 in two ways"},
      {"31/12/2025 = 2025-12-30", "bad-value: `31/12/2025` cannot mean 2025-12-30"},
      {"31/12 = 2025-12-31", "bad-value: `31/12` cannot mean 2025-12-31"},
      {"31/12/2025 = 2025-02-31", "bad-value: `2025-02-31` is neither a number nor a date"},
  };
  for (const auto& one : cases) EXPECT_EQ(refusal(one.specimen), one.refusal) << one.specimen;
  // Where both readings mean the same, there are not two.
  EXPECT_NO_THROW(Specimen::parse("1,234 = 1234"));
  EXPECT_NO_THROW(Specimen::parse("1.234 = 1.234"));
}

TEST(Specimen, ReadsNothingButItsForm) {
  const Specimen money_format = Specimen::parse("1.234,50 \u20AC = 1234.50");
  for (const auto& [text, value] : {std::pair{"12,00 \u20AC", "12.00"},
                                    {"1234,5 \u20AC", "1234.5"},
                                    {"-1.234.567,00 \u20AC", "-1234567"},
                                    {" 7 \u20AC ", "7"}})
    EXPECT_EQ(money_format.read(text), Value(money(value))) << text;
  EXPECT_EQ(money_format.read("12,00"), Value(money("12.00")));  // a mark may be left out
  EXPECT_EQ(money_format.read(",50 \u20AC"), Value(money("0.50")));
  for (const char* text : {"12.00", "$ 12,00", "1.23,00 \u20AC", "1.2345,00 \u20AC", "0.500,00 \u20AC", "12, \u20AC",
                           "12,0,0 \u20AC", "\u20AC", "", "1.234.56 \u20AC", "--1 \u20AC"})
    EXPECT_EQ(money_format.read(text), std::nullopt) << text;
  EXPECT_EQ(Specimen::parse("12.5 % = 0.125").read("50 %"), Value(money("0.5")));
  EXPECT_EQ(Specimen::parse("(1,234.50) = -1234.50").read("(7.00)"), Value(money("-7")));
  const Specimen day = Specimen::parse("31/12/25 = 2025-12-31");
  for (const char* text : {"31/13/25", "30/02/25", "31/12/2025", "31/12", "31-12-25", "x", ""})
    EXPECT_EQ(day.read(text), std::nullopt) << text;
  EXPECT_EQ(day.read("1/2/25"), date("2025-02-01"));  // two digits may be padded or not
  EXPECT_EQ(day.read("01/02/69"), date("2069-02-01"));
  EXPECT_EQ(day.read("01/02/70"), date("1970-02-01"));
}

TEST(Specimen, IsAFormatOfWorkbooksToo) {
  const struct {
    const char *specimen, *format;
  } cases[] = {
      {"12.5 % = 0.125", "0.0\" \"%"},
      {"1.234,50 \u20AC = 1234.50", "#,##0.00\" \u20AC\""},
      {"(1,234.50) = -1234.50", "#,##0.00;\"(\"#,##0.00\")\""},
      {"31/12/25 = 2025-12-31", "dd\"/\"mm\"/\"yy"},
      {"9 March 2025 = 2025-03-09", "d\" \"mmmm\" \"yyyy"},
      {"1.2 k = 1200", ""},
  };
  for (const auto& one : cases) {
    const Specimen format = Specimen::parse(one.specimen);
    EXPECT_EQ(format.workbook_format(format.decimals()).value_or(""), one.format) << one.specimen;
  }
}

// What is shown with enough decimals is read again as what it was, in every form.
RC_GTEST_PROP(SpecimenProperty, ReadsWhatItShows, ()) {
  const char* const forms[] = {"1,234.50 = 1234.50",
                               "1.234,5 \u20AC = 1234.5",
                               "12.5 % = 0.125",
                               "(1 234,50) = -1234.50",
                               "kr12- = -12",
                               "1.2 k = 1200",
                               "12 = 12"};
  const Specimen format = Specimen::parse(forms[*rc::gen::inRange(0, 7)]);
  const Decimal value(*rc::gen::inRange<std::int64_t>(-1'000'000'000'000, 1'000'000'000'000), *rc::gen::inRange(0, 6));
  const std::string shown = format.text(value, 12);
  // A form without a sign of decimals has been given one to show them with, which it does not read.
  RC_PRE(format.decimals() > 0);
  RC_ASSERT(format.read(shown) == Value(value));
}

// Every day in every form that has its parts.
RC_GTEST_PROP(SpecimenProperty, ReadsTheDaysThatItShows, ()) {
  const char* const forms[] = {"31/12/2025 = 2025-12-31", "2025.12.31 = 2025-12-31", "9.3.2025 = 2025-03-09",
                               "Dec 31, 2025 = 2025-12-31", "31 December 2025 = 2025-12-31"};
  const Specimen format = Specimen::parse(forms[*rc::gen::inRange(0, 5)]);
  const Date day{*rc::gen::inRange(-700'000, 2'900'000)};
  RC_ASSERT(format.read(format.text(day)) == Value(day));
}
