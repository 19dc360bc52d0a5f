// Faults at the N-th call: a message and status 1, or the right answer; the old output untouched, no temporary file.
// LOFTY_STRIDE=1 tries every N of the sweeps; the default tries some.
#include <gtest/gtest.h>

#include <algorithm>
#include <csignal>
#include <fstream>
#include <utility>

#include "io/write_workbook.hpp"
#include "support/faults.hpp"
#include "support/stride.hpp"

namespace fs = std::filesystem;
using support::Fault;
using support::Ran;
using support::slurp;
using support::stride;

namespace {

class Faults : public ::testing::Test {
 protected:
  void SetUp() override {
    if (!support::faults_work()) GTEST_SKIP() << "sanitizers have an allocator of their own";
    folder_.file("lines.csv",
                 "line,shop_no,amount,day\n1,1,5.00,2025-01-01\n2,2,7.00,2025-01-02\n3,1,4.00,\n4,3,,2025-01-03\n");
    folder_.file("best.ladder.toml",
                 "[data]\nfrom = \"lines.csv\"\n[totals]\nspend = \"sum(amount)\"\nlast = \"max(day)\"\n[rank]\neach = "
                 "[\"shop_no\"]\nby = \"spend desc\"\n");
    fs::create_directory(folder_.path() / "out");
  }
  std::vector<std::string> call(const std::string& source, const std::string& to) const {
    std::vector<std::string> out = {"rank", source, "--remarks", "none"};
    if (to.ends_with(".standings.json"))
      out.insert(out.end(), {"--to", "csv", "--save-standings", "out/" + to});
    else
      out.insert(out.end(), {"--to", "out/" + to});
    return out;
  }
  void clear() const {
    for (const auto& one : fs::directory_iterator(folder_.path() / "out")) fs::remove(one.path());
  }
  std::vector<std::string> left() const {
    std::vector<std::string> out;
    for (const auto& one : fs::directory_iterator(folder_.path() / "out"))
      out.push_back(one.path().filename().string());
    return out;
  }
  std::string result(const std::string& to) const { return slurp(folder_.path() / "out" / to.substr(0, to.find('#'))); }

  // One run with a fault. `old`: what the output holds before.
  void run(const Fault& fault, const std::vector<std::string>& arguments, const std::string& to, const std::string& old,
           const std::string& right) const {
    const std::string file = to.substr(0, to.find('#')),
                      what = fault.kind + " " + std::to_string(fault.at) + " " + fault.what;
    clear();
    if (!old.empty()) folder_.file("out/" + file, old);
    const Ran ran = support::lofty_with(fault, arguments, folder_.path());
    ++faults_;
    said_ += ran.status != 0;
    EXPECT_TRUE(ran.status == 0 || ran.status == 1 || ran.status == 2) << what << ": status " << ran.status << ran.err;
    for (const std::string& name : left()) EXPECT_EQ(name, file) << what;
    if (ran.status == 0) {
      EXPECT_EQ(result(to), right) << what;
    } else {
      EXPECT_NE(ran.err, "") << what;
      EXPECT_EQ(result(to), old) << what << "\n" << ran.err;
    }
  }

  void TearDown() override {
    if (faults_ > 0) std::printf("%ld faults, %ld ended in a message\n", faults_, said_);
  }

  const support::Scratch folder_;
  mutable long faults_ = 0, said_ = 0;
};

const std::vector<std::string> files = {"a.csv", "a.json", "a.md", "a.xlsx", "a.standings.json"};

}  // namespace

TEST_F(Faults, SystemCallsOfEachOutput) {
  for (const std::string& to : files) {
    const auto arguments = call("best.ladder.toml", to);
    ASSERT_EQ(support::lofty(arguments, folder_.path()).status, 0);
    const std::string right = result(to), old = right;  // an earlier answer is replaced untold
    for (const char* kind : {"read", "write", "open", "sync", "rename", "close"}) {
      const long calls = support::calls_of(kind, arguments, folder_.path());
      for (long at = 1; at <= calls; ++at)
        for (const char* error : {"5", "28"})  // EIO, ENOSPC
          run({kind, at, error}, arguments, to, old, right);
    }
  }
}

// A full disk below the workbook's library, in its own process.
TEST_F(Faults, EveryWriteOfTheWorkbooksLibrary) {
  const auto arguments = call("best.ladder.toml", "a.xlsx");
  ASSERT_EQ(support::lofty(arguments, folder_.path()).status, 0);
  const std::string right = result("a.xlsx");
  for (long at = 1; at <= support::calls_of("stdio", arguments, folder_.path()); at += stride(13))
    run({"stdio", at, "28"}, arguments, "a.xlsx", right, right);
}

