// Results on their way to their rows, against one assignment a row.
#include "table/column_scatter.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <limits>
#include <numeric>
#include <random>
#include <thread>
#include <vector>

#include "base/bucket_lines.hpp"
#include "support/vectors.hpp"

using namespace lofty;
using namespace lofty::engine;

namespace {

std::vector<std::uint32_t> shuffled_rows(std::size_t size, std::mt19937_64& random) {
  std::vector<std::uint32_t> rows(size);
  std::iota(rows.begin(), rows.end(), 0u);
  std::shuffle(rows.begin(), rows.end(), random);
  return rows;
}

// Values of some length, of one of the five kinds, and what they are by row.
struct Made {
  ByPosition column;
  std::vector<Value> by_row;
};

Made make(int kind, int bits, const std::vector<std::uint32_t>& rows, std::mt19937_64& random) {
  const std::size_t size = rows.size();
  const std::uint64_t mask = bits == 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << bits) - 1;
  Made out{{Type{.kind = kind == 2 ? Kind::floating : Kind::integer}, {}}, std::vector<Value>(size)};
  if (kind == 0) {
    const std::int64_t least = bits == 64 ? 0 : static_cast<std::int64_t>(random() % 1000) - 500;
    Buffer<std::int64_t> values(size);
    for (std::size_t i = 0; i < size; ++i) {
      values[i] = random() % 5 == 0 ? int64_null
                                    : static_cast<std::int64_t>((random() & mask) + static_cast<std::uint64_t>(least));
      if (values[i] != int64_null) out.by_row[rows[i]] = Decimal(values[i], 0);
    }
    out.column.values = std::move(values);
  } else if (kind > 2) {  // packed, with nulls or without; words from anywhere in their range
    const std::int64_t least = static_cast<std::int64_t>(random() % 1000) - 500, length = std::min(bits, 31);
    PackedNumbers values = PackedNumbers::between(least, least + (std::int64_t{1} << length) - 1, kind == 4);
    values.allocate(size);
    const auto put = [&](auto* words) {
      for (std::size_t i = 0; i < size; ++i) {
        using Word = std::remove_pointer_t<decltype(words)>;
        words[i] = static_cast<Word>((random() & mask & ((std::uint64_t{1} << length) - 1)) + values.nulls);
        if (values.nulls && random() % 5 == 0) words[i] = 0;
        if (words[i] != 0 || !values.nulls) out.by_row[rows[i]] = Decimal(values.value(words[i]), 0);
      }
    };
    if (values.width == 2)
      put(values.data<std::uint16_t>());
    else
      put(values.data<std::uint32_t>());
    out.column.values = std::move(values);
  } else if (kind == 1) {
    Buffer<std::uint32_t> values(size);
    for (std::size_t i = 0; i < size; ++i) {
      values[i] = static_cast<std::uint32_t>(random() & mask);
      out.by_row[rows[i]] = Decimal(values[i], 0);
    }
    out.column.values = std::move(values);
  } else {
    const double some[] = {0.0, -0.0, 1.5, -1e300, std::numeric_limits<double>::infinity(), std::nan("")};
    Buffer<double> values(size);
    for (std::size_t i = 0; i < size; ++i) {
      values[i] = some[random() % 6];
      if (!std::isnan(values[i])) out.by_row[rows[i]] = values[i];
    }
    out.column.values = std::move(values);
  }
  return out;
}

void expect_same(const Column& column, const std::vector<Value>& expected) {
  ASSERT_EQ(column.rows(), expected.size());
  std::size_t nulls = 0;
  for (std::size_t row = 0; row < expected.size(); ++row) {
    nulls += is_null(expected[row]);
    ASSERT_EQ(column.value(row), expected[row]) << row;
    const auto* const number = std::get_if<double>(&expected[row]);
    ASSERT_FALSE(number != nullptr && *number == 0 && std::signbit(column.float64(row))) << "there is one zero";
  }
  EXPECT_EQ(column.nulls(), nulls);
}

}  // namespace

// Any columns together are what each is alone, and come back in their sequence.
RC_GTEST_PROP(ColumnScatter, BringsEveryValueToItsRow, ()) {
  std::mt19937_64 random(*rc::gen::arbitrary<std::uint64_t>());
  const auto rows = shuffled_rows(*rc::gen::inRange<std::size_t>(0, 2000), random);
  const lofty::Run run;
  const OnlyVectors only(*rc::gen::element(Vectors::none, Vectors::avx2, Vectors::avx512));
  ColumnScatter scatter(rows, run);
  std::vector<std::vector<Value>> expected;
  std::vector<ColumnPtr> columns;
  const auto take = [&] {
    for (ColumnPtr& column : scatter.columns()) columns.push_back(std::move(column));
    RC_ASSERT(scatter.waiting() == 0u);
  };
  const int count = *rc::gen::inRange(0, 14);
  for (int c = 0; c < count; ++c) {
    Made made = make(*rc::gen::inRange(0, 5), *rc::gen::inRange(0, 65), rows, random);
    expected.push_back(std::move(made.by_row));
    if (!scatter.add(made.column)) {
      RC_ASSERT(scatter.waiting() > 0u);
      take();
      RC_ASSERT(scatter.add(made.column));
    }
  }
  take();
  RC_ASSERT(columns.size() == expected.size());
  for (std::size_t c = 0; c < columns.size(); ++c) expect_same(*columns[c], expected[c]);
}

