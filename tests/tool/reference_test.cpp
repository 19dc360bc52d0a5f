// Reference pages are what the code itself uses: the committed pages are the printed ones, and every option is in the
// manual page of its command and in every completion.
#include <gtest/gtest.h>

#include "support/process.hpp"

namespace {

const std::filesystem::path source = LOFTY_SOURCE;

std::string reference(const std::string& what) {
  const auto ran = support::shell(LOFTY_REFERENCE " " + what);
  EXPECT_EQ(ran.status, 0) << what;
  return ran.out;
}

const std::vector<std::string> commands{"inspect", "rank", "why", "draw", "cost", "check", "functions", "demo"};

// "--each", "--by", ... as the help of a command has them.
std::vector<std::string> options_of(const std::string& command) {
  const std::string help = support::lofty({command, "--help"}).out;
  std::vector<std::string> out;
  for (std::size_t at = 0; (at = help.find("\n  --", at)) != std::string::npos; at += 3) {
    const std::size_t end = help.find_first_of(" \n,", at + 3);
    out.push_back(help.substr(at + 3, end - at - 3));
  }
  return out;
}

}  // namespace

TEST(Reference, TheLadderFilesPageIsTheTable) {
  EXPECT_EQ(support::slurp(source / "docs/ladder-file.md"), reference("ladder-file"))
      << "build/release/reference ladder-file > docs/ladder-file.md";
}

TEST(Reference, TheFunctionsAreOnThePageOfFormulas) {
  EXPECT_TRUE(support::slurp(source / "docs/formulas.md").ends_with(reference("functions")));
}

TEST(Reference, ManualPagesAndCompletionsHaveEveryOption) {
  const std::string bash = reference("bash"), zsh = reference("zsh"), fish = reference("fish"),
                    whole = reference("man");
  for (const std::string& command : commands) {
    EXPECT_NE(whole.find("\n.B " + command + "\n"), std::string::npos) << command;
    const std::string page = reference("man " + command);
    for (const std::string& option : options_of(command)) {
      std::string escaped;
      for (const char c : option) escaped += c == '-' ? std::string("\\-") : std::string(1, c);
      EXPECT_NE(page.find(escaped), std::string::npos) << command << " " << option;
      EXPECT_NE(bash.find(option), std::string::npos) << command << " " << option;
      EXPECT_NE(zsh.find(option + "["), std::string::npos) << command << " " << option;
      EXPECT_NE(fish.find("__fish_seen_subcommand_from " + command + "' -l " + option.substr(2)), std::string::npos)
          << command << " " << option;
    }
  }
}

TEST(Reference, BashCompletes) {
  const auto completed = [](const std::string& words, int at) {
    const auto ran = support::shell("bash -c '. <(" LOFTY_REFERENCE " bash); COMP_WORDS=(" + words +
                                    "); COMP_CWORD=" + std::to_string(at) + "; _lofty; echo \"${COMPREPLY[*]}\"'");
    return ran.out;
  };
  EXPECT_EQ(completed("lofty ra", 1), "rank\n");
  EXPECT_EQ(completed("lofty rank --ti", 2), "--tiebreak --ties --title\n");
  EXPECT_EQ(completed("lofty rank --ties d", 3), "dense\n");
}

TEST(Reference, OptionsOfKeysAreThere) {
  const std::string help = support::lofty({"rank", "--help"}).out;
  std::istringstream page(reference("ladder-file"));
  std::size_t options = 0;
  for (std::string line; std::getline(page, line);) {
    const std::size_t at = line.rfind("| `--");
    if (at == std::string::npos || !line.ends_with("` |")) continue;
    const std::string option = line.substr(at + 3, line.size() - at - 6);
    EXPECT_NE(help.find("  " + option), std::string::npos) << option;
    ++options;
  }
  EXPECT_GT(options, 50u);
}
