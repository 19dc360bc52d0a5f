// Tables from files of other programs: each of tests/io/files was made by another program than this.
#include <gtest/gtest.h>

#include <fstream>

#include "lofty/lofty.hpp"
#include "support/process.hpp"

using namespace lofty;
using Texts = std::vector<std::string>;

namespace {

std::filesystem::path files() { return std::filesystem::path(LOFTY_SOURCE) / "tests/io/files"; }

Table whole(const std::string& name, const ReadOptions& options = {}, const std::filesystem::path& folder = files()) {
  const auto source = TableFiles(folder).open(name, options);
  std::vector<std::size_t> all(source->headings().size());
  for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
  return source->read(all, {});
}

Texts column(const Table& table, std::size_t c) {
  Texts out;
  for (std::size_t r = 0; r < table.rows(); ++r) out.push_back(to_text(table.value(r, c)));
  return out;
}

Problem problem_of(const std::string& name, const std::filesystem::path& folder = files()) {
  try {
    whole(name, {}, folder);
  } catch (const Error& error) {
    return error.problems().front();
  }
  return {Code::stopped, "nothing is wrong", {}, {}, {}};
}

bool remarks(const Table& table, const std::string& code, const std::string& part) {
  for (const Remark& remark : table.remarks())
    if (remark.code == code && remark.sentence.find(part) != std::string::npos) return true;
  return false;
}

}  // namespace

TEST(Sqlite, TablesAndViewsWithTheirTypes) {
  const Table visits = whole("visits.sqlite#visits");
  EXPECT_EQ(visits.headings(), (Texts{"shop", "day", "spend", "n"}));
  EXPECT_EQ(column(visits, 0), (Texts{"Crumb", "Älv Corner", "Crumb"}));
  EXPECT_EQ(visits.type(1).kind, Kind::date);
  EXPECT_EQ(column(visits, 2), (Texts{"12.85", "0.10", "2.50"}));  // exact from here on
  EXPECT_EQ(column(visits, 3), (Texts{"3", "", "7"}));
  EXPECT_EQ(column(whole("visits.sqlite#by_shop"), 1), (Texts{"10", ""}));
  EXPECT_EQ(whole("visits.sqlite#odd \" name").headings(), Texts{"a b"});
  EXPECT_EQ(TableFiles(files()).open("visits.sqlite#visits", {})->name(), "visits.sqlite#visits");
}

TEST(Sqlite, WhatIsWrongIsSaid) {
  const Problem which = problem_of("visits.sqlite");
  EXPECT_EQ(which.sentence, "it has several tables: which one?");
  EXPECT_EQ(which.advice, "visits.sqlite#visits, visits.sqlite#by_shop, visits.sqlite#odd \" name");
  const Problem missing = problem_of("visits.sqlite#visit");
  EXPECT_EQ(missing.code, Code::unknown_table);
  EXPECT_EQ(missing.nearest, "visits");
  const support::Scratch scratch;
  scratch.file("text.sqlite", "shop_no,shop\n1,Crumb\n");
  const Problem text = problem_of("text.sqlite", scratch.path());
  EXPECT_EQ(text.code, Code::damaged_file);
  EXPECT_NE(text.sentence.find("this is no SQLite file, or a damaged one"), std::string::npos);
  // Cut off after the first page.
  scratch.file("cut.sqlite", support::slurp(files() / "visits.sqlite").substr(0, 5000));
  EXPECT_EQ(problem_of("cut.sqlite#visits", scratch.path()).code, Code::damaged_file);
  EXPECT_EQ(problem_of("none.sqlite#visits", scratch.path()).sentence,
            "no file " + (scratch.path() / "none.sqlite").string());
}

