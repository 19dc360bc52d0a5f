#include "answer/summaries.hpp"

#include <algorithm>

#include "answer/standings_data.hpp"
#include "base/parallel.hpp"

namespace lofty::engine {
namespace {

// The first listed column of words that is the entries' own, or else the first of their keys.
std::size_t label_column(const LevelInput& input, const std::vector<StandingColumn>& columns) {
  const auto first = [&](const auto& fits) {
    return static_cast<std::size_t>(std::find_if(columns.begin(), columns.end(), fits) - columns.begin());
  };
  const auto is_label = [](const StandingColumn& c) { return c.role == Role::label && c.type.kind == Kind::text; };
  std::size_t at = first(is_label);
  // Of an inner level, a label of the entry outside is none of its own.
  if (at < columns.size() && input.outer != nullptr) {
    const auto outside = [&](const StandingColumn& c) {
      return std::any_of(input.outer->columns.begin(), input.outer->columns.end(),
                         [&](const StandingColumn& o) { return o.name == c.name; });
    };
    at = first([&](const StandingColumn& c) { return is_label(c) && !outside(c); });
  }
  if (at == columns.size()) at = first([](const StandingColumn& c) { return c.role == Role::key; });
  return at == columns.size() ? 0 : at;
}

// The totals of entries that are taken together; null pointers for columns that are none.
std::vector<ColumnPtr> totals_of(const LevelInput& input, const Entries& entries,
                                 const std::vector<std::uint32_t>& group_of, std::size_t groups) {
  const Question& question = input.question;
  std::vector<ColumnPtr> columns = entries.regroup->totals(group_of, groups), filled = columns;
  for (std::size_t c = 0; c < columns.size(); ++c) {
    if (columns[c]) continue;
    Piece nothing(question.entry_columns[c].type);  // a key has no one value here
    for (std::size_t g = 0; g < groups; ++g) nothing.add_null();
    filled[c] = Column::seal(std::move(nothing));
  }
  for (const std::size_t total : question.totals) {
    filled[total] =
        evaluate_column(*question.entry_columns[total].node, ColumnSource(groups, filled), entries.context, input.run);
    columns[total] = filled[total];
  }
  return columns;
}

// The entries by group, as the listing has them: those that it lists, and the others.
struct Grouping {
  std::size_t groups = 1;
  std::vector<std::size_t> last;               // by group: its last listed row; the number of rows where it lists none
  std::vector<std::size_t> all, left;          // by group: entries; those that are not listed
  std::vector<std::uint32_t> of_all, of_left;  // by entry as run_rows() numbered it: its group, or `groups`
};

Grouping grouping_of(const Entries& entries, const Listed& listed) {
  Grouping out;
  const bool one = listed.group_of.empty() || listed.groups_mixed;
  if (!one) out.groups = *std::max_element(listed.group_of.begin(), listed.group_of.end()) + std::size_t{1};
  const auto group_of = [&](std::uint32_t entry) { return out.groups == 1 ? 0 : listed.group_of[entry]; };
  std::vector<std::uint8_t> is_listed(entries.count, 0);
  out.last.assign(out.groups, listed.rows.size());
  for (const std::uint32_t entry : listed.kept) is_listed[entry] = 1;  // some rows only are the same listing
  for (std::size_t r = 0; r < listed.rows.size(); ++r) out.last[group_of(listed.rows[r])] = r;

  const auto outside = static_cast<std::uint32_t>(out.groups);
  out.of_all.assign(entries.numbered_as ? entries.numbered : entries.count, outside);
  out.of_left = out.of_all;
  out.all.assign(out.groups, 0);
  out.left.assign(out.groups, 0);
  for (std::uint32_t e = 0; e < entries.count; ++e) {
    const std::uint32_t first_number = entries.numbered_as ? (*entries.numbered_as)[e] : e;
    out.of_all[first_number] = group_of(e);
    ++out.all[group_of(e)];
    if (is_listed[e]) continue;
    out.of_left[first_number] = group_of(e);
    ++out.left[group_of(e)];
  }
  return out;
}

// Distinct counts of entries that count the same things do not add up.
std::vector<Summaries::Overlap> overlaps_of(const LevelInput& input, const Entries& entries, const Listed& listed,
                                            std::size_t groups, const std::vector<ColumnPtr>& together) {
  const Question& question = input.question;
  std::vector<Summaries::Overlap> out;
  for (const ListColumn& column : question.list.columns) {
    const auto c = static_cast<std::size_t>(column.column);
    if (c >= question.entry_columns.size()) continue;
    const EntryColumn& total = question.entry_columns[c];
    if (total.from != EntryColumn::From::total || total.node->op != Op::name) continue;
    const EntryColumn& behind = question.entry_columns[static_cast<std::size_t>(total.node->column)];
    if (behind.from != EntryColumn::From::aggregate ||
        question.aggregates[behind.index]->kind != AggregateKind::count_distinct)
      continue;
    std::vector<std::int64_t> added(groups, 0);
    for (std::uint32_t e = 0; e < entries.count; ++e)
      added[groups == 1 ? 0 : listed.group_of[e]] += entries.columns[c]->int64(e);
    for (std::size_t g = 0; g < groups; ++g)
      if (added[g] > together[c]->int64(g)) {
        out.push_back({c, added[g], together[c]->int64(g)});
        break;
      }
  }
  return out;
}

}  // namespace

Summaries summarize(const LevelInput& input, const Entries& entries, const Listed& listed, const Names& names) {
  const Grouping grouping = grouping_of(entries, listed);
  std::vector<ColumnPtr> left_totals, all_totals;
  constexpr std::size_t worth_threads = 100'000;  // rows: there may be as many distinct values
  const Run run{.threads = entries.rows.counted < worth_threads ? 1 : input.run.threads};
  parallel_for(2, run, [&](std::size_t which) {
    (which == 0 ? left_totals : all_totals) =
        totals_of(input, entries, which == 0 ? grouping.of_left : grouping.of_all, grouping.groups);
  });

  Summaries out;
  const std::size_t label_at = label_column(input, listed.columns);
  const auto add = [&](SummaryLine::Of of, std::size_t group, std::size_t count, std::string label,
                       const std::vector<ColumnPtr>& totals) {
    SummaryLine line{.of = of, .after = grouping.last[group], .entries = count, .label = std::move(label)};
    line.label_column = label_at;
    for (const ListColumn& column : input.question.list.columns) {
      const auto c = static_cast<std::size_t>(column.column);
      line.values.push_back(c < totals.size() && totals[c] ? totals[c]->value(group) : Value{});
    }
    out.lines.push_back(std::move(line));
  };

  // Groups, as they are listed; those that list nothing have no lines.
  std::vector<std::size_t> in_order;
  for (std::size_t g = 0; g < grouping.groups; ++g)
    if (grouping.last[g] < listed.rows.size()) in_order.push_back(g);
  std::sort(in_order.begin(), in_order.end(),
            [&](std::size_t a, std::size_t b) { return grouping.last[a] < grouping.last[b]; });
  for (const std::size_t g : in_order) {
    if (grouping.left[g] > 0)
      add(SummaryLine::Of::others, g, grouping.left[g], "others, " + names.counted_entries(grouping.left[g]),
          left_totals);
    add(SummaryLine::Of::all, g, grouping.all[g], "all " + names.counted_entries(grouping.all[g]), all_totals);
  }
  out.overlaps = overlaps_of(input, entries, listed, grouping.groups, all_totals);
  return out;
}

}  // namespace lofty::engine
