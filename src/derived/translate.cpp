// A ladder as one statement of ISO SQL: a common table expression for each stage.
// Covered by tests/derived/translate_test.cpp. A server runs the statements in tests/server/postgresql_test.cpp.

#include "lofty/translate.hpp"

#include <algorithm>
#include <functional>
#include <map>
#include <optional>
#include <set>
#include <utility>

#include "base/folded.hpp"
#include "formula/expression.hpp"
#include "formula/parser.hpp"
#include "lofty/error.hpp"
#include "question/prose.hpp"
#include "question/resolve.hpp"
#include "table/checked_source.hpp"

namespace lofty {
namespace {

using engine::Expression;
using engine::Op;

std::string in_quotes(const std::string& text, char quote) {
  std::string out(1, quote);
  for (const char c : text) out += c == quote ? std::string(2, quote) : std::string(1, c);
  return out + quote;
}
std::string name_of(const std::string& name) { return in_quotes(name, '"'); }

std::string literal(const Value& value) {
  if (is_null(value)) return "null";
  if (std::holds_alternative<std::string>(value)) return in_quotes(to_text(value), '\'');
  if (std::holds_alternative<Date>(value)) return "date '" + to_text(value) + "'";
  if (std::holds_alternative<Timestamp>(value)) return "timestamp '" + to_text(value) + "'";
  return to_text(value);
}

[[noreturn]] void not_yet(const std::string& what, const std::string& key) {
  Problem p{Code::not_in_this_version, what + " cannot be translated yet", {}, {}, {}};
  p.location.key = key;
  throw Error(std::move(p));
}

// A text with some of its parts replaced.
class Edits {
 public:
  void replace(std::size_t begin, std::size_t end, std::string by) { edits_.push_back({begin, end, std::move(by)}); }
  std::string apply(const std::string& text) {
    std::stable_sort(edits_.begin(), edits_.end(), [](const Edit& a, const Edit& b) { return a.begin < b.begin; });
    std::string out;
    std::size_t at = 0;
    for (const Edit& edit : edits_) {
      out += text.substr(at, edit.begin - at) + edit.by;
      at = edit.end;
    }
    return out + text.substr(at);
  }

 private:
  struct Edit {
    std::size_t begin, end;
    std::string by;
  };
  std::vector<Edit> edits_;
};

bool any_below(const Expression& e, const std::function<bool(const Expression&)>& is) {
  return is(e) ||
         std::any_of(e.args.begin(), e.args.end(), [&](const auto& arg) { return arg && any_below(*arg, is); });
}
bool has_window(const Expression& e) {
  return any_below(e, [](const Expression& at) { return at.over != nullptr; });
}
// Is it known only once it is known which rows count?
bool is_late(const Expression& e) {
  return any_below(
      e, [](const Expression& at) { return at.over || at.text == "overall_max" || at.text == "overall_min"; });
}
bool mentions(const Expression& e, const std::set<std::string>& names) {
  return any_below(e,
                   [&](const Expression& at) { return at.op == Op::name && names.contains(engine::folded(at.text)); });
}

class Translating {
 public:
  Translating(const Ladder& ladder, const Catalog& catalog) : ladder_(ladder) {
    const engine::Resolution resolved(ladder, catalog);
    if (!resolved.problems().empty()) throw Error(resolved.problems());
    for (const engine::ListColumn& column : resolved.questions().front().list.columns) columns_.push_back(column.name);
    refuse();
    open(ladder.data.from, ladder.data.as, ladder.data.read, catalog);
    for (const Join& join : ladder.data.joins) open(join.with, join.as, join.read, catalog);
  }

  Translation translate() {
    joined();
    figures();
    counted();
    if (level_ == nullptr || level_->each.empty())
      differs("single rows that tie are listed in any order; here they are listed in the order of the file");
    else
      totals();
    windows();
    places();
    kept();
    listed();
    return {text_, differs_};
  }

 private:
  struct Source {
    std::string alias;
    std::vector<std::string> headings;
  };

