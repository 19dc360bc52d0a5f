// Files as people have them: numbers and dates in another form, titles above the headings, totals at the end, other
// encodings. Each test is named by what the user sees.
#include <gtest/gtest.h>

#include "support/process.hpp"

using support::lofty;
using support::Ran;
using support::Scratch;

namespace {

// What inspect says, with its lines joined.
std::string inspected(const std::string& text, const std::vector<std::string>& more = {}) {
  const Scratch s;
  s.file("t.csv", text);
  std::vector<std::string> call = {"inspect", "t.csv"};
  call.insert(call.end(), more.begin(), more.end());
  const Ran ran = lofty(call, s.path());
  std::string out = ran.out + "\n" + ran.err;
  for (std::size_t at = 0; (at = out.find("\n  ", at)) != std::string::npos;) out.replace(at, 3, " ");
  return out;
}
std::string csv_of(const std::string& text, std::vector<std::string> more) {
  const Scratch s;
  s.file("t.csv", text);
  more.insert(more.begin(), {"rank", "t.csv"});
  more.insert(more.end(), {"--to", "csv", "--remarks", "none"});
  const Ran ran = lofty(more, s.path());
  return ran.status == 0 ? ran.out : ran.err;
}
void expect_in(const std::string& said, const std::string& part) {
  EXPECT_NE(said.find(part), std::string::npos) << "`" << part << "` is not in\n" << said;
}

const std::string german =
    "id;Unit Price;on\n1;1.234,50 €;31/12/2025\n2;12,00 €;01/02/2025\n3;(99,00);05/02/2025\n4;7,5;13/02/2025\n";

}  // namespace

// 0,500 cannot be five hundred, so that the comma is the decimal sign.
TEST(Written, AdviceNeverScalesByAThousand) {
  const std::string said = inspected("id,price\n1,\"1,234\"\n2,\"0,500\"\n");
  expect_in(said, "columns.price.written = \"1,234 = 1.234\" reads all of them");
  EXPECT_EQ(said.find("= 1234"), std::string::npos);
}

TEST(Written, TwoReadingsAreBothShownAndNoneIsRecommended) {
  const std::string said = inspected("id,price\n1,\"1,234\"\n2,950\n3,12\n");
  expect_in(said, "two-readings: `price` is text");
  expect_in(said, "written = \"1,234 = 1234\" makes `1,234` 1234");
  expect_in(said, "written = \"1,234 = 1.234\" makes `1,234` 1.234");
  EXPECT_EQ(said.find("numbers-as-text"), std::string::npos);
  expect_in(inspected("on,x\n1/2/2025,1\n3/4/2025,2\n"), "two-readings: `on` is text");
}

TEST(Written, DecimalsThatMayBeThousandsAreSaid) {
  expect_in(inspected("id;p\n1;950\n2;1.234\n"), "two-readings: `p` is read as decimal");
  for (const char* clean : {"id;p\n1;0.500\n2;1.234\n", "id;p\n1;1234.500\n2;1.234\n", "id;p\n1;1.5\n2;1.234\n"})
    EXPECT_EQ(inspected(clean).find("two-readings"), std::string::npos) << clean;
}

// A line to paste is one that works: it is pasted here.
TEST(Written, ThePastedLineReadsTheColumn) {
  const std::string said = inspected(german);
  expect_in(said,
            "columns.\"Unit Price\".written = [\"1.234,50 € = 1234.50\", \"(99,00) = -99.00\"] reads all of them");
  expect_in(said, "columns.on.written = \"31/12/2025 = 2025-12-31\" reads all of them");
  const Scratch s;
  s.file("t.csv", german);
  s.file("t.ladder.toml",
         "[data]\nfrom = \"t.csv\"\ncolumns.\"Unit Price\".written = [\"1.234,50 € = 1234.50\", \"(99,00) = -99.00\"]\n"
         "columns.on.written = \"31/12/2025 = 2025-12-31\"\n[rank]\nby = '\"Unit Price\" desc'\n");
  EXPECT_EQ(lofty({"rank", "t.ladder.toml", "--to", "csv"}, s.path()).out,
            "rank,id,Unit Price,on\n1,1,1234.50,2025-12-31\n2,2,12.00,2025-02-01\n3,4,7.50,2025-02-13\n"
            "4,3,-99.00,2025-02-05\n");
}

// A heading with a quote in it gives a line that is TOML.
TEST(Written, KeysAreQuotedAsTomlHasThem) {
  expect_in(inspected("id,\"pr\"\"ice\"\n1,\"1,25\"\n2,\"0,50\"\n"), "columns.\"pr\\\"ice\".written = \"1,25 = 1.25\"");
}

TEST(Written, AMarkIsOptionalAndAnotherOneIsAMisfit) {
  const std::string said = inspected("id,p\n1,€ 12.50\n2,1.00\n3,$ 2.00\n", {"--column", "p: written € 12.50 = 12.5"});
  expect_in(said, "1 value of `p` in t.csv is not a decimal and counts as null: line 4 `$ 2.00`");
  expect_in(said, "mixed-marks: `p` in t.csv mixes marks: 1 value has €, 1 has none, 1 has another and counts as null");
  EXPECT_EQ(inspected("id,p\n1,€ 12.50\n2,€ 1.00\n", {"--column", "p: written € 12.50 = 12.5"}).find("mixed-marks"),
            std::string::npos);
  // Percent changes the value: it is no mark that may be left out.
  EXPECT_EQ(csv_of("id,p\n1,12.5 %\n2,50\n", {"--column", "p: written 12.5 % = 0.125", "--by", "id asc"}),
            "rank,id,p\n1,1,0.125\n2,2,\n");
}

