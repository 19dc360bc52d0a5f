#include "option_keys.hpp"

#include <algorithm>
#include <functional>
#include <string_view>

#include "calls.hpp"

namespace tool {
namespace {

using lofty::Problem;

// Did an option set this key? For keys that end in a name (`totals.spend`), by that name.
using Given = std::function<bool(const RankOptions&, const std::string& name)>;

struct OptionKey {
  std::string key;     // a ladder's key; with a point or a bracket at its end, the beginning of some
  std::string option;  // what sets it on the command line; empty: nothing but the argument itself
  Given given;
  std::string advice = {};  // how to set it; empty: no advice is about it
};

template <class T>
Given set(std::optional<T> RankOptions::*member) {
  return [member](const RankOptions& o, const std::string&) { return (o.*member).has_value(); };
}
Given set(bool RankOptions::*member) {
  return [member](const RankOptions& o, const std::string&) { return o.*member; };
}
Given any(std::vector<std::string> RankOptions::*member) {
  return [member](const RankOptions& o, const std::string&) { return !(o.*member).empty(); };
}
// One of several NAME=VALUE options.
Given named_in(std::vector<std::string> RankOptions::*member) {
  return [member](const RankOptions& o, const std::string& name) {
    return std::any_of((o.*member).begin(), (o.*member).end(),
                       [&](const std::string& one) { return trimmed(one.substr(0, one.find('='))) == name; });
  };
}
bool some_rows(const RankOptions& o, const std::string&) { return o.first || o.last || o.sample; }
bool an_ordering(const RankOptions& o, const std::string& name) {
  return std::ranges::any_of(
      std::vector{&RankOptions::put_first, &RankOptions::put_last, &RankOptions::sequences, &RankOptions::text_orders},
      [&](auto member) { return named_in(member)(o, name.substr(0, name.find('.'))); });
}

const std::vector<OptionKey>& option_keys() {
  using O = RankOptions;
  static const std::vector<OptionKey> keys = {
      {"data.from", "", [](const O&, const std::string&) { return false; }},
      {"data.join[", "--join", any(&O::joins)},
      {"data.join", "--join", any(&O::joins)},
      {"calendar.first_month", "--first-month", set(&O::first_month),
       "1 to 12: --first-month 4 has years begin in April"},
      {"data.locale", "--locale", set(&O::locale)},
      {"data.columns.", "--column ",
       [](const O& o, const std::string& name) {
         const std::string column = name.substr(0, name.rfind('.'));
         return std::any_of(o.columns_read.begin(), o.columns_read.end(), [&](const std::string& one) {
           return one.starts_with(name + ":") || one.starts_with(column + ":");
         });
       }},
      {"data.skip", "--skip", [](const O& o, const std::string&) { return o.skip.has_value(); }},
      {"data.skip_last", "--skip-last", [](const O& o, const std::string&) { return o.skip_last.has_value(); }},
      {"data.file_column", "--file-column", [](const O& o, const std::string&) { return !o.file_column.empty(); }},
      {"data.encoding", "--encoding", [](const O& o, const std::string&) { return !o.encoding.empty(); }},
      {"periods.", "--period ",
       [](const O& o, const std::string& name) {
         const std::string period = name.substr(0, name.find('.'));
         return std::any_of(o.periods.begin(), o.periods.end(),
                            [&](const std::string& one) { return trimmed(one.substr(0, one.find(':'))) == period; });
       }},
      {"data.zone", "--zone", set(&O::zone)},
      {"figures.", "--figure ", named_in(&O::figures), "--figure NAME=... gives it a name"},
      {"rows.where", "--where", set(&O::where)},
      {"totals.", "--total ", named_in(&O::totals), "--total NAME=... gives it a name"},
      {"windows.", "--window ", named_in(&O::windows), "--window NAME=... gives it a name"},
      {"named_windows.", "--named-window ", named_in(&O::named_windows)},
      {"rank.each", "--each", any(&O::each), "--each shop_no"},
      {"rank.within", "--within", any(&O::within)},
      {"rank.include", "--include", set(&O::include)},
      {"rank.fill", "--fill", set(&O::fill)},
      {"compare.period", "--compare", set(&O::compare),
       "--period 'recent: last 1 month of ordered_on, whole' makes one"},
      {"rank.by", "--by", set(&O::by), "--by 'spend desc'"},
      {"rank.tiebreak", "--tiebreak", set(&O::tiebreak)},
      {"rank.ties", "--ties", set(&O::ties)},
      {"rank.also.", "--also ", named_in(&O::also)},
      {"rank.having", "--having", set(&O::having)},
      {"rank.eligible", "--eligible", set(&O::eligible)},
      {"rank.rank_as", "--rank-as", set(&O::rank_as), "--rank-as place gives it another"},
      {"keep.where", "--keep-where", set(&O::keep_where)},
      {"keep.best", "--best", set(&O::best)},
      {"keep.worst", "--worst", set(&O::worst)},
      {"keep.cut", "--cut", set(&O::cut)},
      {"keep.unranked", "--unranked", set(&O::unranked)},
      {"keep.others", "--others", set(&O::others)},
      {"list.order", "--order", set(&O::order)},
      {"list.alternative", "--alternative", set(&O::alternative)},
      {"list.columns", "--columns", any(&O::columns)},
      {"list.headings.", "--heading ", named_in(&O::headings)},
      {"list.formats.", "--format ", named_in(&O::formats)},
      {"list.bars", "--bars", any(&O::bars)},
      {"list.sample", "--sample", some_rows},
      {"list", "--first", some_rows},
      {"orderings.", "--put-first, --put-last, --sequence or --text-order of ", an_ordering},
  };
  return keys;
}

// The row of a key, and the name at its end.
struct Found {
  const OptionKey* row = nullptr;
  std::string name;
};
Found find(const std::string& key) {
  for (const OptionKey& row : option_keys()) {
    const bool beginning = row.key.back() == '.' || row.key.back() == '[';
    if (beginning ? key.starts_with(row.key) : key == row.key)
      return {&row, beginning ? key.substr(row.key.size()) : ""};
  }
  return {};
}

}  // namespace

void name_options(std::vector<Problem>& problems, const RankOptions& options, bool from_file) {
  std::vector<Problem> of_options, of_file;
  for (Problem& p : problems) {
    const Found found = find(p.location.key);
    const bool of_option = found.row != nullptr && found.row->given(options, found.name);
    if (from_file && !of_option) {
      of_file.push_back(std::move(p));
      continue;
    }
    if (found.row != nullptr)
      p.location.key = found.row->option.ends_with(' ') ? found.row->option + found.name : found.row->option;
    if (const Found about = find(p.advice_key); about.row != nullptr && !from_file && !about.row->advice.empty())
      p.advice = about.row->advice;
    of_options.push_back(std::move(p));
  }
  problems = std::move(of_options);
  problems.insert(problems.end(), std::make_move_iterator(of_file.begin()), std::make_move_iterator(of_file.end()));
}

}  // namespace tool
