// TOML -> Ladder. Every key is known, or known to be of a later version, or an error with the nearest key.
// Covered by tests/io/ladder_file_test.cpp.
#include "lofty/ladder_file.hpp"

#define TOML_EXCEPTIONS 0
#define TOML_HEADER_ONLY 1
#define TOML_ENABLE_FORMATTERS 0
// toml++ asserts, or in builds without assertions assumes, what bad input can break; the code behind its assertions
// reports the same input as an error, which is what we want.
#define TOML_ASSERT(expr) static_cast<void>(0)
#pragma push_macro("NDEBUG")
#undef NDEBUG
#include <toml++/toml.h>
#pragma pop_macro("NDEBUG")

#include <algorithm>
#include <cstring>
#include <fstream>
#include <functional>
#include <sstream>

#include "table/infer.hpp"
#include "table/nearest.hpp"

namespace lofty {

using engine::nearest_word;

namespace {

class Reader {
 public:
  Reader(std::string_view source, LadderText& out, std::vector<Problem>& problems)
      : source_(source), out_(out), problems_(problems) {
    line_starts_.push_back(0);
    for (std::size_t i = 0; i < source.size(); ++i)
      if (source[i] == '\n') line_starts_.push_back(i + 1);
  }

  void read(const toml::table& root) {
    Ladder& ladder = out_.ladder;
    section(root, "",
            {"title", "data", "choices", "figures", "rows", "totals", "rank", "keep", "list", "orderings", "periods",
             "level", "alternatives", "compare", "across", "windows", "window_defs"},
            {});
    text(root, "title", "title", ladder.title);
    if (const auto* data = sub_table(root, "data", "data")) read_data(*data, ladder.data);
    if (const auto* choices = sub_table(root, "choices", "choices")) read_choices(*choices);
    if (const auto* periods = sub_table(root, "periods", "periods")) read_periods(*periods);
    if (const auto* figures = sub_table(root, "figures", "figures")) formulas(*figures, "figures", ladder.figures);
    if (const auto* defs = sub_table(root, "window_defs", "window_defs"))
      formulas(*defs, "window_defs", ladder.window_defs);
    if (const auto* rows = sub_table(root, "rows", "rows")) {
      section(*rows, "rows", {"where"}, {});
      text(*rows, "where", "rows.where", ladder.where);
    }
    if (const auto* totals = sub_table(root, "totals", "totals")) formulas(*totals, "totals", ladder.totals);
    const auto* rank = sub_table(root, "rank", "rank");
    const auto* keep = sub_table(root, "keep", "keep");
    const auto* windows = sub_table(root, "windows", "windows");
    if (rank != nullptr || keep != nullptr || windows != nullptr) {
      Level level;
      if (rank != nullptr) read_rank(*rank, level);
      if (keep != nullptr) read_keep(*keep, level);
      if (windows != nullptr) formulas(*windows, "windows", level.windows);
      ladder.levels.push_back(std::move(level));
    }
    read_levels(root, rank != nullptr ? rank : keep != nullptr ? keep : windows);
    if (const auto* across = sub_table(root, "across", "across")) {
      section(*across, "across", {"each", "by", "cell", "best"}, {});
      texts(*across, "each", "across.each", ladder.across.each);
      text(*across, "by", "across.by", ladder.across.by);
      text(*across, "cell", "across.cell", ladder.across.cell);
      ladder.across.best = whole_number(*across, "best", "across.best");
    }
    if (const auto* compare = sub_table(root, "compare", "compare")) {
      section(*compare, "compare", {"choose", "with"}, {});
      text(*compare, "with", "compare.with", ladder.compare.with);
      if (const auto* choose = sub_table(*compare, "choose", "compare.choose"))
        for (const auto& [name, node] : in_order(*choose)) {
          remember("compare.choose." + name, *node);
          ladder.compare.choose.emplace_back(name, value_of(*node));
          if (is_null(ladder.compare.choose.back().second))
            wrong_kind("compare.choose." + name, *node, "a value, as choices have them");
        }
    }
    if (const auto* alternatives = sub_table(root, "alternatives", "alternatives"))
      formulas(*alternatives, "alternatives", ladder.alternatives);
    if (const auto* list = sub_table(root, "list", "list")) read_list(*list, ladder.list);
    if (const auto* orderings = sub_table(root, "orderings", "orderings")) read_orderings(*orderings);
  }

 private:
  using Names = std::vector<std::string>;

