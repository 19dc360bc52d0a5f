// The settings file, and standard input and output by `-`.
#include <gtest/gtest.h>

#include "support/process.hpp"

namespace {

using support::Scratch;

// Runs with these settings, and returns what it wrote.
support::Ran with_settings(const Scratch& s, const std::string& toml, const std::string& command) {
  std::filesystem::create_directories(s.path() / "lofty");
  s.file("lofty/config.toml", toml);
  return support::shell("XDG_CONFIG_HOME=" + s.path().string() + " " LOFTY_TOOL " " + command);
}

const std::string shops = LOFTY_SOURCE "/demo/best_shops.ladder.toml";

}  // namespace

TEST(Settings, ColoursEverywhereOrNowhere) {
  const Scratch s;
  EXPECT_NE(with_settings(s, "colours = \"always\"\n", "rank " + shops).out.find("\x1b[1m"), std::string::npos);
  EXPECT_EQ(with_settings(s, "colours = \"never\"\n", "rank " + shops).out.find('\x1b'), std::string::npos);
  EXPECT_EQ(with_settings(s, "", "rank " + shops).out.find('\x1b'), std::string::npos);  // no terminal
}

TEST(Settings, RemarksUnlessTheOptionSaysOtherwise) {
  const Scratch s;
  const std::string none = "remarks = \"none\"\n";
  EXPECT_EQ(with_settings(s, none, "rank " + shops).err.find("tie-at-cut"), std::string::npos);
  EXPECT_NE(with_settings(s, none, "rank " + shops + " --remarks full").err.find("tie-at-cut"), std::string::npos);
  EXPECT_NE(with_settings(s, "threads = 1\n", "rank " + shops).err.find("tie-at-cut"), std::string::npos);
}

TEST(Settings, NothingChangesTheAnswer) {
  const Scratch s;
  const std::string plain = support::shell(LOFTY_TOOL " rank " + shops + " --to csv").out;
  EXPECT_EQ(with_settings(s,
                          "threads = 1\ncolours = \"always\"\nremarks = \"none\"\npager = \"cat\"\nmemory = "
                          "\"64KiB\"\nspill_to = \"" +
                              s.path().string() + "\"\n",
                          "rank " + shops + " --to csv")
                .out,
            plain);
}

TEST(Settings, MistakesAreShownWhereTheyAre) {
  const Scratch s;
  const std::string file = (s.path() / "lofty/config.toml").string();
  const std::pair<const char*, const char*> cases[] = {
      {"colour = \"always\"\n", ", line 1, column 1: there is no setting `colour`"},
      {"# mine\nremarks = \"shrt\"\n", ", line 2, column 1: `remarks` is none, short or full, not `shrt`"},
      {"threads = -1\n", ", line 1, column 1: `threads` is a whole number from 0 to 1024, not `-1`"},
      {"memory = \"much\"\n", ", line 1, column 1: `much` is no size: 1GiB, 1.5GB, 500MB"},
      {"spill_to = \"/no/such\"\n", ", line 1, column 1: `/no/such` is no folder"},
      {"colours = \"blue\"\n", ", line 1, column 1: `colours` is auto, always or never, not `blue`"},
  };
  for (const auto& [toml, message] : cases) {
    const auto ran = with_settings(s, toml, "rank " + shops);
    EXPECT_EQ(ran.status, 2) << toml;
    std::string said = ran.err;  // on one line
    for (std::size_t at = 0; (at = said.find("\n  ", at)) != std::string::npos;) said.replace(at, 3, " ");
    EXPECT_NE(said.find(file + message), std::string::npos) << ran.err;
  }
}

TEST(Dash, IsStandardInputAndOutput) {
  const std::string table = "printf 'shop,n\\na,1\\nb,5\\n' | ";
  EXPECT_EQ(support::shell(table + LOFTY_TOOL " rank - --by 'n desc' --best 1 --to - 2>/dev/null").out,
            "rank,shop,n\n1,b,5\n");
  EXPECT_NE(support::shell(table + LOFTY_TOOL " inspect -").out.find("2 rows, 2 columns"), std::string::npos);

  // A ladder, for the commands that take one; its tables are looked for in the working folder.
  const std::string ladder = "cd " LOFTY_SOURCE "/demo && cat best_shops.ladder.toml | " LOFTY_TOOL " ";
  EXPECT_EQ(support::shell(ladder + "check -").status, 0);
  EXPECT_NE(support::shell(ladder + "why - 'shop_no = 136'").out.find("Its place"), std::string::npos);
  EXPECT_NE(support::shell(ladder + "cost -").out.find("estimated"), std::string::npos);
  const std::string saved = support::shell("cd " LOFTY_SOURCE "/demo && " LOFTY_TOOL
                                           " rank order_lines.csv --each shop_no --total 'n=count(*)' --by 'n desc' "
                                           "--best 1 --save-ladder - --to csv 2>/dev/null")
                                .out;
  EXPECT_NE(saved.find("[rank]\neach = [\"shop_no\"]"), std::string::npos) << saved;
}