  void refuse() {
    if (ladder_.levels.size() > 1) not_yet("levels inside levels", "level");
    if (!ladder_.crossed.empty()) not_yet("a crossed answer", "crossed");
    if (!ladder_.compare.empty()) not_yet("a comparison", "compare");
    if (!ladder_.orderings.empty()) not_yet("an order of its own", "orderings");
    if (!ladder_.list.alternative.empty()) not_yet("another order of the listing", "list.alternative");
    if (ladder_.levels.empty()) return;
    level_ = &ladder_.levels.front();
    if (level_->others) not_yet("a line for the others", "keep.others");
    if (!level_->include.empty()) not_yet("a table of which all rows are entries", "rank.include");
    if (level_->fill) not_yet("filled units", "rank.fill");
    if (level_->best_percent || level_->worst_percent) not_yet("a part of all entries", "keep.best");
  }

  void open(const std::string& name, const std::string& as, const ReadOptions& read, const Catalog& catalog) {
    if (name.ends_with(".ladder.toml")) not_yet("a table that is another ladder's answer", "data");
    sources_.push_back({as.empty() ? engine::stem_of(name) : as, engine::opened(catalog, name, read)->headings()});
  }

  void differs(const std::string& what) {
    if (std::find(differs_.begin(), differs_.end(), what) == differs_.end()) differs_.push_back(what);
  }

  // A stage: `select` over the one before.
  void stage(const std::string& name, const std::string& comment, const std::string& select) {
    text_ += (text_.empty() ? "with " : ",\n") + std::string("-- ") + comment + "\n" + name_of(name) + " as (\n  " +
             select + "\n)";
    last_ = name;
  }
  std::string from() const { return "\n  from " + name_of(last_); }

  // Joins the tables. A column keeps its name if no other table has that name; otherwise the table is its prefix.
  void joined() {
    std::map<std::string, int> count;
    for (const Source& source : sources_)
      for (const std::string& heading : source.headings) ++count[heading];

    // The joins, and keys that have one name on both sides.
    std::string columns, tables = name_of(sources_.front().alias);
    std::set<std::string> merged;
    for (std::size_t j = 0; j < ladder_.data.joins.size(); ++j) {
      const Join& join = ladder_.data.joins[j];
      const std::string& right = sources_[j + 1].alias;
      tables += "\n    " + std::string(to_string(join.type)) + " join " + name_of(right) + " on ";
      for (std::size_t k = 0; k < join.on.size(); ++k)
        tables += (k > 0 ? " and " : "") + join_condition(join.on[k], j + 1, merged);
    }

    // The columns of all.
    for (std::size_t s = 0; s < sources_.size(); ++s)
      for (const std::string& heading : sources_[s].headings) {
        const std::string written = name_of(sources_[s].alias) + "." + name_of(heading);
        const bool key = merged.contains(engine::folded(heading));
        if (key && s > 0) {
          names_[engine::folded(sources_[s].alias + "." + heading)] = heading;
          continue;  // the first table's, which is equal
        }
        const std::string shown = count[heading] == 1 || key ? heading : sources_[s].alias + "." + heading;
        columns += (columns.empty() ? "" : ",\n    ") + written + " as " + name_of(shown);
        names_[engine::folded(shown)] = shown;
        names_[engine::folded(sources_[s].alias + "." + heading)] = shown;
      }
    stage("joined", "the rows of all tables", "select " + columns + "\n  from " + tables);
  }

  // "shop_no", or "buyer_no = shop_no".
  std::string join_condition(const std::string& on, std::size_t right, std::set<std::string>& merged) {
    const std::size_t equals = on.find('=');
    const auto trimmed = [](std::string text) {
      text.erase(0, text.find_first_not_of(" \t"));
      text.erase(text.find_last_not_of(" \t") + 1);
      if (text.size() > 1 && text.front() == '"') text = text.substr(1, text.size() - 2);
      return text;
    };
    const std::string left_name = trimmed(on.substr(0, equals)),
                      right_name = equals == std::string::npos ? left_name : trimmed(on.substr(equals + 1));
    if (ladder_.data.joins[right - 1].type == JoinType::right || ladder_.data.joins[right - 1].type == JoinType::full)
      not_yet("a right or full join", "data.join");
    for (std::size_t s = 0; s < right; ++s)
      for (const std::string& heading : sources_[s].headings)
        if (engine::equal_folded(heading, left_name)) {
          if (engine::equal_folded(left_name, right_name)) merged.insert(engine::folded(left_name));
          return name_of(sources_[s].alias) + "." + name_of(heading) + " = " + name_of(sources_[right].alias) + "." +
                 name_of(heading_of(right, right_name));
        }
    not_yet("a join by `" + on + "`", "data.join");
  }
  const std::string& heading_of(std::size_t source, const std::string& name) const {
    for (const std::string& heading : sources_[source].headings)
      if (engine::equal_folded(heading, name)) return heading;
    return name;
  }

