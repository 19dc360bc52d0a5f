#pragma once
// Answers as a web page: one file that needs nothing else, to be handed over.

#include <cstddef>
#include <string>
#include <utility>
#include <vector>

#include "lofty/export.hpp"
#include "lofty/ladder.hpp"
#include "lofty/picture.hpp"
#include "lofty/standings.hpp"
#include "lofty/why.hpp"

namespace lofty LOFTY_EXPORT {

// An answer with what else the page says of it.
struct PageAnswer {
  explicit PageAnswer(Standings answer) : standings(std::move(answer)) {}

  Standings standings;
  std::vector<std::pair<std::string, std::string>> choices = {};  // what a reader calls it, and its value
  std::vector<Workings> workings = {};                            // to be opened one by one
  std::vector<Picture> pictures = {};                             // above the table, in both palettes
  std::string locale = {};                                        // whose rules order texts; see Data::locale
};

// The choices in force as a page names them: "days", "90 days".
[[nodiscard]] std::vector<std::pair<std::string, std::string>> choices_of(const Ladder& ladder);

struct PageOptions {
  std::string title = {};         // of the page; empty: the first answer's
  std::size_t workings_rows = 8;  // of each entry
};

// The whole file. A reader can order the rows by any column and return to the given order, filter them, and open and
// close levels; without script everything is there in the given order. It holds no address and loads nothing. Texts of
// the data are never markup. O(rows x columns) and a sort of each column; 0.1 s for each picture. Throws Error as
// drawn() does.
[[nodiscard]] std::string page(const std::vector<PageAnswer>& answers, const PageOptions& options = {});

}  // namespace lofty
