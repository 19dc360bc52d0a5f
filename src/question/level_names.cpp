// What a level's keys and columns are called.

#include "question/level_names.hpp"

#include <algorithm>

namespace lofty::engine {

std::string LevelNames::window_prefix() const {
  return nested() ? "level[" + std::to_string(number_) + "].windows." : "windows.";
}

std::string LevelNames::key_of(const std::string& key) const {
  return nested() ? "level[" + std::to_string(number_) + key.substr(key.find('.')).insert(0, "]") : key;
}

std::vector<std::string> LevelNames::within() const {
  std::vector<std::string> names;
  if (level() == nullptr) return names;
  for (std::size_t outer = 0; outer < number_; ++outer)
    for (const auto* keys : {&ladder_.levels[outer].within, &ladder_.levels[outer].each})
      for (const std::string& name : *keys)
        if (std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
  names.insert(names.end(), level()->within.begin(), level()->within.end());
  return names;
}

std::vector<std::string> LevelNames::places() const {
  std::vector<std::string> names;
  if (level() == nullptr || level()->by.empty()) return names;
  names.push_back(level()->rank_as.empty() ? "rank" : level()->rank_as);
  for (const Also& also : level()->also) names.push_back(also.name);
  if (!ladder_.compare.empty()) names.insert(names.end(), {"was", "moved"});
  if (knows_former_values()) names.insert(names.end(), {"value_before", "value_change"});
  return names;
}

}  // namespace lofty::engine