TEST_F(Faults, TheSqliteFileStaysReadable) {
  const auto arguments = call("best.ladder.toml", "a.sqlite#best");
  const auto tables = [&] {
    return support::shell("sqlite3 " + (folder_.path() / "out/a.sqlite").string() + " .tables").out;
  };
  for (const char* kind : {"write", "sync", "open"})
    for (long at = 1; at <= 14; ++at) {
      clear();
      ASSERT_EQ(support::shell("sqlite3 " + (folder_.path() / "out/a.sqlite").string() +
                               " 'create table old(a); insert into old values (1)'")
                    .status,
                0);
      const Ran ran = support::lofty_with({kind, at, "28"}, arguments, folder_.path());
      EXPECT_LE(ran.status, 2) << ran.err;
      EXPECT_EQ(tables(), ran.status == 0 ? "best  old \n" : "old\n") << kind << at << ran.err;
    }
  // Killed in the middle: the next run reads what was there before.
  for (long at = 1; at <= 14; ++at) {
    clear();
    ASSERT_EQ(support::shell("sqlite3 " + (folder_.path() / "out/a.sqlite").string() +
                             " 'create table old(a); insert into old values (1)'")
                  .status,
              0);
    support::lofty_with({"write", at, "kill"}, arguments, folder_.path());
    const Ran read = support::lofty({"rank", "out/a.sqlite#old", "--to", "csv", "--remarks", "none"}, folder_.path());
    EXPECT_EQ(read.out, "a\n1\n") << at << read.err;
    // So does the next write, whichever comes first.
    clear();
    ASSERT_EQ(support::shell("sqlite3 " + (folder_.path() / "out/a.sqlite").string() + " 'create table old(a)'").status,
              0);
    support::lofty_with({"write", at, "kill"}, arguments, folder_.path());
    auto again = arguments;
    again.push_back("--replace");
    EXPECT_EQ(support::lofty(again, folder_.path()).status, 0) << at;
  }
}

TEST_F(Faults, SignalsLeaveNothingBehind) {
  // Under nohup, or in the background of a script, this process ignores some of them, and the tool would go on doing
  // so.
  for (const int signal : {1, 2, 13, 15}) std::signal(signal, SIG_DFL);
  for (const std::string& to :
       {std::string("a.csv"), std::string("a.json"), std::string("a.xlsx"), std::string("a.sqlite#best")}) {
    const auto arguments = call("best.ladder.toml", to);
    for (const char* kind : {"write", "sync", "rename"})
      for (const int signal : {1, 2, 13, 15}) {  // SIGHUP, SIGINT, SIGPIPE, SIGTERM
        clear();
        const Ran ran = support::lofty_with({kind, 1, "signal" + std::to_string(signal)}, arguments, folder_.path());
        if (std::string(kind) == "rename" && to.starts_with("a.sqlite") && ran.status == 0) continue;
        EXPECT_EQ(ran.status, 128 + signal) << to << kind << ran.err;
        EXPECT_EQ(left(), std::vector<std::string>{}) << to << kind << signal;
      }
  }
}

// What SIGKILL leaves, the next run removes.
TEST_F(Faults, TheNextRunClearsUpAfterAKill) {
  const auto arguments = call("best.ladder.toml", "a.csv");
  support::lofty_with({"sync", 1, "kill"}, arguments, folder_.path());
  ASSERT_EQ(left().size(), 1u);
  EXPECT_EQ(left().front().substr(0, 11), ".lofty-new-");
  EXPECT_EQ(support::lofty(arguments, folder_.path()).status, 0);
  EXPECT_EQ(left(), std::vector<std::string>{"a.csv"});
}

TEST_F(Faults, ShortReadsChangeNothing) {
  const auto arguments = call("best.ladder.toml", "a.csv");
  ASSERT_EQ(support::lofty(arguments, folder_.path()).status, 0);
  const std::string right = result("a.csv");
  const long calls = support::calls_of("read", arguments, folder_.path());
  for (long at = 1; at <= calls; ++at) {
    const Ran ran = support::lofty_with({"read", at, "short"}, arguments, folder_.path());
    EXPECT_EQ(ran.status, 0) << ran.err;
    EXPECT_EQ(result("a.csv"), right) << at;
  }
}

