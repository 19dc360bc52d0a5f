// Input that never ends, and ladders from strangers.
#include <gtest/gtest.h>
#include <sys/stat.h>

#include <fstream>

#include "support/faults.hpp"
#include "support/process.hpp"

using support::lofty;
using support::Ran;
using support::Scratch;

namespace {

namespace fs = std::filesystem;

bool has(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

std::string ladder(const std::string& from) {
  return "[data]\nfrom = \"" + from + "\"\n[totals]\nt = \"sum(x)\"\n[rank]\neach = [\"n\"]\nby = \"t desc\"\n";
}

// A folder with a program called gnuplot, to be found first.
std::string path_with_gnuplot(const Scratch& s, const std::string& script) {
  const fs::path program = s.file("bin/gnuplot", "#!/bin/sh\n" + script + "\n");
  fs::permissions(program, fs::perms::owner_all);
  return "PATH=" + (s.path() / "bin").string() + ":" + std::getenv("PATH");
}

}  // namespace

TEST(HostileInput, AnInchMarkInEveryOtherLineIsReadToItsEnd) {
  std::string table = "product,price\n";
  for (int i = 0; i < 70; ++i)
    table += "\"Pipe 1/2\"\" " + std::to_string(i) + "\"," + std::to_string(i) + "\nNail " + std::to_string(i) + "," +
             std::to_string(i) + "\n";
  const Scratch s;
  s.file("p.csv", table);
  const Ran ran = lofty({"rank", "p.csv", "--remarks", "none"}, s.path());
  EXPECT_EQ(ran.status, 0);
  EXPECT_TRUE(has(ran.out, "140 rows")) << ran.out;
}

TEST(HostileInput, DevicesPipesAndFoldersAreNoFiles) {
  const Scratch s;
  EXPECT_TRUE(has(lofty({"rank", "/dev/zero"}, s.path()).err, "/dev/zero: this is a device, not a file"));
  const Ran endless = support::shell("yes | tr -d '\\n' | " LOFTY_TOOL " rank -");
  EXPECT_TRUE(has(endless.err, "its first line is longer than 4 MiB")) << endless.err;
  const Ran piped = support::shell("printf 'n,x\\n1,2\\n' | " LOFTY_TOOL " rank - --to csv --remarks none");
  EXPECT_EQ(piped.out, "n,x\n1,2\n");

  // A pipe where settings or the machine's speeds would be.
  fs::create_directories(s.path() / "config/lofty");
  ASSERT_EQ(::mkfifo((s.path() / "config/lofty/config.toml").c_str(), 0600), 0);
  EXPECT_TRUE(has(lofty({"functions"}, s.path(), {"XDG_CONFIG_HOME=" + (s.path() / "config").string()}).err,
                  "the settings are not in a regular file"));
  fs::create_directories(s.path() / "cache/lofty-ladder");
  ASSERT_EQ(::mkfifo((s.path() / "cache/lofty-ladder/speeds.txt").c_str(), 0600), 0);
  EXPECT_TRUE(has(lofty({"cost", (support::demo() / "best_shops.ladder.toml").string()}, s.path(),
                        {"XDG_CACHE_HOME=" + (s.path() / "cache").string()})
                      .err,
                  "this machine's speeds are not in a regular file"));
}

TEST(HostileInput, SettingsAreNotReadFromTheCurrentFolder) {
  const Scratch s;
  s.file(".config/lofty/config.toml", "threads = 99999\n");
  for (const char* home : {"HOME=", "HOME=."})
    EXPECT_EQ(lofty({"functions"}, s.path(), {home, "XDG_CONFIG_HOME="}).status, 0) << home;
}

TEST(HostileInput, MeasuringTheMachineNeedsNoTemporaryFolder) {
  const Scratch s;
  const Ran ran = lofty({"cost", (support::demo() / "best_shops.ladder.toml").string()}, s.path(),
                        {"TMPDIR=/nowhere", "XDG_CACHE_HOME=" + (s.path() / "cache").string()});
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_TRUE(has(ran.out, "estimated"));
}

TEST(HostileInput, LevelsHaveALimit) {
  const Scratch s;
  std::string text = "[data]\nfrom = \"t.csv\"\n[totals]\nt = \"sum(x)\"\n";
  for (int i = 0; i < 400; ++i) text += "[[level]]\neach = [\"n\"]\nby = \"t desc\"\n";
  s.file("l.ladder.toml", text);
  s.file("t.csv", "n,x\n1,2\n2,3\n");
  const Ran ran = lofty({"rank", "l.ladder.toml"}, s.path());
  EXPECT_EQ(ran.status, 2);
  EXPECT_TRUE(has(ran.err, "a ladder has at most 20 levels; this one has 400")) << ran.err;
}

TEST(HostileInput, APageHasTenThousandRowsUnlessToldOtherwise) {
  const Scratch s;
  std::string table = "n\n";
  for (int i = 0; i < 12'000; ++i) table += std::to_string(i) + "\n";
  s.file("t.csv", table);
  const auto rows = [&](const std::string& page) {
    std::size_t count = 0;
    const std::string text = support::slurp(s.path() / page);
    for (std::size_t at = 0; (at = text.find("data-codes", at)) != std::string::npos; ++at) ++count;
    return count;
  };
  const Ran cut = lofty({"rank", "t.csv", "--by", "n desc", "--to", "cut.html", "--no-pictures"}, s.path());
  EXPECT_TRUE(has(cut.err, "page-cut: this page has the first 10,000 of 12,000 rows; 2,000 are left out")) << cut.err;
  EXPECT_EQ(rows("cut.html"), 10'000u);
  EXPECT_TRUE(has(support::slurp(s.path() / "cut.html"), "2,000 are left out"));
  const Ran whole =
      lofty({"rank", "t.csv", "--by", "n desc", "--to", "all.html", "--no-pictures", "--page-rows", "12000"}, s.path());
  EXPECT_FALSE(has(whole.err, "page-cut"));
  EXPECT_EQ(rows("all.html"), 12'000u);
}

TEST(HostileInput, APagesPolicyAdmitsItsOwnScriptAndStyleOnly) {
  const Scratch s;
  s.file("t.csv", "n\n1\n");
  ASSERT_EQ(lofty({"rank", "t.csv", "--to", "p.html"}, s.path()).status, 0);
  const std::string page = support::slurp(s.path() / "p.html");
  EXPECT_FALSE(has(page, "unsafe-inline"));
  EXPECT_FALSE(has(page, " style=\""));
  for (const std::string part : {"style", "script"}) {
    const std::size_t begin = page.find("<" + part + ">") + part.size() + 2, end = page.find("</" + part + ">");
    s.file("part", page.substr(begin, end - begin));
    const std::string hash =
        support::shell("openssl dgst -sha256 -binary '" + (s.path() / "part").string() + "' | base64")
            .out.substr(0, 44);
    EXPECT_TRUE(has(page, part + "-src 'sha256-" + hash + "'")) << part;
  }
}

TEST(HostileInput, GnuplotThatHangsOrDies) {
  const Scratch s;
  s.file("t.csv", "n,x\na,2\nb,1\n");
  s.file("l.ladder.toml", ladder("t.csv"));
  const std::string dies = path_with_gnuplot(s, "kill -9 $$");
  EXPECT_TRUE(has(lofty({"draw", "l.ladder.toml", "--as", "bars", "--to", "p.svg"}, s.path(), {dies}).err,
                  "gnuplot could not draw the picture"));
  const Ran page = lofty({"rank", "l.ladder.toml", "--to", "p.html"}, s.path(), {dies});
  EXPECT_EQ(page.status, 0);
  EXPECT_TRUE(has(page.err, "page-without-pictures: gnuplot could not draw the picture")) << page.err;
  EXPECT_FALSE(has(support::slurp(s.path() / "p.html"), "<figure>"));

  // Ended by a signal, the tool leaves no gnuplot behind.
  const std::string hangs = path_with_gnuplot(s, "echo $$ >'" + (s.path() / "pid").string() + "'; sleep 600");
  const Ran ended = support::shell("cd '" + s.path().string() + "' && " + hangs +
                                   " timeout -s TERM 2 " LOFTY_TOOL
                                   " draw l.ladder.toml --as bars --to p.svg; sleep 0.2; "
                                   "ps -o stat= -p $(cat pid) | grep -qv Z && echo runs");
  EXPECT_FALSE(has(ended.out, "runs")) << ended.out;
}

TEST(HostileInput, APictureOfValuesThatAreTooFarApart) {
  const Scratch s;
  s.file("t.csv", "n,x\na,1e308\nb,-1e308\n");
  s.file("l.ladder.toml", ladder("t.csv"));
  const Ran ran = lofty({"draw", "l.ladder.toml", "--as", "bars", "--to", "p.svg"}, s.path());
  EXPECT_TRUE(has(ran.err, "too far apart to be drawn on one scale")) << ran.err;
  s.file("t.csv", "n,x\n" + std::string(5000, 'y') + ",3\nb,2\n");
  const Ran longer = lofty({"draw", "l.ladder.toml", "--as", "bars", "--to", "p.svg"}, s.path());
  EXPECT_TRUE(longer.status == 0 || has(longer.err, "is wider than the picture")) << longer.err;
}

TEST(HostileInput, HiddenControlsAreSeen) {
  const Scratch s;
  s.file("t.csv", "n,x\na\xEF\xBF\xBE,3\nb\xE2\x80\x8F,2\nc\xD8\x9C,1\nd\xF3\xA0\x81\x81,0\n");
  s.file("l.ladder.toml", ladder("t.csv"));
  ASSERT_EQ(lofty({"draw", "l.ladder.toml", "--as", "bars", "--to", "p.svg"}, s.path()).status, 0);
  const std::string svg = support::slurp(s.path() / "p.svg");
  for (const char* escape : {"&lt;U+FFFE>", "&lt;U+200F>", "&lt;U+061C>", "&lt;U+E0041>"})
    EXPECT_TRUE(has(svg, escape)) << escape;
  EXPECT_FALSE(has(svg, "\xEF\xBF\xBE"));

  // Also of those who left.
  s.file("then.csv", "n,x\nz\xE2\x80\x8F,9\n");
  ASSERT_EQ(lofty({"rank", "then.csv", "--total", "t=sum(x)", "--each", "n", "--by", "t desc", "--save-standings",
                   "then.standings.json"},
                  s.path())
                .status,
            0);
  s.file("c.ladder.toml", ladder("t.csv") + "[compare]\nwith = \"then.standings.json\"\n");
  ASSERT_EQ(lofty({"rank", "c.ladder.toml", "--to", "p.html"}, s.path()).status, 0);
  const std::string page = support::slurp(s.path() / "p.html");
  EXPECT_TRUE(has(page, "No longer listed"));
  EXPECT_TRUE(has(page, "z&lt;U+200F&gt;"));
  EXPECT_FALSE(has(page, "\xE2\x80\x8F"));
}

TEST(HostileInput, WorkbooksRefuseWhatTheyCannotHold) {
  const Scratch s;
  s.file("t.csv", "n,x\na,3\n");
  const auto said = [&](std::vector<std::string> more) {
    std::vector<std::string> words{"rank", "t.csv", "--to", "t.xlsx"};
    words.insert(words.end(), more.begin(), more.end());
    return lofty(words, s.path()).err;
  };
  EXPECT_TRUE(has(said({"--title", std::string(40'000, 't')}), "the title has 40000 characters"));
  EXPECT_TRUE(
      has(said({"--format", "x=" + std::string(140, 'k') + " 1 = 1"}), "bytes in a workbook, which holds at most"));
  EXPECT_TRUE(has(said({"--format", "x=12 %% = 0.12"}), "has more than one per cent sign"));
  EXPECT_FALSE(fs::exists(s.path() / "t.xlsx"));
}

TEST(HostileInput, AFileThatBecomesTooLargeIsAMessage) {
  if (!support::faults_work()) GTEST_SKIP() << "the sanitizers need larger files themselves";
  const Scratch s;
  std::string table = "n\n";
  for (int i = 0; i < 20'000; ++i) table += std::to_string(i) + "\n";
  s.file("t.csv", table);
  const Ran ran =
      support::shell("cd '" + s.path().string() +
                     "' && ulimit -f 8 && " LOFTY_TOOL " rank t.csv --to out.csv --remarks none 2>&1; echo status $?");
  EXPECT_TRUE(has(ran.out, "File too large") && has(ran.out, "status 1")) << ran.out;
  EXPECT_FALSE(fs::exists(s.path() / "out.csv"));
}

TEST(HostileInput, AFileCountsOnceUnderWhateverName) {
  const Scratch s;
  s.file("o-1.csv", "n\n1\n");
  s.file("o-2.csv", "n\n2\n");
  const auto said = [&](std::vector<std::string> names) {
    names.insert(names.begin(), "rank");
    return lofty(names, s.path()).err;
  };
  EXPECT_TRUE(has(said({"o-1.csv", "./o-1.csv"}), "would count twice"));
  EXPECT_TRUE(has(said({"o-1.csv", (s.path() / "o-1.csv").string()}), "would count twice"));
  fs::create_symlink("o-1.csv", s.path() / "link.csv");
  EXPECT_TRUE(has(said({"o-1.csv", "link.csv"}), "the file link.csv is the same file as o-1.csv"));
  fs::create_hard_link(s.path() / "o-1.csv", s.path() / "hard.csv");
  EXPECT_TRUE(has(said({"o-1.csv", "hard.csv"}), "is the same file as"));

  // A pattern that meets what is no file.
  fs::create_symlink("gone.csv", s.path() / "o-3.csv");
  EXPECT_TRUE(
      has(said({"o-*.csv"}), "`o-3.csv` fits the pattern o-*.csv, and is a link to a file that does not exist"));
  fs::remove(s.path() / "o-3.csv");
  fs::create_directory(s.path() / "o-4.csv");
  EXPECT_TRUE(has(said({"o-*.csv"}), "`o-4.csv` fits the pattern o-*.csv, and is a folder"));
  fs::remove(s.path() / "o-4.csv");
  ASSERT_EQ(::mkfifo((s.path() / "o-5.csv").c_str(), 0600), 0);
  EXPECT_TRUE(has(said({"o-*.csv"}), "is no regular file"));
}

TEST(HostileInput, ALadderFromAStrangerStaysInItsFolder) {
  const Scratch s;
  s.file("secret.csv", "n,x\na,1\n");
  s.file("jail/t.csv", "n,x\na,2\n");
  s.file("jail/inner.ladder.toml", ladder("../secret.csv"));
  fs::create_symlink("../secret.csv", s.path() / "jail/link.csv");
  const std::string secret = (s.path() / "secret.csv").string();
  const auto tried = [&](const std::string& text) {
    s.file("jail/l.ladder.toml", text);
    for (const std::vector<std::string>& command : {std::vector<std::string>{"rank", "jail/l.ladder.toml"},
                                                    {"check", "jail/l.ladder.toml"},
                                                    {"why", "jail/l.ladder.toml", "n = 'a'"},
                                                    {"draw", "jail/l.ladder.toml", "--as", "bars", "--to", "p.svg"},
                                                    {"cost", "jail/l.ladder.toml"}}) {
      std::vector<std::string> words = command;
      words.insert(words.end(), {"--only-under", "jail"});
      const Ran ran = lofty(words, s.path());
      if (ran.status == 0) return std::string("answered by ") + command.front();
      if (!has(ran.err + ran.out, "is outside of")) return ran.err + ran.out;
    }
    return std::string();
  };
  EXPECT_EQ(tried(ladder("../secret.csv")), "");
  EXPECT_EQ(tried(ladder(secret)), "");
  EXPECT_EQ(tried(ladder("link.csv")), "");
  EXPECT_EQ(tried(ladder("../*.csv")), "");
  EXPECT_EQ(tried(ladder("/proc/self/environ")), "");
  EXPECT_EQ(tried(ladder("inner.ladder.toml")), "");
  EXPECT_EQ(tried(ladder("t.csv") + "[[data.join]]\nwith = \"../secret.csv\"\non = [\"n\"]\n"), "");
  // `why` is about the answer alone, and does not compare.
  EXPECT_EQ(tried(ladder("t.csv") + "[compare]\nwith = \"../secret.csv\"\n"), "answered by why");
  EXPECT_EQ(tried("[data]\nfrom = [\"t.csv\", \"../secret.csv\"]\n"), "");
  s.file("jail/l.ladder.toml", ladder("t.csv"));
  EXPECT_EQ(lofty({"rank", "jail/l.ladder.toml", "--only-under", "jail"}, s.path()).status, 0);
}
