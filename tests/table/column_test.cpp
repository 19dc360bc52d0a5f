#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include "table/column.hpp"

using namespace lofty;
using namespace lofty::engine;

// Whatever goes into pieces, packed or not, of any widths, comes out of the sealed column.
RC_GTEST_PROP(Column, HoldsWhatItsPiecesHeld, ()) {
  std::vector<std::optional<std::int64_t>> all;
  std::vector<Piece> pieces;
  const int count = *rc::gen::inRange(0, 5);
  for (int p = 0; p < count; ++p) {
    Piece piece(Type{Kind::integer});
    const int bits = *rc::gen::inRange(1, 65);
    const auto values = *rc::gen::container<std::vector<std::pair<bool, std::uint64_t>>>(
        rc::gen::pair(rc::gen::weightedElement<bool>({{1, true}, {4, false}}), rc::gen::arbitrary<std::uint64_t>()));
    for (const auto& [null, raw] : values) {
      const auto value = static_cast<std::int64_t>(bits == 64 ? raw : raw & ((std::uint64_t{1} << bits) - 1));
      if (null) {
        piece.add_null();
        all.emplace_back();
      } else {
        piece.add_integer(value);
        all.emplace_back(value);
      }
    }
    if (*rc::gen::arbitrary<bool>()) piece.pack();
    RC_ASSERT(piece.rows() == values.size());
    pieces.push_back(std::move(piece));
  }
  const auto column = Column::seal(Type{Kind::integer}, std::move(pieces), {});
  RC_ASSERT(column->rows() == all.size());
  std::size_t nulls = 0;
  for (std::size_t i = 0; i < all.size(); ++i) {
    RC_ASSERT(column->is_null(i) == !all[i].has_value());
    nulls += !all[i];
    if (all[i]) RC_ASSERT(std::get<Decimal>(column->value(i)) == Decimal(*all[i], 0));
  }
  RC_ASSERT(column->nulls() == nulls);
  std::vector<std::uint8_t> marked(all.size());
  column->mark_nulls(marked.data());
  for (std::size_t i = 0; i < all.size(); ++i) RC_ASSERT((marked[i] != 0) == !all[i].has_value());
  if (column->lane() != Lane::int64 || all.empty()) return;
  const auto rows = *rc::gen::container<std::vector<std::uint32_t>>(
      rc::gen::inRange(std::uint32_t{0}, static_cast<std::uint32_t>(all.size())));
  std::vector<std::int64_t> picked(rows.size());
  column->pick_int64(rows, picked.data());
  for (std::size_t i = 0; i < rows.size(); ++i) RC_ASSERT(picked[i] == all[rows[i]].value_or(int64_null));
}

TEST(Column, TextsShareOneDictionaryInTheOrderOfThePieces) {
  std::vector<Piece> pieces;
  for (const std::vector<const char*>& texts : {std::vector<const char*>{"b", "a", "b"}, {"c", "a"}, {}}) {
    Piece piece(Type{Kind::text});
    for (const char* text : texts) piece.add_text(text);
    piece.add_null();
    pieces.push_back(std::move(piece));
  }
  const auto column = Column::seal(Type{Kind::text}, std::move(pieces), {});
  EXPECT_EQ(column->rows(), 8u);
  EXPECT_EQ(column->nulls(), 3u);
  EXPECT_EQ(column->code(0), 0u);
  EXPECT_EQ(column->code(4), 2u);
  EXPECT_EQ(column->code(5), 1u);
  EXPECT_EQ(to_text(column->value(4)), "c");
  EXPECT_EQ(column->code(7), Dictionary::none);
}

TEST(Column, TakesAsFewBytesAsTheRangeNeeds) {
  const auto bytes = [](std::int64_t least, std::int64_t greatest) {
    Piece piece(Type{Kind::integer});
    piece.add_integer(least);
    piece.add_integer(greatest);
    std::vector<Piece> pieces;
    pieces.push_back(std::move(piece));
    const auto column = Column::seal(Type{Kind::integer}, std::move(pieces), {});
    EXPECT_EQ(column->integer(0), least);
    EXPECT_EQ(column->integer(1), greatest);
    return column->bytes() / 2;
  };
  EXPECT_EQ(bytes(1'000'000, 1'000'254), 1u);
  EXPECT_EQ(bytes(1'000'000, 1'000'255), 2u);  // 255 values and null are too many for a byte
  EXPECT_EQ(bytes(-5, 65'000), 2u);
  EXPECT_EQ(bytes(0, 65'535), 4u);
  EXPECT_EQ(bytes(0, std::int64_t{1} << 40), 8u);
  EXPECT_EQ(bytes(std::numeric_limits<std::int64_t>::min() + 1, std::numeric_limits<std::int64_t>::max()), 8u);
  EXPECT_EQ(bytes(std::numeric_limits<std::int64_t>::min(), 0), 16u);
}

// An empty text was once kept as a view without data, which means null elsewhere.
TEST(Column, AnEmptyTextIsNotNull) {
  Piece piece(Type{Kind::text});
  piece.add_text("");
  std::vector<Piece> pieces;
  pieces.push_back(std::move(piece));
  const auto column = Column::seal(Type{Kind::text}, std::move(pieces), {});
  EXPECT_FALSE(column->is_null(0));
  EXPECT_NE(column->dictionary().text(0).data(), nullptr);
}

TEST(Column, FloatsAndTextsMarkTheirNulls) {
  for (const Kind kind : {Kind::floating, Kind::text}) {
    Piece piece(Type{kind});
    for (int i = 0; i < 40; ++i)
      if (i % 3 == 1)
        piece.add_null();
      else
        piece.add(kind == Kind::floating ? Value(i / 2.0) : Value(std::to_string(i)));
    const auto column = Column::seal(std::move(piece));
    std::vector<std::uint8_t> marked(40, 7);
    column->mark_nulls(marked.data());
    for (int i = 0; i < 40; ++i) EXPECT_EQ(i % 3 == 1, marked[static_cast<std::size_t>(i)] == 1);
  }
}
