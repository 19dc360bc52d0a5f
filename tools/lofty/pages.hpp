#pragma once
// Pages with what the tool adds to an answer: choices, pictures, workings.

#include <optional>
#include <string>
#include <vector>

#include "lofty/lofty.hpp"
#include "resources.hpp"

namespace tool {

// A page of an answer to more rows than these has no workings, unless their number is given.
inline constexpr std::size_t most_rows_for_workings = 250'000;

struct PageChoices {
  std::vector<lofty::PictureKind> pictures = {};  // none: the one that suits the answer, where one does
  bool no_pictures = false;
  std::optional<std::size_t> workings = {};  // of how many entries; nothing: of ten, up to most_rows_for_workings
  std::size_t most_rows = lofty::PageOptions().most_rows;
  Resources resources = {};
};

// Throws Error as picture_of() does for pictures that were named.
lofty::PageAnswer page_answer(const lofty::Ladder& ladder, const lofty::TableFiles& tables,
                              const lofty::Standings& answer, const PageChoices& choices);

// Hands the page to `sink`. If no picture was named and gnuplot is missing or fails, the page has no pictures and a
// remark says so.
void put_page(std::vector<lofty::PageAnswer> answers, const PageChoices& choices, const std::string& title,
              const lofty::TextSink& sink);

}  // namespace tool
