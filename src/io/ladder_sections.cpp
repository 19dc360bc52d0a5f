// The sections of a ladder file, one function each.
// Covered by tests/io/ladder_file_test.cpp.

#include <algorithm>
#include <map>

#include "io/toml_reader.hpp"
#include "lofty/ladder_file.hpp"
#include "lofty/specimen.hpp"
#include "value/calendar.hpp"

namespace lofty::engine {
namespace {

using Names = TomlReader::Names;

// A specimen, or several of one form.
void read_written(TomlReader& in, const toml::table& column, const toml::node& node, const std::string& path,
                  ReadOptions::ColumnOption& option) {
  if (node.is_string()) {
    std::string one;
    in.text(column, "written", path, one);
    option.written = {one};
  } else {
    in.texts(column, "written", path, option.written);
  }
  if (option.written.empty()) return;
  try {
    const Specimen specimen = Specimen::parse(option.written, in.locale());
    if (option.type && !specimen.fits(Type{.kind = *option.type}))
      in.problem(Code::bad_value,
                 "`" + path + "` shows " + (specimen.is_number() ? "a number" : "a date") + ", and the column is " +
                     to_string(*option.type),
                 path, node.source(), {}, "leave out `type`: the example says it");
  } catch (const Error& error) {
    for (const Problem& p : error.problems()) in.problem(p.code, p.sentence, path, node.source(), {}, p.advice);
    option.written.clear();
  }
}

void read_options(TomlReader& in, const toml::table& table, const std::string& path, ReadOptions& to) {
  in.texts(table, "nulls", path + ".nulls", to.nulls);
  in.texts(table, "header", path + ".header", to.header);
  std::string delimiter;
  in.text(table, "delimiter", path + ".delimiter", delimiter);
  if (delimiter.size() > 1)
    in.problem(Code::bad_value, "`" + path + ".delimiter` is one character", path + ".delimiter",
               table.get("delimiter")->source(), {}, "\",\", \";\", \"\\t\" or \"|\"");
  else if (!delimiter.empty())
    to.delimiter = delimiter[0];
  to.skip = in.whole_number(table, "skip", path + ".skip").value_or(0);
  to.skip_last = in.whole_number(table, "skip_last", path + ".skip_last").value_or(0);
  in.text(table, "encoding", path + ".encoding", to.encoding);
  std::string ragged;
  if (in.word(table, "ragged", path + ".ragged", {"null", "error"}, ragged)) to.ragged_as_null = ragged == "null";

  // Column by column.
  const toml::table* const columns = in.sub_table(table, "columns", path + ".columns");
  if (columns == nullptr) return;
  for (const auto& [name, node] : TomlReader::in_order(*columns)) {
    const std::string column_path = path + ".columns." + name;
    in.remember(column_path, *node);
    const toml::table* const column = node->as_table();
    if (column == nullptr) {
      in.wrong_kind(column_path, *node, "a table, like { type = \"decimal\" }");
      continue;
    }
    in.section(*column, column_path, "data.columns.*");
    ReadOptions::ColumnOption option{name, {}, {}};
    std::string type;
    if (in.word(*column, "type", column_path + ".type",
                {"integer", "decimal", "float", "date", "timestamp", "boolean", "text"}, type))
      option.type = from_string<Kind>(type);
    if (const toml::node* const written = column->get("written"))
      read_written(in, *column, *written, column_path + ".written", option);
    if (option.type || !option.written.empty()) to.columns.push_back(std::move(option));
  }
}

// One table, or several files that are one.
void read_tables(TomlReader& in, const toml::table& table, std::string_view key, const std::string& path,
                 std::string& first, ReadOptions& read) {
  const toml::node* const node = table.get(key);
  if (node == nullptr || !node->is_array()) return in.text(table, key, path, first);
  Names names;
  in.texts(table, key, path, names);
  if (names.empty()) return;
  first = names.front();
  read.more.assign(names.begin() + 1, names.end());
}

void read_data(TomlReader& in, const toml::table& table, Data& data) {
  if (const toml::node* const node = table.get("order"); node != nullptr && node->is_string())
    data.read.order = {node->as_string()->get()};
  else
    in.texts(table, "order", "data.order", data.read.order);
  in.section(table, "data", "data");
  read_tables(in, table, "from", "data.from", data.from, data.read);
  in.text(table, "file_column", "data.file_column", data.read.file_column);
  in.text(table, "locale", "data.locale", data.locale);
  in.set_locale(data.locale);
  in.text(table, "zone", "data.zone", data.zone);
  in.text(table, "as", "data.as", data.as);
  read_options(in, table, "data", data.read);

  // Joins.
  const toml::node* const joins = table.get("join");
  if (joins == nullptr) return;
  const toml::array* const list = joins->as_array();
  if (list == nullptr || !std::all_of(list->begin(), list->end(), [](const toml::node& n) { return n.is_table(); }))
    return in.wrong_kind("data.join", *joins, "written [[data.join]]");
  for (const toml::node& node : *list) {
    const std::string path = "data.join[" + std::to_string(data.joins.size()) + "]";
    const toml::table& one = *node.as_table();
    in.remember(path, node);
    Join join;
    in.section(one, path, "data.join[]");
    read_tables(in, one, "with", path + ".with", join.with, join.read);
    in.text(one, "as", path + ".as", join.as);
    in.texts(one, "on", path + ".on", join.on);
    if (join.with.empty())
      in.problem(Code::missing_key, "`" + path + "` names no table", path, node.source(), {}, "with = \"shops.csv\"");
    std::string type;
    if (in.word(one, "type", path + ".type", {"left", "inner", "right", "full"}, type))
      for (const JoinType one_type : {JoinType::left, JoinType::inner, JoinType::right, JoinType::full})
        if (type == to_string(one_type)) join.type = one_type;
    in.flag(one, "many", path + ".many", join.many);
    read_options(in, one, path, join.read);
    data.joins.push_back(std::move(join));
  }
}

bool same_kind(const Value& a, const Value& b) { return a.index() == b.index(); }

void read_choices(TomlReader& in, const toml::table& table) {
  for (const auto& [name, node] : TomlReader::in_order(table)) {
    const std::string path = "choices." + name;
    in.remember(path, *node);
    Choice choice;
    choice.name = name;
    if (const toml::table* const full = node->as_table()) {
      in.section(*full, path, "choices.*");
      const toml::node* const value = full->get("value");
      if (value == nullptr) {
        in.problem(Code::missing_key, "`" + path + "` has no value", path, node->source(), {}, "value = 30");
        continue;
      }
      choice.value = in.value_of(*value);
      in.text(*full, "label", path + ".label", choice.label);
      in.text(*full, "unit", path + ".unit", choice.unit);
      const auto limit = [&](const char* key, Value& to) {
        const toml::node* const at = full->get(key);
        if (at == nullptr) return;
        to = in.value_of(*at);
        if (!same_kind(to, choice.value))
          in.problem(Code::bad_choice, "`" + path + "." + key + "` is of another type than its value", path,
                     at->source());
      };
      limit("least", choice.least);
      limit("most", choice.most);
      if (const toml::node* const among = full->get("among")) {
        if (const toml::array* const list = among->as_array())
          for (const toml::node& element : *list) {
            choice.among.push_back(in.value_of(element));
            if (!same_kind(choice.among.back(), choice.value))
              in.problem(Code::bad_choice, "`" + path + ".among` holds another type than its value", path,
                         element.source());
          }
        else
          in.wrong_kind(path + ".among", *among, "a list");
      }
    } else {
      choice.value = in.value_of(*node);
    }

    // What has no value is no choice.
    if (is_null(choice.value)) {
      in.wrong_kind(path, *node, "a number, text, a date, a timestamp, true or false");
      continue;
    }
    in.out().ladder.choices.push_back(std::move(choice));
  }
}

void read_periods(TomlReader& in, const toml::table& table) {
  for (const auto& [name, node] : TomlReader::in_order(table)) {
    const std::string path = "periods." + name;
    in.remember(path, *node);
    const toml::table* const one = node->as_table();
    if (one == nullptr) {
      in.wrong_kind(path, *node, ("a section, written [" + path + "]").c_str());
      continue;
    }
    in.section(*one, path, "periods.*");
    Period period{.name = name};
    in.text(*one, "on", path + ".on", period.on);
    in.words_of(*one, "last", path + ".last", period.last);
    std::string unit;
    if (in.word(*one, "unit", path + ".unit", calendar_unit_names(), unit))
      period.unit = from_string<CalendarUnit>(unit);
    in.words_of(*one, "ends", path + ".ends", period.ends);
    in.flag(*one, "whole", path + ".whole", period.whole);
    in.words_of(*one, "back", path + ".back", period.back);
    in.words_of(*one, "from", path + ".from", period.from);
    in.words_of(*one, "through", path + ".through", period.through);
    in.out().ladder.periods.push_back(std::move(period));
  }
}

void ties(TomlReader& in, const toml::table& table, std::string_view key, const std::string& path, Ties& to) {
  std::string name;
  if (in.word(table, key, path, {"competition", "modified", "dense", "ordinal", "fractional"}, name))
    to = *from_string<Ties>(name);
}

void read_measure(TomlReader& in, const toml::table& table, const std::string& path, Also& to) {
  in.section(table, path, "rank.also.*");
  std::size_t said = 0;
  if (table.contains("by") || table.contains("ties")) {
    ++said;
    in.text(table, "by", path + ".by", to.by);
    ties(in, table, "ties", path + ".ties", to.ties);
  }
  for (const auto& [key, measure] :
       {std::pair{"share", Measure::share}, std::pair{"running_share", Measure::running_share}})
    if (table.contains(key)) {
      ++said;
      to.measure = measure;
      in.text(table, key, path + "." + key, to.of);
    }
  for (const auto& [key, measure] : {std::pair{"percent_rank", Measure::percent_rank},
                                     std::pair{"cumulative_distribution", Measure::cumulative_distribution}})
    if (const toml::node* const node = table.get(key)) {
      ++said;
      to.measure = measure;
      if (const auto* yes = node->as_boolean(); yes == nullptr || !yes->get())
        in.wrong_kind(path + "." + key, *node, "true");
    }

  // Tiers; and one of all these, not more.
  if (table.contains("tiers")) {
    ++said;
    to.measure = Measure::tiers;
    if (const auto count = in.whole_number(table, "tiers", path + ".tiers")) to.count = *count;
  }
  if (said != 1)
    in.problem(
        Code::bad_value, "`" + path + "` says " + (said == 0 ? "nothing" : "more than one thing"), path, table.source(),
        {},
        "one of by = \"spend asc\", tiers = 4, share = \"spend\", running_share = \"spend\", percent_rank = true, "
        "cumulative_distribution = true");
}

void read_rank_keys(TomlReader& in, const toml::table& table, const std::string& path, Level& level) {
  in.text(table, "having", path + ".having", level.having);
  in.text(table, "eligible", path + ".eligible", level.eligible);
  in.texts(table, "each", path + ".each", level.each);
  in.texts(table, "within", path + ".within", level.within);
  in.text(table, "include", path + ".include", level.include);
  std::string fill;
  if (in.word(table, "fill", path + ".fill", calendar_unit_names(), fill)) level.fill = from_string<CalendarUnit>(fill);
  in.text(table, "by", path + ".by", level.by);
  in.text(table, "tiebreak", path + ".tiebreak", level.tiebreak);
  in.text(table, "rank_as", path + ".rank_as", level.rank_as);
  ties(in, table, "ties", path + ".ties", level.ties);
  if (const toml::table* const also = in.sub_table(table, "also", path + ".also"))
    for (const auto& [name, node] : TomlReader::in_order(*also)) {
      const std::string also_path = path + ".also." + name;
      Also one{name};
      if (const toml::table* const measure = node->as_table())
        read_measure(in, *measure, also_path, one);
      else
        ties(in, *also, name, also_path, one.ties);
      level.also.push_back(std::move(one));
    }
}

void read_rank(TomlReader& in, const toml::table& table, Level& level) {
  in.section(table, "rank", "rank");
  read_rank_keys(in, table, "rank", level);
}

// 10, or "10 %".
void so_many(TomlReader& in, const toml::table& table, std::string_view key, const std::string& path,
             std::optional<std::size_t>& number, std::optional<Decimal>& percent) {
  const toml::node* const node = table.get(key);
  if (node == nullptr || !node->is_string()) {
    number = in.whole_number(table, key, path);
    return;
  }
  std::string text;
  in.text(table, key, path, text);
  percent = percent_of(text);
  if (!percent)
    in.problem(Code::bad_value, "`" + path + "` is a whole number, or a part of the entries", path, node->source(), {},
               std::string(key) + " = 10, or " + std::string(key) + " = \"10 %\"");
}

void read_keep_keys(TomlReader& in, const toml::table& table, const std::string& path, Level& level) {
  in.text(table, "where", path + ".where", level.where);
  in.flag(table, "unranked", path + ".unranked", level.unranked);
  in.flag(table, "others", path + ".others", level.others);
  so_many(in, table, "best", path + ".best", level.best, level.best_percent);
  so_many(in, table, "worst", path + ".worst", level.worst, level.worst_percent);
  std::string cut;
  if (in.word(table, "cut", path + ".cut", {"with ties", "strict"}, cut))
    level.cut = cut == "strict" ? Cut::strict : Cut::with_ties;
}

void read_keep(TomlReader& in, const toml::table& table, Level& level) {
  in.section(table, "keep", "keep");
  read_keep_keys(in, table, "keep", level);
}

// [[level]]: what [rank] and [keep] hold, once for each of the levels.
void read_levels(TomlReader& in, const toml::table& root, const toml::table* single) {
  const toml::node* const node = root.get("level");
  if (node == nullptr) return;
  in.remember("level", *node);
  const toml::array* const list = node->as_array();
  if (list == nullptr || !std::all_of(list->begin(), list->end(), [](const toml::node& n) { return n.is_table(); }))
    return in.wrong_kind("level", *node, "written [[level]]");
  if (single != nullptr)
    in.problem(Code::bad_value, "[rank] and [keep] are the one level of a ladder that has no [[level]]", "rank",
               single->source(), {}, "[[level]] for each of them, outermost first");

  // Level by level.
  for (const toml::node& one : *list) {
    const std::string path = "level[" + std::to_string(in.out().ladder.levels.size()) + "]";
    in.remember(path, one);
    const toml::table& table = *one.as_table();
    in.section(table, path, "level[]");
    Level level;
    read_rank_keys(in, table, path, level);
    read_keep_keys(in, table, path, level);
    if (const toml::table* const windows = in.sub_table(table, "windows", path + ".windows"))
      in.formulas(*windows, path + ".windows", level.windows);
    in.out().ladder.levels.push_back(std::move(level));
  }
  if (list->size() != 1) return;
  for (const NamedFormula& window : in.out().ladder.levels.front().windows)
    if (const auto spot = in.out().spots.find("level[0].windows." + window.name); spot != in.out().spots.end())
      in.out().spots.emplace("windows." + window.name, spot->second);

  // A single [[level]] is the same ladder as [rank] and [keep], by whose names its problems go.
  const std::map<std::string, LadderText::Spot> spots = in.out().spots;
  for (const auto& [key, spot] : spots)
    if (key.starts_with("level[0]."))
      for (const char* section_name : {"rank.", "keep."}) in.out().spots.emplace(section_name + key.substr(9), spot);
}

void read_orderings(TomlReader& in, const toml::table& table) {
  for (const auto& [column, node] : TomlReader::in_order(table)) {
    const std::string path = "orderings." + column;
    in.remember(path, *node);
    const toml::table* const one = node->as_table();
    if (one == nullptr) {
      in.wrong_kind(path, *node, ("a section, written [" + path + "]").c_str());
      continue;
    }
    in.section(*one, path, "orderings.*");
    Ordering ordering{.column = column};
    in.values(*one, "first", path + ".first", ordering.first);
    in.values(*one, "last", path + ".last", ordering.last);
    in.values(*one, "sequence", path + ".sequence", ordering.sequence);
    std::string order;
    if (in.word(*one, "text", path + ".text", {"language", "natural", "code point"}, order))
      ordering.text = order == "natural"      ? TextOrder::natural
                      : order == "code point" ? TextOrder::code_point
                                              : TextOrder::language;
    in.out().ladder.orderings.push_back(std::move(ordering));
  }
}

void read_texts_by_column(TomlReader& in, const toml::table& table, const std::string& key,
                          std::vector<std::pair<std::string, std::string>>& to) {
  const toml::table* const texts = in.sub_table(table, key, "list." + key);
  if (texts == nullptr) return;
  for (const auto& [name, node] : TomlReader::in_order(*texts)) {
    in.remember("list." + key + "." + name, *node);
    if (const auto* value = node->as_string())
      to.emplace_back(name, value->get());
    else
      in.wrong_kind("list." + key + "." + name, *node, "text in quotes");
  }
}

void read_list(TomlReader& in, const toml::table& table, Listing& list) {
  in.section(table, "list", "list");
  in.text(table, "order", "list.order", list.order);
  in.text(table, "alternative", "list.alternative", list.alternative);
  std::string blank;
  if (in.word(table, "blank_group", "list.blank_group", {"show", "hide"}, blank))
    list.hide_blank_groups = blank == "hide";
  list.first = in.whole_number(table, "first", "list.first");
  list.last = in.whole_number(table, "last", "list.last");
  list.sample = in.whole_number(table, "sample", "list.sample");
  if (const auto seed = in.whole_number(table, "seed", "list.seed")) list.seed = *seed;
  in.texts(table, "columns", "list.columns", list.columns);
  in.texts(table, "bars", "list.bars", list.bars);
  read_texts_by_column(in, table, "headings", list.headings);
  read_texts_by_column(in, table, "formats", list.formats);
}

}  // namespace

void read_sections(TomlReader& in, const toml::table& root) {
  Ladder& ladder = in.out().ladder;
  in.section(root, "", "");
  in.text(root, "title", "title", ladder.title);
  if (const auto* data = in.sub_table(root, "data", "data")) read_data(in, *data, ladder.data);
  if (const auto* choices = in.sub_table(root, "choices", "choices")) read_choices(in, *choices);
  if (const auto* periods = in.sub_table(root, "periods", "periods")) read_periods(in, *periods);
  if (const auto* calendar = in.sub_table(root, "calendar", "calendar")) {
    in.section(*calendar, "calendar", "calendar");
    ladder.first_month = static_cast<int>(
        std::min<std::size_t>(99, in.whole_number(*calendar, "first_month", "calendar.first_month").value_or(1)));
  }
  if (const auto* figures = in.sub_table(root, "figures", "figures")) in.formulas(*figures, "figures", ladder.figures);
  if (const auto* defs = in.sub_table(root, "named_windows", "named_windows"))
    in.formulas(*defs, "named_windows", ladder.named_windows);
  if (const auto* rows = in.sub_table(root, "rows", "rows")) {
    in.section(*rows, "rows", "rows");
    in.text(*rows, "where", "rows.where", ladder.where);
  }
  if (const auto* totals = in.sub_table(root, "totals", "totals")) in.formulas(*totals, "totals", ladder.totals);

  // One level, or several.
  const auto* rank = in.sub_table(root, "rank", "rank");
  const auto* keep = in.sub_table(root, "keep", "keep");
  const auto* windows = in.sub_table(root, "windows", "windows");
  if (rank != nullptr || keep != nullptr || windows != nullptr) {
    Level level;
    if (rank != nullptr) read_rank(in, *rank, level);
    if (keep != nullptr) read_keep(in, *keep, level);
    if (windows != nullptr) in.formulas(*windows, "windows", level.windows);
    ladder.levels.push_back(std::move(level));
  }
  read_levels(in, root, rank != nullptr ? rank : keep != nullptr ? keep : windows);

  // What is done with the answer.
  if (const auto* crossed = in.sub_table(root, "crossed", "crossed")) {
    in.section(*crossed, "crossed", "crossed");
    in.texts(*crossed, "each", "crossed.each", ladder.crossed.each);
    in.text(*crossed, "by", "crossed.by", ladder.crossed.by);
    in.text(*crossed, "cell", "crossed.cell", ladder.crossed.cell);
    ladder.crossed.best = in.whole_number(*crossed, "best", "crossed.best");
  }
  if (const auto* compare = in.sub_table(root, "compare", "compare")) {
    in.section(*compare, "compare", "compare");
    in.text(*compare, "with", "compare.with", ladder.compare.with);
    in.text(*compare, "period", "compare.period", ladder.compare.period);
    if (const auto* choose = in.sub_table(*compare, "choose", "compare.choose"))
      for (const auto& [name, node] : TomlReader::in_order(*choose)) {
        in.remember("compare.choose." + name, *node);
        ladder.compare.choose.emplace_back(name, in.value_of(*node));
        if (is_null(ladder.compare.choose.back().second))
          in.wrong_kind("compare.choose." + name, *node, "a value, as choices have them");
      }
  }
  if (const auto* alternatives = in.sub_table(root, "alternatives", "alternatives"))
    in.formulas(*alternatives, "alternatives", ladder.alternatives);
  if (const auto* list = in.sub_table(root, "list", "list")) read_list(in, *list, ladder.list);
  if (const auto* orderings = in.sub_table(root, "orderings", "orderings")) read_orderings(in, *orderings);
}

}  // namespace lofty::engine
