// Covered by tests/ladder/standings_test.cpp.
#include "remark/remarks.hpp"

#include <algorithm>
#include <functional>
#include <optional>
#include <span>

#include "answer/conditions.hpp"
#include "question/prose.hpp"
#include "rank/undecided.hpp"
#include "remark/sentence.hpp"
#include "window/call.hpp"

namespace lofty::engine {
namespace {

class Remarks {
 public:
  Remarks(const LevelAnswer& answer, std::vector<Remark>& out) : a_(answer), names_(answer.names()), out_(out) {}

  void all() {
    for (const Table& table : a_.joined->tables().read)
      for (const Remark& remark : table.remarks()) out_.push_back(remark);
    remark_joins();
    if (a_.entries.rows.unknown > 0) {
      say("unknown-condition", "for " + counted(a_.entries.rows.unknown, names_.row_noun()) + " the condition " +
                                   quoted(a_.ladder().where) + " is neither true nor false, because of a blank: " +
                                   (a_.entries.rows.unknown == 1 ? "it does" : "they do") + " not count" +
                                   " (the first is " +
                                   a_.joined->origin_of(a_.entries.rows.unknown_example).short_text() + ")");
    }
    remark_filters();
    remark_periods();

    // Entries and places.
    if (a_.outer == nullptr) remark_blanks();  // they are the same rows at every level
    remark_first_and_last();
    remark_blank_groups();
    if (a_.question.places) {
      remark_unranked();
      remark_cuts();
      if (a_.question.row_level() && a_.places.order->undecided() > 0) remark_undecided();
    }
    remark_overlaps();
    remark_orderings();
    remark_nothing();
  }

  // Why the listing is empty, by the stage that left nothing.
  void remark_nothing() {
    if (a_.entries.count > 0) return;
    if (a_.entries.rows.read == 0)
      say("nothing-counts", "the table has no rows");
    else if (a_.entries.rows.counted == 0)
      say("nothing-counts",
          "no " + names_.row_noun() + " counts: the condition holds for none of " + with_commas(a_.entries.rows.read));
    else if (a_.dropped.before > 0)
      say("nothing-left", "no " + names_.entry_noun() + " is left: " + quoted(a_.question.level->having) +
                              " holds for none of " + with_commas(a_.dropped.before));
    else
      say("nothing-left", "no " + names_.entry_noun() + " is left: the level outside lists nothing");
  }

  // Filters of totals that a blank makes unknown, as for conditions: one remark a filter.
  void remark_filters() {
    if (a_.outer != nullptr) return;
    std::vector<std::string> said;
    for (std::size_t a = 0; a < a_.question.aggregates.size(); ++a) {
      const Aggregate& aggregate = *a_.question.aggregates[a];
      const Entries::UnknownFilter& unknown = a_.entries.unknown_filters[a];
      if (unknown.rows > 0)
        say_unknown_filter(aggregate.filter->source(), aggregate.text, unknown.rows,
                           " (the first is " + a_.joined->origin_of(unknown.example).short_text() + ")", said);
    }
    for (std::size_t w = 0; w < a_.entries.windows.notes.size(); ++w) {
      const WindowCall& call = *a_.question.row_windows[w].call;
      if (a_.entries.windows.notes[w].filter_unknown > 0)
        say_unknown_filter(call.filter->source(), call.text, a_.entries.windows.notes[w].filter_unknown, "", said);
    }
  }
  void say_unknown_filter(const std::string& filter, const std::string& total, std::size_t rows,
                          const std::string& example, std::vector<std::string>& said) {
    if (std::find(said.begin(), said.end(), filter) != said.end()) return;
    said.push_back(filter);
    say("unknown-condition", "for " + counted(rows, names_.row_noun()) + " the filter " + quoted(filter) +
                                 " is neither true nor false, because of a blank: " + quoted(total) + " leaves " +
                                 (rows == 1 ? "it" : "them") + " out" + example);
  }

