// The line that says how far a long call has come: on a terminal, after two seconds, and gone at the end.
#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>
#include <iterator>

#include "support/process.hpp"

namespace {

// What a terminal gets where the table comes through a pipe that takes `seconds` to begin.
std::string on_terminal(const support::Scratch& s, const std::string& seconds, const std::string& rest = "") {
  s.file("lines.csv", "shop,n\nNorth,1\nSouth,2\n");
  const std::string inner = "(sleep " + seconds +
                            "; cat lines.csv) | " LOFTY_TOOL " rank - --each shop --total t=sum\\(n\\) --by t\\ desc" +
                            rest;
  const std::string command =
      "cd '" + s.path().string() + "' && TERM=xterm script -qec \"" + inner + "\" typescript > seen 2>&1";
  EXPECT_EQ(std::system(command.c_str()), 0) << command;
  std::ifstream in(s.path() / "seen");
  return {std::istreambuf_iterator<char>(in), {}};
}

}  // namespace

TEST(Progress, IsShownAfterTwoSecondsAndGoesAway) {
  const support::Scratch s;
  const std::string seen = on_terminal(s, "2.3");
  const std::size_t line = seen.find("\r\x1b[Kreading");
  ASSERT_NE(line, std::string::npos) << seen;
  const std::size_t gone = seen.rfind("\r\x1b[K");
  EXPECT_GT(gone, line);
  EXPECT_NE(seen.find("South", gone), std::string::npos) << "the answer follows\n" << seen;
}

TEST(Progress, IsNotShownBefore) {
  const support::Scratch s;
  const std::string seen = on_terminal(s, "0");
  EXPECT_EQ(seen.find("\x1b[Kreading"), std::string::npos) << seen;
  EXPECT_NE(seen.find("South"), std::string::npos) << seen;
}

TEST(Progress, IsForTerminalsOnly) {
  const support::Scratch s;
  const std::string seen = on_terminal(s, "2.3", " 2> errors");
  EXPECT_EQ(seen.find("reading"), std::string::npos) << seen;
  std::ifstream in(s.path() / "errors");
  const std::string errors{std::istreambuf_iterator<char>(in), {}};
  EXPECT_EQ(errors.find("reading"), std::string::npos) << errors;
  EXPECT_NE(errors.find("rows: 2 read"), std::string::npos) << errors;
}