// Records of each size, by more rows than one thread takes.
TEST(ColumnScatter, RecordsOfEveryLengthByThreads) {
  std::mt19937_64 random(5);
  const auto rows = shuffled_rows(130'000, random);
  for (const std::vector<int>& bits : {std::vector<int>{7},
                                       {3, 4},
                                       {9, 5},
                                       {20, 9},
                                       {30, 9, 9},
                                       {40, 40},
                                       {60, 30, 30, 20},
                                       {63, 63, 63},
                                       {63, 63, 63, 60},
                                       {64}}) {
    for (const int threads : {1, 3}) {
      const lofty::Run run{.threads = threads};
      ColumnScatter scatter(rows, run);
      std::vector<std::vector<Value>> expected;
      for (const int length : bits) {
        Made made = make(length > 32 ? 0 : length % 2 == 1 ? 1 : length > 4 ? 0 : 4, length, rows, random);
        expected.push_back(std::move(made.by_row));
        ASSERT_TRUE(scatter.add(made.column));
      }
      const auto columns = scatter.columns();
      for (std::size_t c = 0; c < columns.size(); ++c) expect_same(*columns[c], expected[c]);
    }
  }
}

// All 64-bit numbers but the least, which is null, and null.
TEST(ColumnScatter, TheWholeRangeFitsAWord) {
  const std::vector<std::uint32_t> rows{1, 0, 2};
  const lofty::Run run;
  ColumnScatter scatter(rows, run);
  constexpr std::int64_t most = std::numeric_limits<std::int64_t>::max();
  for (int i = 0; i < 4; ++i) {
    Buffer<std::int64_t> values(3);
    values[0] = most;
    values[1] = -most;
    values[2] = int64_null;
    ByPosition whole{Type{.kind = Kind::integer}, std::move(values)};
    ASSERT_TRUE(scatter.add(whole));
  }
  ByPosition more{Type{.kind = Kind::integer}, Buffer<std::uint32_t>(3)};
  std::get<Buffer<std::uint32_t>>(more.values)[0] = 5;
  std::get<Buffer<std::uint32_t>>(more.values)[1] = 6;
  std::get<Buffer<std::uint32_t>>(more.values)[2] = 6;
  EXPECT_FALSE(scatter.add(more)) << "a fifth word";
  const auto columns = scatter.columns();
  ASSERT_EQ(columns.size(), 4u);
  for (const ColumnPtr& column : columns) expect_same(*column, {Decimal(-most, 0), Decimal(most, 0), {}});
  ASSERT_TRUE(scatter.add(more));
  expect_same(*scatter.columns().front(), {Decimal(6, 0), Decimal(5, 0), Decimal(6, 0)});
}

namespace {

// Two threads deal records into the same buckets, each into its own places, against one assignment a record.
template <std::size_t words>
void deal_by_lines(std::size_t buckets, std::size_t records, std::size_t at_once, std::mt19937_64& random) {
  using Record = std::array<std::uint16_t, words>;
  constexpr std::size_t threads = 2;
  std::vector<std::vector<std::uint8_t>> to(threads);
  std::vector<std::vector<std::uint32_t>> begins(threads, std::vector<std::uint32_t>(buckets));
  for (auto& own : to)
    for (std::size_t i = 0; i < records; ++i)
      own.push_back(static_cast<std::uint8_t>(random() % (random() % buckets + 1)));
  std::uint32_t sum = 0;  // buckets begin anywhere, in the midst of lines too, and some are empty
  for (std::size_t b = 0; b < buckets; ++b)
    for (std::size_t t = 0; t < threads; ++t) {
      begins[t][b] = sum;
      sum += static_cast<std::uint32_t>(std::count(to[t].begin(), to[t].end(), b));
    }
  Buffer<Record> out(sum);
  std::vector<Record> expected(sum);
  std::vector<std::vector<Record>> given(threads, std::vector<Record>(records));
  for (auto& own : given)
    for (Record& one : own)
      for (auto& word : one) word = static_cast<std::uint16_t>(random());
  std::vector<std::thread> all;
  for (std::size_t t = 0; t < threads; ++t) {
    std::vector<std::uint32_t> plain = begins[t];
    for (std::size_t i = 0; i < records; ++i) expected[plain[to[t][i]]++] = given[t][i];
    all.emplace_back([&, t] {
      std::vector<std::uint32_t> next = begins[t], places(records);
      for (std::size_t i = 0; i < records; ++i) places[i] = next[to[t][i]]++;
      BucketLines<Record> lines(begins[t], out.data());
      for (std::size_t i = 0; i < records; i += at_once)
        lines.put(to[t].data() + i, places.data() + i, given[t].data() + i, std::min(at_once, records - i));
      for (std::size_t b = 0; b < buckets; ++b)
        if (next[b] != begins[t][b]) lines.finish(b, next[b]);
    });
  }
  for (std::thread& one : all) one.join();
  EXPECT_TRUE(std::ranges::equal(out.view(), expected)) << words << " words, " << buckets << " buckets of " << records;
}

}  // namespace

TEST(BucketLines, PutEveryRecordInItsPlace) {
  std::mt19937_64 random(3);
  for (const std::size_t buckets : {1, 2, 7, 200})
    for (const std::size_t records : {0, 1, 5, 31, 1000, 5000})
      for (const std::size_t at_once : {1, 64, 10'000}) {
        deal_by_lines<1>(buckets, records, at_once, random);
        deal_by_lines<4>(buckets, records, at_once, random);
        deal_by_lines<8>(buckets, records, at_once, random);
        deal_by_lines<16>(buckets, records, at_once, random);
      }
}
