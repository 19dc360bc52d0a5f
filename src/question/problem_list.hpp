#pragma once
// The problems that resolving finds, each said once.
// Covered by tests/question/check_test.cpp.

#include <string>
#include <utility>
#include <vector>

#include "formula/remedy.hpp"
#include "lofty/error.hpp"

namespace lofty::engine {

class ProblemList {
 public:
  // Appends to the caller's list.
  explicit ProblemList(std::vector<Problem>& problems) : problems_(problems) {}

  // Formulas that are used twice, and the second pass, say the same thing again.
  void add(Problem p) {
    for (const Problem& old : problems_)
      if (old.sentence == p.sentence && old.location.key == p.location.key && old.location.offset == p.location.offset)
        return;
    problems_.push_back(std::move(p));
  }
  void add(std::vector<Problem> found) {
    for (Problem& p : found) add(std::move(p));
  }
  // What has no place of its own is about `key`.
  void add(const Error& error, const std::string& key) {
    for (Problem p : error.problems()) {
      if (p.location.key.empty()) p.location.key = key;
      add(std::move(p));
    }
  }
  // About the ladder's `key`, or about `text` in it.
  void say(Code code, std::string sentence, std::string key, Remedy advice = {}, std::string nearest = {},
           const std::string& text = {}) {
    Problem p{code, std::move(sentence), {}, std::move(nearest), std::move(advice.words), std::move(advice.key)};
    p.location.key = std::move(key);
    p.location.text = text;
    p.location.length = text.size();
    add(std::move(p));
  }
  bool empty() const { return problems_.empty(); }

 private:
  std::vector<Problem>& problems_;
};

}  // namespace lofty::engine
