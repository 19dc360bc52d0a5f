// Temporary files: exclusive, locked while they live, and gone afterwards whatever happens.
#include "io/new_file.hpp"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/file.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

#include "lofty/write.hpp"
#include "support/process.hpp"

namespace fs = std::filesystem;
using lofty::engine::NewFile;
using support::slurp;

namespace {

std::vector<std::string> names_in(const fs::path& folder) {
  std::vector<std::string> out;
  for (const auto& one : fs::directory_iterator(folder)) out.push_back(one.path().filename().string());
  std::sort(out.begin(), out.end());
  return out;
}

using Names = std::vector<std::string>;

}  // namespace

TEST(NewFileTest, IsNotThereUntilItIsWhole) {
  const support::Scratch s;
  const fs::path target = s.path() / "best.csv";
  {
    NewFile file(target);
    file.write("a");
    EXPECT_FALSE(fs::exists(target));
    EXPECT_EQ(file.path().parent_path(), target.parent_path());
  }
  EXPECT_EQ(names_in(s.path()), Names{});  // given up
  NewFile file(target);
  file.write("a");
  file.write("b");
  file.replace_target();
  EXPECT_EQ(names_in(s.path()), Names{"best.csv"});
  EXPECT_EQ(slurp(target), "ab");
}

TEST(NewFileTest, NeverReplacesWhereItMayNot) {
  const support::Scratch s;
  NewFile first(s.path() / "a"), second(s.path() / "a");  // two at once, each with a name of its own
  EXPECT_NE(first.path(), second.path());
  first.write("first");
  second.write("second");
  EXPECT_TRUE(second.become_target());
  EXPECT_FALSE(first.become_target());
  EXPECT_EQ(slurp(s.path() / "a"), "second");
}

// What a killed run left is removed by the next one with the same target: it is not locked. Others are not touched.
TEST(NewFileTest, LeftoversOfKilledRunsGo) {
  const support::Scratch s;
  std::string left, alive;
  {
    NewFile file(s.path() / "a"), other(s.path() / "b");
    left = file.path().filename().string();
    alive = other.path().filename().string();
    left.back() = left.back() == '0' ? '1' : '0';
    std::ofstream(s.path() / left) << "half";
    std::ofstream(s.path() / ".lofty-new-mine") << "not of this scheme's targets";
    const NewFile next(s.path() / "a");
    EXPECT_FALSE(fs::exists(s.path() / left));
    EXPECT_TRUE(fs::exists(file.path()));  // of the same target, but alive
    EXPECT_TRUE(fs::exists(other.path()));
  }
  EXPECT_EQ(names_in(s.path()), Names{".lofty-new-mine"});
  // A symbolic link under such a name leads nowhere.
  std::ofstream(s.path() / "precious") << "mine";
  fs::create_symlink("precious", s.path() / left);
  lofty::write_file(s.path() / "a", "text");
  EXPECT_EQ(slurp(s.path() / "precious"), "mine");
}

TEST(NewFileTest, LongNamesFit) {
  const support::Scratch s;
  const fs::path target = s.path() / std::string(255, 'x');
  lofty::write_file(target, "text");
  EXPECT_EQ(slurp(target), "text");
}

TEST(NewFileTest, SignalHandlersRemoveWhatIsUnfinished) {
  const support::Scratch s;
  NewFile file(s.path() / "a");
  file.write("half");
  lofty::remove_unfinished_files();
  EXPECT_EQ(names_in(s.path()), Names{});
}

TEST(NewFileTest, AFolderThatIsNotThereIsSaid) {
  const support::Scratch s;
  try {
    NewFile file(s.path() / "none" / "a.csv");
    FAIL();
  } catch (const lofty::Error& error) {
    EXPECT_EQ(error.code(), lofty::Code::cannot_open);
    EXPECT_EQ(error.problems().front().sentence, "cannot be written: No such file or directory");
    EXPECT_NE(error.problems().front().location.file.find("none/a.csv"), std::string::npos);
  }
}