  void remark_periods() {
    for (std::size_t p = 0; p < a_.question.periods.size(); ++p) {
      const PeriodUse& period = a_.question.periods[p];
      const Entries::Caught& caught = a_.entries.caught[p];
      const auto first = day_of(a_, period.first), last = day_of(a_, period.last);
      if (caught.rows == 0) {
        say("period-empty", "no " + names_.row_noun() + " that counts is in " + quoted(period.name) +
                                (first && last ? ", " + day_text(*first) + " to " + day_text(*last) : ""));
        continue;
      }
      if (!first || !last) continue;
      std::vector<std::string> missing;
      std::size_t count = 0;
      for (std::int64_t day = *first; day <= *last; ++day) {
        if (caught.days.contains(day)) continue;
        ++count;
        if (missing.size() < 3) missing.push_back(day_text(day));
      }
      if (count == 0) continue;
      if (count > missing.size()) missing.push_back(counted(count - missing.size(), "other"));
      say("days-missing", counted(count, "day") + " of " + quoted(period.name) + " " + (count == 1 ? "has" : "have") +
                              " no " + plural(names_.row_noun()) + ": " + listed(missing));
    }
  }

 private:
  void say(std::string code, std::string text) { out_.push_back({std::move(code), std::move(text)}); }

  // Entries that only their input order tells apart, and a column that would: where it decides about what is kept.
  void remark_undecided() {
    std::vector<std::function<void(KeyList&)>> candidates;
    std::vector<std::string> names;
    for (std::size_t c = 0; c < a_.entries.columns.size(); ++c) {
      const bool key = std::any_of(a_.question.by.begin(), a_.question.by.end(), [&](const SortKey& k) {
        return k.node->op == Op::name && k.node->column == static_cast<int>(c);
      });
      if (key || !a_.entries.columns[c]) continue;
      names.push_back(a_.question.entry_columns[c].name);
      candidates.push_back([this, c](KeyList& out) {
        encode(ColumnKey{a_.entries.columns[c].get(), false, {}}, a_.run, out);
      });
    }

    // Those that are kept, and what is equal to one of them.
    const Kept& kept = a_.kept;
    const Undecided found =
        find_undecided(*a_.places.order, candidates,
                       kept.all ? std::nullopt : std::optional(std::span<const std::size_t>(kept.positions)), a_.run);
    if (!found.example) return;
    std::string text = counted(found.rows, names_.row_noun()) + " are equal to another on every key (" +
                       names_.entry_name(found.example->first) + " and " + names_.entry_name(found.example->second) +
                       " for two); their input order decides";
    if (found.would_decide)
      text += "; " + quoted(names[*found.would_decide]) + " as a tie-breaker would tell them apart";
    if (found.would_help)
      text += "; " + quoted(names[*found.would_help]) + " as a tie-breaker would leave " + with_commas(found.left);
    say("input-decides", std::move(text));
  }

  // First and last values by an order in which several rows are first, or last.
  void remark_first_and_last() {
    for (const Entries::Undecided& one : a_.entries.undecided) {
      const Aggregate& aggregate = *a_.question.aggregates[one.aggregate];
      std::vector<std::string> keys;
      for (const SortKey& key : aggregate.order) keys.push_back(quoted(key.text));
      say("input-decides", "for " + names_.counted_entries(one.entries) + " several rows are equal on " +
                               lofty::engine::listed(keys) + " (" + a_.joined->origin_of(one.one).short_text() +
                               " and " + a_.joined->origin_of(one.other).short_text() +
                               " for two), so that the order of the input decides " + quoted(aggregate.text) +
                               "; a further key in its `order by` would settle it");
    }
  }

  void remark_overlaps() {
    for (const Summaries::Overlap& one : a_.summaries.overlaps)
      say("distinct-overlap", quoted(a_.question.entry_columns[one.column].name) +
                                  " counts different values: those of " + names_.entry_nouns() + " add up to " +
                                  with_commas(static_cast<std::size_t>(one.added)) + ", but together there are " +
                                  with_commas(static_cast<std::size_t>(one.together)) +
                                  ", because some have the same ones");
  }

  // What custom orders list in vain, and what they forget.
  void remark_orderings() {
    const auto names = [](const std::vector<Value>& values) {
      std::vector<std::string> some;
      for (const Value& value : values) {
        if (some.size() == 3) break;
        some.push_back(quoted(to_text(value)));
      }
      if (values.size() > some.size()) some.push_back(counted(values.size() - some.size(), "other"));
      return lofty::engine::listed(some);
    };
    for (const auto& [column, report] : a_.orderings.reports) {
      if (!report.absent.empty())
        say("listed-value-absent", "orderings." + column + " lists " + names(report.absent) + ", which " +
                                       (report.absent.size() == 1 ? "does" : "do") + " not occur");
      if (!report.forgotten.empty())
        say("sequence-forgot", "the sequence of " + quoted(column) + " does not name " + names(report.forgotten) +
                                   "; " + (report.forgotten.size() == 1 ? "it follows" : "they follow") +
                                   " the others");
    }
    const std::set<std::size_t> further = orderings_of_windows_and_totals(a_.question);
    for (std::size_t o = 0; o < a_.ladder().orderings.size(); ++o)
      if (!a_.orderings.used.contains(o) && !further.contains(o))
        say("unused-ordering", "orderings." + a_.ladder().orderings[o].column +
                                   " changes nothing: nothing is sorted by " + quoted(a_.ladder().orderings[o].column));
  }

