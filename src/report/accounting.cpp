#include "report/accounting.hpp"

#include "lofty/listing.hpp"
#include "question/prose.hpp"
#include "report/width.hpp"

namespace lofty {
namespace report {

std::vector<std::string> accounting_lines(const Standings& s) {
  const Accounting& a = s.accounting();
  const auto number = [](std::size_t n) { return engine::with_commas(n); };
  std::string rows = "rows: " + number(a.read) + " read";
  for (const Accounting::Joined& join : a.joins) {
    if (join.left_out > 0) rows += ", " + number(join.left_out) + " without a partner left out";
    if (join.more > 0) rows += ", " + number(join.more) + " more by several partners";
    if (join.added > 0) rows += ", " + number(join.added) + " added from " + join.table;
  }
  if (a.left_out > 0) rows += ", " + number(a.left_out) + " left out";
  if (a.unknown > 0) rows += ", " + number(a.unknown) + " unknown";
  rows += ", " + number(a.counted) + " counted";

  std::string entries = "entries: " + number(a.entries);
  if (a.dropped > 0) entries += ", " + number(a.dropped) + " dropped";
  if (a.dropped_unknown > 0) entries += ", " + number(a.dropped_unknown) + " dropped as unknown";
  if (a.groups > 1) entries += " in " + number(a.groups) + " groups";
  if (a.ranked + a.unranked > 0) entries += ", " + number(a.ranked) + " ranked";
  if (a.unranked > 0) entries += ", " + number(a.unranked) + " unranked";
  if (a.ineligible > 0) entries += " (" + number(a.ineligible) + " not eligible)";
  if (a.not_kept > 0) entries += ", " + number(a.not_kept) + " not kept";
  entries += ", " + number(a.listed) + " listed";
  return {printable(rows), printable(entries)};
}

}  // namespace report

std::string accounting_text(const Standings& standings, const Looks& looks) {
  using namespace report;
  const std::vector<std::string> lines = accounting_lines(standings);
  return inked(wrapped(lines[0] + "; " + lines[1], looks.width, 2), Ink::quiet, looks) + "\n";
}

}  // namespace lofty