  // Computes figures of single rows. Figures with windows follow after the condition on rows.
  void figures() {
    std::set<std::string> late;  // folded
    for (const NamedFormula& figure : ladder_.figures)
      if (is_late(*engine::parse_expression(figure.formula))) late.insert(engine::folded(figure.name));
    for (std::size_t before = ladder_.figures.size() + 1; before != late.size();) {  // and figures that use them
      before = late.size();
      for (const NamedFormula& figure : ladder_.figures)
        if (mentions(*engine::parse_expression(figure.formula), late)) late.insert(engine::folded(figure.name));
    }

    std::string columns;
    for (const NamedFormula& figure : ladder_.figures)
      if (late.contains(engine::folded(figure.name)))
        late_figures_.push_back(&figure);
      else
        inline_[engine::folded(figure.name)] = &figure;
    for (const NamedFormula& figure : ladder_.figures)
      if (inline_.contains(engine::folded(figure.name)))
        columns += ",\n    " + written(figure.formula) + " as " + name_of(figure.name);
    for (const auto& [folded, figure] : inline_) names_[folded] = figure->name;
    inline_.clear();
    if (!columns.empty()) stage("figures", "values of each row", "select \"joined\".*" + columns + from());
  }

  void counted() {
    if (!ladder_.where.empty())
      stage("counted", "the rows that count", "select *" + from() + "\n  where " + written(ladder_.where));
    for (const NamedFormula* const figure : late_figures_) {
      stage("with " + figure->name, "values over the rows that count",
            "select " + name_of(last_) + ".*, " + written(figure->formula) + " as " + name_of(figure->name) + from());
      names_[engine::folded(figure->name)] = figure->name;
    }
  }

  // One entry for each combination of the keys. Any other column has one value in an entry, which min() returns.
  void totals() {
    for (const NamedFormula& total : ladder_.totals) inline_[engine::folded(total.name)] = &total;
    std::string keys, columns;
    std::set<std::string> there;
    for (const auto* part : {&level_->within, &level_->each})
      for (const std::string& key : *part) {
        const std::string shown = shown_name(key);
        if (!there.insert(shown).second) continue;
        keys += (keys.empty() ? "" : ", ") + name_of(shown);
      }
    columns = keys;
    for (const std::string& name : carried(there)) columns += ",\n    min(" + name_of(name) + ") as " + name_of(name);
    for (const NamedFormula& total : ladder_.totals)
      columns += ",\n    " + written(total.formula) + " as " + name_of(total.name);
    std::string text = "select " + columns + from() + "\n  group by " + keys;
    if (!level_->having.empty()) text += "\n  having " + written(level_->having);
    for (const auto& [folded, total] : inline_) names_[folded] = total->name;
    inline_.clear();
    stage("totals", "an entry for each " + engine::listed(level_->each, "and"), text);
  }

  // Columns of rows that the ladder uses of an entry.
  std::vector<std::string> carried(const std::set<std::string>& keys) {
    std::set<std::string> used;
    const std::function<void(const Expression&)> look = [&](const Expression& e) {
      if (e.op == Op::name) {
        const auto found = names_.find(engine::folded(e.qualifier.empty() ? e.text : e.qualifier + "." + e.text));
        if (found != names_.end() && !inline_.contains(found->first) && !keys.contains(found->second))
          used.insert(found->second);
      }
      for (const auto& arg : e.args)
        if (arg) look(*arg);
    };
    for (const std::string& column : columns_) look(*engine::parse_expression(name_of(column)));
    for (const std::string* const list : {&level_->by, &level_->tiebreak, &ladder_.list.order})
      if (!list->empty() && *list != "input")
        for (const engine::SortItem& item : engine::parse_sort_list(*list)) look(*item.expression);
    for (const std::string* const condition : {&level_->eligible, &level_->where})
      if (!condition->empty()) look(*engine::parse_expression(*condition));
    return {used.begin(), used.end()};
  }

  void windows() {
    if (level_ == nullptr) return;
    for (const NamedFormula& one : level_->windows) {
      stage("with " + one.name, "values over all entries",
            "select " + name_of(last_) + ".*, " + written(one.formula) + " as " + name_of(one.name) + from());
      names_[engine::folded(one.name)] = one.name;
    }
  }

