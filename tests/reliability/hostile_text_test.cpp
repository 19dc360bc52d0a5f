// What reaches a terminal or another program: data is shown, and never obeyed.
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include "lofty/lofty.hpp"
#include "support/process.hpp"

using namespace lofty;
using support::Ran;

namespace {

const char* const hostile =
    "shop,n\n\"\x1b]0;owned\x07\x1b[31mred\",1\n\"a\xe2\x80\xae"
    "evil\",2\n\"\xc2\x9b"
    "2J\",3\n=cmd|'/c calc'!A1,4\n\"<script>|*b*\",5\n";

bool raw(const std::string& text) {
  return text.find('\x1b') != std::string::npos || text.find('\x07') != std::string::npos ||
         text.find("\xe2\x80\xae") != std::string::npos || text.find("\xc2\x9b") != std::string::npos;
}

}  // namespace

// `script` gives the tool a terminal.
TEST(HostileText, NothingReachesATerminalRaw) {
  const support::Scratch s;
  s.file("t.csv", hostile);
  s.file("\x1b[31mname.csv", "a\x1b[2J,b\n1,2,3\n");
  s.file("l.ladder.toml", "title = \"t\\u001b[5m\"\n[data]\nfrom = \"t.csv\"\n");
  const auto shown = [&](const std::string& call) {
    return support::shell("cd '" + s.path().string() + "' && NO_COLOR=1 TERM=xterm script -qec \"" LOFTY_TOOL " " +
                          call + "\" /dev/null < /dev/null")
        .out;
  };
  for (const char* call : {"rank t.csv", "rank t.csv --to csv", "rank t.csv --to json", "rank t.csv --to md",
                           "inspect t.csv", "rank l.ladder.toml", "inspect ./*name.csv", "rank t.csv --stage joined",
                           "check l.ladder.toml", "rank t.csv --where 'shop = 1'"}) {
    const std::string out = shown(call);
    EXPECT_FALSE(raw(out)) << call;
    EXPECT_NE(out, "") << call;
  }
  // Files, and pipes, hold the bytes.
  const Ran piped = support::lofty({"rank", "t.csv", "--to", "csv", "--remarks", "none"}, s.path());
  EXPECT_TRUE(raw(piped.out));
}

TEST(HostileText, SafeForTerminalKeepsOurColours) {
  EXPECT_EQ(safe_for_terminal("a\tb\n\033[1mbold\033[0m \033[2J"), "a\tb\n\033[1mbold\033[0m \xE2\x90\x9B[2J");
  EXPECT_EQ(safe_for_terminal("\xe2\x81\xa6x\xff"), "<U+2066>x\xEF\xBF\xBD");
  EXPECT_EQ(safe_for_terminal("\r\n"), "\xE2\x90\x8D\n");
  EXPECT_EQ(safe_for_terminal("Älv مرحبا"), "Älv مرحبا");
}

TEST(HostileText, MarkdownIsText) {
  const support::Scratch s;
  s.file("t.csv", hostile);
  const Ran ran = support::lofty({"rank", "t.csv", "--to", "md", "--title", "<b>*x*"}, s.path());
  EXPECT_NE(ran.out.find("\\<script\\>\\|\\*b\\*"), std::string::npos) << ran.out;
  EXPECT_NE(ran.out.find("## \\<b\\>\\*x\\*"), std::string::npos) << ran.out;
}

TEST(HostileText, CsvSaysWhatAnOfficeProgramWouldRunAndGuardsItOnWish) {
  const support::Scratch s;
  s.file("t.csv", hostile);
  const Ran plain = support::lofty({"rank", "t.csv", "--to", "csv"}, s.path());
  EXPECT_NE(plain.out.find("\n=cmd|'/c calc'!A1,4\n"), std::string::npos);  // values are exact
  EXPECT_NE(plain.err.find("cells-run-as-formulas: 1 text begins"), std::string::npos) << plain.err;
  const Ran guarded = support::lofty({"rank", "t.csv", "--to", "csv", "--guard-cells"}, s.path());
  EXPECT_NE(guarded.out.find("\n'=cmd|'/c calc'!A1,4\n"), std::string::npos) << guarded.out;
  EXPECT_EQ(guarded.err.find("cells-run-as-formulas"), std::string::npos);
}

