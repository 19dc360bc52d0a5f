// --memory and --spill-to: the same bytes, whatever fits; and what is said of sizes and folders that are none.
#include <gtest/gtest.h>

#include <sstream>

#include "support/process.hpp"

namespace {

using support::lofty;
using support::Scratch;

// Some megabytes a column, with ties and nulls.
std::string many_lines() {
  std::string text = "shop,day,n,note\n";
#if defined(__SANITIZE_THREAD__) || defined(__SANITIZE_ADDRESS__)
  constexpr std::int64_t lines = 40'000;
#else
  constexpr std::int64_t lines = 400'000;
#endif
  for (std::int64_t i = 0; i < lines; ++i)
    text += std::to_string(i * 7919 % 5003) + ",2025-0" + std::to_string(1 + i % 9) + "-1" + std::to_string(i % 10) +
            "," + (i % 11 == 0 ? "" : std::to_string(i * 104'729 % 90'001)) + ",t" + std::to_string(i % 70'001) + "\n";
  return text;
}

// The same as JSON lines.
std::string many_objects() {
  std::string out;
  const std::string lines = many_lines();
  for (std::size_t at = lines.find('\n') + 1; at < lines.size();) {
    std::size_t end[4];
    for (std::size_t f = 0, from = at; f < 4; from = ++end[f++]) end[f] = lines.find(f < 3 ? ',' : '\n', from);
    const auto field = [&](std::size_t from, std::size_t to) { return lines.substr(from, to - 1 - from); };
    const std::string n = field(end[1], end[2]);
    out += "{\"shop\": " + field(at, end[0]) + ", \"day\": \"" + field(end[0], end[1]) +
           "\", \"n\": " + (n.empty() ? "null" : n) + ", \"note\": \"" + field(end[2], end[3]) + "\"}\n";
    at = end[3];
  }
  return out;
}

// Says the first line that differs. (What GoogleTest says of two texts takes time and memory by the square of the
// lines.)
testing::AssertionResult same(const std::string& ran, const std::string& usual) {
  if (ran == usual) return testing::AssertionSuccess();
  std::istringstream a(ran), b(usual);
  std::string left, right;
  int line = 1;
  for (; std::getline(a, left) && std::getline(b, right) && left == right; ++line) left.clear(), right.clear();
  return testing::AssertionFailure() << ran.size() << " and " << usual.size() << " bytes; line " << line << " is\n"
                                     << left << "\n, not\n"
                                     << right;
}

}  // namespace

TEST(Memory, ChangesNoByte) {
  const Scratch s;
  s.file("many.csv", many_lines());
  s.file("many.jsonl", many_objects());
  const std::vector<std::vector<std::string>> calls = {
      {"rank", "many.csv", "--within", "shop", "--by", "n desc nulls last", "--to", "csv"},
      {"rank", "many.csv", "--each", "shop", "--total", "t=sum(n)", "--total", "d=count(distinct note)", "--by",
       "t desc", "--to", "csv"},
      {"rank", "many.csv", "--figure", "r=sum(n) over (partition by shop order by day, note)", "--by",
       "r desc nulls last", "--best", "50"},
      {"rank", "many.csv", "--each", "note", "--total", "m=median(n)", "--by", "m desc nulls last", "--to", "json"},
      {"rank", "many.jsonl", "--within", "shop", "--by", "n desc nulls last", "--best", "3", "--to", "csv"},
      {"inspect", "many.csv"},
  };
  for (const auto& call : calls) {
    const auto usual = lofty(call, s.path());
    ASSERT_EQ(usual.status, 0) << usual.err;
    const std::vector<std::pair<std::string, std::string>> limits = {{"1kB", "1"},  {"1kB", "8"},  {"3MiB", "2"},
                                                                     {"3MiB", "8"}, {"20MB", "1"}, {"256MiB", "2"}};
    for (const auto& [memory, threads] : limits) {
      auto limited = call;
      limited.insert(limited.end(), {"--memory", memory, "--threads", threads, "--spill-to", s.path().string()});
      const auto ran = lofty(limited, s.path());
      EXPECT_EQ(ran.status, 0) << ran.err;
      EXPECT_TRUE(same(ran.out, usual.out)) << memory << " " << threads << " " << call.front() << " " << call.back();
      EXPECT_TRUE(same(ran.err, usual.err)) << memory << " " << threads << " " << call.front() << " " << call.back();
    }
  }
  // Nothing is left in the folder but the tables.
  EXPECT_EQ(2, std::distance(std::filesystem::directory_iterator(s.path()), {}));
}

TEST(Memory, SizesAndFoldersThatAreNoneAreSaid) {
  const Scratch s;
  s.file("few.csv", "shop,n\nNorth,1\n");
  for (const std::string wrong : {"much", "-5", "1x", "1.2.3GiB", "9999999999999TiB", "GiB"}) {
    const auto size = lofty({"rank", "few.csv", "--memory=" + wrong}, s.path());
    EXPECT_EQ(size.status, 2) << wrong;
    EXPECT_NE(size.err.find("--memory: `" + wrong + "` is no size: 1GiB, 1.5GB, 500MB"), std::string::npos) << size.err;
  }
  for (const std::string right : {"1.5GiB", "0.25 kB", "12345", "2 MiB"})
    EXPECT_EQ(lofty({"rank", "few.csv", "--memory", right}, s.path()).status, 0) << right;
  const auto folder = lofty({"rank", "few.csv", "--spill-to", "nowhere"}, s.path());
  EXPECT_EQ(folder.status, 2);
  EXPECT_NE(folder.err.find("--spill-to: `nowhere` is no folder"), std::string::npos) << folder.err;
}

TEST(Memory, AFolderThatTakesNoFileIsSaidWithStatusOne) {
  const Scratch s;
  s.file("many.csv", many_lines());
  const auto ran = lofty(
      {"rank", "many.csv", "--by", "n desc nulls last", "--to", "out.csv", "--memory", "1kB", "--spill-to", "/proc"},
      s.path());
  EXPECT_EQ(ran.status, 1);
  EXPECT_NE(ran.err.find("cannot be kept in /proc"), std::string::npos) << ran.err;
  EXPECT_NE(ran.err.find("--spill-to"), std::string::npos) << ran.err;
  EXPECT_FALSE(std::filesystem::exists(s.path() / "out.csv"));
}

TEST(Memory, CostSaysWhatWillNotFit) {
  const Scratch s;
  s.file("many.csv", many_lines());
  s.file("by.ladder.toml", "[data]\nfrom = \"many.csv\"\n[rank]\nby = \"n desc nulls last\"\n");
  const auto fits = lofty({"cost", "by.ladder.toml"}, s.path());
  EXPECT_NE(fits.out.find("\nMemory: "), std::string::npos) << fits.out << fits.err;
  EXPECT_EQ(fits.out.find("will lie in a file"), std::string::npos) << fits.out;
  const auto not_all = lofty({"cost", "by.ladder.toml", "--memory", "1MiB", "--spill-to", "."}, s.path());
  EXPECT_NE(not_all.out.find(", of at most 1.00 MiB. About "), std::string::npos) << not_all.out;
  EXPECT_NE(not_all.out.find("will lie in a file in ."), std::string::npos) << not_all.out;
  const auto half = lofty({"cost", "by.ladder.toml", "--memory", "0.5MiB", "--spill-to", "/proc"}, s.path());
  std::string said = half.out;  // on one line
  for (std::size_t at = 0; (at = said.find("\n  ", at)) != std::string::npos;) said.replace(at, 3, " ");
  EXPECT_NE(said.find(", of at most 512 KiB. About "), std::string::npos) << half.out;
  EXPECT_NE(said.find("in /proc, which has no room: allow more memory"), std::string::npos) << half.out;
}