  static std::string examples(const std::vector<std::string>& list, std::size_t total) {
    std::string out;
    for (const std::string& one : list) out += (out.empty() ? " (" : ", ") + one;
    return out + (total > list.size() ? ", ...)" : ")");
  }

  void remark_joins() {
    for (std::size_t j = 0; j < a_.question.joins.size(); ++j) {
      const JoinedRows::Report& report = a_.joined->reports()[j];
      const TableUse& other = a_.question.tables[a_.question.joins[j].table];
      std::string keys;
      for (const JoinUse::Pair& pair : a_.question.joins[j].on)
        keys += (keys.empty() ? "" : ", ") + a_.joined->tables()[pair.left_table].headings()[pair.left_column];

      // What found no partner, what is none, and what found several.
      if (report.unmatched > 0)
        say("unmatched-rows", counted(report.unmatched, names_.row_noun()) + " found no partner in " +
                                  other.source->name() + ": " + keys +
                                  examples(report.unmatched_examples, report.unmatched_examples.size()) +
                                  (a_.accounting.joins[j].left_out == 0 ? ""
                                   : report.unmatched == 1              ? "; it is left out"
                                                                        : "; they are left out"));
      if (report.without_rows > 0)
        say("entries-without-rows",
            counted(report.without_rows, noun_of_table(other.alias)) + " of " + other.source->name() + " " +
                (report.without_rows == 1 ? "has" : "have") + " no " + plural(names_.row_noun()) + ": " + keys +
                examples(report.without_examples, report.without_rows) +
                (a_.question.joins[j].include
                     ? "; with totals over no rows, " +
                           std::string(report.without_rows == 1 ? "it is an entry" : "they are entries")
                 : a_.accounting.joins[j].added == 0 ? ""
                 : report.without_rows == 1          ? "; it is a separate row"
                                                     : "; each is a separate row"));
      if (report.several > 0)
        say("rows-multiplied", counted(report.several, names_.row_noun()) + " found several partners in " +
                                   other.source->name() + ", and " + (report.several == 1 ? "counts" : "count") +
                                   " with each: there are " + counted(report.more, names_.row_noun()) + " more");
    }
  }

  // Sums and means over lines without a value: they add nothing, which may not be what was meant.
  void remark_blanks() {
    // Of several totals over one argument, filtered or not, the one that meets most of them speaks for all.
    const auto concerned = [&](std::size_t a) {
      const AggregateKind kind = a_.question.aggregates[a]->kind;
      return a_.entries.blanks[a].rows > 0 &&
             (kind == AggregateKind::sum || kind == AggregateKind::average || kind == AggregateKind::variance ||
              kind == AggregateKind::deviation || kind == AggregateKind::percentile_cont);
    };
    const auto same_argument = [&](std::size_t a, std::size_t b) {
      return signature(*a_.question.aggregates[a]->argument) == signature(*a_.question.aggregates[b]->argument);
    };

    // One total after the other.
    for (std::size_t a = 0; a < a_.question.aggregates.size(); ++a) {
      const Aggregate& aggregate = *a_.question.aggregates[a];
      if (!concerned(a)) continue;
      bool another_speaks = false;
      for (std::size_t b = 0; b < a_.question.aggregates.size(); ++b) {
        if (b == a || !concerned(b) || !same_argument(a, b)) continue;
        const std::size_t mine = a_.entries.blanks[a].rows, its = a_.entries.blanks[b].rows;
        another_speaks = another_speaks || its > mine || (its == mine && b < a);
      }
      if (another_speaks) continue;
      say("rows-without-value", counted(a_.entries.blanks[a].rows, names_.row_noun()) + " of " +
                                    names_.counted_entries(a_.entries.blanks[a].entries) + " " +
                                    (a_.entries.blanks[a].rows == 1 ? "has" : "have") + " no value for " +
                                    quoted(aggregate.argument->source()) + "; " + quoted(aggregate.text) + " leaves " +
                                    (a_.entries.blanks[a].rows == 1 ? "it" : "them") + " out" +
                                    listed_with_blanks(a_.entries.blanks[a]));
    }
  }