  // Entries without a first sort key have no place, and neither have entries that are not eligible.
  void places() {
    if (level_ == nullptr || level_->by.empty()) return;
    const std::string by = sort_list(level_->by);
    std::string ranked = written(first_key(level_->by)) + " is not null";
    if (!level_->eligible.empty()) ranked += " and (" + written(level_->eligible) + ")";
    std::string partition;
    for (const std::string& group : level_->within) partition += name_of(shown_name(group)) + ", ";
    const std::string over = "(partition by " + partition + "case when " + ranked + " then 1 else 0 end order by " + by;
    const auto place = [&](Ties ties, const std::string& window) {
      const std::string peers = "count(*) over " + window + " range between unbounded preceding and current row)";
      switch (ties) {
        case Ties::competition: return "rank() over " + window + ")";
        case Ties::dense: return "dense_rank() over " + window + ")";
        case Ties::ordinal: return "row_number() over " + window + tie_breakers() + ")";
        case Ties::modified: return peers;
        case Ties::fractional: return "(cast(rank() over " + window + ") as decimal(20, 1)) + " + peers + ") / 2";
      }
      return std::string();
    };
    std::string columns =
        "case when " + ranked + " then " + place(level_->ties, over) + " end as " + name_of(rank_name());
    names_[engine::folded(rank_name())] = rank_name();
    // The places that keep.best and keep.worst compare with.
    const bool strict = level_->cut == Cut::strict;
    const auto cut_column = [&](const std::string& window, const char* name) {
      columns += ",\n    case when " + ranked + " then " + place(strict ? Ties::ordinal : Ties::competition, window) +
                 " end as " + name_of(name);
      return name_of(name);
    };
    if (level_->best)
      cut_best_ =
          level_->ties != Ties::competition || strict ? cut_column(over, "place in the cut") : name_of(rank_name());
    if (level_->worst && strict) not_yet("a strict cut from the other end", "keep.cut");
    if (level_->worst)
      cut_worst_ = cut_column(over.substr(0, over.find(" order by ")) + " order by " + sort_list(level_->by, true),
                              "place from the end");
    for (const Also& also : level_->also) {
      columns += ",\n    " + further(also, ranked, over, place) + " as " + name_of(also.name);
      names_[engine::folded(also.name)] = also.name;
    }
    stage("ranked", "their places", "select " + name_of(last_) + ".*,\n    " + columns + from());
  }

  template <class Place>
  std::string further(const Also& also, const std::string& ranked, const std::string& over, const Place& place) {
    const std::string group = over.substr(0, over.find(" order by "));
    const auto when = [&](const std::string& value) { return "case when " + ranked + " then " + value + " end"; };
    switch (also.measure) {
      case Measure::place:
        return when(place(also.ties, also.by.empty() ? over : group + " order by " + sort_list(also.by)));
      case Measure::tiers: return when("ntile(" + std::to_string(also.count) + ") over " + over + tie_breakers() + ")");
      case Measure::share: return when(share(written(name_of(also.of)), also.of, group));
      case Measure::running_share:
        return when(share("sum(" + written(name_of(also.of)) + ") over " + over +
                              " range between unbounded preceding and current row)",
                          also.of, group));
      case Measure::percent_rank: return when("percent_rank() over " + over + ")");
      case Measure::cumulative_distribution: return when("cume_dist() over " + over + ")");
    }
    return {};
  }

  // A part of the column's sum over the group.
  std::string share(const std::string& part, const std::string& of, const std::string& group) {
    return "cast(cast(" + part + " as decimal(38, 8)) / sum(" + written(name_of(of)) + ") over " + group +
           ") as decimal(38, 8))";
  }

  void kept() {
    if (level_ == nullptr) return;
    std::string condition;
    if (level_->best) condition = cut_best_ + " <= " + std::to_string(*level_->best);
    if (level_->worst)
      condition += (condition.empty() ? "" : " or ") + cut_worst_ + " <= " + std::to_string(*level_->worst);
    if (level_->unranked && !condition.empty()) condition += " or " + name_of(rank_name()) + " is null";
    if (!condition.empty() && !level_->where.empty()) condition = "(" + condition + ")";
    if (!level_->where.empty() && has_window(*engine::parse_expression(level_->where))) {
      // SQL allows no window in a condition: it becomes a column first.
      stage("judged", "what decides who is kept",
            "select " + name_of(last_) + ".*, " + written(level_->where) + " as \"keeps\"" + from());
      condition += std::string(condition.empty() ? "" : " and ") + "\"keeps\"";
    } else if (!level_->where.empty())
      condition += (condition.empty() ? "(" : " and (") + written(level_->where) + ")";
    if (!condition.empty()) stage("kept", "those that are kept", "select *" + from() + "\n  where " + condition);
  }

