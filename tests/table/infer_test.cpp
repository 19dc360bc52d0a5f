#include <gtest/gtest.h>

#include <rapidcheck/gtest.h>
#include <cmath>

#include "table/infer.hpp"

#include "support/vectors.hpp"
#include "value/short_numbers.hpp"

using namespace lofty;
using namespace lofty::engine;

namespace {

struct Told {
  Type type;
  std::size_t misfits;
};

Told tell(const std::vector<const char*>& values) {
  PieceReader reader;
  for (const char* value : values) *value == '\0' ? reader.add_null() : reader.add(value);
  const Type type = type_from(reader.census());
  if (reader.serves(type)) return {type, reader.misfits().size()};
  PieceReader again(type);
  for (const char* value : values) *value == '\0' ? again.add_null() : again.add(value);
  return {type, again.misfits().size()};
}

std::vector<const char*> many(const char* usual, std::size_t count, const char* odd) {
  std::vector<const char*> values(count, usual);
  values.push_back(odd);
  return values;
}

}  // namespace

// SEMANTICS 9, one line a case: the values, and what the column is.
TEST(Types, TheNarrowestThatNinetyNineOfAHundredFit) {
  const struct {
    std::vector<const char*> values;
    Kind kind;
    std::size_t misfits;
  } cases[] = {
      {{"1", "-2", "0"}, Kind::integer, 0},
      {{"1", "2.5"}, Kind::decimal, 0},
      {{"2.5", "1"}, Kind::decimal, 0},
      {{".5", "0.25"}, Kind::decimal, 0},
      {{"1e3", "2"}, Kind::floating, 0},
      {{"true", "FALSE"}, Kind::boolean, 0},
      {{"2025-03-31", "2024-02-29"}, Kind::date, 0},
      {{"2025-03-31 12:00", "2025-03-31T12:00:01"}, Kind::timestamp, 0},
      {{"paid", "open"}, Kind::text, 0},
      {{"", ""}, Kind::text, 0},
      {{"007", "8"}, Kind::text, 0},
      {{"0.5", "0"}, Kind::decimal, 0},
      {{"1", "x"}, Kind::text, 0},
      {{"2025-02-30", "2025-03-01"}, Kind::text, 0},
      {{"1,000", "2,000"}, Kind::text, 0},
      {{"+5", "+6"}, Kind::text, 0},
      {many("5", 98, "x"), Kind::text, 0},
      {many("5", 99, "x"), Kind::integer, 1},
      {many("5.25", 99, "1e2"), Kind::decimal, 1},
      {many("5.25", 98, "1e2"), Kind::floating, 0},
      {many("5", 1000, "2.5"), Kind::decimal, 0},  // never lost to the narrower type
      {many("5", 1000, "007"), Kind::text, 0},
      {{"12345678901234567890", "1"}, Kind::integer, 0},
  };
  for (const auto& c : cases) {
    const Told told = tell(c.values);
    EXPECT_EQ(told.type.kind, c.kind) << c.values.front() << " ... " << c.values.back() << ": "
                                      << to_string(told.type.kind);
    EXPECT_EQ(told.misfits, c.misfits) << c.values.front() << " ... " << c.values.back();
  }
}

TEST(Types, MisfitsAreNullAndKeepTheirRow) {
  std::vector<const char*> values(200, "7");
  values[120] = "seven";
  PieceReader reader;
  for (const char* value : values) reader.add(value);
  ASSERT_EQ(reader.misfits().size(), 1u);
  EXPECT_EQ(reader.misfits()[0].row, 120u);
  EXPECT_EQ(reader.misfits()[0].text, "seven");
  const Type type = type_from(reader.census());
  std::vector<Piece> pieces;
  pieces.push_back(reader.take(type));
  const auto column = Column::seal(type, std::move(pieces), {});
  EXPECT_TRUE(column->is_null(120));
  EXPECT_EQ(column->int64(119), 7);
}

TEST(Types, ADecimalsScaleIsTheLongestOne) {
  PieceReader reader;
  for (const char* value : {"1", "2.5", "3.125", "4"}) reader.add(value);
  const Type type = type_from(reader.census());
  EXPECT_EQ(type.scale, 3);
  std::vector<Piece> pieces;
  pieces.push_back(reader.take(type));
  const auto column = Column::seal(type, std::move(pieces), {});
  EXPECT_EQ(to_text(column->value(0)), "1.000");
  EXPECT_EQ(to_text(column->value(2)), "3.125");
}

