#include <filesystem>
#include <optional>

#include "commands.hpp"
#include "lofty/lofty.hpp"
#include "terminal.hpp"

namespace tool {
namespace {

namespace fs = std::filesystem;

// The shipped data, in a folder next to the tool: ../share for an installed tool, ./share for one that was just built.
fs::path demo_folder() {
  std::error_code error;
  const fs::path self = fs::read_symlink("/proc/self/exe", error).parent_path();
  for (const fs::path& beside : {self.parent_path(), self}) {
    const fs::path folder = beside / "share" / "lofty-ladder" / "demo";
    if (fs::exists(folder / "order_lines.csv", error)) return folder;
  }
  throw lofty::Error(lofty::Problem{lofty::Code::cannot_open,
                                    "the demo data is not installed: there is no " +
                                        (self.parent_path() / "share" / "lofty-ladder" / "demo").string(),
                                    {},
                                    {},
                                    "install the package of the tool, which has it"});
}

// A word as a shell takes it.
std::string shell_word(const std::string& word) {
  const bool plain = !word.empty() &&
                     word.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_./=-+:,") ==
                         std::string::npos;
  if (plain) return word;
  std::string out = "'";
  for (const char c : word) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
  return out + "'";
}

// The tour: a heading and a command a step, then what it prints.
class Tour {
 public:
  explicit Tour(std::string tables) : tables_(std::move(tables)) {}

  void step(const std::string& why, const std::string& command) const {
    print("\n" + bold("== " + why) + "\n" + command_line(command) + "\n\n");
  }
  static std::string command_line(const std::string& command) { return "   $ lofty " + command; }
  std::string table(const std::string& name) const { return shell_word(tables_ + "/" + name); }

 private:
  static std::string bold(const std::string& text) {
    return looks_of_output().colour ? "\033[1m" + text + "\033[0m" : text;
  }
  std::string tables_;
};

// Where the page and the pictures go: in the current folder, or where that can't be written among temporary files.
fs::path output_folder(const std::optional<std::string>& wanted) {
  std::error_code error;
  fs::path folder = wanted ? fs::path(*wanted) : fs::path("lofty-demo");
  fs::create_directories(folder, error);
  if (!error || wanted) return folder;  // what is wrong with a wanted one is said when it is written to
  folder = fs::temp_directory_path() / "lofty-demo";
  fs::create_directories(folder, error);
  return folder;
}

}  // namespace

int demo(const DemoOptions& options) {
  const fs::path folder = demo_folder();
  std::error_code error;
  const fs::path near = fs::relative(folder, fs::current_path(), error);
  const Tour tour((error || near.empty() || near.string().starts_with("..") ? folder : near).generic_string());
  const auto path = [&](const char* name) { return (folder / name).string(); };

  print(
      "Thornwick Honey is a made-up co-operative of beekeepers that sells to small shops. It meets on Thursday: who "
      "buys\n"
      "most, and who moved? Each command can be copied.\n");

  tour.step("What have we got?", "inspect " + tour.table("order_lines.csv"));
  InspectOptions lines;
  lines.tables = {path("order_lines.csv")};
  inspect(lines);

  tour.step("Who are our best shops? Two are level at the top.", "rank " + tour.table("best_shops.ladder.toml"));
  RankOptions best;
  best.sources = {path("best_shops.ladder.toml")};
  rank(best);

  tour.step("Why is this shop where it is?",
            "why " + tour.table("best_shops.ladder.toml") + " \"shop = 'Twin Pantry'\" --lines 3");
  why({.ladder = path("best_shops.ladder.toml"), .condition = "shop = 'Twin Pantry'", .choices = {}, .lines = 3});

  tour.step("Who moved within a year?", "rank " + tour.table("who_moved.ladder.toml") + " --remarks none");
  RankOptions moved;
  moved.sources = {path("who_moved.ladder.toml")};
  moved.remarks = "none";
  rank(moved);

  // Something to hand round.
  const std::string out = output_folder(options.to).generic_string();
  const auto file = [&](const char* name) { return out + "/" + name; };
  tour.step("For the meeting: one page with all of it, and four pictures.",
            "rank " + tour.table("best_shops.ladder.toml") + " " + tour.table("valleys_shops_products.ladder.toml") +
                " " + tour.table("who_moved.ladder.toml") + " \\\n         --to " + shell_word(file("month.html")) +
                " --title 'Thornwick Honey, this month' --remarks none");
  const struct {
    const char *kind, *ladder, *name, *smooth;
  } pictures[] = {{"bars", "best_shops.ladder.toml", "best.svg", nullptr},
                  {"lines", "valley_weeks.ladder.toml", "valleys.svg", "28 days"},
                  {"movement", "who_moved.ladder.toml", "moved.svg", nullptr},
                  {"shares", "half_of_the_money.ladder.toml", "half.svg", nullptr}};
  std::string commands;
  for (const auto& picture : pictures)
    commands +=
        Tour::command_line("draw " + tour.table(picture.ladder) + " --as " + picture.kind +
                           (picture.smooth != nullptr ? " --smooth " + shell_word(picture.smooth) : std::string()) +
                           " --to " + shell_word(file(picture.name)) + " --remarks none") +
        "\n";
  print(commands + "\n");
  RankOptions page;
  page.sources = {path("best_shops.ladder.toml"), path("valleys_shops_products.ladder.toml"),
                  path("who_moved.ladder.toml")};
  page.to = file("month.html");
  page.title = "Thornwick Honey, this month";
  page.remarks = "none";
  rank(page);
  for (const auto& picture : pictures) {
    DrawOptions draw_options;
    draw_options.ladder = path(picture.ladder);
    draw_options.as = picture.kind;
    draw_options.to = file(picture.name);
    draw_options.remarks = "none";
    if (picture.smooth != nullptr) draw_options.smooth = picture.smooth;
    try {
      draw(draw_options);
    } catch (const lofty::Error& failure) {
      // The tour is not over for want of a program.
      if (!lofty::is_fault_of_drawing(failure.code())) throw;
      remark(lofty::problems_text(failure.problems(), looks_of_errors()));
      break;
    }
  }

  const std::string whole = fs::absolute(out, error).lexically_normal().string();
  print("\nThe page and the pictures are in " + whole + ".\nNext: lofty rank --help, and docs/guide.\n");
  return 0;
}

}  // namespace tool