  void listed() {
    std::string columns;
    for (const std::string& column : columns_) columns += (columns.empty() ? "" : ", ") + name_of(shown_name(column));
    std::string order;
    if (level_ != nullptr && !level_->by.empty() && ladder_.list.order.empty()) {
      for (const std::string& group : level_->within) order += name_of(shown_name(group)) + " nulls last, ";
      order += name_of(rank_name()) + " nulls last, " + sort_list(level_->by) + tie_breakers();
    } else if (ladder_.list.order == "input") {
      not_yet("the order of the input", "list.order");
    } else if (!ladder_.list.order.empty()) {
      order = sort_list(ladder_.list.order);
    }
    if (ladder_.list.first || ladder_.list.last || ladder_.list.sample) not_yet("a part of the listing", "list");
    text_ += "\nselect " + columns + "\nfrom " + name_of(last_);
    if (!order.empty()) text_ += "\norder by " + order;
    differs("texts are ordered by the server's collation, and here by the rules of a language");
  }

  std::string rank_name() const { return level_->rank_as.empty() ? "rank" : level_->rank_as; }

  // The name of a column as the stages call it.
  std::string shown_name(const std::string& name) const {
    const auto found = names_.find(engine::folded(name));
    return found == names_.end() ? name : found->second;
  }

  // After the keys of places: tie-breakers, and what makes an entry.
  std::string tie_breakers() {
    std::string out;
    if (!level_->tiebreak.empty()) out += ", " + sort_list(level_->tiebreak);
    for (const std::string& key : level_->each) out += ", " + name_of(shown_name(key)) + " nulls last";
    return out;
  }

  std::string first_key(const std::string& by) const {
    const std::vector<engine::SortItem> items = engine::parse_sort_list(by);
    const Expression& first = *items.front().expression;
    return by.substr(first.begin, first.end - first.begin);
  }

  // `reversed`: from the other end, nulls last all the same.
  std::string sort_list(const std::string& list, bool reversed = false) {
    std::string out;
    for (const engine::SortItem& item : engine::parse_sort_list(list)) {
      const Expression& e = *item.expression;
      out += (out.empty() ? "" : ", ") + written(list.substr(e.begin, e.end - e.begin)) +
             (item.descending != reversed ? " desc" : "") + (item.nulls_first ? " nulls first" : " nulls last");
    }
    return out;
  }

  // Returns a formula in the form that the statement needs. Names are quoted. A figure or total of the same stage is
  // replaced by its formula, a period by its condition, a choice by its value. Integers are cast before a division.
  std::string written(const std::string& formula) {
    if (++depth_ > 100) not_yet("so deep a formula", "figures");
    Edits edits;
    edit(*engine::parse_expression(formula), edits);
    --depth_;
    return edits.apply(formula);
  }

  void edit(const Expression& e, Edits& edits) {
    const auto edit_all = [&](const auto& list) {
      for (const auto& one : list)
        if (one) edit(*one, edits);
    };
    if (e.op == Op::name) return edits.replace(e.begin, e.end, named(e));
    if (e.op == Op::choice) {
      for (const Choice& choice : ladder_.choices)
        if (engine::equal_folded(choice.name, e.text)) edits.replace(e.begin, e.end, literal(choice.value));
      return;
    }
    if (e.op == Op::divide) {
      edits.replace(e.args[0]->begin, e.args[0]->begin, "cast(");
      edit(*e.args[0], edits);
      edits.replace(e.args[0]->end, e.args[0]->end, " as decimal(38, 12))");
      edit(*e.args[1], edits);
      differs("quotients and averages have the digits that the server gives them");
      return;
    }

    // The arguments, the filter and the order.
    if (e.op == Op::call) call(e, edits);
    edit_all(e.args);
    if (e.filter) edit(*e.filter, edits);
    for (const engine::SortItem& item : e.within_group) edit(*item.expression, edits);
    if (!e.over) return;

    // Its window.
    if (e.over->bare)
      return edits.replace(e.over->base_begin, e.over->base_end, "(" + window_named(e.over->base) + ")");
    if (!e.over->base.empty()) edits.replace(e.over->base_begin, e.over->base_end, window_named(e.over->base));
    edit_all(e.over->partition);
    for (const engine::SortItem& item : e.over->order) edit(*item.expression, edits);
    if (!e.over->frame) return;
    for (const auto* const end : {&e.over->frame->from, &e.over->frame->to})
      if (end->distance) edit(*end->distance, edits);
  }

