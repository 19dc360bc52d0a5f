#pragma once
// Things worth saying about an answer or a table.

#include <string>

#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

// A remark about an answer, or (a doubt) about input. The code is stable ("tie-at-cut"); the sentence carries the
// numbers.
struct Remark {
  std::string code;
  std::string sentence;
  friend bool operator==(const Remark&, const Remark&) = default;
};

}  // namespace lofty
