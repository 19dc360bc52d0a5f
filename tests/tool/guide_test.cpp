// The guide is true: each of its commands is run, and prints what is shown below it.
#include <gtest/gtest.h>

#include "support/process.hpp"

namespace {

const std::filesystem::path source = LOFTY_SOURCE;

struct Step {
  std::string command, shown;
};

// The ```console blocks: a command after `$ `, then its output.
std::vector<Step> steps_of(const std::string& page) {
  std::vector<Step> steps;
  const std::string fence = "```console\n$ ";
  for (std::size_t at = 0; (at = page.find(fence, at)) != std::string::npos;) {
    at += fence.size();
    const std::size_t line = page.find('\n', at), end = page.find("```\n", line);
    steps.push_back({page.substr(at, line - at), page.substr(line + 1, end - line - 1)});
    at = end;
  }
  return steps;
}

std::string without_last_newlines(std::string text) {
  while (!text.empty() && text.back() == '\n') text.pop_back();
  return text;
}

}  // namespace

TEST(Guide, EveryCommandPrintsWhatItSays) {
  std::vector<Step> steps;
  for (const char* page : {"guide/README.md", "guide/windows.md", "semantics.md"}) {
    const std::vector<Step> more = steps_of(support::slurp(source / "docs" / page));
    EXPECT_GE(more.size(), 5u) << page;
    steps.insert(steps.end(), more.begin(), more.end());
  }
  EXPECT_GE(steps.size(), 26u);
  for (const Step& step : steps) {
    ASSERT_TRUE(step.command.starts_with("lofty ")) << step.command;
    const auto ran = support::shell("cd " + source.string() + " && { " LOFTY_TOOL + step.command.substr(5) + "; }");
    const std::string out = without_last_newlines(ran.out), gap = "[...]";
    const std::string shown = without_last_newlines(step.shown);
    const std::size_t cut = shown.find(gap);
    if (cut == std::string::npos) {
      EXPECT_EQ(out, shown) << step.command;
      continue;
    }
    EXPECT_EQ(out.substr(0, cut), shown.substr(0, cut)) << step.command;
    const std::string after = shown.substr(cut + gap.size());
    EXPECT_TRUE(out.ends_with(after)) << step.command << "\n" << out;
  }
}
