#include "option_keys.hpp"

#include <algorithm>
#include <cctype>
#include <functional>
#include <map>
#include <string_view>
#include <utility>

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
bool nothing(const RankOptions&, const std::string&) { return false; }
bool always(const RankOptions&, const std::string&) { return true; }
bool some_rows(const RankOptions& o, const std::string&) { return o.first || o.last || o.sample; }
bool an_ordering(const RankOptions& o, const std::string& name) {
  return std::ranges::any_of(
      std::vector{&RankOptions::put_first, &RankOptions::put_last, &RankOptions::sequences, &RankOptions::text_orders},
      [&](auto member) { return named_in(member)(o, name.substr(0, name.find('.'))); });
}

const std::vector<OptionKey>& option_keys() {
  using O = RankOptions;
  static const std::vector<OptionKey> keys = {
      {"title", "--title", set(&O::title)},
      {"data.from", "", nothing},
      {"data.join[].with", "--join", nothing},
      {"data.join[].on", "--join", nothing},
      {"data.join[].type", "--join", nothing},
      {"data.join[].many", "--join", nothing},
      {"data.join[].", "", nothing},
      {"data.join[", "--join", any(&O::joins)},
      {"data.join", "--join", any(&O::joins)},
      {"choose", "--choose", always},
      {"choices.*.value", "--choose", nothing},
      {"choices.*.", "", nothing},
      {"choices.*", "--choose", nothing},
      {"data.nulls", "--nulls", [](const O& o, const std::string&) { return !o.nulls.empty(); }},
      {"data.delimiter", "--delimiter", [](const O& o, const std::string&) { return !o.delimiter.empty(); }},
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
      {"data.order", "--row-order", [](const O& o, const std::string&) { return !o.row_order.empty(); }},
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
      {"rank.also", "--also", nothing},
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
      {"list.headings", "--heading", nothing},
      {"list.headings.", "--heading ", named_in(&O::headings)},
      {"list.formats", "--format", nothing},
      {"list.formats.", "--format ", named_in(&O::formats)},
      {"list.bars", "--bars", any(&O::bars)},
      {"list.first", "--first", some_rows},
      {"list.last", "--last", some_rows},
      {"list.sample", "--sample", some_rows},
      {"list.seed", "--seed", some_rows},
      {"list.blank_group", "", nothing},
      {"list", "--first", some_rows},
      {"orderings.*.first", "--put-first", nothing},
      {"orderings.*.last", "--put-last", nothing},
      {"orderings.*.sequence", "--sequence", nothing},
      {"orderings.*.text", "--text-order", nothing},
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

std::string trimmed(std::string text) {
  text.erase(0, text.find_first_not_of(" \t"));
  text.erase(text.find_last_not_of(" \t") + 1);
  return text;
}

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
    if (!from_file) p.advice = with_options(std::move(p.advice), true);
    of_options.push_back(std::move(p));
  }
  problems = std::move(of_options);
  problems.insert(problems.end(), std::make_move_iterator(of_file.begin()), std::make_move_iterator(of_file.end()));
}

std::string option_of(const lofty::LadderKey& key) {
  const Found found = find(std::string(key.section) + (key.section.empty() ? "" : ".") + std::string(key.key));
  return found.row == nullptr ? "" : trimmed(found.row->option);
}

std::optional<std::string> current_option(std::string_view retired) {
  static const std::map<std::string_view, const char*> names = {
      {"--every", "--fill"},       {"--keep-as", "--save-standings"}, {"--order-by", "--alternative"},
      {"--save", "--save-ladder"}, {"--where-would", "--place-for"},  {"--window-def", "--named-window"}};
  const auto found = names.find(retired);
  return found == names.end() ? std::nullopt : std::optional<std::string>(found->second);
}

namespace {

// What the library calls settings that are no keys of a ladder.
constexpr std::pair<const char*, const char*> option_settings[] = {
    {"picture.value", "--value"},       {"picture.along", "--along"},
    {"picture.mark", "--mark"},         {"picture.smooth", "--smooth"},
    {"picture.at_most", "--at-most"},   {"picture.width", "--width"},
    {"run.memory", "--memory"},         {"run.server_timeout", "--server-timeout"},
    {"run.spill_to", "--spill-to"},     {"write.replace", "--replace"},
    {"write.page_rows", "--page-rows"}, {"write.guard_cells", "--guard-cells"}};

// Replaces one setting, and its value if ` = ` and one follow. A setting that ends in a point is the beginning of a
// name: `totals.spend = "sum(x)"` is `--total 'spend=sum(x)'`.
void replace_setting(std::string& text, const std::string& setting, const std::string& option) {
  const auto in_name = [](char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' || c == '.'; };
  const std::size_t at = text.find(setting);
  if (at == std::string::npos || (at > 0 && in_name(text[at - 1]))) return;
  const std::size_t name = at + setting.size();
  std::size_t end = name;
  while (end < text.size() && in_name(text[end])) ++end;
  const bool named = setting.back() == '.';
  if (named != (end > name)) return;

  std::string written = option;
  if (text.compare(end, 3, " = ") == 0) {
    const bool quoted = text.compare(end + 3, 1, "\"") == 0;
    const std::size_t from = end + (quoted ? 4 : 3),
                      to = std::min(text.find_first_of(quoted ? "\"" : " ;,", from), text.size());
    const std::string value = text.substr(from, to - from);
    const std::string argument = named ? text.substr(name, end - name) + "=" + value : value;
    written += quoted || named ? " '" + argument + "'" : " " + argument;
    end = std::min(quoted ? to + 1 : to, text.size());
  } else if (named) {
    return;
  }
  text.replace(at, end - at, written);
}

}  // namespace

std::string with_options(std::string advice, bool keys) {
  for (const auto& [setting, option] : option_settings) replace_setting(advice, setting, option);
  for (const OptionKey& row : option_keys())
    if (keys && row.key.find('.') != std::string::npos && !row.option.empty())
      replace_setting(advice, row.key, trimmed(row.option));
  return advice;
}
std::vector<lofty::Remark> with_options(std::vector<lofty::Remark> remarks) {
  for (lofty::Remark& one : remarks) one.sentence = with_options(std::move(one.sentence));
  return remarks;
}

}  // namespace tool
