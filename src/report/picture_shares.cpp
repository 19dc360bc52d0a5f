// The running share: how few entries bring how much.

#include <cmath>

#include "formula/parser.hpp"
#include "report/picture_source.hpp"
#include "report/width.hpp"

namespace lofty::report {
namespace {

std::string percent(double share) { return Decimal(static_cast<int128>(std::llround(share * 1000)), 1).text() + " %"; }

bool is_running_share(const StandingColumn& c) {
  return c.role == Role::measure && c.measure == Measure::running_share;
}

std::size_t share_column(const PictureSource& source) {
  if (!source.options.value.empty()) return column_named(source, source.options.value);
  const auto found = std::ranges::find_if(source.standings.columns(), is_running_share);
  if (found == source.standings.columns().end())
    refuse(Code::missing_key, "no listed column holds a running share",
           "also = { so_far = { running_share = \"spend\" } } under [rank], and so_far in list.columns");
  return static_cast<std::size_t>(found - source.standings.columns().begin());
}

// The listed entries that have a share, and it, in the order of the listing.
struct Shares {
  std::vector<std::size_t> rows;
  std::vector<double> values;
};

Shares listed_shares(const PictureSource& source, std::size_t column) {
  const Standings& s = source.standings;
  Shares out;
  for (std::size_t r = 0; r < s.rows(); ++r) {
    if (s.passed_over(r) > 0) break;  // the worst after the best: the entries in between are not listed
    const auto number = number_of(s.value(r, column));
    if (!number) continue;
    if (*number < 0 || *number > 1 + 1e-9 || (!out.values.empty() && *number < out.values.back()))
      refuse(Code::wrong_type,
             "`" + source.column(column).heading + "` is not a running share: it goes from " +
                 (out.values.empty() ? "0" : to_text(out.values.back())) + " to " + to_text(*number),
             "a column that grows from 0 to 1 as the listing goes on, listed by its places");
    out.values.push_back(*number);
    out.rows.push_back(r);
  }
  if (out.rows.empty()) refuse(Code::nothing_to_draw, "there is nothing to draw: no entry has a share");
  return out;
}

// Exact where the shares are.
bool reaches(const Value& share, const Decimal& mark) {
  if (const auto* const decimal = std::get_if<Decimal>(&share)) return *decimal >= mark;
  return number_of(share).value_or(0) >= mark.to_double();
}

void check(const PictureSource& source) {
  const Standings& s = source.standings;
  if (source.nested() || (source.grouped() && s.accounting().groups > 1))
    refuse(Code::bad_value,
           "shares are drawn of one ranking, and this ladder has " + std::string(source.nested() ? "levels" : "groups"),
           "the same ladder without within, or of one level");
}

}  // namespace

SharesPicture shares_of(const PictureSource& source, std::vector<std::string>& foot) {
  const Standings& s = source.standings;
  check(source);
  const std::size_t column = share_column(source);
  const Decimal& mark = source.options.mark;
  if (!(mark.to_double() > 0) || mark.to_double() > 1)
    refuse(Code::bad_value, "a mark is a share, more than 0 and at most 1", "picture.mark = 0.8");

  SharesPicture out;
  out.share_heading = printable(source.column(column).heading);
  out.mark = mark.to_double();
  out.mark_text = mark.text();
  out.ranked = s.accounting().ranked;

  // Tied entries are one step.
  const Shares shares = listed_shares(source, column);
  const std::vector<std::size_t>& rows = shares.rows;
  for (std::size_t i = 0; i < rows.size();) {
    std::size_t end = i + 1;
    while (end < rows.size() && s.tied(rows[end]) && s.tied(rows[i]) && shares.values[end] == shares.values[i]) ++end;
    out.steps.push_back({source.name(rows[i]), end, end - i, shares.values[i], source.cells.text(rows[i], column)});
    if (!out.reached && reaches(s.value(rows[i], column), mark)) out.reached = out.steps.size() - 1;
    i = end;
  }

  // What the mark says.
  if (out.reached) {
    SharesPicture::Step& step = out.steps[*out.reached];
    if (!source.column(column).format) step.text = percent(step.share);
  } else {
    foot.push_back("The listed entries do not reach " + percent(out.mark) + ": they bring " +
                   percent(out.steps.back().share) + ".");
  }
  return out;
}

}  // namespace lofty::report

namespace lofty {

Ladder with_running_share(Ladder ladder) {
  if (ladder.levels.size() != 1) return ladder;
  Level& level = ladder.levels.front();
  const auto is_share = [](const Also& also) { return also.measure == Measure::running_share; };
  if (std::ranges::any_of(level.also, is_share)) return ladder;

  // The first key of the ranking, where it is a total. Errors in rank.by are for the answer to report.
  std::vector<engine::SortItem> keys;
  try {
    keys = engine::parse_sort_list(level.by);
  } catch (const Error&) {
    return ladder;
  }
  if (keys.empty() || keys.front().expression->op != engine::Op::name) return ladder;
  const std::string& total = keys.front().expression->text;
  if (!keys.front().expression->qualifier.empty()) return ladder;
  if (std::ranges::find(ladder.totals, total, &NamedFormula::name) == ladder.totals.end()) return ladder;

  const std::string name = "running share of " + total;
  level.also.push_back({.name = name, .measure = Measure::running_share, .of = total});
  if (!ladder.list.columns.empty()) ladder.list.columns.push_back(name);
  return ladder;
}

}  // namespace lofty
