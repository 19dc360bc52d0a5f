#include "support/tables.hpp"

namespace support {

void add(lofty::Catalog& catalog, const std::string& name,
         const std::vector<std::pair<std::string, std::vector<lofty::Value>>>& columns) {
  lofty::TableBuilder builder(name);
  for (const auto& [heading, values] : columns) builder.column(heading, std::span<const lofty::Value>(values));
  catalog.add(builder.build());
}

lofty::Catalog small_shop() {
  lofty::Catalog catalog;
  const auto text = [](const char* t) { return lofty::Value(std::string(t)); };
  add(catalog, "lines",
      {{"line_no", {number(1), number(2), number(3), number(4), number(5), number(6), number(7)}},
       {"shop_no", {number(2), number(1), number(1), number(3), number(2), number(3), number(4)}},
       {"quantity", {number(4), number(1), number(2), number(5), number(1), number(1), number(2)}},
       {"unit_price",
        {money("2.50"), money("8.00"), money("1.50"), money("0.75"), money("1.00"), money("1.25"), null()}},
       {"status", {text("paid"), text("paid"), text("paid"), text("void"), text("open"), null(), text("paid")}},
       {"ordered_on",
        {*lofty::Date::parse("2025-03-01"), *lofty::Date::parse("2025-03-02"), *lofty::Date::parse("2025-03-02"),
         *lofty::Date::parse("2025-03-05"), *lofty::Date::parse("2025-03-31"), *lofty::Date::parse("2025-04-01"),
         *lofty::Date::parse("2025-04-02")}}});
  add(catalog, "shops",
      {{"shop_no", {number(1), number(2), number(3), number(5)}},
       {"shop", {text("Crumb"), text("Älv Corner"), text("Barrow"), text("Never")}},
       {"valley", {text("High Moor"), text("Ashwater"), null(), text("Ashwater")}}});
  return catalog;
}

std::vector<std::string> column(const lofty::Standings& standings, const std::string& name) {
  std::vector<std::string> out;
  for (std::size_t c = 0; c < standings.columns().size(); ++c)
    if (standings.columns()[c].name == name)
      for (std::size_t r = 0; r < standings.rows(); ++r) out.push_back(lofty::to_text(standings.value(r, c)));
  return out;
}

bool says(const lofty::Standings& standings, const std::string& code, const std::string& part) {
  for (const lofty::Remark& remark : standings.remarks())
    if (remark.code == code && remark.sentence.find(part) != std::string::npos) return true;
  return false;
}

std::vector<std::string> problems(const lofty::Ladder& ladder, const lofty::Catalog& catalog) {
  std::vector<std::string> out;
  for (const lofty::Problem& p : lofty::check(ladder, catalog))
    out.push_back(std::string(lofty::to_string(p.code)) + ": " + p.sentence +
                  (p.nearest.empty() ? "" : "; nearest: " + p.nearest));
  return out;
}

}  // namespace support
