// Levels inside levels: their answers as one listing.
// Covered by tests/answer/levels_test.cpp.

#include <algorithm>
#include <map>

#include "answer/nesting.hpp"
#include "question/prose.hpp"

namespace lofty::engine {
namespace {

using Data = std::shared_ptr<const StandingsData>;

// A listed row's values of these of its keys: of an inner level, those of the entry that it belongs to.
EntryKey key_of(const StandingsData& data, std::size_t row, const std::vector<std::string>& names) {
  EntryKey key;
  for (const std::string& name : names) {
    const auto at = std::find(data.key_names.begin(), data.key_names.end(), name) - data.key_names.begin();
    key.push_back(data.keys[static_cast<std::size_t>(at)]->value(data.rows[row]));
  }
  return key;
}

class Nesting {
 public:
  explicit Nesting(std::vector<Data> levels) : levels_(std::move(levels)), out_(std::make_shared<StandingsData>()) {
    columns();
    for (std::size_t l = 1; l < levels_.size(); ++l) {
      inner_.emplace_back();
      const StandingsData& level = *levels_[l];
      for (std::size_t r = 0; r < level.rows.size(); ++r)
        inner_.back()[key_of(level, r, levels_[l - 1]->key_names)].push_back(r);
    }
    std::vector<std::size_t> outermost(levels_.front()->rows.size());
    for (std::size_t r = 0; r < outermost.size(); ++r) outermost[r] = r;
    add(0, outermost, 0);
    cut_ties();
    words();
  }

  std::shared_ptr<StandingsData> data() {
    out_->levels = std::move(levels_);
    return out_;
  }

 private:
  // The columns of all levels, in the order in which a level has them; what only inner ones have comes before the
  // column that follows it there.
  void columns() {
    for (const Data& level : levels_) {
      std::size_t next = out_->columns.size();
      for (std::size_t c = level->columns.size(); c-- > 0;) {
        const std::size_t found = find(level->columns[c].name);
        if (found < out_->columns.size()) {
          next = found;
          continue;
        }
        out_->columns.insert(out_->columns.begin() + static_cast<std::ptrdiff_t>(next), level->columns[c]);
      }
    }

    // Where each level has them, and what they are.
    for (const Data& level : levels_) {
      out_->column_in.emplace_back(out_->columns.size(), StandingsData::none);
      for (std::size_t c = 0; c < level->columns.size(); ++c) {
        const std::size_t at = find(level->columns[c].name);
        out_->column_in.back()[at] = c;
        StandingColumn& column = out_->columns[at];
        if (level->columns[c].role == Role::key) column.role = Role::key;  // it may be another level's group
        if (column.type.kind == Kind::integer && level->columns[c].type.kind == Kind::decimal)
          column.type = level->columns[c].type;  // places under the fractional rule
      }
    }

    // A column that the levels sort by differently can't be marked.
    for (StandingColumn& column : out_->columns)
      for (const Data& level : levels_)
        for (const StandingColumn& own : level->columns)
          if (own.name == column.name &&
              (own.sort_position != column.sort_position || own.descending != column.descending) &&
              own.role != Role::group)
            column.sort_position = 0;
  }
  std::size_t find(const std::string& name) const {
    std::size_t at = 0;
    while (at < out_->columns.size() && out_->columns[at].name != name) ++at;
    return at;
  }

  // The rows of one entry of the level outside, each with what is inside it.
  void add(std::size_t level, const std::vector<std::size_t>& rows, std::size_t outer) {
    const StandingsData& from = *levels_[level];
    // Summaries ascend by the row that they follow, and so do the rows of one outer entry.
    const auto is_before = [](const SummaryLine& line, std::size_t row) { return line.after < row; };
    auto summary = from.summaries.begin();
    if (!rows.empty()) summary = std::lower_bound(summary, from.summaries.end(), rows.front(), is_before);
    for (std::size_t i = 0; i < rows.size(); ++i) {
      const std::size_t row = rows[i], at = out_->nested.size();
      out_->nested.push_back({level, row, level == 0 ? at : outer});
      out_->group_start.push_back(level == 0 && levels_.size() > 1);
      out_->passed_over.push_back(from.passed_over.empty() ? 0 : from.passed_over[row]);
      if (level + 1 < levels_.size()) {
        const auto found = inner_[level].find(key_of(from, row, from.key_names));
        if (found != inner_[level].end()) add(level + 1, found->second, at);
      }
      while (summary != from.summaries.end() && summary->after < row) ++summary;
      for (; summary != from.summaries.end() && summary->after == row; ++summary) add_summary(level, *summary);
    }
  }
  void add_summary(std::size_t level, SummaryLine line) {
    line.after = out_->nested.size() - 1;
    line.level = level;
    line.label_column = find(levels_[level]->columns[line.label_column].name);
    std::vector<Value> values(out_->columns.size());
    for (std::size_t c = 0; c < values.size(); ++c)
      if (const std::size_t there = out_->column_in[level][c]; there != StandingsData::none)
        values[c] = line.values[there];
    line.values = std::move(values);
    out_->summaries.push_back(std::move(line));
  }

  // Those of the innermost level, whose rows have nothing inside them and so follow one another.
  void cut_ties() {
    const std::size_t innermost = levels_.size() - 1;
    std::map<std::size_t, std::size_t> listed_at;
    for (std::size_t r = 0; r < out_->nested.size(); ++r)
      if (out_->nested[r].level == innermost) listed_at.emplace(out_->nested[r].row, r);
    for (const CutTie& tie : levels_.back()->cut_ties) {
      const auto at = listed_at.find(tie.begin);
      if (at == listed_at.end()) continue;
      out_->cut_ties.push_back(
          {at->second, at->second + (tie.end - tie.begin), at->second + (tie.cut - tie.begin), tie.best});
    }
  }

  void words() {
    const StandingsData& first = *levels_.front();
    out_->title = first.title;
    for (const Data& level : levels_) {
      out_->question += (out_->question.empty() ? "" : " ") + level->question;
      out_->shown_of_total += (out_->shown_of_total.empty() ? "" : "; ") + level->shown_of_total;
      for (const Remark& remark : level->remarks)
        if (std::none_of(out_->remarks.begin(), out_->remarks.end(),
                         [&](const Remark& said) { return said.sentence == remark.sentence; }) &&
            (remark.code != "unused-ordering" || in_all_levels(remark)))
          out_->remarks.push_back(remark);
      out_->departed.insert(out_->departed.end(), level->departed.begin(), level->departed.end());
    }
    out_->accounting = first.accounting;
    out_->accounting.listed = out_->nested.size();
    out_->order = first.order;
    out_->by = first.by;
    out_->by_name = first.by_name;
    out_->within = first.within;
    out_->descending = first.descending;
    out_->ties = first.ties;
  }

  // An order is used if one level uses it.
  bool in_all_levels(const Remark& remark) const {
    return std::all_of(levels_.begin(), levels_.end(), [&](const Data& level) {
      return std::any_of(level->remarks.begin(), level->remarks.end(),
                         [&](const Remark& said) { return said.sentence == remark.sentence; });
    });
  }

  std::vector<Data> levels_;
  std::shared_ptr<StandingsData> out_;
  std::vector<std::map<EntryKey, std::vector<std::size_t>>> inner_;  // by level outside: the rows inside each entry
};

}  // namespace

std::shared_ptr<StandingsData> nest(std::vector<std::shared_ptr<const StandingsData>> levels) {
  return Nesting(std::move(levels)).data();
}

}  // namespace lofty::engine
