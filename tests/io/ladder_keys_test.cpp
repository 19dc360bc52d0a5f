// The table of a ladder's keys is what the reader knows, what the tool's options mirror, and what the page says.
#include <gtest/gtest.h>

#include <set>

#include "lofty/lofty.hpp"

using lofty::LadderKey;

namespace {

// A ladder with just this key, as the example writes it.
std::string ladder_with(const LadderKey& key) {
  if (key.section.empty()) return std::string(key.example) + "\n";
  if (key.example.starts_with("[[")) return std::string(key.example) + "\nwith = \"shops.csv\"\n";
  std::string section(key.section), out;
  while (section.find('*') != std::string::npos) section.replace(section.find('*'), 1, "some");
  if (section.ends_with("[]")) {
    out = "[[" + section.substr(0, section.size() - 2) + "]]\n";
    if (section == "data.join[]" && key.key != "with") out += "with = \"shops.csv\"\n";
  } else {
    out = "[" + section + "]\n";
  }
  if (key.section == "data.columns.*" && key.key != "type") out += "type = \"decimal\"\n";
  if (key.section == "choices.*" && key.key != "value")
    out += key.key == "among" ? "value = \"June\"\n" : "value = 30\n";
  return out + std::string(key.example) + "\n";
}

}  // namespace

TEST(LadderKeys, EveryExampleIsRead) {
  for (const LadderKey& key : lofty::ladder_keys()) {
    if (key.section == "rank.also.*" && key.key == "ties") continue;  // goes with by
    try {
      (void)lofty::read_ladder(ladder_with(key), "x.ladder.toml");
    } catch (const lofty::Error& error) {
      ADD_FAILURE() << ladder_with(key) << error.what();
    }
  }
}

TEST(LadderKeys, NamesAreThereOnceAndHaveAMeaning) {
  std::set<std::string> seen;
  for (const LadderKey& key : lofty::ladder_keys()) {
    EXPECT_TRUE(seen.insert(std::string(key.section) + "." + std::string(key.key)).second) << key.key;
    EXPECT_FALSE(key.type.empty()) << key.key;
    EXPECT_FALSE(key.meaning.empty()) << key.key;
    EXPECT_FALSE(key.example.empty()) << key.key;
  }
}

TEST(LadderKeys, AnUnknownKeyIsRefusedInEverySection) {
  std::set<std::string> sections;
  for (const LadderKey& key : lofty::ladder_keys()) sections.insert(std::string(key.section));
  for (const std::string& section : sections) {
    if (section.empty() || section == "rank.also") continue;
    const bool free_names = std::any_of(lofty::ladder_keys().begin(), lofty::ladder_keys().end(),
                                        [&](const auto& key) { return key.section == section && key.key == "*"; });
    if (free_names) continue;
    const LadderKey wrong{section, "frobnicate", "", "", "", "frobnicate = 1"};
    EXPECT_THROW((void)lofty::read_ladder(ladder_with(wrong), "x"), lofty::Error) << section;
  }
}
