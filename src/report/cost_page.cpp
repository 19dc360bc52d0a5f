// Covered by tests/tool/tool_test.cpp and tests/derived/cost_test.cpp.
#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <vector>

#include "lofty/listing.hpp"
#include "report/cost_table.hpp"
#include "report/width.hpp"

namespace lofty {

namespace report {
namespace {

// Three figures, in the unit that suits.
std::string in_units(double value, const std::array<std::pair<double, const char*>, 4>& units) {
  for (const auto& [unit, name] : units)
    if (value >= unit || unit == units.back().first) {
      const double scaled = value / unit;
      const int decimals = scaled >= 99.95 || scaled == 0 ? 0 : scaled >= 9.995 ? 1 : 2;
      char text[64];
      const auto end = std::to_chars(text, text + sizeof text, scaled, std::chars_format::fixed, decimals);
      return std::string(text, end.ptr) + " " + name;
    }
  return {};
}

std::string bytes_text(double bytes) {
  if (bytes < 1024) return bytes < 1 ? "" : "1 KiB";
  return in_units(bytes, {{{1024.0 * 1024 * 1024, "GiB"}, {1024.0 * 1024, "MiB"}, {1024.0, "KiB"}, {1024.0, "KiB"}}});
}
std::string count_text(double count) {
  const auto whole = static_cast<long long>(std::llround(count));
  return Decimal(whole, 0).grouped_text();
}
std::string large_text(double count) {
  return count < 1e6 ? count_text(count) : in_units(count, {{{1e9, "bn"}, {1e6, "m"}, {1e6, "m"}, {1e6, "m"}}});
}

}  // namespace

std::string time_text(double seconds) {
  if (seconds == 0) return "0";
  return in_units(seconds, {{{60.0, "min"}, {1.0, "s"}, {1e-3, "ms"}, {1e-6, "us"}}});
}

CostTable cost_table(const Cost& cost) {
  const bool ran = cost.measured().has_value();
  CostTable table{{"step", "for", "by", "rows", "comparisons", "memory", "estimated"}, {}, {}, false};
  if (ran) table.headings.emplace_back("measured");
  for (const CostStep& step : cost.steps) {
    std::vector<std::string> line = {to_string(step.step),
                                     step.purpose,
                                     step.by,
                                     step.rows ? (ran ? "" : "~") + count_text(*step.rows) : "?",
                                     step.comparisons > 0 ? large_text(step.comparisons) : "",
                                     bytes_text(step.bytes),
                                     time_text(step.estimated)};
    if (ran) line.push_back(time_text(step.measured.value_or(0)));
    table.any_by = table.any_by || !step.by.empty();
    table.rows.push_back(std::move(line));
  }
  table.sums = {"all", "", "", "", "", bytes_text(cost.bytes()), time_text(cost.estimated())};
  if (ran) table.sums.push_back(time_text(*cost.measured()));
  return table;
}

}  // namespace report

using namespace report;

namespace {

// The steps as a table, with their sums.
std::string steps_text(const Cost& cost, const Looks& looks) {
  const CostTable parts = cost_table(cost);
  std::vector<std::vector<std::string>> table = {parts.headings};
  table.insert(table.end(), parts.rows.begin(), parts.rows.end());
  // Long lists of names are cut: the step's number of windows follows.
  constexpr int widest = 34;
  for (auto& line : table)
    for (const std::size_t c : {std::size_t{1}, std::size_t{2}}) line[c] = cut_to(line[c], widest);
  table.push_back(parts.sums);

  std::vector<std::size_t> columns;
  std::vector<int> widths(table.front().size(), 0);
  for (std::size_t c = 0; c < widths.size(); ++c) {
    if (c != 2 || parts.any_by) columns.push_back(c);
    for (const auto& line : table) widths[c] = std::max(widths[c], display_width(line[c]));
  }
  const auto put = [&](const std::vector<std::string>& line, bool strong) {
    std::string out = " ";
    for (const std::size_t c : columns) {
      const std::string cell = padded(line[c], widths[c], c > 2);
      out += " " + (strong ? inked(cell, Ink::strong, looks) : cell) + " ";
    }
    while (!out.empty() && out.back() == ' ') out.pop_back();
    return out + "\n";
  };
  std::string rule = " ";
  for (const std::size_t c : columns) {
    rule += " ";
    for (int i = 0; i < widths[c]; ++i) rule += "─";
    rule += " ";
  }
  rule.back() = '\n';

  std::string out = put(table.front(), true) + rule;
  for (std::size_t i = 1; i + 1 < table.size(); ++i) out += put(table[i], false);
  return out + rule + put(table.back(), true);
}

}  // namespace

std::string memory_text(const Cost& cost, const MemoryForecast& memory, const Looks& looks) {
  const std::string all = bytes_text(cost.bytes());
  std::string out = "Memory: " + (all.empty() ? "next to nothing" : all) + ", of at most " +
                    bytes_text(static_cast<double>(memory.limit)) + ".";
  if (memory.in_file > 0) {
    out += " About " + bytes_text(static_cast<double>(memory.in_file)) + " will lie in a file in " + memory.folder;
    const std::string room = bytes_text(static_cast<double>(memory.room.value_or(0)));
    if (!memory.room)
      out += ".";
    else if (*memory.room > memory.in_file)
      out += ", which has " + room + " free.";
    else
      out += ", which has " + (room.empty() ? "no room" : "only " + room + " free") +
             ": allow more memory (run.memory), or another folder (run.spill_to).";
  }
  return "\n" + wrapped(out, looks.width, 2) + "\n";
}

std::string cost_text(const Cost& cost, const Looks& looks) {
  std::string out = steps_text(cost, looks);
  const std::size_t sorts = cost.sorts();
  std::size_t windows = 0;
  for (const CostStep& step : cost.steps) windows += step.step == StepKind::window;
  if (windows > 0)
    out += "\n" + std::to_string(windows) + (windows == 1 ? " window" : " windows") + " on " + std::to_string(sorts) +
           (sorts == 1 ? " sort.\n" : " sorts.\n");

  // What was decided, and why.
  if (!cost.decisions.empty()) out += "\n";
  for (const Decision& one : cost.decisions) {
    std::string sentence = one.what + ": " + one.why + ".";
    if (!one.instead.empty()) sentence += " It did not hold: " + one.instead + ".";
    if (sentence[0] >= 'a' && sentence[0] <= 'z') sentence[0] = static_cast<char>(sentence[0] - 'a' + 'A');
    out += wrapped(sentence, looks.width, 2) + "\n";
  }
  if (!cost.rows_known) out += "\nThe size of a table is not known before it is read: its steps are not priced.\n";

  // What would be cheaper.
  for (const Advice& advice : cost.advice)
    out += "\n" +
           wrapped("advice: " + advice.sentence + (advice.saves > 0 ? " (about " + time_text(advice.saves) + ")" : "") +
                       (advice.changes.empty() ? "; the answer stays the same"
                                               : "; but the answer may change: " + advice.changes),
                   looks.width, 2) +
           "\n";
  return out;
}

}  // namespace lofty