  std::size_t offset_of(const toml::source_position& at) const {
    if (at.line == 0 || at.line > line_starts_.size()) return 0;
    // toml++ counts columns in code points.
    std::size_t offset = line_starts_[at.line - 1];
    for (toml::source_index column = 1; column < at.column && offset < source_.size(); ++column) {
      ++offset;
      while (offset < source_.size() && (source_[offset] & 0xc0) == 0x80) ++offset;
    }
    return offset;
  }

  LadderText::Spot spot_of(const toml::source_region& region) const {
    const std::size_t offset = offset_of(region.begin);
    const std::size_t line = region.begin.line;
    return {line, line == 0 ? 0 : offset - line_starts_[line - 1] + 1, offset};
  }

  void problem(Code code, std::string sentence, const std::string& key, const toml::source_region& at,
               std::string nearest = {}, std::string advice = {}, std::size_t length = 0) {
    Problem p{code, std::move(sentence), {}, std::move(nearest), std::move(advice)};
    const LadderText::Spot spot = spot_of(at);
    p.place.file = out_.file;
    p.place.key = key;
    p.place.line = spot.line;
    p.place.column = spot.column;
    if (spot.line > 0) {
      const std::size_t begin = line_starts_[spot.line - 1];
      const std::size_t end = std::min(source_.find('\n', begin), source_.size());
      p.place.text = std::string(source_.substr(begin, end - begin));
      p.place.offset = spot.column - 1;
      const std::size_t to = offset_of(at.end);
      p.place.length = length > 0 ? length
                       : at.end.line == at.begin.line && to > spot.offset
                           ? to - spot.offset
                           : p.place.text.size() - std::min(p.place.offset, p.place.text.size());
    }
    problems_.push_back(std::move(p));
  }

  static std::string join(const std::string& prefix, std::string_view key) {
    return prefix.empty() ? std::string(key) : prefix + "." + std::string(key);
  }

  // Reports the keys of a section that it does not have.
  void section(const toml::table& table, const std::string& name, const Names& known, const Names& later) {
    for (const auto& [key, node] : table) {
      const std::string word(key.str());
      if (std::find(known.begin(), known.end(), word) != known.end()) continue;
      const std::string path = join(name, word);
      if (std::find(later.begin(), later.end(), word) != later.end()) {
        problem(Code::not_in_this_version, "`" + path + "` is not in this version", path, key.source(), {}, {},
                word.size());
        continue;
      }
      Names all = known;
      all.insert(all.end(), later.begin(), later.end());
      problem(Code::unknown_key,
              name.empty() ? "a ladder has no section `" + word + "`" : "`" + name + "` has no key `" + word + "`",
              path, key.source(), nearest_word(word, all), {}, word.size());
    }
  }

  void remember(const std::string& path, const toml::node& node) { out_.spots[path] = spot_of(node.source()); }

  void wrong_kind(const std::string& path, const toml::node& node, const char* wanted) {
    problem(Code::bad_value, "`" + path + "` has to be " + wanted, path, node.source());
  }

  const toml::table* sub_table(const toml::table& table, std::string_view key, const std::string& path) {
    const toml::node* const node = table.get(key);
    if (node == nullptr) return nullptr;
    remember(path, *node);
    if (!node->is_table()) wrong_kind(path, *node, ("a section, written [" + path + "]").c_str());
    return node->as_table();
  }

  void text(const toml::table& table, std::string_view key, const std::string& path, std::string& to) {
    const toml::node* const node = table.get(key);
    if (node == nullptr) return;
    remember(path, *node);
    if (const auto* value = node->as_string())
      to = value->get();
    else
      wrong_kind(path, *node, "text in quotes");
  }

  void texts(const toml::table& table, std::string_view key, const std::string& path, Names& to) {
    const toml::node* const node = table.get(key);
    if (node == nullptr) return;
    remember(path, *node);
    const toml::array* const array = node->as_array();
    const bool all = array != nullptr &&
                     std::all_of(array->begin(), array->end(), [](const toml::node& n) { return n.is_string(); });
    if (!all) return wrong_kind(path, *node, "a list of texts, like [\"shop_no\"]");
    for (const toml::node& element : *array) {
      to.push_back(element.as_string()->get());
      out_.spots[path + ":" + to.back()] = spot_of(element.source());
    }
  }

  void flag(const toml::table& table, std::string_view key, const std::string& path, bool& to) {
    const toml::node* const node = table.get(key);
    if (node == nullptr) return;
    if (const auto* value = node->as_boolean())
      to = value->get();
    else
      wrong_kind(path, *node, "true or false");
  }