TEST(Sqlite, ALockedFileIsSaidToBe) {
  const support::Scratch scratch;
  scratch.file("busy.sqlite", support::slurp(files() / "visits.sqlite"));
  // Another program holds the lock while it waits for its input to end.
  const std::string file = (scratch.path() / "busy.sqlite").string();
  const auto ran = support::shell("(echo 'begin exclusive;'; sleep 4) | sqlite3 " + file + " & sleep 0.5; " +
                                  std::string(LOFTY_TOOL) + " inspect '" + file + "#visits'");
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.err.find("another program is writing to it and has locked it"), std::string::npos) << ran.err;
}

TEST(JsonLines, MembersAreColumnsAndDigitsAreKept) {
  const Table visits = whole("visits.jsonl");
  EXPECT_EQ(visits.headings(), (Texts{"shop", "spend", "paid", "tags", "day"}));
  EXPECT_EQ(column(visits, 0), (Texts{"Crumb", "Älv", "Crumb"}));
  EXPECT_EQ(column(visits, 1), (Texts{"12.850", "12345678901234567890.120", ""}));
  EXPECT_EQ(column(visits, 2), (Texts{"true", "", ""}));
  EXPECT_EQ(column(visits, 3)[0], "[\"a\", {\"b\": 1}]");
  EXPECT_EQ(visits.type(4).kind, Kind::date);
}

TEST(JsonLines, WhatIsWrongHasItsLine) {
  const support::Scratch scratch;
  const auto wrong = [&](const std::string& text) {
    scratch.file("x.jsonl", text);
    return problem_of("x.jsonl", scratch.path());
  };
  EXPECT_EQ(wrong("{\"a\": 1}\n{\"a\": 2\n").location.line, 2u);
  EXPECT_EQ(wrong("{\"a\": 1}\n{\"a\": 2\n").code, Code::damaged_file);
  EXPECT_EQ(wrong("\n[1, 2]\n").sentence, "this line holds no object, like {\"shop_no\": 17}");
  EXPECT_EQ(wrong("{\"a\": 1, \"a\": 2}\n").sentence, "`a` appears twice in one object");
  EXPECT_EQ(wrong("").code, Code::empty_file);
  EXPECT_EQ(wrong("{\"a\": \"\xff\"}\n").code, Code::bad_encoding);
}

// A guess that the first value suggests and the rest does not bear out is mended, misfits have their line.
TEST(JsonLines, TypesComeFromTheWholeColumn) {
  const support::Scratch scratch;
  std::string text = "{\"n\": 1, \"code\": \"12\"}\n{\"n\": 2.5, \"code\": \"007\"}\n";
  for (int i = 0; i < 200; ++i) text += "{\"n\": 3, \"code\": \"9\"}\n";
  text += "{\"n\": \"many\", \"code\": \"9\"}\n";
  scratch.file("x.jsonl", text);
  const Table table = whole("x.jsonl", {}, scratch.path());
  EXPECT_EQ(table.type(0).kind, Kind::decimal);
  EXPECT_EQ(column(table, 0)[1], "2.5");
  EXPECT_EQ(column(table, 1)[1], "007");
  EXPECT_TRUE(
      remarks(table, "misfits", "1 value of `n` in x.jsonl is not a decimal and counts as null: line 203 `many`"));
  ReadOptions options;
  options.columns = {{"n", Kind::text}};
  options.nulls = {"many"};
  const Table declared = whole("x.jsonl", options, scratch.path());
  EXPECT_EQ(column(declared, 0)[1], "2.5");
  EXPECT_EQ(column(declared, 0).back(), "");
}

