#include <gtest/gtest.h>

#include "table/infer.hpp"

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
                                      << kind_name(told.type.kind);
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