  // One of a few words.
  bool word(const toml::table& table, std::string_view key, const std::string& path, const Names& words,
            std::string& to) {
    const std::size_t before = problems_.size();
    text(table, key, path, to);
    const toml::node* const node = table.get(key);
    if (node == nullptr || problems_.size() > before) return false;
    if (std::find(words.begin(), words.end(), to) != words.end()) return true;
    std::string all;
    for (std::size_t i = 0; i < words.size(); ++i)
      all += (i == 0 ? "" : i + 1 == words.size() ? " or " : ", ") + words[i];
    problem(Code::unknown_word, "`" + path + "` is " + all + ", not `" + to + "`", path, node->source(),
            nearest_word(to, words));
    return false;
  }

  // The entries of a table in the order of the file.
  static std::vector<std::pair<std::string, const toml::node*>> in_order(const toml::table& table) {
    struct Item {
      toml::source_position at;
      std::string key;
      const toml::node* node;
    };
    std::vector<Item> items;
    for (const auto& [key, node] : table) items.push_back({key.source().begin, std::string(key.str()), &node});
    std::sort(items.begin(), items.end(), [](const Item& a, const Item& b) { return a.at < b.at; });
    std::vector<std::pair<std::string, const toml::node*>> out;
    for (Item& item : items) out.emplace_back(std::move(item.key), item.node);
    return out;
  }

  void formulas(const toml::table& table, const std::string& section_name, std::vector<NamedFormula>& to) {
    for (const auto& [name, node] : in_order(table)) {
      const std::string path = join(section_name, name);
      remember(path, *node);
      if (const auto* value = node->as_string())
        to.push_back({name, value->get()});
      else
        wrong_kind(path, *node, "a formula in quotes");
    }
  }

  void read_options(const toml::table& table, const std::string& path, ReadOptions& to) {
    texts(table, "nulls", path + ".nulls", to.nulls);
    texts(table, "header", path + ".header", to.header);
    std::string delimiter;
    text(table, "delimiter", path + ".delimiter", delimiter);
    if (delimiter.size() > 1)
      problem(Code::bad_value, "`" + path + ".delimiter` is one sign", path + ".delimiter",
              table.get("delimiter")->source(), {}, "\",\", \";\", \"\\t\" or \"|\"");
    else if (!delimiter.empty())
      to.delimiter = delimiter[0];
    std::string ragged;
    if (word(table, "ragged", path + ".ragged", {"null", "error"}, ragged)) to.ragged_as_null = ragged == "null";
    const toml::table* const columns = sub_table(table, "columns", path + ".columns");
    if (columns == nullptr) return;
    for (const auto& [name, node] : in_order(*columns)) {
      const std::string column_path = path + ".columns." + name;
      remember(column_path, *node);
      const toml::table* const column = node->as_table();
      if (column == nullptr) {
        wrong_kind(column_path, *node, "a table, like { type = \"decimal\" }");
        continue;
      }
      section(*column, column_path, {"type", "thousands", "point"}, {"form"});
      std::string type;
      if (word(*column, "type", column_path + ".type",
               {"integer", "decimal", "float", "date", "timestamp", "boolean", "text"}, type))
        to.columns.push_back({name, type});
      else
        continue;
      ReadOptions::ColumnOption& option = to.columns.back();
      const auto sign = [&](const char* key, char& into, const char* example) {
        std::string written;
        text(*column, key, column_path + "." + key, written);
        if (!column->contains(key)) return;
        if (written.size() != 1 || (written[0] >= '0' && written[0] <= '9') || written[0] == '-')
          problem(Code::bad_value, "`" + column_path + "." + key + "` is one sign", column_path + "." + key,
                  column->get(key)->source(), {}, example);
        else
          into = written[0];
      };
      sign("thousands", option.thousands, "thousands = \",\"");
      sign("point", option.point, "point = \".\"");
      const bool form = option.thousands != 0 || option.point != '.';
      if (form && option.type != "integer" && option.type != "decimal" && option.type != "float")
        problem(Code::bad_value,
                "`" + column_path + "` is " + option.type + ", and only numbers have thousands or a point", column_path,
                node->source());
      if (form && option.thousands == option.point)
        problem(Code::bad_value, "`" + column_path + "` has one sign for thousands and for the point", column_path,
                node->source(), {}, "thousands = \".\", point = \",\"");
    }
  }