TEST(HostileText, FlagsWithoutEffectAreRefused) {
  const support::Scratch s;
  s.file("t.csv", hostile);
  const Ran guard = support::lofty({"rank", "t.csv", "--to", "json", "--guard-cells"}, s.path());
  EXPECT_EQ(guard.status, 2);
  EXPECT_NE(guard.err.find("--guard-cells is for csv"), std::string::npos) << guard.err;
  EXPECT_EQ(support::lofty({"rank", "t.csv", "--replace"}, s.path()).status, 2);
}

TEST(HostileText, WorkbookCellsAreTexts) {
  const support::Scratch s;
  s.file("t.csv", hostile);
  ASSERT_EQ(support::lofty({"rank", "t.csv", "--to", "t.xlsx"}, s.path()).status, 0);
  const Ran sheet = support::shell("cd '" + s.path().string() + "' && unzip -p t.xlsx xl/worksheets/sheet1.xml");
  EXPECT_EQ(sheet.out.find("<f>"), std::string::npos);
  EXPECT_NE(sheet.out.find("t=\"s\""), std::string::npos);
  // And come back as they were, control characters and all.
  const Ran back = support::lofty({"rank", "t.xlsx", "--to", "csv", "--remarks", "none"}, s.path());
  EXPECT_EQ(back.out, support::lofty({"rank", "t.csv", "--to", "csv", "--remarks", "none"}, s.path()).out);
}

TEST(HostileText, WorkbookTextsThatDoNotFitAreErrors) {
  const support::Scratch s;
  s.file("long.csv", "shop,n\nshort,1\n" + std::string(40'000, 'x') + ",2\n");
  const Ran ran = support::lofty({"rank", "long.csv", "--to", "t.xlsx", "--remarks", "none"}, s.path());
  EXPECT_EQ(ran.status, 1);
  EXPECT_NE(ran.err.find("`shop` in row 2 has 40000 characters; a workbook's cell holds at most 32,767"),
            std::string::npos)
      << ran.err;
  EXPECT_FALSE(std::filesystem::exists(s.path() / "t.xlsx"));
  s.file("nul.csv", std::string("shop,n\na\0b,1\n", 13));
  EXPECT_NE(support::lofty({"rank", "nul.csv", "--to", "t.xlsx"}, s.path()).err.find("holds a NUL character"),
            std::string::npos);
  s.file("escape.csv", "shop,n\n_x000D_,1\n\"a\rb\",2\n_x005F_,3\n");
  ASSERT_EQ(support::lofty({"rank", "escape.csv", "--to", "t.xlsx"}, s.path()).status, 0);
  EXPECT_EQ(support::lofty({"rank", "t.xlsx", "--to", "csv", "--remarks", "none"}, s.path()).out,
            "shop,n\n_x000D_,1\n\"a\rb\",2\n_x005F_,3\n");
}

TEST(HostileText, HeadingsThatAreEqualGiveKeysThatAreNot) {
  const support::Scratch s;
  s.file("t.csv", "a,b\n1,2\n");
  const Ran ran =
      support::lofty({"rank", "t.csv", "--heading", "a=same", "--heading", "b=same", "--to", "json"}, s.path());
  const auto json = nlohmann::json::parse(ran.out);
  EXPECT_EQ(json["rows"][0].size(), 2u);
  EXPECT_EQ(json["rows"][0]["a"], 1);
  EXPECT_EQ(json["rows"][0]["b"], 2);
}

// In a table of one column an empty line is a row with a null, on both sides.
TEST(HostileText, OneColumnWithNullsComesBack) {
  const support::Scratch s;
  for (const std::string text : {"a\n1\n\n3\n\n", "a\n\n\n", "a\nx\n\n\"\"\n\"q\"\"\"\n\n", "a\n"}) {
    s.file("t.csv", text);
    const Ran once = support::lofty({"rank", "t.csv", "--to", "csv", "--remarks", "none"}, s.path());
    EXPECT_EQ(once.out, text) << once.err;
  }
  s.file("headless.csv", "\n\n3\n");
  s.file("headless.ladder.toml", "[data]\nfrom = \"headless.csv\"\nheader = [\"a\"]\n");
  EXPECT_EQ(support::lofty({"rank", "headless.ladder.toml", "--to", "csv", "--remarks", "none"}, s.path()).out,
            "a\n\n\n3\n");
  s.file("t.csv", "\n\na\r\n1\r\n\r\n3\r\n");
  EXPECT_EQ(support::lofty({"rank", "t.csv", "--to", "csv", "--remarks", "none"}, s.path()).out, "a\n1\n\n3\n");
}
