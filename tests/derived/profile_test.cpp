#include "lofty/profile.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <map>
#include <random>
#include <set>

#include "lofty/table_files.hpp"
#include "support/process.hpp"

using namespace lofty;

namespace {

TableProfile profile_of(const std::string& text) {
  const support::Scratch scratch;
  const auto source = open_delimited(scratch.file("t.csv", text));
  std::vector<std::size_t> all(source->headings().size());
  for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
  return profile(source->read(all, {}));
}

std::string doubt(const TableProfile& p, const std::string& code) {
  for (const Remark& remark : p.remarks)
    if (remark.code == code) return remark.sentence;
  return {};
}

}  // namespace

TEST(Profile, SaysWhatEachColumnHolds) {
  const TableProfile p = profile_of("no,price,state\n1,2.50,paid\n2,,paid\n3,12.25,open\n");
  EXPECT_EQ(p.rows, 3u);
  ASSERT_EQ(p.columns.size(), 3u);
  EXPECT_TRUE(p.columns[0].key);
  EXPECT_FALSE(p.columns[1].key);
  EXPECT_EQ(p.columns[1].blanks, 1u);
  EXPECT_EQ(p.columns[1].distinct, 2u);
  EXPECT_EQ(to_text(p.columns[1].least), "2.50");
  EXPECT_EQ(to_text(p.columns[1].greatest), "12.25");
  EXPECT_EQ(to_text(p.columns[2].samples[0]), "paid");  // the commonest first
  EXPECT_TRUE(p.remarks.empty());
}

TEST(Profile, SaysItsDoubts) {
  EXPECT_EQ(doubt(profile_of("a\n007\n8\n"), "numbers-as-text"),
            "`a` holds numbers, and 1 value with leading zeros: it is kept as text");
  EXPECT_EQ(doubt(profile_of("a\n1\n2\nx\n"), "numbers-as-text"), "`a` is text, though 2 of its 3 values are numbers");
  EXPECT_NE(doubt(profile_of("a,b\n\"1,000\",x\n\"2,500\",y\n"), "two-readings"), "");
  EXPECT_NE(doubt(profile_of("a\n2025-03-31\n31.12.2025\n"), "mixed-dates"), "");
  EXPECT_EQ(doubt(profile_of("a\npaid\nPaid \npaid\n"), "alike-spellings"),
            "`a` has spellings that differ only in case or blanks: `paid` (2), `Paid ` (1)");
  EXPECT_EQ(doubt(profile_of("a\nx\nn/a\n"), "null-words"),
            "`a` holds `n/a` (1) as text; nulls = [\"n/a\"] under [data] makes them null");
  EXPECT_EQ(doubt(profile_of("a,b\n1,2\n1,2\n1,3\n"), "duplicate-rows"),
            "1 row equals an earlier one in every column; they are kept");
  EXPECT_NE(doubt(profile_of("a\n2025-03-31 12:00\n2025-03-31 12:00Z\n"), "mixed-offsets"), "");
}

TEST(Profile, OfNothing) {
  const TableProfile p = profile_of("a,b\n");
  EXPECT_EQ(p.rows, 0u);
  EXPECT_EQ(p.columns[0].distinct, 0u);
  EXPECT_TRUE(is_null(p.columns[0].least));
  EXPECT_FALSE(p.columns[0].key);
}

// Values of every way of storing them, few and many different ones, in any order: against maps of texts.
RC_GTEST_PROP(ProfileProperty, CountsWhatMapsCount, ()) {
  const std::uint32_t seed = *rc::gen::arbitrary<std::uint32_t>();
  std::mt19937_64 random(seed);
  const std::size_t rows = random() % 300, kinds = 6, different = 1 + random() % 40;
  const auto cell = [&](std::size_t kind) -> std::string {
    const std::uint64_t n = random() % different;
    if (random() % 9 == 0) return {};
    switch (kind) {
      case 0: return std::to_string(n);
      case 1: return std::to_string(static_cast<std::int64_t>(n * 0x9e3779b97f4a7c15ULL >> 1) - (1LL << 61));
      case 2: return "1234567890123456789012345" + std::to_string(10 + n % 89) + ".5";
      case 3: return std::to_string(n) + ".5e1";
      case 4: return "t" + std::to_string(n % 7);
      default: return "2025-03-" + std::to_string(10 + n % 20);
    }
  };
  std::string text = "a,b,c,d,e,f,g\n";
  std::vector<std::string> lines;
  for (std::size_t r = 0; r < rows; ++r) {
    std::string line = "x";
    for (std::size_t k = 0; k < kinds; ++k) line += "," + cell(k);
    if (!lines.empty() && random() % 4 == 0) line = lines[random() % lines.size()];
    lines.push_back(line);
    text += line + "\n";
  }
  const support::Scratch scratch;
  const auto source = open_delimited(scratch.file("t.csv", text));
  const Table table = source->read(std::vector<std::size_t>{0, 1, 2, 3, 4, 5, 6}, {});
  const TableProfile p = profile(table);

  // Column by column, and the rows.
  std::set<std::string> whole;
  for (std::size_t r = 0; r < rows; ++r) {
    std::string all;
    for (std::size_t c = 0; c <= kinds; ++c)
      all += (is_null(table.value(r, c)) ? "null" : to_text(table.value(r, c))) + "|";
    whole.insert(all);
  }
  RC_ASSERT(p.duplicate_rows == rows - whole.size());
  for (std::size_t c = 0; c <= kinds; ++c) {
    std::map<std::string, std::size_t> counts;
    Value least, greatest;
    for (std::size_t r = 0; r < rows; ++r) {
      const Value value = table.value(r, c);
      if (is_null(value)) continue;
      ++counts[to_text(value)];
      if (is_null(least) || value < least) least = value;
      if (is_null(greatest) || greatest < value) greatest = value;
    }
    RC_ASSERT(p.columns[c].distinct == counts.size());
    RC_ASSERT(p.columns[c].least == least);
    RC_ASSERT(p.columns[c].greatest == greatest);
    RC_ASSERT(p.columns[c].samples.size() == std::min<std::size_t>(3, counts.size()));
    std::size_t before = rows + 1;
    for (const Value& sample : p.columns[c].samples) {
      const std::size_t count = counts.at(to_text(sample));
      RC_ASSERT(count <= before);
      before = count;
    }
  }
}

TEST(Profile, FindsEqualRowsAmongMany) {
  std::string text = "a,b\n";
  for (int i = 0; i < 200'000; ++i) text += std::to_string(i / 2) + "," + std::to_string(i % 3) + "\n";
  text += "5,1\n5,1\n";  // rows 10 and 11 are 5,1 and 5,2
  EXPECT_EQ(profile_of(text).duplicate_rows, 2u);
}