  void read_data(const toml::table& table, Data& data) {
    section(table, "data",
            {"from", "as", "join", "columns", "nulls", "header", "delimiter", "ragged", "locale", "zone"}, {});
    text(table, "from", "data.from", data.from);
    text(table, "locale", "data.locale", data.locale);
    text(table, "zone", "data.zone", data.zone);
    text(table, "as", "data.as", data.as);
    read_options(table, "data", data.read);
    const toml::node* const joins = table.get("join");
    if (joins == nullptr) return;
    const toml::array* const list = joins->as_array();
    if (list == nullptr || !std::all_of(list->begin(), list->end(), [](const toml::node& n) { return n.is_table(); }))
      return wrong_kind("data.join", *joins, "written [[data.join]]");
    for (const toml::node& node : *list) {
      const std::string path = "data.join[" + std::to_string(data.joins.size()) + "]";
      const toml::table& one = *node.as_table();
      remember(path, node);
      Join join;
      section(one, path, {"with", "on", "as", "kind", "many", "columns", "nulls", "header", "delimiter", "ragged"}, {});
      text(one, "with", path + ".with", join.with);
      text(one, "as", path + ".as", join.as);
      texts(one, "on", path + ".on", join.on);
      if (join.with.empty())
        problem(Code::missing_key, "`" + path + "` names no table", path, node.source(), {}, "with = \"shops.csv\"");
      std::string kind;
      if (word(one, "kind", path + ".kind", {"left", "inner", "right", "full"}, kind))
        for (const JoinKind one_kind : {JoinKind::left, JoinKind::inner, JoinKind::right, JoinKind::full})
          if (kind == join_kind_name(one_kind)) join.kind = one_kind;
      flag(one, "many", path + ".many", join.many);
      read_options(one, path, join.read);
      data.joins.push_back(std::move(join));
    }
  }

  // Numbers are taken from the file's text: toml++ holds doubles.
  Value value_of(const toml::node& node) const {
    if (const auto* t = node.as_string()) return t->get();
    if (const auto* b = node.as_boolean()) return b->get();
    if (const auto* d = node.as_date()) {
      const auto& date = d->get();
      if (const auto day = Date::from_parts(date.year, date.month, date.day)) return *day;
    }
    if (const auto* t = node.as_date_time()) {
      const auto& moment = t->get();
      char buffer[64];
      std::snprintf(buffer, sizeof buffer, "%04d-%02d-%02d %02d:%02d:%02d", moment.date.year, moment.date.month,
                    moment.date.day, moment.time.hour, moment.time.minute, moment.time.second);
      if (const auto parsed = Timestamp::parse(buffer)) return *parsed;
    }
    if (!node.is_number()) return {};
    const std::size_t begin = offset_of(node.source().begin), end = offset_of(node.source().end);
    std::string written(source_.substr(begin, end > begin ? end - begin : 0));
    while (!written.empty() && std::strchr("0123456789", written.back()) == nullptr) written.pop_back();
    written.erase(std::remove(written.begin(), written.end(), '_'), written.end());
    if (const auto exact = Decimal::parse(written)) return *exact;
    if (const auto* integer = node.as_integer()) return Decimal(integer->get(), 0);
    return node.as_floating_point()->get();
  }

  static bool same_kind(const Value& a, const Value& b) { return a.index() == b.index(); }

  void read_choices(const toml::table& table) {
    for (const auto& [name, node] : in_order(table)) {
      const std::string path = "choices." + name;
      remember(path, *node);
      Choice choice;
      choice.name = name;
      if (const toml::table* const full = node->as_table()) {
        section(*full, path, {"value", "label", "unit", "least", "most", "among"}, {});
        const toml::node* const value = full->get("value");
        if (value == nullptr) {
          problem(Code::missing_key, "`" + path + "` has no value", path, node->source(), {}, "value = 30");
          continue;
        }
        choice.value = value_of(*value);
        text(*full, "label", path + ".label", choice.label);
        text(*full, "unit", path + ".unit", choice.unit);
        const auto limit = [&](const char* key, Value& to) {
          const toml::node* const at = full->get(key);
          if (at == nullptr) return;
          to = value_of(*at);
          if (!same_kind(to, choice.value))
            problem(Code::bad_choice, "`" + path + "." + key + "` is of another type than its value", path,
                    at->source());
        };
        limit("least", choice.least);
        limit("most", choice.most);
        if (const toml::node* const among = full->get("among")) {
          if (const toml::array* const list = among->as_array())
            for (const toml::node& element : *list) {
              choice.among.push_back(value_of(element));
              if (!same_kind(choice.among.back(), choice.value))
                problem(Code::bad_choice, "`" + path + ".among` holds another type than its value", path,
                        element.source());
            }
          else
            wrong_kind(path + ".among", *among, "a list");
        }
      } else {
        choice.value = value_of(*node);
      }
      if (is_null(choice.value)) {
        wrong_kind(path, *node, "a number, text, a date, a timestamp, true or false");
        continue;
      }
      out_.ladder.choices.push_back(std::move(choice));
    }
  }

