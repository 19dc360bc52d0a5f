// A caller's locale with a decimal comma changes nothing. (All tests of the library run under one too: comma_locale.*)
#include <gtest/gtest.h>

#include <clocale>
#include <cstdlib>

#include "lofty/lofty.hpp"
#include "support/process.hpp"

using namespace lofty;

namespace {

Standings answer() {
  Catalog catalog;
  const std::vector<double> weights{1.5e10, 12.5, 0.1};
  catalog.add(TableBuilder("t").column("weight", weights).build());
  return standings({.data = {.from = "t"}, .levels = {{.by = "weight desc"}}}, catalog);
}

// Everything that is written of it, and read again.
std::vector<std::string> all_of() {
  const Standings s = answer();
  const support::Scratch folder;
  std::vector<std::string> out = {listing(s),
                                  written(s, Format::csv),
                                  written(s, Format::json),
                                  written(s, Format::markdown),
                                  written(s, Format::workbook),
                                  saved(s)};
  write_file(folder.path() / "t.standings.json", saved(s));
  write_file(folder.path() / "t.xlsx", written(s, Format::workbook));
  for (const char* name : {"t.standings.json", "t.xlsx#Standings"}) {
    const Table back = TableFiles(folder.path()).open(name, {})->read(std::vector<std::size_t>{0, 1}, {});
    for (std::size_t r = 0; r < back.rows(); ++r) out.push_back(to_text(back.value(r, 1)));
  }
  return out;
}

}  // namespace

TEST(Locale, ACommaForAPointChangesNothing) {
  const std::vector<std::string> plain = all_of();
  EXPECT_EQ(plain[6], "1.5e+10");
  ::setenv("LOCPATH", LOFTY_COMMA_LOCALES, 1);
  ASSERT_NE(std::setlocale(LC_ALL, "de_DE.utf8"), nullptr);
  char comma[8];
  std::snprintf(comma, sizeof comma, "%.1f", 1.5);
  const std::vector<std::string> there = all_of();
  std::setlocale(LC_ALL, "C");
  EXPECT_STREQ(comma, "1,5");  // else this tests nothing
  ASSERT_EQ(there.size(), plain.size());
  for (std::size_t i = 0; i < plain.size(); ++i) EXPECT_EQ(there[i], plain[i]) << i;
}
