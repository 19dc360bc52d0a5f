// Files that change while they are read: one state of them is answered, or an error.
#include <gtest/gtest.h>

#include <fstream>

#include "lofty/lofty.hpp"
#include "support/faults.hpp"

using namespace lofty;
using support::Ran;

namespace {

void put(const std::filesystem::path& file, const std::string& text) { std::ofstream(file, std::ios::binary) << text; }

Code code_of_reading(const TableSource& source) {
  std::vector<std::size_t> all(source.headings().size());
  for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
  try {
    source.read(all, {});
  } catch (const Error& error) {
    return error.code();
  }
  return Code::stopped;
}

// 400,000 lines, so that there are several chunks; the types of the last lines make the first ones be read again.
std::string many_lines() {
  std::string text = "a,b,c\n";
  for (int i = 0; i < 400'000; ++i) text += std::to_string(i) + "," + std::to_string(i % 7) + ",1\n";
  return text + "x,1.5,2\ny,2.5,3\n";
}

}  // namespace

TEST(Changing, DelimitedTextThatIsChangedAfterItsHeadingsWereRead) {
  const support::Scratch s;
  const auto file = s.path() / "t.csv";
  for (const std::string& after : {std::string("a,b\n1,2\n3,4\n5,6\n"), std::string("a,b\n1\n"), std::string("")}) {
    put(file, "a,b\n1,2\n3,4\n");
    const auto source = open_delimited(file);
    put(file, after);
    EXPECT_EQ(code_of_reading(*source), Code::changed_file) << after;
  }
  // A file that takes the name meanwhile is another one: the first is read to its end.
  put(file, "a,b\n1,2\n3,4\n");
  const auto source = open_delimited(file);
  put(s.path() / "other", "x\n");
  std::filesystem::rename(s.path() / "other", file);
  EXPECT_EQ(source->read(std::vector<std::size_t>{0, 1}, {}).rows(), 2u);
}

// Reading passes over the file again: other members, other values, lines that are no JSON any more, and no lines.
TEST(Changing, JsonLinesThatAreChangedAfterTheirMembersWereRead) {
  const support::Scratch s;
  const auto file = s.path() / "t.jsonl";
  const std::string before = "{\"a\": 1, \"b\": 2}\n{\"a\": 3, \"b\": 4}\n";
  for (const std::string& after : {std::string("{\"a\": 1, \"c\": 2}\n{\"c\": 3, \"b\": 4}\n{}\n"), before + before,
                                   std::string("{\"a\": 1, \"b\": 2}\n{\"a\": 3, \"b\": ]4\n"), std::string("")}) {
    put(file, before);
    const auto source = open_json_lines(file);
    put(file, after);
    EXPECT_EQ(code_of_reading(*source), Code::changed_file) << after;
  }
  put(file, before);
  const auto source = open_json_lines(file);
  put(s.path() / "other", "x\n");
  std::filesystem::rename(s.path() / "other", file);
  EXPECT_EQ(source->read(std::vector<std::size_t>{0, 1}, {}).rows(), 2u);
}

// In the tool, at every read of the file in turn: cut, grown, rewritten.
TEST(Changing, TheToolNeverAnswersFromTwoStates) {
  if (!support::faults_work()) GTEST_SKIP();
  const support::Scratch s;
  const std::string text = many_lines(), file = (s.path() / "t.csv").string();
  const std::vector<std::string> call = {"rank", "t.csv",  "--total",   "n=count(*)", "--each", "c",
                                         "--by", "n desc", "--remarks", "none",       "--to",   "csv"};
  put(file, text);
  const long reads = support::calls_of("read", call, s.path());
  ASSERT_GT(reads, 5);
  int said = 0;
  for (const char* change : {"shrink", "grow", "rewrite"})
    for (long at = 1; at <= reads; at += 3) {
      put(file, text);
      const Ran ran = support::lofty_with({"read", at, change, file}, call, s.path());
      if (ran.status == 0) continue;  // the change came after the last look at it
      EXPECT_EQ(ran.status, 1) << change << " at read " << at << "\n" << ran.err;
      EXPECT_NE(ran.err.find("it was changed while it was read"), std::string::npos) << ran.err;
      EXPECT_EQ(ran.out, "");
      ++said;
    }
  EXPECT_GT(said, 5);
}

TEST(Changing, SqliteIsReadInOneState) {
  const support::Scratch s;
  const std::string file = (s.path() / "t.sqlite").string();
  ASSERT_EQ(support::shell("sqlite3 " + file + " 'create table t(a, b); insert into t values (1, 2), (3, 4)'").status,
            0);
  const auto source = open_sqlite(file, "t");
  EXPECT_EQ(code_of_reading(*source), Code::stopped);
  EXPECT_EQ(code_of_reading(*source), Code::stopped);  // as often as wanted
  // No lock is held in between: a writer is not kept waiting, and what it did is noticed.
  ASSERT_EQ(support::shell("sqlite3 " + file + " 'update t set a = 9 where a = 1'").status, 0);
  EXPECT_EQ(code_of_reading(*source), Code::changed_file);
}

// Two tables of one file, joined: both are of the state in which the first was opened.
TEST(Changing, TablesOfOneDatabaseAreOfOneState) {
  const support::Scratch s;
  const std::string file = (s.path() / "t.sqlite").string();
  ASSERT_EQ(
      support::shell("sqlite3 " + file + " 'create table t(a); create table u(a); insert into t values (1)'").status,
      0);
  const TableFiles files(s.path());
  const auto t = files.open("t.sqlite#t", {});
  ASSERT_EQ(support::shell("sqlite3 " + file + " 'insert into u values (1)'").status, 0);
  try {
    files.open("t.sqlite#u", {});
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.code(), Code::changed_file);
  }
}