  // A number, a date or a text, as text.
  void words_of(const toml::table& table, std::string_view key, const std::string& path, std::string& to) {
    const toml::node* const node = table.get(key);
    if (node == nullptr) return;
    remember(path, *node);
    const Value value = value_of(*node);
    if (is_null(value))
      wrong_kind(path, *node, "a number, a date, or text in quotes");
    else
      to = to_text(value);
  }

  void read_periods(const toml::table& table) {
    for (const auto& [name, node] : in_order(table)) {
      const std::string path = "periods." + name;
      remember(path, *node);
      const toml::table* const one = node->as_table();
      if (one == nullptr) {
        wrong_kind(path, *node, ("a section, written [" + path + "]").c_str());
        continue;
      }
      section(*one, path, {"on", "last", "unit", "anchor", "from", "through"}, {});
      Period period{.name = name};
      text(*one, "on", path + ".on", period.on);
      words_of(*one, "last", path + ".last", period.last);
      text(*one, "unit", path + ".unit", period.unit);
      words_of(*one, "anchor", path + ".anchor", period.anchor);
      words_of(*one, "from", path + ".from", period.from);
      words_of(*one, "through", path + ".through", period.through);
      out_.ladder.periods.push_back(std::move(period));
    }
  }

  void ties(const toml::table& table, std::string_view key, const std::string& path, Ties& to) {
    std::string name;
    if (word(table, key, path, {"competition", "modified", "dense", "ordinal", "fractional"}, name))
      to = *ties_from(name);
  }

  // [[level]]: what [rank] and [keep] hold, once for each of the levels.
  void read_levels(const toml::table& root, const toml::table* single) {
    const toml::node* const node = root.get("level");
    if (node == nullptr) return;
    remember("level", *node);
    const toml::array* const list = node->as_array();
    if (list == nullptr || !std::all_of(list->begin(), list->end(), [](const toml::node& n) { return n.is_table(); }))
      return wrong_kind("level", *node, "written [[level]]");
    if (single != nullptr)
      problem(Code::bad_value, "[rank] and [keep] are the one level of a ladder that has no [[level]]", "rank",
              single->source(), {}, "[[level]] for each of them, outermost first");
    for (const toml::node& one : *list) {
      const std::string path = "level[" + std::to_string(out_.ladder.levels.size()) + "]";
      remember(path, one);
      const toml::table& table = *one.as_table();
      section(table, path,
              {"each", "within", "by", "tiebreak", "ties", "also", "rank_as", "having", "eligible", "best", "worst",
               "cut", "where", "unranked", "others", "windows"},
              {});
      Level level;
      read_rank_keys(table, path, level);
      read_keep_keys(table, path, level);
      if (const toml::table* const windows = sub_table(table, "windows", path + ".windows"))
        formulas(*windows, path + ".windows", level.windows);
      out_.ladder.levels.push_back(std::move(level));
    }
    if (list->size() != 1) return;
    for (const NamedFormula& window : out_.ladder.levels.front().windows)
      if (const auto spot = out_.spots.find("level[0].windows." + window.name); spot != out_.spots.end())
        out_.spots.emplace("windows." + window.name, spot->second);
    // A single [[level]] is the same ladder as [rank] and [keep], by whose names its problems go.
    const std::map<std::string, LadderText::Spot> spots = out_.spots;
    for (const auto& [key, spot] : spots)
      if (key.starts_with("level[0]."))
        for (const char* section_name : {"rank.", "keep."}) out_.spots.emplace(section_name + key.substr(9), spot);
  }

  void read_rank(const toml::table& table, Level& level) {
    section(table, "rank", {"each", "within", "by", "tiebreak", "ties", "also", "rank_as", "having", "eligible"}, {});
    read_rank_keys(table, "rank", level);
  }