TEST(Written, MonthsHaveTheirNamesOfTheLaddersLanguage) {
  EXPECT_EQ(csv_of("id,on\n1,3. März 2025\n2,24. Dezember 2024\n3,1. May 2025\n",
                   {"--locale", "de", "--column", "on: written 24. Dezember 2024 = 2024-12-24", "--by", "on asc"}),
            "rank,id,on\n1,2,2024-12-24\n2,1,2025-03-03\n3,3,2025-05-01\n");
  EXPECT_EQ(csv_of("id,at\n1,12/31/25 2:05 PM\n2,1/2/69 12:30 AM\n3,1/2/70 12:30 PM\n",
                   {"--column", "at: written 12/31/25 2:05 PM = 2025-12-31 14:05", "--by", "id asc"}),
            "rank,id,at\n1,1,2025-12-31 14:05:00\n2,2,2069-01-02 00:30:00\n3,3,1970-01-02 12:30:00\n");
}

TEST(Written, ExamplesThatContradictEachOtherAreRefused) {
  const std::string said = csv_of("p\n1\n", {"--column", "p: written 1.234,50 = 1234.5", "--column",
                                             "p: written 1,234.50 = 1234.5", "--by", "p asc"});
  expect_in(said, "differ in the character between thousands");
}

TEST(Written, TitleLinesAndTotalsAreLeftOut) {
  const std::string text = "Sales report\n\nid,p\n1,2\n2,3\n3,5\n4,1\nTotal,11\n\n";
  expect_in(inspected(text, {"--skip", "2"}), "totals-row: the last row holds the sums of the others, of `p`");
  EXPECT_EQ(csv_of(text, {"--skip", "2", "--skip-last", "1", "--by", "p desc"}),
            "rank,id,p\n1,3,5\n2,2,3\n3,1,2\n4,4,1\n");
  EXPECT_EQ(csv_of(text, {"--skip", "2", "--skip-last", "9", "--by", "p desc"}), "rank,id,p\n");
  expect_in(csv_of(text, {"--skip", "20", "--by", "p desc"}), "fewer than the 20 lines that `skip` leaves out");
  // Lines are counted as the file has them.
  expect_in(csv_of("x\nid,p\n1,2\n2\n", {"--skip", "1", "--by", "p desc"}), "t.csv, line 4: this row has 1 field");
}

TEST(Written, OtherEncodingsAreReadAndOffered) {
  const Scratch s;
  s.file("w.csv", "id,name\n1,caf\xe9\n");
  const Ran ran = lofty({"inspect", "w.csv"}, s.path());
  expect_in(ran.err, "byte 13 (0xE9) is not UTF-8");
  expect_in(ran.err, "encoding = \"windows-1252\" under [data]");
  expect_in(lofty({"inspect", "w.csv", "--encoding", "windows-1252"}, s.path()).out, "café");
  s.file("u.csv", std::string("\xff\xfei\0d\0\n\0"
                              "7\0\n\0",
                              12));
  expect_in(lofty({"rank", "u.csv", "--by", "id desc", "--to", "csv"}, s.path()).out, "rank,id\n1,7\n");
  const Ran unknown = lofty({"inspect", "w.csv", "--encoding", "latin-99"}, s.path());
  EXPECT_EQ(unknown.status, 2);
  expect_in(unknown.err, "--encoding: no encoding is called `latin-99`");
}

TEST(Periods, WholeUnitsAndTheOnesBeforeThem) {
  const std::string text = "on,x\n2025-01-15,1\n2025-02-03,2\n2025-02-28,3\n2025-03-01,4\n2024-02-10,5\n";
  const auto rows = [&](const std::string& period) {
    return csv_of(text, {"--period", "p: " + period, "--where", "p", "--by", "x asc", "--columns", "x"});
  };
  EXPECT_EQ(rows("last 1 month of on, whole"), "x\n2\n3\n");  // the data ends on 1 March
  EXPECT_EQ(rows("last 1 month of on, whole, back 1"), "x\n1\n");
  EXPECT_EQ(rows("last 1 month of on, whole, back 12"), "x\n5\n");
  EXPECT_EQ(rows("last 2 months of on, whole"), "x\n1\n2\n3\n");
  EXPECT_EQ(rows("last 1 month of on, whole, ends 2025-02-28"), "x\n2\n3\n");  // its last day completes a month
  EXPECT_EQ(rows("last 1 month of on, whole, ends 2025-02-27"), "x\n1\n");
  EXPECT_EQ(rows("last 2 months of on, back 1"), "x\n1\n");  // 1 January to 1 February
  EXPECT_EQ(rows("on from 2025-02-03 through 2025-02-28"), "x\n2\n3\n");
  expect_in(rows("last month of on"), "a period of units is `last N UNIT of COLUMN`");
}