// A writer that never rests: every run gives one of the states that there were, or says that the file changed.
TEST(Changing, SqliteWithALiveWriter) {
  const support::Scratch s;
  const std::string file = (s.path() / "t.sqlite").string(), folder = s.path().string();
  ASSERT_EQ(support::shell("sqlite3 " + file +
                           " 'pragma journal_mode = wal; create table t(a, b); with recursive n(i) as (select 1 union "
                           "all select i + 1 from n where i < 3000) insert into t select 0, 0.5 from n' > /dev/null")
                .status,
            0);
  // All rows have the same a and b at any time.
  const Ran ran = support::shell(
      "cd " + folder +
      "; (i=0; while [ ! -e stop ]; do i=$((i+1)); echo \"update t set a = $i, b = $i + 0.5;\"; done | "
      "sqlite3 -cmd '.timeout 5000' " +
      file +
      ") & sleep 0.2; status=0; for k in 1 2 3 4 5 6 7 8 9 10; do " LOFTY_TOOL
      " rank t.sqlite#t --total 'n=count(*)' --total 'wrong=sum(b - a)' --each a --by 'n desc' --remarks none --to csv "
      "> out.$k 2> err.$k || echo \"$?\" >> failed; done; touch stop; wait; cat out.* err.* failed 2>/dev/null");
  std::istringstream lines(ran.out);
  for (std::string line; std::getline(lines, line);) {
    if (line.find("changed while it was read") != std::string::npos || line == "1" || line.starts_with("rank,") ||
        line.starts_with("  try:") || line.find("has locked it") != std::string::npos || line == "2")
      continue;
    EXPECT_TRUE(line.starts_with("1,") && line.ends_with(",3000,1500.0")) << line;
  }
}

TEST(Changing, WhatCanBeReadOnlyOnceIsCopied) {
  const Ran ran = support::shell("printf 'a,b\\n1,2\\n' | " LOFTY_TOOL " rank /dev/stdin --to csv --remarks none");
  EXPECT_EQ(ran.out, "a,b\n1,2\n") << ran.err;
}

// Two runs that make one new database: both tables are in it.
TEST(Changing, TwoRunsIntoOneNewDatabase) {
  const support::Scratch s;
  put(s.path() / "t.csv", "a,b\n1,2\n3,4\n");
  for (int round = 0; round < 10; ++round) {
    const std::string file = "new" + std::to_string(round) + ".sqlite";
    const Ran ran = support::shell("cd " + s.path().string() +
                                   "; for t in a b c; do " LOFTY_TOOL " rank t.csv --remarks none --to " + file +
                                   "#$t 2>> err & done; wait; sqlite3 " + file + " .tables");
    EXPECT_EQ(ran.out, "a  b  c\n") << support::slurp(s.path() / "err");
  }
}