  void read_rank_keys(const toml::table& table, const std::string& path, Level& level) {
    text(table, "having", path + ".having", level.having);
    text(table, "eligible", path + ".eligible", level.eligible);
    texts(table, "each", path + ".each", level.each);
    texts(table, "within", path + ".within", level.within);
    text(table, "by", path + ".by", level.by);
    text(table, "tiebreak", path + ".tiebreak", level.tiebreak);
    text(table, "rank_as", path + ".rank_as", level.rank_as);
    ties(table, "ties", path + ".ties", level.ties);
    if (const toml::table* const also = sub_table(table, "also", path + ".also"))
      for (const auto& [name, node] : in_order(*also)) {
        const std::string also_path = path + ".also." + name;
        Also one{name};
        if (const toml::table* const measure = node->as_table())
          read_measure(*measure, also_path, one);
        else
          ties(*also, name, also_path, one.ties);
        level.also.push_back(std::move(one));
      }
  }

  void read_measure(const toml::table& table, const std::string& path, Also& to) {
    section(table, path, {"by", "ties", "tiers", "share", "running_share", "percent_rank", "cumulative_distribution"},
            {});
    std::size_t said = 0;
    if (table.contains("by") || table.contains("ties")) {
      ++said;
      text(table, "by", path + ".by", to.by);
      ties(table, "ties", path + ".ties", to.ties);
    }
    for (const auto& [key, measure] :
         {std::pair{"share", Measure::share}, std::pair{"running_share", Measure::running_share}})
      if (table.contains(key)) {
        ++said;
        to.measure = measure;
        text(table, key, path + "." + key, to.of);
      }
    for (const auto& [key, measure] : {std::pair{"percent_rank", Measure::percent_rank},
                                       std::pair{"cumulative_distribution", Measure::cumulative_distribution}})
      if (const toml::node* const node = table.get(key)) {
        ++said;
        to.measure = measure;
        if (const auto* yes = node->as_boolean(); yes == nullptr || !yes->get())
          wrong_kind(path + "." + key, *node, "true");
      }
    if (table.contains("tiers")) {
      ++said;
      to.measure = Measure::tiers;
      if (const auto count = whole_number(table, "tiers", path + ".tiers")) to.count = *count;
    }
    if (said != 1)
      problem(
          Code::bad_value, "`" + path + "` says " + (said == 0 ? "nothing" : "more than one thing"), path,
          table.source(), {},
          "one of by = \"spend asc\", tiers = 4, share = \"spend\", running_share = \"spend\", percent_rank = true, "
          "cumulative_distribution = true");
  }

  std::optional<std::size_t> whole_number(const toml::table& table, std::string_view key, const std::string& path) {
    const toml::node* const node = table.get(key);
    if (node == nullptr) return std::nullopt;
    remember(path, *node);
    const auto* const number = node->as_integer();
    if (number != nullptr && number->get() >= 1 && number->get() <= 0xffffffff)
      return static_cast<std::size_t>(number->get());
    wrong_kind(path, *node, "a whole number from 1 on");
    return std::nullopt;
  }

  void values(const toml::table& table, std::string_view key, const std::string& path, std::vector<Value>& to) {
    const toml::node* const node = table.get(key);
    if (node == nullptr) return;
    remember(path, *node);
    const toml::array* const list = node->as_array();
    if (list == nullptr) return wrong_kind(path, *node, "a list of values");
    for (const toml::node& element : *list) to.push_back(value_of(element));
  }

  void read_orderings(const toml::table& table) {
    for (const auto& [column, node] : in_order(table)) {
      const std::string path = "orderings." + column;
      remember(path, *node);
      const toml::table* const one = node->as_table();
      if (one == nullptr) {
        wrong_kind(path, *node, ("a section, written [" + path + "]").c_str());
        continue;
      }
      section(*one, path, {"first", "last", "sequence", "text"}, {});
      Ordering ordering{.column = column};
      values(*one, "first", path + ".first", ordering.first);
      values(*one, "last", path + ".last", ordering.last);
      values(*one, "sequence", path + ".sequence", ordering.sequence);
      std::string order;
      if (word(*one, "text", path + ".text", {"language", "natural", "code point"}, order))
        ordering.text = order == "natural"      ? TextOrder::natural
                        : order == "code point" ? TextOrder::code_point
                                                : TextOrder::language;
      out_.ladder.orderings.push_back(std::move(ordering));
    }
  }

  void read_keep(const toml::table& table, Level& level) {
    section(table, "keep", {"best", "worst", "cut", "where", "unranked", "others"}, {});
    read_keep_keys(table, "keep", level);
  }