// Lines that are written alike need no parser, and a large file is read in stretches: it is the same table.
TEST(JsonLines, LargeFilesOfLinesWrittenInManyWays) {
  const support::Scratch scratch;
  std::string text = "\xEF\xBB\xBF";
  const std::size_t lines = 40'000;  // 2 MB
  for (std::size_t i = 0; i < lines; ++i) {
    const std::string n = std::to_string(i);
    switch (i % 1000) {
      case 10: text += "{\"day\": \"2026-01-02\",\"shop\":\"Crumb\", \"n\": " + n + "}\r\n"; break;
      case 20: text += "{\"n\": " + n + ", \"shop\": \"W\\u0069nter \\\"Wren\\\"\"}\n"; break;
      case 30: text += "\n \n{\"n\": " + n + "}\n"; break;
      case 40: text += "{\"n\": " + n + ", \"shop\": [1, 2], \"day\": null}\n"; break;
      default:
        text += "{\"n\": " + n + ", \"shop\": \"Crumb " + std::to_string(i % 7) + "\", \"day\": \"2026-01-02\"}\n";
    }
  }
  text += "{\"n\": \"many\", \"shop\": \"" + std::string(600'000, 'x') + "\"}";  // longer than a stretch
  scratch.file("x.jsonl", text);
  const Table table = whole("x.jsonl", {}, scratch.path());
  EXPECT_EQ(table.headings(), (Texts{"n", "shop", "day"}));
  const Texts numbers = column(table, 0), shops = column(table, 1), days = column(table, 2);
  ASSERT_EQ(numbers.size(), lines + 1);
  for (std::size_t i = 0; i < lines; ++i) {
    const std::size_t way = i % 1000;
    ASSERT_EQ(numbers[i], std::to_string(i));
    ASSERT_EQ(shops[i], way == 10   ? "Crumb"
                        : way == 20 ? "Winter \"Wren\""
                        : way == 30 ? ""
                        : way == 40 ? "[1, 2]"
                                    : "Crumb " + std::to_string(i % 7));
    ASSERT_EQ(days[i], way == 20 || way == 30 || way == 40 ? "" : "2026-01-02");
  }
  EXPECT_EQ(shops[lines].size(), 600'000u);
  EXPECT_TRUE(remarks(table, "misfits",
                      "1 value of `n` in x.jsonl is not an integer and counts as null: line " +
                          std::to_string(lines + 1 + 2 * (lines / 1000)) + " `many`"));

  // What is wrong in a later stretch has its line in the file.
  for (const std::string last : {"{\"n\": 1,}", "{\"n\": 1, \"n\": 1}", "{\"n\": 01}", "{\"n\": 1} 2"}) {
    scratch.file("bad.jsonl", text + "\n" + last + "\n{\"n\": 2}\n");
    EXPECT_EQ(problem_of("bad.jsonl", scratch.path()).location.line, lines + 2 + 2 * (lines / 1000)) << last;
  }
  scratch.file("bad.jsonl", text + "\n{\"n\": \"\xc3\"}\n");
  EXPECT_EQ(problem_of("bad.jsonl", scratch.path()).code, Code::bad_encoding);
}

TEST(Workbook, CellsWithTheirTypes) {
  const Table plan = whole("plan.xlsx");
  EXPECT_EQ(plan.headings(), (Texts{"shop", "opened", "visited at", "target", "share", "active", "note"}));
  EXPECT_EQ(column(plan, 0), (Texts{"Ærlig Spoon", "Blue Café", "Winter Wren"}));  // an empty row is none
  EXPECT_EQ(column(plan, 1), (Texts{"2019-04-13", "2024-02-29", "1900-03-01"}));
  EXPECT_EQ(column(plan, 2), (Texts{"2025-03-01 14:30:00", "2025-03-02 09:05:30", ""}));
  EXPECT_EQ(column(plan, 3), (Texts{"1250.50", "980.00", "12.85"}));  // "days" in its format makes it no date
  EXPECT_EQ(column(plan, 4), (Texts{"0.1", "0.2", "0.3"}));           // fifteen digits are what was entered
  EXPECT_EQ(plan.type(5).kind, Kind::boolean);
  EXPECT_EQ(column(plan, 6), (Texts{"first", "", ""}));
  EXPECT_TRUE(remarks(plan, "formulas-without-value", "1 cell of Plan holds a formula without its value"));
  const Table other = whole("plan.xlsx#Other");  // its table begins further in
  EXPECT_EQ(other.headings(), (Texts{"k", "v"}));
  EXPECT_EQ(column(other, 0), (Texts{"007", "8"}));
}

TEST(Workbook, WhatIsWrongIsSaid) {
  EXPECT_EQ(problem_of("plan.xlsx#Pan").nearest, "Plan");
  const support::Scratch scratch;
  scratch.file("text.xlsx", "shop_no,shop\n");
  EXPECT_EQ(problem_of("text.xlsx", scratch.path()).code, Code::damaged_file);
  const std::string bytes = support::slurp(files() / "plan.xlsx");
  scratch.file("cut.xlsx", bytes.substr(0, bytes.size() / 2));
  EXPECT_EQ(problem_of("cut.xlsx", scratch.path()).code, Code::damaged_file);
  // An empty archive: nothing but the record that ends one.
  scratch.file("empty.xlsx", std::string("PK\x05\x06", 4) + std::string(18, '\0'));
  EXPECT_EQ(problem_of("empty.xlsx", scratch.path()).code, Code::damaged_file);
}

TEST(Compressed, ReadsAsTheTextInside) {
  const Table packed = whole("shops.csv.gz"), plain = whole("shops.csv", {}, support::demo());
  ASSERT_EQ(packed.rows(), plain.rows());
  for (std::size_t c = 0; c < plain.headings().size(); ++c) EXPECT_EQ(column(packed, c), column(plain, c));
  const support::Scratch scratch;
  const std::string bytes = support::slurp(files() / "shops.csv.gz");
  scratch.file("cut.csv.gz", bytes.substr(0, bytes.size() / 2));
  EXPECT_EQ(problem_of("cut.csv.gz", scratch.path()).sentence, "the compressed file is damaged: it ends too early");
  std::string broken = bytes;
  for (std::size_t i = 200; i < 260; ++i) broken[i] = static_cast<char>(~broken[i]);
  scratch.file("broken.csv.gz", broken);
  EXPECT_EQ(problem_of("broken.csv.gz", scratch.path()).code, Code::damaged_file);
}

// All routes of a table into a ladder give the same answer; and what a workbook was given, it gives back.
TEST(Sources, TheSameTableTheSameStandings) {
  const support::Scratch scratch;
  const std::string lines = (support::demo() / "order_lines.csv").string(), folder = scratch.path().string();
  ASSERT_EQ(support::shell("cd " + folder + " && gzip -c " + lines +
                           " > l.csv.gz && sqlite3 l.sqlite '.mode csv' '.import " + lines + " order_lines'")
                .status,
            0);
  const auto ask = [&](const std::string& table, const std::string& to) {
    return support::lofty({"rank", table, "--total", "spend=sum(quantity * unit_price)", "--total",
                           "last=max(ordered_on)", "--each", "shop_no", "--by", "spend desc", "--best", "12", "--to",
                           to});
  };
  const auto expected = ask(lines, "csv");
  ASSERT_EQ(expected.status, 0) << expected.err;
  EXPECT_EQ(ask(folder + "/l.csv.gz", "csv").out, expected.out);
  EXPECT_EQ(ask(folder + "/l.sqlite#order_lines", "csv").out, expected.out);
  ASSERT_EQ(ask(lines, folder + "/best.xlsx").status, 0);
  const Table back = whole("best.xlsx", {}, scratch.path()), csv = [&] {
    scratch.file("best.csv", expected.out);
    return whole("best.csv", {}, scratch.path());
  }();
  ASSERT_EQ(back.rows(), 12u);
  for (std::size_t c = 0; c < 4; ++c) {
    EXPECT_EQ(column(back, c), column(csv, c));
    EXPECT_EQ(back.type(c).kind, csv.type(c).kind);
  }
  EXPECT_NE(to_text(whole("best.xlsx#About", {}, scratch.path()).value(0, 1)).find("12 of 214"), std::string::npos);
}
