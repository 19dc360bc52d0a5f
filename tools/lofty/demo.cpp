#include <filesystem>

#include "commands.hpp"
#include "lofty/lofty.hpp"
#include "terminal.hpp"

namespace tool {
namespace {

namespace fs = std::filesystem;

// The shipped data: beside an installed tool, else in the source tree that it was built from.
fs::path demo_folder() {
  std::error_code error;
  const fs::path self = fs::read_symlink("/proc/self/exe", error);
  if (!error) {
    const fs::path shared = self.parent_path().parent_path() / "share" / "lofty-ladder" / "demo";
    if (fs::exists(shared / "order_lines.csv", error)) return shared;
  }
  return LOFTY_DEMO_FOLDER;
}

struct Stop {
  const char* why;
  const char* ladder;
};

}  // namespace

int demo() {
  const fs::path folder = demo_folder();
  const lofty::Looks looks = looks_of_output();
  std::error_code error;
  const fs::path near = fs::relative(folder, fs::current_path(), error);
  const std::string shown = (error || near.empty() || near.string().starts_with("..") ? folder : near).generic_string();
  const auto heading = [&](const std::string& text, const std::string& command) {
    const std::string bold = looks.colour ? "\033[1m" : "", plain = looks.colour ? "\033[0m" : "";
    print("\n" + bold + "== " + text + plain + "\n   $ " + command + "\n\n");
  };
  print(
      "Thornwick Honey is a made-up co-operative of beekeepers that sells to small shops. Its order lines, shops and\n"
      "products lie in " +
      shown + "; every step below can be typed as it stands.\n");
  heading("What have we got?", "lofty inspect " + shown + "/order_lines.csv");
  InspectOptions lines;
  lines.tables = {(folder / "order_lines.csv").string()};
  inspect(lines);
  static constexpr Stop stops[] = {
      {"Who are our best shops? Two of them share the top, to the penny.", "best_shops.ladder.toml"},
      {"Which three products of each family sell best? Listed smallest first.", "best_products.ladder.toml"},
      {"How would each rule number a tie? Side by side, in the order of the input.", "tie_rules.ladder.toml"},
      {"Who leads in each valley?", "best_in_valley.ladder.toml"},
      {"Both ends, and how much of it all the best so many bring.", "both_ends.ladder.toml"},
      {"Which valleys bought most in the last thirty days, beside all they ever spent?", "recent_valleys.ladder.toml"},
      {"Only shops with twenty orders; closed accounts stay listed, without a place.", "open_accounts.ladder.toml"},
      {"The best months of those ten shops: one ladder's standings are the next one's filter.",
       "best_shops_months.ladder.toml"},
      {"Valleys, in the best of them the best shops, and in these what they buy; the rest as one line.",
       "valleys_shops_products.ladder.toml"},
      {"What each valley buys: one thing down, another across, both by what they come to.",
       "families_by_valley.ladder.toml"},
      {"Who moved since a year ago?", "who_moved.ladder.toml"},
      {"Each line against its family's average, beside the lines themselves.", "against_family.ladder.toml"},
      {"How the spend of three shops grew: what came before, the best day yet, the sum so far.",
       "running_spend.ladder.toml"},
      {"A week's average beside each day, by days and not by rows.", "week_average.ladder.toml"},
      {"One question under three frames.", "three_frames.ladder.toml"},
      {"How few shops bring a tenth of the money?", "running_share.ladder.toml"},
      {"Comb 2 before Comb 10, and the families in an order of our own.", "products_in_order.ladder.toml"},
  };
  for (const Stop& stop : stops) {
    heading(stop.why, "lofty rank " + shown + "/" + stop.ladder);
    RankOptions options;
    options.sources = {(folder / stop.ladder).string()};
    rank(options);
  }
  heading("The same without a file:",
          "lofty rank " + shown +
              "/order_lines.csv --figure 'amount=quantity * unit_price' \\\n"
              "       --total 'spend=sum(amount)' --each product_no --by 'spend desc' --best 5");
  RankOptions options;
  options.sources = {(folder / "order_lines.csv").string()};
  options.figures = {"amount=quantity * unit_price"};
  options.totals = {"spend=sum(amount)"};
  options.each = {"product_no"};
  options.by = "spend desc";
  options.best = 5;
  rank(options);
  heading("Why does this shop stand where it stands?",
          "lofty why " + shown + "/best_shops.ladder.toml 'shop_no = 157' --lines 5");
  why({.ladder = (folder / "best_shops.ladder.toml").string(),
       .condition = "shop_no = 157",
       .choices = {},
       .lines = 5});
  heading("What did those windows cost?", "lofty cost " + shown + "/running_spend.ladder.toml --run");
  const std::string windows = (folder / "running_spend.ladder.toml").string();
  print(lofty::cost_text(
      lofty::with_measured(lofty::plan(lofty::read_ladder_file(windows).ladder, lofty::TableFiles(folder)),
                           lofty::standings(lofty::read_ladder_file(windows).ladder, lofty::TableFiles(folder)).cost()),
      looks));
  print("\nNext: `lofty rank --help`; --to best.csv writes a file, --save best.ladder.toml keeps the question.\n");
  return 0;
}

}  // namespace tool