  // "; of the listed, `Twin Pantry` (2 lines)": whose place might be another.
  std::string listed_with_blanks(const Entries::Blank& blank) const {
    constexpr std::size_t most_named = 4;
    if (blank.by_entry.empty() || !a_.question.places) return {};
    std::vector<std::string> names;
    std::size_t more = 0;
    for (const std::uint32_t entry : a_.listed.rows) {
      const std::uint32_t number = a_.entries.numbered_as ? (*a_.entries.numbered_as)[entry] : entry;
      if (number >= blank.by_entry.size() || blank.by_entry[number] == 0) continue;
      if (names.size() < most_named)
        names.push_back(names_.entry_name(entry) + " (" + counted(blank.by_entry[number], names_.row_noun()) + ")");
      else
        ++more;
    }
    if (names.empty()) return {};
    if (more > 0) names.push_back(counted(more, "other"));
    return "; of the listed, " + lofty::engine::listed(names);
  }

  // How much the entries without this key hold, of what places go by.
  std::string hidden(std::size_t key, std::size_t entries) const {
    std::string text = names_.counted_entries(entries) + (entries == 1 ? " is" : " are") + " hidden for it";
    if (entries != 1 || !a_.question.places) return text;
    for (std::uint32_t e = 0; e < a_.entries.count; ++e) {
      if (!a_.entries.columns[key]->is_null(e) || a_.places.by.front()->is_null(e)) continue;
      const Value value = a_.places.by.front()->value(e);
      const auto* const number = std::get_if<Decimal>(&value);
      text += ", with " + quoted(a_.question.by.front().text) + " " +
              (number != nullptr ? number->grouped_text() : Names::shown(value));
    }
    return text;
  }

  void remark_blank_groups() {
    const auto each = [&](const std::vector<std::size_t>& keys) {
      for (const std::size_t key : keys) {
        if (a_.question.row_level() || key >= a_.entries.columns.size()) continue;
        std::size_t rows = 0, entries = 0;
        for (std::uint32_t e = 0; e < a_.entries.count; ++e)
          if (a_.entries.columns[key]->is_null(e)) {
            rows += a_.entries.row_counts[e];
            ++entries;
          }
        if (entries > 0)
          say("blank-group", counted(rows, names_.row_noun()) + " " + (rows == 1 ? "has" : "have") + " no " +
                                 quoted(a_.question.entry_columns[key].name) +
                                 (a_.ladder().list.hide_blank_groups ? "; " + hidden(key, entries)
                                                                     : "; together they are listed as (none)"));
      }
    };
    each(a_.question.within);
    each(a_.question.each);
  }

  void remark_unranked() {
    const auto rows = a_.places.order->rows();
    const auto unranked = [&](const char* code, const auto& is_one, const std::string& because,
                              const std::string& advice) {
      std::size_t count = 0;
      std::vector<std::string> names;
      for (std::size_t i = 0; i < rows.size(); ++i) {
        if (a_.places.order->ranked(i) || !is_one(rows[i])) continue;
        ++count;
        if (names.size() < 3) names.push_back(names_.entry_name(rows[i]));
      }
      if (count == 0) return;
      if (count > names.size()) names.push_back(counted(count - names.size(), "other"));
      say(code, names_.counted_entries(count) + (count == 1 ? " has" : " have") + " no place, because " + because +
                    ": " + listed(names) + (advice.empty() ? "" : advice + (count == 1 ? "it" : "them")));
    };
    const auto truth = [&](std::uint32_t entry) {
      return a_.places.eligible.empty() ? std::uint8_t{is_true} : a_.places.eligible[entry];
    };

    // Without a value, or by rank.eligible.
    unranked(
        "unranked", [&](std::uint32_t e) { return truth(e) == is_true; },
        quoted(a_.question.by.front().text) + " is null",
        a_.question.row_level() ? "" : "; coalesce(..., 0) in the total would rank ");
    if (a_.places.eligible.empty()) return;
    unranked(
        "ineligible", [&](std::uint32_t e) { return truth(e) == is_false; },
        quoted(a_.question.level->eligible) + " is false", "");
    unranked(
        "eligibility-unknown", [&](std::uint32_t e) { return truth(e) == is_unknown; },
        quoted(a_.question.level->eligible) + " is neither true nor false, because of a blank", "");
  }

