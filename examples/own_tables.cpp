// Tables from elsewhere: a catalog of your own makes them when a ladder asks for them by name.
#include <cstdio>

#include "lofty/lofty.hpp"

namespace {

// Makes the tables "week 1", "week 2", ...
class Weeks : public lofty::Catalog {
 public:
  std::shared_ptr<const lofty::TableSource> open(const std::string& name,
                                                 const lofty::ReadOptions& options) const override {
    const std::vector<std::string> shop{"Twin Hearth", "Blue Pantry", "Old Spoon"};
    const std::vector<std::int64_t> first{40, 25, 5}, second{10, 30, 30};
    Catalog made;
    made.add(lofty::TableBuilder(name).column("shop", shop).column("jars", name == "week 1" ? first : second).build());
    return made.open(name, options);
  }
};

}  // namespace

int main() {
  const Weeks weeks;
  for (const char* week : {"week 1", "week 2"}) {
    const lofty::Ladder ladder{.data = {.from = week}, .levels = {{.by = "jars desc", .best = 1}}};
    const lofty::Standings answer = lofty::standings(ladder, weeks);
    std::printf("%s:", week);
    for (const lofty::StandingRow row : answer.each_row()) std::printf(" %s", to_text(row["shop"]).c_str());
    std::puts("");
    for (const lofty::Remark& remark : answer.remarks()) std::printf("  %s\n", remark.code.c_str());
  }
}
