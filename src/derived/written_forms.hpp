#pragma once
// How the texts of a column may be written, where they are numbers or dates in another form.
// Covered by tests/tool/written_test.cpp.

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/run.hpp"
#include "lofty/specimen.hpp"

namespace lofty::engine {

struct CountedText {
  std::string_view text;
  std::size_t count = 0;
};

// One way to read them: examples from the texts themselves, as a ladder declares them.
struct WrittenForm {
  std::vector<std::string> examples;  // one, or a second one that shows a negative number
  Specimen specimen;
  std::size_t fits = 0;  // how many values it reads
};

// All ways that read at least 99 of 100 values and make different values of some; the one that reads most is first.
// Where there are several, the texts do not say which is meant. Numbers with a mark, with percent, with thousands and
// decimals, negative ones too; dates and timestamps in any order, with English months. O(texts).
std::vector<WrittenForm> written_forms(const std::vector<CountedText>& texts, const Run& run);

// "written = "1.234,50 = 1234.50"", as it stands in a ladder.
std::string written_key(const std::vector<std::string>& examples);

}  // namespace lofty::engine
