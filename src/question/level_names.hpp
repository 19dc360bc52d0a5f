#pragma once
// One level of a ladder, as far as it is known before any name is resolved.
// Covered by tests/question/check_test.cpp.

#include <cstddef>
#include <string>
#include <vector>

#include "lofty/ladder.hpp"

namespace lofty::engine {

class LevelNames {
 public:
  LevelNames(const Ladder& ladder, std::size_t number) : ladder_(ladder), number_(number) {}

  std::size_t number() const { return number_; }  // from 0
  const Level* level() const { return ladder_.levels.empty() ? nullptr : &ladder_.levels[number_]; }
  bool nested() const { return ladder_.levels.size() > 1; }
  bool last() const { return number_ + 1 >= ladder_.levels.size(); }

  // Where the ladder says it: "rank.by", or "level[1].by" where levels are nested.
  std::string key_of(const std::string& key) const;
  // [windows] are next to [rank], and inside a [[level]].
  std::string window_prefix() const;
  // The columns whose values make a group: the keys of the levels outside, then the level's own.
  std::vector<std::string> within() const;
  // Its place columns: the rank, those of rank.also, and those of a comparison. None where nothing is ranked.
  std::vector<std::string> places() const;
  // Is there a former question, rather than a table of former places?
  bool knows_former_values() const { return !ladder_.compare.empty() && ladder_.compare.with.empty(); }

 private:
  const Ladder& ladder_;
  std::size_t number_;
};

}  // namespace lofty::engine
