// A question from a file, asked of the tables next to it. Usage: example_ladder_file [LADDER]

#include <cstdio>
#include <filesystem>

#include "lofty/lofty.hpp"

int main(int argc, char** argv) {
  const std::filesystem::path file = argc > 1 ? argv[1] : "demo/best_shops.ladder.toml";
  try {
    lofty::LadderText text = lofty::read_ladder_file(file);
    const lofty::TableFiles tables(file.parent_path());
    std::vector<lofty::Problem> problems = lofty::check(text.ladder, tables);
    if (!problems.empty()) {
      text.locate(problems);  // "line 14, column 16"
      std::fputs(lofty::problems_text(problems).c_str(), stderr);
      return 2;
    }
    std::fputs(lofty::listing(lofty::standings(text.ladder, tables)).c_str(), stdout);
  } catch (const lofty::Error& error) {
    std::fputs(lofty::problems_text(error.problems()).c_str(), stderr);
    return error.data_fault() ? 1 : 2;
  }
  return 0;
}