  // Of the best, and of the worst: cuts in up to three groups are said one by one; of more, the first is said and the
  // others' groups are named.
  void remark_cuts() {
    constexpr std::size_t most_said = 3, most_named = 4;
    for (const bool best : {true, false}) {
      std::vector<Kept::TiedCut> cuts;
      for (const Kept::TiedCut& cut : a_.kept.cuts)
        if (cut.best == best) cuts.push_back(cut);
      if (cuts.size() <= most_said) {
        for (const Kept::TiedCut& cut : cuts) say("tie-at-cut", cut_sentence(cut));
        continue;
      }

      std::vector<std::string> others;
      for (std::size_t c = 1; c < cuts.size() && others.size() < most_named; ++c)
        others.push_back(group_of(cuts[c].at));
      const std::size_t count = cuts.size() - 1;
      if (count > most_named) others.push_back(counted(count - most_named, "other"));
      say("tie-at-cut",
          cut_sentence(cuts.front()) + "; the same in " + counted(count, "other group") + ": " + listed(others));
    }
  }

  // The group at a position of the order; empty without groups.
  std::string group_of(std::size_t at) const {
    std::string group;
    for (const std::size_t g : a_.question.within)
      group += (group.empty() ? "" : ", ") + names_.shown(a_.entries.columns[g]->value(a_.places.order->rows()[at]));
    return group;
  }

  std::string cut_sentence(const Kept::TiedCut& cut) const {
    const Order& order = *a_.places.order;
    const Level& level = *a_.question.level;
    std::size_t begin = cut.at, end = cut.at + 1;  // the peers
    while (!order.starts_peers(begin)) --begin;
    while (end < order.rows().size() && !order.starts_peers(end)) ++end;

    std::size_t sharing = 0;
    for (std::size_t i = begin; i < end; ++i) sharing += a_.kept.lets_through(order.rows()[i]);
    const Value tied = a_.places.by.front()->value(order.rows()[cut.at]);
    const auto* const number = std::get_if<Decimal>(&tied);
    const std::string group = group_of(cut.at);
    const std::string tie = names_.counted_entries(sharing) + " share place " +
                            with_commas(a_.places.competition[begin]) + (group.empty() ? "" : " in " + group) + " (" +
                            quoted(a_.question.by.front().text) + " " +
                            (number != nullptr ? number->grouped_text() : names_.shown(tied)) + "); the " +
                            (cut.best ? "best " + so_many(level.best, level.best_percent)
                                      : "worst " + so_many(level.worst, level.worst_percent)) +
                            " are kept";
    if (level.cut == Cut::with_ties) return tie + ", and all that tie are listed: " + names_between(begin, end);

    const std::string upper = names_between(begin, cut.at), lower = names_between(cut.at, end);
    return tie + ", strictly: " + (cut.best ? lower : upper) + " left out, " + (cut.best ? upper : lower) +
           " kept, decided by " + decider(cut.before, cut.at);
  }

  // The entries between two positions that keep.where lets through.
  std::string names_between(std::size_t begin, std::size_t end) const {
    std::vector<std::string> names;
    std::size_t more = 0;
    for (std::size_t i = begin; i < end; ++i) {
      const std::uint32_t entry = a_.places.order->rows()[i];
      if (!a_.kept.lets_through(entry)) continue;
      if (names.size() < 4)
        names.push_back(names_.entry_name(entry));
      else
        ++more;
    }
    if (more > 0) names.push_back(counted(more, "other"));
    return listed(names);
  }

  // The key that told the last kept entry from the first one left out.
  std::string decider(std::size_t before, std::size_t at) const {
    const std::uint32_t last = a_.places.order->rows()[before], next = a_.places.order->rows()[at];
    const ColumnSource source(a_.entries.count, a_.entries.columns);
    for (const SortKey& key : a_.question.tiebreak) {
      const ColumnPtr column = key.node->op == Op::name
                                   ? a_.entries.columns[static_cast<std::size_t>(key.node->column)]
                                   : evaluate_column(*key.node, source, a_.entries.context, a_.run);
      if (column->value(last) != column->value(next)) return "the tie-breaker " + quoted(key.text);
    }
    if (a_.question.row_level()) return "the order of the input";
    std::vector<std::string> keys;
    for (const std::size_t key : a_.question.each) keys.push_back(quoted(a_.question.entry_columns[key].name));
    return listed(keys) + ", because nothing else tells them apart";
  }

  const LevelAnswer& a_;
  const Names names_;
  std::vector<Remark>& out_;
};

}  // namespace

void add_remarks(const LevelAnswer& answer, std::vector<Remark>& out) { Remarks(answer, out).all(); }

}  // namespace lofty::engine
