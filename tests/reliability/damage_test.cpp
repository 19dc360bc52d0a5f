// Damaged files: the right answer or an error. Every byte of a small file is flipped, and every length cut (some of
// them, unless LOFTY_STRIDE is 1).
#include <gtest/gtest.h>

#include <fstream>

#include "lofty/lofty.hpp"
#include "support/process.hpp"
#include "support/stride.hpp"

using namespace lofty;
using support::slurp;

namespace {

namespace fs = std::filesystem;

// All cells, row by row; nothing where the file is refused.
std::optional<std::vector<std::string>> cells(const fs::path& folder, const std::string& name) {
  try {
    const auto source = TableFiles(folder).open(name, {});
    std::vector<std::size_t> all(source->headings().size());
    for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
    const Table table = source->read(all, {});
    std::vector<std::string> out = table.headings();
    for (std::size_t r = 0; r < table.rows(); ++r)
      for (std::size_t c = 0; c < all.size(); ++c) out.push_back(to_text(table.value(r, c), table.type(c)));
    return out;
  } catch (const Error&) {
    return std::nullopt;
  }
}

void put(const fs::path& file, const std::string& bytes) { std::ofstream(file, std::ios::binary) << bytes; }

// Calls `judge` with what each damaged file gives: a bit of each byte flipped, and all of them.
template <class Judge>
void damage(const fs::path& file, const std::string& part, const Judge& judge) {
  const std::string bytes = slurp(file);
  std::size_t cases = 0, refused = 0;
  const auto seen = [&](const std::string& damaged, const std::string& how) {
    put(file, damaged);
    const auto found = cells(file.parent_path(), file.filename().string() + part);
    ++cases;
    refused += !found;
    judge(found, how);
  };
  const auto step = static_cast<std::size_t>(support::stride(5));
  for (std::size_t at = 0; at < bytes.size(); at += step)
    for (const int bits : {1 << (at % 8), 0xff}) {
      std::string damaged = bytes;
      damaged[at] = static_cast<char>(damaged[at] ^ bits);
      seen(damaged, "byte " + std::to_string(at) + " ^ " + std::to_string(bits));
    }
  for (std::size_t length = 0; length < bytes.size(); length += step)
    seen(bytes.substr(0, length), "cut to " + std::to_string(length));
  put(file, bytes);
  std::printf("%s: %zu damaged files, %zu refused\n", file.filename().c_str(), cases, refused);
}

// Formats with checksums. `member_end`: where a compressed file of two members is, cut, a whole one of one member.
void right_or_refused(const fs::path& file, const std::string& part = "", std::size_t member_end = 0) {
  const auto whole = cells(file.parent_path(), file.filename().string() + part);
  ASSERT_TRUE(whole.has_value());
  const std::string border = "cut to " + std::to_string(member_end);
  std::size_t refused = 0, wrong = 0;
  damage(file, part, [&](const auto& found, const std::string& how) {
    refused += !found;
    if (found && *found != *whole && how != border && ++wrong < 5)
      ADD_FAILURE() << file << ": " << how << " gives another answer";
  });
  EXPECT_EQ(wrong, 0u);
  EXPECT_GT(refused, 50u);
}

const char* const lines = "line,shop,amount,day\n1,Crumb,5.00,2025-03-01\n2,Wren,7.50,2025-03-02\n3,,4.25,2025-03-03\n";

}  // namespace

TEST(Damage, CompressedText) {
  const support::Scratch s;
  s.file("t.csv", lines);
  s.file("u.csv", "4,Owl,1.00,2025-03-04\n");
  // Two members, as when one file is appended to another.
  ASSERT_EQ(
      support::shell("cd " + s.path().string() + " && (gzip -c t.csv; gzip -c u.csv) > all.csv.gz; gzip -c t.csv > one")
          .status,
      0);
  ASSERT_EQ(cells(s.path(), "all.csv.gz")->size(), 20u);
  right_or_refused(s.path() / "all.csv.gz", "", fs::file_size(s.path() / "one"));
}

TEST(Damage, Workbooks) {
  const support::Scratch s;
  s.file("t.csv", lines);
  ASSERT_EQ(support::lofty({"rank", "t.csv", "--to", "t.xlsx"}, s.path()).status, 0);
  right_or_refused(s.path() / "t.xlsx", "#Standings");
}

TEST(Damage, SavedStandings) {
  const support::Scratch s;
  s.file("t.csv", lines);
  ASSERT_EQ(
      support::lofty({"rank", "t.csv", "--by", "amount desc", "--save-standings", "t.standings.json"}, s.path()).status,
      0);
  right_or_refused(s.path() / "t.standings.json");
}

// SQLite has no checksums: a value may change, but no row gets lost in silence.
TEST(Damage, Sqlite) {
  const support::Scratch s;
  const fs::path file = s.path() / "t.sqlite";
  ASSERT_EQ(
      support::shell("sqlite3 " + file.string() +
                     " 'pragma page_size = 512; create table t(a integer, b text); with recursive n(i) as (select 1 "
                     "union all select i + 1 from n where i < 60) insert into t select i, \"shop \" || i from n'")
          .status,
      0);
  const auto whole = cells(s.path(), "t.sqlite#t");
  ASSERT_EQ(whole->size(), 122u);
  std::size_t refused = 0, wrong = 0;
  damage(file, "#t", [&](const auto& found, const std::string& how) {
    refused += !found;
    if (found && found->size() != whole->size() && ++wrong < 5)
      ADD_FAILURE() << how << ": " << found->size() / 2 - 1 << " rows";
  });
  EXPECT_EQ(wrong, 0u);
  EXPECT_GT(refused, 300u);
}

