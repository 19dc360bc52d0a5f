#pragma once
// The steps of a plan as rows of texts.

#include <string>
#include <vector>

#include "lofty/cost.hpp"

namespace lofty::report {

struct CostTable {
  std::vector<std::string> headings;  // the first three are texts, the others numbers
  std::vector<std::vector<std::string>> rows;
  std::vector<std::string> sums;
  bool any_by = false;  // is the third column used at all?
};

CostTable cost_table(const Cost& cost);
// Three figures, in the unit that suits: "1.25 ms"; "0".
std::string time_text(double seconds);

}  // namespace lofty::report