  void call(const Expression& e, Edits& edits) {
    static const std::string standard =
        " sum count min max avg coalesce nullif abs round floor ceiling upper lower trim substring char_length "
        "position "
        "mod power sqrt exp ln rank dense_rank row_number percent_rank cume_dist ntile lag lead first_value last_value "
        "nth_value stddev_samp stddev_pop var_samp var_pop percentile_cont percentile_disc listagg ";
    if (e.text == "median" && e.args.size() == 1 && !e.over) {
      edits.replace(e.begin, e.args[0]->begin, "percentile_cont(0.5) within group (order by ");
      return;
    }
    if (e.text == "overall_max" || e.text == "overall_min") {
      edits.replace(e.begin, e.args[0]->begin, "(select " + e.text.substr(8) + "(");
      edits.replace(e.end, e.end, from() + ")");
      return;
    }
    if (standard.find(" " + e.text + " ") == std::string::npos)
      differs("`" + e.text + "` is no function of the standard");
  }

  // A named window, whole.
  std::string window_named(const std::string& name) {
    for (const NamedFormula& window : ladder_.named_windows) {
      if (!engine::equal_folded(window.name, name)) continue;
      const engine::WindowClause clause = engine::parse_window(window.formula);
      Edits edits;
      for (const auto& key : clause.partition) edit(*key, edits);
      for (const engine::SortItem& item : clause.order) edit(*item.expression, edits);
      return edits.apply(window.formula);
    }
    return name_of(name);
  }

  std::string named(const Expression& e) {
    const std::string folded = engine::folded(e.qualifier.empty() ? e.text : e.qualifier + "." + e.text);
    if (const auto found = inline_.find(folded); found != inline_.end())
      return "(" + written(found->second->formula) + ")";
    for (const Period& period : ladder_.periods)
      if (e.qualifier.empty() && engine::equal_folded(period.name, e.text)) return within(period);
    if (const auto found = names_.find(folded); found != names_.end()) return name_of(found->second);
    return name_of(e.text);
  }

  // A period as a condition.
  std::string within(const Period& period) {
    const std::string on = written(name_of(period.on));
    const auto day = [&](const std::string& text) {
      if (!text.starts_with(":")) return "date '" + text + "'";
      return written(text);
    };
    std::string condition;
    if (period.last.empty()) {
      if (!period.from.empty()) condition = on + " >= " + day(period.from);
      if (!period.through.empty())
        condition += (condition.empty() ? "" : " and ") + on + " < " + day(period.through) + " + interval '1' day";
      return "(" + condition + ")";
    }
    if (period.unit.value_or(CalendarUnit::day) != CalendarUnit::day || period.whole || !period.back.empty())
      not_yet("the period `" + period.name + "`", "periods." + period.name);
    const std::string last = period.ends.empty() || period.ends == "data" ? "(select max(" + on + ")" + from() + ")"
                             : period.ends == "today"                     ? "current_date"
                                                                          : "date '" + period.ends + "'";
    const std::string days = period.last.starts_with(":") ? written(period.last) : period.last;
    if (period.ends.empty() || period.ends == "data")
      differs("the last day of `" + period.name + "` is that of all rows, and here of the rows that count without it");
    return "(" + on + " > " + last + " - interval '" + days + "' day and " + on + " < " + last + " + interval '1' day)";
  }

  const Ladder& ladder_;
  const Level* level_ = nullptr;
  std::vector<Source> sources_;
  std::vector<std::string> columns_;                   // that are listed
  std::map<std::string, std::string> names_;           // folded, to what the stages so far call it
  std::map<std::string, const NamedFormula*> inline_;  // figures or totals of the same stage
  std::vector<const NamedFormula*> late_figures_;
  std::string text_, last_, cut_best_, cut_worst_;
  std::vector<std::string> differs_;
  int depth_ = 0;
};

}  // namespace

Translation translate(const Ladder& ladder, const Catalog& catalog) { return Translating(ladder, catalog).translate(); }

}  // namespace lofty
