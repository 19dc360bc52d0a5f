// How fast this machine is: a small job of each kind, against what the engine's own prices say of it.
// Covered by tests/derived/cost_test.cpp.
#include <sys/mman.h>
#include <unistd.h>

#include <filesystem>
#include <random>
#include <string_view>

#include "io/new_file.hpp"
#include "lofty/cost.hpp"
#include "lofty/error.hpp"
#include "lofty/standings.hpp"
#include "lofty/table_files.hpp"

namespace lofty {
namespace {

// A file in memory that has no name, so that nothing is left of it however the process ends.
class MemoryFile {
 public:
  MemoryFile() : descriptor_(::memfd_create("lofty-speeds", MFD_CLOEXEC)) {
    if (descriptor_ < 0) no_room();
  }
  ~MemoryFile() { ::close(descriptor_); }
  MemoryFile(const MemoryFile&) = delete;
  MemoryFile& operator=(const MemoryFile&) = delete;
  void write(std::string_view text) const {
    if (!engine::write_all(descriptor_, text)) no_room();
  }
  std::filesystem::path path() const { return "/proc/self/fd/" + std::to_string(descriptor_); }

 private:
  [[noreturn]] static void no_room() {
    throw Error(Problem{Code::cannot_write, "there is not enough memory to measure this machine", {}, {}, {}});
  }
  int descriptor_;
};

constexpr std::size_t lines = 1'000'000, shops = 5'000;

// The two tables, as files of delimited text: reading them is a part of what is measured.
class Tables : public Catalog {
 public:
  Tables() {
    std::mt19937_64 random(1);
    std::string text = "line_no,order_no,ordered_on,shop_no,quantity,unit_price\n";
    std::uint64_t shop = 0;
    for (std::size_t i = 0; i < lines; ++i) {
      if (i % 4 == 0) shop = random() % shops + 1;  // the lines of an order are one shop's
      const std::uint64_t chance = random();
      text += std::to_string(i + 1) + "," + std::to_string(i / 4 + 1) + ",2025-" + (chance % 2 == 0 ? "0" : "1") +
              std::to_string(1 + chance % 2) + "-1" + std::to_string(chance / 2 % 10) + "," + std::to_string(shop) +
              "," + std::to_string(chance / 100'000 % 20 + 1) + "," + std::to_string(chance / 2'000'000 % 90 + 10) +
              "." + std::to_string(chance / 200'000'000 % 90 + 10) + "\n";
      if (text.size() > 1 << 20) {
        lines_.write(text);
        text.clear();
      }
    }
    lines_.write(text);

    text = "shop_no,shop\n";
    for (std::size_t i = 1; i <= shops; ++i) text += std::to_string(i) + ",Shop " + std::to_string(i) + "\n";
    shops_.write(text);
  }
  std::shared_ptr<const TableSource> open(const std::string& name, const ReadOptions& options) const override {
    return open_delimited(name == "lines.csv" ? lines_.path() : shops_.path(), options);
  }

 private:
  MemoryFile lines_, shops_;
};

}  // namespace

Speeds measure_speeds(const Run& run) {
  const Tables tables;
  const Ladder totals{.data = {.from = "lines.csv", .joins = {{.with = "shops.csv", .on = {"shop_no"}}}},
                      .figures = {{"amount", "quantity * unit_price"}},
                      .where = "quantity < 20",
                      .totals = {{"spend", "sum(amount)"}, {"orders", "count(distinct order_no)"}},
                      .levels = {{.each = {"shop_no"}, .by = "spend desc"}}};
  const Ladder windows{
      .data = {.from = "lines.csv"},
      .figures = {{"running", "sum(quantity) over (partition by shop_no order by ordered_on)"},
                  {"before", "lag(unit_price) over (partition by shop_no order by ordered_on, line_no)"},
                  {"middle", "median(unit_price) over (partition by shop_no order by ordered_on rows 9 preceding)"}},
      .list = {.columns = {"running", "before", "middle"}, .first = 1}};

  // The first job warms the machine up. Then what each step takes at the least: others may use the machine, too.
  static_cast<void>(standings(totals, tables, run));
  double estimated[5] = {}, measured[5] = {};
  for (const Ladder* const ladder : {&totals, &windows}) {
    Cost cost = standings(*ladder, tables, run).cost();
    for (int again = 0; again < 2; ++again) {
      const Cost other = standings(*ladder, tables, run).cost();
      for (std::size_t s = 0; s < cost.steps.size(); ++s)
        cost.steps[s].measured = std::min(cost.steps[s].measured, other.steps[s].measured);
    }
    for (const CostStep& step : cost.steps) {
      const std::size_t kind = step.step == StepKind::read                                    ? 0
                               : step.step == StepKind::join                                  ? 1
                               : step.step == StepKind::count || step.step == StepKind::total ? 2
                               : step.step == StepKind::sort                                  ? 3
                               : step.step == StepKind::window                                ? 4
                                                                                              : 5;
      if (kind == 5) continue;  // too short here to tell anything
      estimated[kind] += step.estimated;
      measured[kind] += step.measured.value_or(0);
    }
  }

  // How much longer each took than estimated.
  const auto ratio = [&](std::size_t kind) {
    return estimated[kind] > 0 && measured[kind] > 0 ? measured[kind] / estimated[kind] : 1;
  };
  return {ratio(0), ratio(1), ratio(2), ratio(3), ratio(4), ratio(3)};  // entries are mostly sorted
}

}  // namespace lofty
