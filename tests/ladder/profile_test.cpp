#include "lofty/profile.hpp"

#include <gtest/gtest.h>

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