  void read_keep_keys(const toml::table& table, const std::string& path, Level& level) {
    text(table, "where", path + ".where", level.where);
    flag(table, "unranked", path + ".unranked", level.unranked);
    flag(table, "others", path + ".others", level.others);
    level.best = whole_number(table, "best", path + ".best");
    level.worst = whole_number(table, "worst", path + ".worst");
    std::string cut;
    if (word(table, "cut", path + ".cut", {"with ties", "strict"}, cut))
      level.cut = cut == "strict" ? Cut::strict : Cut::with_ties;
  }

  void read_list(const toml::table& table, Listing& list) {
    section(table, "list",
            {"order", "order_by", "first", "last", "sample", "seed", "columns", "headings", "blank_group"}, {});
    text(table, "order", "list.order", list.order);
    text(table, "order_by", "list.order_by", list.order_by);
    std::string blank;
    if (word(table, "blank_group", "list.blank_group", {"show", "hide"}, blank))
      list.hide_blank_groups = blank == "hide";
    list.first = whole_number(table, "first", "list.first");
    list.last = whole_number(table, "last", "list.last");
    list.sample = whole_number(table, "sample", "list.sample");
    if (const auto seed = whole_number(table, "seed", "list.seed")) list.seed = *seed;
    texts(table, "columns", "list.columns", list.columns);
    if (const toml::table* const headings = sub_table(table, "headings", "list.headings"))
      for (const auto& [name, node] : in_order(*headings)) {
        remember("list.headings." + name, *node);
        if (const auto* value = node->as_string())
          list.headings.emplace_back(name, value->get());
        else
          wrong_kind("list.headings." + name, *node, "text in quotes");
      }
  }