// Large files are checked while they are read. One page in place of another keeps every page readable, but rows would
// be lost and others come twice.
TEST(Damage, SqliteThatIsCheckedWhileItIsRead) {
  const support::Scratch s;
  const fs::path file = s.path() / "t.sqlite";
  ASSERT_EQ(
      support::shell("sqlite3 " + file.string() +
                     " 'pragma page_size = 4096; create table t(a integer, b text, c text); with recursive n(i) as "
                     "(select 1 union all select i + 1 from n where i < 300000) insert into t select i, \"the "
                     "shop with number \" || i, \"all\" from n'")
          .status,
      0);
  constexpr std::size_t page = 4096;
  std::string bytes = support::slurp(file);
  const std::size_t pages = bytes.size() / page;
  ASSERT_GT(bytes.size(), std::size_t{8} << 20);
  const auto rank = [&](const std::string& threads) {
    return support::lofty({"rank", "t.sqlite", "--each", "c", "--total", "n=count(*)", "--total", "s=sum(a)", "--to",
                           "csv", "--remarks", "none", "--threads", threads},
                          s.path());
  };
  EXPECT_EQ(rank("2").out, rank("1").out);
  EXPECT_NE(rank("2").out.find("all,300000,45000150000"), std::string::npos) << rank("2").out << rank("2").err;
  for (std::size_t at = 3; at + 1 < pages; at += pages / 7) {
    std::string damaged = bytes;
    damaged.replace(at * page, page, bytes, (at + 1) * page, page);
    std::ofstream(file, std::ios::binary) << damaged;
    for (const std::string threads : {"1", "2"}) {
      const auto ran = rank(threads);
      EXPECT_EQ(ran.status, 1) << at << " of " << pages << ": " << ran.out;
      EXPECT_NE(ran.err.find("this SQLite file is damaged: "), std::string::npos) << ran.err;
      EXPECT_EQ(ran.out, "");
    }
  }
}

// Texts have no checksums either. A byte that is another makes a value another; rows do not run into one another, and
// no row gets lost, except where a text is cut between two rows.
TEST(Damage, TextsNeverLoseRowsInSilence) {
  const support::Scratch s;
  s.file("t.csv", lines);
  s.file("t.jsonl", "{\"a\": 1, \"b\": \"x\"}\n{\"a\": 2, \"b\": null}\n{\"b\": \"y\", \"a\": 3}\n");
  for (const std::string name : {"t.csv", "t.jsonl"}) {
    const std::size_t rows = 3;
    std::size_t wrong = 0;
    damage(s.path() / name, "", [&](const auto& found, const std::string& how) {
      if (!found || how.starts_with("cut")) return;
      // Another name in JSON is another column, so the cells are counted by the columns that there are.
      const auto source = TableFiles(s.path()).open(name, {});
      if (found->size() != source->headings().size() * (rows + 1) && ++wrong < 5) ADD_FAILURE() << name << ": " << how;
    });
    EXPECT_EQ(wrong, 0u);
  }
}

TEST(Damage, JsonLinesAreJson) {
  const support::Scratch s;
  const auto problem = [&](const std::string& line) {
    put(s.path() / "t.jsonl", "{\"a\": 1, \"b\": [1, {\"c\": true}]}\n" + line + "\n");
    try {
      TableFiles(s.path()).open("t.jsonl", {})->read(std::vector<std::size_t>{0}, {});
    } catch (const Error& error) {
      const Problem& p = error.problems().front();
      EXPECT_EQ(p.location.line, 2u) << line;
      return p.sentence + "; column " + std::to_string(p.location.column);
    }
    return std::string("nothing is wrong");
  };
  EXPECT_EQ(problem("{\"a\": 12abc}"), "`12abc` is not a number; column 7");
  EXPECT_EQ(problem("{\"a\": 1.2.3}"), "`1.2.3` is not a number; column 7");
  EXPECT_EQ(problem("{\"a\": 012}"), "`012` is not a number; column 7");
  EXPECT_EQ(problem("{\"a\": nulll}"), "`nulll` is not a value; null is; column 7");
  EXPECT_EQ(problem("{\"a\": truth}"), "`truth` is not a value; true and false are; column 7");
  EXPECT_EQ(problem("{\"a\": 1, \"b\": 2, \"a\": 3}"), "`a` appears twice in one object; column 19");
  EXPECT_EQ(problem("{\"b\": {\"c\": 1, \"c\": 2}}").substr(0, 31), "`c` appears twice in one object");
  EXPECT_EQ(problem("{\"b\": [1, 2x]}"), "`2x` is not a number; column 11");  // also in what no ladder mentions
  EXPECT_EQ(problem("{\"a\": -0.5e+3, \"b\": [], \"c\": \"\\u00e9\"}"), "nothing is wrong");
}

// Every cut of a text of lines: an error, or fewer whole lines, never a changed one.
TEST(Damage, CutJsonLines) {
  const support::Scratch s;
  const std::string text = "{\"a\": 12, \"b\": \"x\"}\n{\"a\": 345, \"b\": null}\n";
  for (std::size_t length = 1; length < text.size(); ++length) {
    put(s.path() / "t.jsonl", text.substr(0, length));
    const bool at_a_line_end = length == 19 || length == 20 || length + 1 == text.size();
    EXPECT_EQ(cells(s.path(), "t.jsonl").has_value(), at_a_line_end) << length;
  }
}
