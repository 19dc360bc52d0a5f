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
#include "lofty/write.hpp"

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
  // Rows of each answer that the page shows; a browser is slow with more. The page states how many it leaves out.
  std::size_t most_rows = 10'000;
};

// "this page has the first 10,000 of 80,000 rows; 70,000 are left out". Empty if the page has all rows.
[[nodiscard]] std::string rows_left_out(const Standings& standings, std::size_t most_rows = PageOptions().most_rows);

// The whole file. A reader can order the rows by any column and return to the given order, filter them, and open and
// close levels; without script everything is there in the given order. It holds no address and loads nothing. Texts of
// the data are never markup. Its policy lets a browser run its own script and apply its own style only. O(rows x
// columns) and a sort of each column; 0.1 s for each picture. Throws Error as drawn() does.
[[nodiscard]] std::string page(const std::vector<PageAnswer>& answers, const PageOptions& options = {});
// The same, handed over part by part: besides the pictures it holds a hundred rows, and 4 bytes a cell. All pictures
// are drawn before the first part.
void page(const std::vector<PageAnswer>& answers, const TextSink& sink, const PageOptions& options = {});

}  // namespace lofty