  std::string_view source_;
  LadderText& out_;
  std::vector<Problem>& problems_;
  std::vector<std::size_t> line_starts_;
};

// How many bytes of a TOML string's inside, as it is written, stand before byte `offset` of its value. Strings over
// several lines are not followed beyond their first.
std::size_t raw_offset(std::string_view raw, bool escapes, std::size_t offset) {
  std::size_t at = 0;
  for (std::size_t made = 0; made < offset && at < raw.size() && raw[at] != '\n';) {
    if (!escapes || raw[at] != '\\') {
      ++at;
      ++made;
      continue;
    }
    const char kind = at + 1 < raw.size() ? raw[at + 1] : '\0';
    const std::size_t digits = kind == 'u' ? 4 : kind == 'U' ? 8 : 0;
    const unsigned long code =
        digits > 0 ? std::strtoul(std::string(raw.substr(at + 2, digits)).c_str(), nullptr, 16) : 0;
    made += code < 0x80 ? 1 : code < 0x800 ? 2 : code < 0x10000 ? 3 : 4;
    at += 2 + digits;
  }
  return at;
}

std::string line_of_text(std::string_view source, std::size_t line) {
  std::size_t begin = 0;
  for (std::size_t l = 1; l < line; ++l) {
    const std::size_t end = source.find('\n', begin);
    if (end == std::string_view::npos) return {};
    begin = end + 1;
  }
  return std::string(source.substr(begin, std::min(source.find('\n', begin), source.size()) - begin));
}

}  // namespace

// Steps over the TOML string or comment that begins at `at`, and returns where it ends; `at` itself when none begins. A
// quote that follows a number or a word begins none.
std::size_t after_string_or_comment(std::string_view source, std::size_t at) {
  const char quote = source[at];
  if (quote == '#') return std::min(source.find('\n', at), source.size());
  if (quote != '"' && quote != '\'') return at;
  if (at > 0 && std::string_view(" \t\r\n=[{,.\xbf").find(source[at - 1]) == std::string_view::npos) return at;
  const bool several_lines = source.substr(at).starts_with(std::string(3, quote));
  const std::string end = std::string(several_lines ? 3 : 1, quote);
  for (at += end.size(); at < source.size(); ++at) {
    if (source[at] == '\\' && quote == '"')
      ++at;
    else if (source[at] == '\n' && !several_lines)
      return at;
    else if (source.substr(at).starts_with(end))
      return at + end.size();
  }
  return source.size();
}

// What TOML does not allow and toml++ takes for granted that somebody has looked for: control characters other than
// tabs and line ends, and characters beyond ASCII outside of strings and comments.
void refuse_foreign_characters(std::string_view source, const std::string& file_name) {
  const auto refuse = [&](std::size_t at, std::size_t length, std::string sentence, std::string advice) {
    const auto before = source.substr(0, at);
    const std::size_t start = before.find_last_of('\n') + 1;  // npos + 1 is 0
    Problem p{Code::syntax, std::move(sentence), {}, {}, std::move(advice)};
    p.place.file = file_name;
    p.place.line = static_cast<std::size_t>(std::count(before.begin(), before.end(), '\n')) + 1;
    p.place.column = at - start + 1;
    p.place.text = std::string(source.substr(start, std::min(source.find('\n', at), source.size()) - start));
    p.place.offset = at - start;
    p.place.length = length;
    throw Error(std::move(p));
  };
  for (std::size_t i = 0; i < source.size(); ++i) {
    const auto c = static_cast<unsigned char>(source[i]);
    if (c < 0x20 && c != '\t' && c != '\n' && c != '\r')
      refuse(i, 1, "this is not TOML: byte " + std::to_string(i) + " is a control character", {});
  }
  constexpr std::string_view mark = "\xef\xbb\xbf";  // of byte order, which TOML allows in front
  for (std::size_t i = source.starts_with(mark) ? mark.size() : 0; i < source.size();) {
    const std::size_t after = after_string_or_comment(source, i);
    if (after == i && (source[i] & 0x80) != 0) {
      std::size_t end = i;
      while (end < source.size() && (source[end] & 0x80) != 0) ++end;
      refuse(i, end - i, "this is not TOML: `" + std::string(source.substr(i, end - i)) + "` stands outside of quotes",
             "names of other letters than a to z go in quotes, as in \"caf\u00e9\" = \"…\"");
    }
    i = std::max(after, i + 1);
  }
}

LadderText read_ladder(std::string_view source, const std::string& file_name) {
  LadderText out;
  out.file = file_name;
  out.source = std::string(source);
  std::vector<Problem> problems;
  refuse_foreign_characters(source, file_name);
  toml::parse_result result = toml::parse(source, std::string_view(file_name));
  if (!result) {
    const toml::parse_error& error = result.error();
    Problem p{Code::syntax, "this is not TOML: " + std::string(error.description()), {}, {}, {}};
    p.place.file = file_name;
    p.place.line = error.source().begin.line;
    p.place.column = error.source().begin.column;
    p.place.text = line_of_text(source, p.place.line);
    p.place.offset = std::min<std::size_t>(p.place.column > 0 ? p.place.column - 1 : 0, p.place.text.size());
    p.place.length = 1;
    throw Error(std::move(p));
  }
  Reader(source, out, problems).read(result.table());
  std::stable_sort(problems.begin(), problems.end(),
                   [](const Problem& a, const Problem& b) { return a.place.line < b.place.line; });
  if (!problems.empty()) throw Error(std::move(problems));
  return out;
}

LadderText read_ladder_file(const std::filesystem::path& file) {
  const auto fail = [&](std::string sentence) {
    Problem p{Code::cannot_open, std::move(sentence), {}, {}, {}};
    p.place.file = file.string();
    return Error(std::move(p));
  };
  std::error_code error;
  if (std::filesystem::is_directory(file, error)) throw fail("this is a folder, not a ladder");
  std::ifstream in(file, std::ios::binary);
  if (!in) throw fail(std::string("cannot be opened: ") + std::strerror(errno));
  std::ostringstream text;
  text << in.rdbuf();
  return read_ladder(std::move(text).str(), file.string());
}

void LadderText::locate(std::vector<Problem>& problems) const {
  for (Problem& p : problems) {
    if (p.place.line > 0 || p.place.key.empty() || !p.place.file.empty() || p.place.key.starts_with("--")) continue;
    // Lists of names have a spot for each of their elements.
    auto spot = spots.find(p.place.key + ":" + p.place.text);
    if (spot == spots.end()) spot = spots.find(p.place.key);
    std::string key = p.place.key;
    while (spot == spots.end() && key.find_last_of(".[") != std::string::npos) {  // a key that is missing: its section
      key.resize(key.find_last_of(".["));
      spot = spots.find(key);
    }
    p.place.file = file;
    if (spot == spots.end()) continue;
    p.place.line = spot->second.line;
    p.place.column = spot->second.column;
    // A text on one line, in plain quotes: the column of the marked part itself.
    const std::string_view raw = std::string_view(source).substr(std::min(spot->second.offset, source.size()));
    if (p.place.text.empty() || raw.empty() || (raw[0] != '"' && raw[0] != '\'')) continue;
    p.place.column += 1 + raw_offset(raw.substr(1), raw[0] == '"', p.place.offset);
  }
}

}  // namespace lofty