// Eight at a time or one by one: the same numbers, and an end at the same field.
RC_GTEST_PROP(TypesProperty, VectorsReadShortNumbersAsPlainCodeDoes, ()) {
  const auto scale = *rc::gen::inRange<std::size_t>(0, 8);
  const auto count = *rc::gen::inRange<std::size_t>(0, 40);
  const auto spoilt = *rc::gen::inRange<std::size_t>(0, 60);
  std::string text;
  std::vector<std::uint32_t> begins;
  for (std::size_t r = 0; r < count; ++r) {
    const int digits = *rc::gen::inRange(1, 9);
    std::string number =
        std::to_string(*rc::gen::inRange<std::uint32_t>(0, static_cast<std::uint32_t>(std::pow(10, digits))));
    if (scale > 0) {
      number += '.';
      for (std::size_t i = 0; i < scale; ++i) number += *rc::gen::element('0', '5', '9');
    }
    if (r == spoilt) {
      number =
          *rc::gen::element<std::string>("", "0" + number, number + "0", "-" + number, "x" + number, number + ":",
                                         "123456789" + number, ".", "1/5", "\xC3\xA9" + number, number + "." + number);
    }
    begins.push_back(static_cast<std::uint32_t>(text.size()));
    text += number + ",";
    begins.push_back(static_cast<std::uint32_t>(text.size()));
  }
  text += "99999999";
  std::vector<std::int64_t> vectors(count, -1), plain(count, -1);
  std::size_t expected = 0;
  {
    const OnlyVectors none(Vectors::none);
    expected = read_short_numbers(text.data(), begins.data(), 2, count, scale, plain.data());
  }
  const std::size_t got = read_short_numbers(text.data(), begins.data(), 2, count, scale, vectors.data());
  RC_ASSERT(got == expected);
  for (std::size_t r = 0; r < got; ++r) RC_ASSERT(vectors[r] == plain[r]);
  const bool fits = spoilt < count ? expected >= spoilt : expected == count;  // what was spoilt may still be a number
  RC_ASSERT(fits);
}

// The loops over many fields against the plain reading of each text separately: the same looks, the same values,
// whatever follows a text in memory, wherever a stretch of fields ends, and with other columns between them.
RC_GTEST_PROP(TypesProperty, ManyFieldsReadAsEachDoesByItself, ()) {
  const auto texts = *rc::gen::container<std::vector<std::string>>(
      rc::gen::oneOf(rc::gen::element<std::string>("0", "00", "007", "0.5", "1.50", "12.5", "-3", "-0.25", "99999999",
                                                   "123456789", "12345678.90", "1234567890123456789", "x", "x", "",
                                                   "1e5", "5.", ".5", "-", "1.2.3", "+5"),
                     rc::gen::map(rc::gen::inRange(0, 100'000'000), [](int v) { return std::to_string(v); }),
                     rc::gen::map(rc::gen::inRange(-99'999, 99'999), [](int v) { return Decimal(v, 2).text(); })));
  const auto others = *rc::gen::inRange<std::size_t>(0, 3);
  const std::string other = *rc::gen::element<std::string>("", "9", "12.50", "99999999");
  std::string text;
  std::vector<std::uint32_t> begins;
  const auto here = [&] { return static_cast<std::uint32_t>(text.size()); };
  for (const std::string& one : texts) {
    begins.push_back(here());
    text += one + (others == 0 ? "\n" : ",");
    for (std::size_t i = 0; i < others; ++i) {
      begins.push_back(here());
      text += other + (i + 1 < others ? "," : "\n");
    }
    begins.push_back(here());
  }
  text += std::string(FieldRun::padding, *rc::gen::element('9', '.', '\n'));
  const OnlyVectors only(*rc::gen::arbitrary<bool>() ? Vectors::none : Vectors::avx512);
  PieceReader together, plain;
  for (std::size_t done = 0; done < texts.size();) {
    const std::size_t count = *rc::gen::inRange<std::size_t>(1, texts.size() - done + 1);
    together.add_fields({text.data(), begins.data() + done * (others + 2), others + 2, count});
    done += count;
  }
  Census expected;
  for (const std::string& one : texts) {
    if (one.empty()) {
      plain.add_null();
      ++expected.count[static_cast<std::size_t>(Look::blank)];
      continue;
    }
    plain.add(one);
    const Reading reading = read_text(one);
    ++expected.count[static_cast<std::size_t>(reading.look)];
    if (reading.look == Look::decimal) expected.scale = std::max(expected.scale, reading.scale);
  }
  for (PieceReader* reader : {&together, &plain}) {
    RC_ASSERT(reader->census().count == expected.count);
    RC_ASSERT(reader->census().scale == expected.scale);
    RC_ASSERT(reader->rows() == texts.size());
    const Type type = type_from(expected);
    if (!reader->serves(type)) continue;
    if (type.kind == Kind::floating) continue;
    std::vector<Piece> pieces;
    pieces.push_back(reader->take(type));
    const Type sealed = pieces[0].type;
    const auto column = Column::seal(sealed, std::move(pieces), {});
    for (std::size_t i = 0; i < texts.size(); ++i) {
      if (type.kind == Kind::text) {
        RC_ASSERT(column->is_null(i) == texts[i].empty());
        if (!texts[i].empty()) RC_ASSERT(to_text(column->value(i)) == texts[i]);
        continue;
      }
      const Reading reading = texts[i].empty() ? Reading{} : read_text(texts[i]);
      const bool fits = reading.look == Look::integer || (reading.look == Look::decimal && type.kind == Kind::decimal);
      RC_ASSERT(column->is_null(i) == !fits);
      if (fits) RC_ASSERT(std::get<Decimal>(column->value(i)) == Decimal(reading.coefficient, reading.scale));
    }
  }
}