TEST_F(Faults, AReadErrorInTheMiddleOfALadderIsSaid) {
  std::string text = slurp(folder_.path() / "best.ladder.toml");
  text.insert(0, "# " + std::string(70'000, 'x') + "\n");
  folder_.file("long.ladder.toml", text);
  const auto arguments = call("long.ladder.toml", "a.csv");
  for (long at = 1; at <= 4; ++at) {
    clear();
    const Ran ran = support::lofty_with({"read", at, "5"}, arguments, folder_.path());
    EXPECT_EQ(ran.status, 1) << ran.err;
    EXPECT_NE(ran.err.find("reading failed: Input/output error"), std::string::npos) << ran.err;
  }
}

TEST_F(Faults, FewerThreadsDoTheWork) {
  std::string text = "k,v\n";
  for (int i = 0; i < 300'000; ++i) text += std::to_string(i % 1000) + "," + std::to_string(i) + "\n";
  folder_.file("many.csv", text);
  const std::vector<std::string> arguments = {"rank",      "many.csv", "--total",   "s=sum(v)", "--each", "k",
                                              "--by",      "s desc",   "--best",    "3",        "--to",   "csv",
                                              "--remarks", "none",     "--threads", "4"};
  const std::string right = support::lofty(arguments, folder_.path()).out;
  for (long at = 1; at <= 3; ++at) {
    const Ran ran = support::lofty_with({"thread", at, "11"}, arguments, folder_.path());
    EXPECT_EQ(ran.status, 0) << ran.err;
    EXPECT_EQ(ran.out, right) << at;
  }
}

// The structure of a large file is checked on a thread, or before reading where there is none.
TEST_F(Faults, SqliteIsReadWithoutAThread) {
  const auto file = folder_.path() / "many.sqlite";
  ASSERT_EQ(support::shell("sqlite3 " + file.string() +
                           " 'create table t(a integer, b text); with recursive n(i) as (select 1 union all select i + "
                           "1 from n where i < 300000) insert into t select i % 1000, \"the shop with number \" || i "
                           "from n'")
                .status,
            0);
  ASSERT_GT(std::filesystem::file_size(file), 8U << 20);
  const std::vector<std::string> arguments = {"rank",      "many.sqlite", "--total",   "n=count(b)", "--each", "a",
                                              "--by",      "n desc",      "--best",    "3",          "--to",   "csv",
                                              "--remarks", "none",        "--threads", "4"};
  const std::string right = support::lofty(arguments, folder_.path()).out;
  EXPECT_NE(right.find(",300\n"), std::string::npos) << right;
  for (long at = 1; at <= 3; ++at) {
    const Ran ran = support::lofty_with({"thread", at, "11"}, arguments, folder_.path());
    EXPECT_EQ(ran.status, 0) << ran.err;
    EXPECT_EQ(ran.out, right) << at;
  }
}

// A file for what does not fit into memory: each room that it takes, each write, each array that is mapped.
TEST_F(Faults, EachArrayThatMemoryHasNoRoomFor) {
  std::string text = "k,v\n";
  for (int i = 0; i < 300'000; ++i) text += std::to_string(i % 7000) + "," + std::to_string(i * 37 % 100'003) + "\n";
  folder_.file("many.csv", text);
  std::vector<std::string> arguments = {"rank", "many.csv",  "--within",  "k",    "--by",      "v desc",
                                        "--to", "out/a.csv", "--remarks", "none", "--threads", "2"};
  ASSERT_EQ(support::lofty(arguments, folder_.path()).status, 0);
  const std::string right = result("a.csv");
  arguments.insert(arguments.end(), {"--memory", "1kB", "--spill-to", "out"});
  for (const char* kind : {"write", "map", "open"}) {
    const long calls = support::calls_of(kind, arguments, folder_.path());
    ASSERT_GT(calls, 3) << kind;
    // How much memory is in use is looked up each millisecond: there are more calls of open() than arrays.
    constexpr long most = 200;
    for (long at = 1; at <= calls; at += std::max<long>(stride(29), calls / most))
      run({kind, at, "28"}, arguments, "a.csv", right, right);
  }
}

// A file so large that its rows are totalled as they are read.
TEST_F(Faults, ReadingRowsThatAreNotKept) {
  std::string text = "k,order_no,v,note\n";
  const std::string note(400, 'x');
  for (int i = 0; i < 180'000; ++i)
    text += std::to_string(i % 700) + "," + std::to_string(i / 3) + "," + std::to_string(i % 91) + "," + note + "\n";
  const std::vector<std::pair<std::string, std::string>> questions = {
      {"[totals]\ns = \"sum(v)\"\nn = \"count(distinct order_no)\"\n[rank]\neach = [\"k\"]\nby = \"s desc\"\n",
       "Rows of many.csv are totalled as they are read, and not kept"},
      {"[rows]\nwhere = \"v = 7\"\n[rank]\nby = \"order_no desc\"\n",
       "Rows of many.csv that count are kept, and the others are not"}};
  const std::vector<std::string> arguments = {"rank", "many.ladder.toml", "--to", "out/a.csv", "--remarks",
                                              "none", "--threads",        "2"};
  for (const auto& [question, how] : questions) {
    folder_.file("many.ladder.toml", "[data]\nfrom = \"many.csv\"\n" + question);
    folder_.file("many.csv", text);
    EXPECT_NE(support::lofty({"cost", "many.ladder.toml", "--run"}, folder_.path()).out.find(how), std::string::npos);
    clear();
    ASSERT_EQ(support::lofty(arguments, folder_.path()).status, 0);
    const std::string right = result("a.csv");

    const long reads = support::calls_of("read", arguments, folder_.path());
    ASSERT_GT(reads, 140);  // half a megabyte each
    for (long at = 1; at <= reads; at += stride(17)) {
      run({"read", at, "5"}, arguments, "a.csv", right, right);
      run({"read", at, "short"}, arguments, "a.csv", right, right);
    }
    const long calls = support::calls_of("alloc", arguments, folder_.path());
    for (long at = 1; at <= calls; at += std::max(1L, calls / 30)) run({"alloc", at}, arguments, "a.csv", right, right);

    // Changed while it is read: an error, or the answer of before.
    for (const char* const what : {"shrink", "grow"})
      for (long at = 20; at <= reads; at += stride(60)) {
        folder_.file("many.csv", text);
        run({"read", at, what, (folder_.path() / "many.csv").string()}, arguments, "a.csv", right, right);
      }
  }
}

// Of a small ladder, for each format that is written and each that is read.
TEST_F(Faults, AllocationsOfEachOutput) {
  for (const std::string& to : files) {
    const auto arguments = call("best.ladder.toml", to);
    clear();
    ASSERT_EQ(support::lofty(arguments, folder_.path()).status, 0);
    const std::string right = result(to);
    const long calls = support::calls_of("alloc", arguments, folder_.path());
    ASSERT_GT(calls, 1000);
    for (long at = 1; at <= calls; at += stride(83)) run({"alloc", at}, arguments, to, right, right);
  }
}

TEST_F(Faults, AllocationsOfEachInput) {
  const std::string in = folder_.path().string();
  ASSERT_EQ(support::shell("cd " + in +
                           " && gzip -k lines.csv && " LOFTY_TOOL
                           " rank lines.csv --to lines.sqlite#lines --remarks none && echo "
                           "'{\"shop_no\": 1, \"amount\": 2.5, \"day\": \"2025-01-01\"}' > lines.jsonl && " LOFTY_TOOL
                           " rank lines.csv --to lines.xlsx --remarks none && " LOFTY_TOOL
                           " rank lines.csv --save-standings lines.standings.json --to csv --remarks none > /dev/null")
                .status,
            0);
  for (const std::string name :
       {"lines.csv.gz", "lines.sqlite#lines", "lines.jsonl", "lines.xlsx#Standings", "lines.standings.json"}) {
    const std::vector<std::string> arguments = {
        "rank", name,         "--total", "spend=sum(amount)", "--total",   "last=max(day)", "--each", "shop_no",
        "--by", "spend desc", "--to",    "out/a.csv",         "--remarks", "none"};
    clear();
    ASSERT_EQ(support::lofty(arguments, folder_.path()).status, 0) << name;
    const std::string right = result("a.csv");
    const long calls = support::calls_of("alloc", arguments, folder_.path());
    for (long at = 1; at <= calls; at += stride(97)) run({"alloc", at}, arguments, "a.csv", right, right);
  }
}

// Formats and written forms go through ICU, which does not look whether it got memory; pages, pictures, arrays that do
// not fit, and comparisons have ways of their own.
TEST_F(Faults, AllocationsOfFormatsPagesPicturesSpillingAndComparisons) {
  folder_.file("then.standings.json", "");
  std::filesystem::remove(folder_.path() / "then.standings.json");
  ASSERT_EQ(support::lofty({"rank", "best.ladder.toml", "--remarks", "none", "--save-standings", "then.standings.json"},
                           folder_.path())
                .status,
            0);
  const std::string head = slurp(folder_.path() / "best.ladder.toml");
  folder_.file("formats.ladder.toml",
               "[data]\nfrom = \"lines.csv\"\ncolumns.amount.written = \"1,234.50 = 1234.50\"\n" +
                   head.substr(head.find("[totals]")) +
                   "[list.formats]\nspend = \"1.234,50 kr = 1234.50\"\nlast = \"31 December 2025 = 2025-12-31\"\n");
  folder_.file("compared.ladder.toml", head + "[compare]\nwith = \"then.standings.json\"\n");
  const std::vector<std::pair<std::string, std::vector<std::string>>> jobs = {
      {"a.md", {"rank", "formats.ladder.toml", "--to", "out/a.md", "--remarks", "none"}},
      {"a.xlsx", {"rank", "formats.ladder.toml", "--to", "out/a.xlsx", "--remarks", "none"}},
      {"a.html", {"rank", "best.ladder.toml", "--to", "out/a.html", "--no-pictures", "--remarks", "none"}},
      {"a.svg", {"draw", "best.ladder.toml", "--as", "bars", "--to", "out/a.svg", "--remarks", "none"}},
      {"a.csv",
       {"rank", "best.ladder.toml", "--to", "out/a.csv", "--remarks", "none", "--memory", "1kB", "--spill-to", "out"}},
      {"b.csv", {"rank", "compared.ladder.toml", "--to", "out/b.csv", "--remarks", "none"}}};
  for (const auto& [to, arguments] : jobs) {
    clear();
    const Ran first = support::lofty(arguments, folder_.path());
    ASSERT_EQ(first.status, 0) << to << first.err;
    const std::string right = result(to);
    const long calls = support::calls_of("alloc", arguments, folder_.path());
    ASSERT_GT(calls, 1000) << to;
    for (long at = 1; at <= calls; at += stride(211)) {
      clear();
      // A page says what it took, so that its bytes differ from run to run.
      const Ran ran = support::lofty_with({"alloc", at}, arguments, folder_.path());
      EXPECT_TRUE(ran.status == 0 || ran.status == 1) << to << " alloc " << at << " status " << ran.status << ran.err;
      EXPECT_TRUE(ran.status == 0 || !ran.err.empty()) << to << " alloc " << at;
      if (ran.status == 0 && !to.ends_with(".html") && !to.ends_with(".svg")) {
        EXPECT_EQ(result(to), right) << to << " alloc " << at;
      }
    }
  }
}

// Before main() libraries are set up.
TEST_F(Faults, TheFirstAllocationsOfAProcess) {
  for (long at = 1; at <= 80; ++at) {
    Fault fault{"alloc", at};
    fault.early = true;
    const Ran ran = support::lofty_with(fault, {"rank", "best.ladder.toml", "--remarks", "none"}, folder_.path());
    EXPECT_TRUE(ran.status == 0 || !ran.err.empty()) << at;
    EXPECT_TRUE(ran.status == 0 || ran.status == 1 || ran.status == 127) << at << " status " << ran.status << ran.err;
  }
}

// The library of workbooks passes over some failures. One fault in each of the two writings leaves the same broken file
// twice, so the finished one is looked at as a whole.
TEST_F(Faults, AWorkbookWhosePartIsCutOff) {
  const auto file = folder_.path() / "out" / "whole.xlsx";
  ASSERT_EQ(support::lofty(call("best.ladder.toml", "whole.xlsx"), folder_.path()).status, 0);
  const std::string bytes = slurp(file);
  for (const char* part : {"xl/styles.xml", "xl/workbook.xml", "docProps/app.xml", "xl/_rels/workbook.xml.rels",
                           "[Content_Types].xml", "xl/theme/theme1.xml", "xl/sharedStrings.xml"}) {
    const auto folder = folder_.path() / "parts";
    const std::string in = "cd '" + folder_.path().string() +
                           "' && rm -rf parts && mkdir parts && cd parts && unzip -q ../out/whole.xlsx && ";
    // Cut in the middle, empty, and gone.
    for (const std::string& how : {"truncate -s $(($(stat -c %s '" + std::string(part) + "') / 2)) '" + part + "'",
                                   "truncate -s 0 '" + std::string(part) + "'", "rm '" + std::string(part) + "'"}) {
      ASSERT_EQ(support::shell(in + how + " && rm -f ../cut.xlsx && zip -q -X -r ../cut.xlsx .").status, 0) << part;
      EXPECT_FALSE(lofty::engine::is_whole_workbook(slurp(folder_.path() / "cut.xlsx"))) << part << " " << how;
    }
  }
  EXPECT_TRUE(lofty::engine::is_whole_workbook(bytes));
}
