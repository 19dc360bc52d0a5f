#include "commands.hpp"

#include <algorithm>
#include <charconv>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <memory>

#include "calls.hpp"
#include "lofty/lofty.hpp"
#include "option_keys.hpp"
#include "pages.hpp"
#include "progress.hpp"
#include "terminal.hpp"

namespace tool {

namespace fs = std::filesystem;
using lofty::Code;
using lofty::Error;
using lofty::Problem;

namespace {

// Replaces the formula of that name, or adds it.
void put(std::vector<lofty::NamedFormula>& list, const std::pair<std::string, std::string>& formula) {
  for (lofty::NamedFormula& one : list)
    if (one.name == formula.first) {
      one.formula = formula.second;
      return;
    }
  list.push_back({formula.first, formula.second});
}

lofty::CalendarUnit calendar_unit_of(const std::string& option, const std::string& name) {
  if (const auto unit = lofty::from_string<lofty::CalendarUnit>(name)) return *unit;
  Problem p{Code::unknown_word, option + " takes day, week, month, quarter or year, not `" + name + "`", {}, {}, {}};
  p.nearest = lofty::nearest_word(name, {"day", "week", "month", "quarter", "year"});
  p.location.key = option;
  p.location.text = name;
  p.location.length = name.size();
  throw Error(std::move(p));
}

lofty::Ties ties_of(const std::string& option, const std::string& name) {
  if (const auto ties = lofty::from_string<lofty::Ties>(name)) return *ties;
  // The reader of ladder files knows how to say this.
  try {
    static_cast<void>(lofty::read_ladder("[rank]\nties = " + ("\"" + name + "\""), option));
  } catch (const Error& error) {
    Problem p = error.problems().front();
    if (p.code == Code::unknown_word) {
      p.sentence = option + " takes competition, modified, dense, ordinal or fractional, not `" + name + "`";
      p.location = {};
      p.location.key = option;
      p.location.text = name;
      p.location.length = name.size();
      throw Error(std::move(p));
    }
  }
  bad_option(option, name, option + " takes competition, modified, dense, ordinal or fractional", "competition",
             Code::unknown_word);
}

// "dense", "by spend asc", "tiers 4", "share of spend", "running share of spend", "percent rank"
lofty::Also also_of(const std::string& name, const std::string& what) {
  const auto rest = [&](const char* words) -> std::optional<std::string> {
    const std::string_view start(words);
    return what.starts_with(start) ? std::optional(trimmed(what.substr(start.size()))) : std::nullopt;
  };
  if (what == "percent rank") return {.name = name, .measure = lofty::Measure::percent_rank};
  if (what == "cumulative distribution") return {.name = name, .measure = lofty::Measure::cumulative_distribution};
  if (const auto by = rest("by ")) return {.name = name, .by = *by};
  if (const auto of = rest("share of ")) return {.name = name, .measure = lofty::Measure::share, .of = *of};
  if (const auto of = rest("running share of "))
    return {.name = name, .measure = lofty::Measure::running_share, .of = *of};
  if (const auto count = rest("tiers ")) {
    std::size_t tiers = 0;
    const auto [end, error] = std::from_chars(count->data(), count->data() + count->size(), tiers);
    if (error != std::errc() || end != count->data() + count->size() || tiers == 0)
      bad_option("--also", what, "tiers are counted from 1 on", "--also 'fourth=tiers 4'");
    return {.name = name, .measure = lofty::Measure::tiers, .count = tiers};
  }
  if (!lofty::from_string<lofty::Ties>(what) && what.find(' ') != std::string::npos)
    bad_option("--also", what,
               "--also takes a tie rule, by SORT LIST, tiers N, share of COLUMN, running share of COLUMN, percent rank "
               "or cumulative distribution",
               "--also 'part=share of spend'", Code::unknown_word);
  return {.name = name, .ties = ties_of("--also", what)};
}

lofty::Ordering& ordering_of(lofty::Ladder& ladder, const std::string& column) {
  for (lofty::Ordering& one : ladder.orderings)
    if (one.column == column) return one;
  return ladder.orderings.emplace_back(lofty::Ordering{.column = column});
}

// --put-first, --put-last, --sequence, --text-order
void apply_orderings(const RankOptions& o, lofty::Ladder& ladder) {
  const auto listed = [&](const char* option, const std::vector<std::string>& texts,
                          std::vector<lofty::Value> lofty::Ordering::*values) {
    for (const std::string& text : texts) {
      const auto [column, list] = named(option, text, "--put-first 'valley=High Moor'");
      for (const std::string& value : names({list})) (ordering_of(ladder, column).*values).push_back(value_of(value));
    }
  };
  listed("--put-first", o.put_first, &lofty::Ordering::first);
  listed("--put-last", o.put_last, &lofty::Ordering::last);
  listed("--sequence", o.sequences, &lofty::Ordering::sequence);
  for (const std::string& text : o.text_orders) {
    const auto [column, order] = named("--text-order", text, "--text-order product=natural");
    if (order != "language" && order != "natural" && order != "code point")
      bad_option("--text-order", order, "a text order is language, natural or code point",
                 "--text-order product=natural", Code::unknown_word);
    ordering_of(ladder, column).text = order == "natural"      ? lofty::TextOrder::natural
                                       : order == "code point" ? lofty::TextOrder::code_point
                                                               : lofty::TextOrder::language;
  }
}

// Where values that are not in the data would be placed, a line a group.
std::string would_stand(const lofty::Standings& answer, const std::vector<std::string>& asked) {
  std::string out;
  for (const std::string& text : asked) {
    const auto [name, value] = named("--place-for", text, "--place-for spend=4200");
    std::vector<lofty::WouldStand> groups;
    try {
      groups = answer.place_for(name, value_of(value));
    } catch (const Error& error) {
      Problem p = error.problems().front();
      p.location.key = "--place-for";
      p.location.text = text;
      p.location.length = text.size();
      throw Error(std::move(p));
    }
    if (groups.empty()) out += "`" + name + "` " + value + " would take no place: no group has an entry\n";
    const auto shown = [](const lofty::Value& v) {
      const auto* const number = std::get_if<lofty::Decimal>(&v);
      return number != nullptr ? number->grouped_text() : lofty::to_text(v);
    };
    for (const lofty::WouldStand& one : groups) {
      std::string group;
      for (const lofty::Value& v : one.group)
        group += (group.empty() ? " in " : ", ") + (lofty::is_null(v) ? std::string("(none)") : lofty::to_text(v));
      std::string place = lofty::to_text(one.standing.place(answer.ties()));
      out += "`" + name + "` " + shown(value_of(value)) + " would take place " + place + group + ", among " +
             std::to_string(one.standing.ranked) + " ranked";
      if (one.standing.equal > 0) out += ", sharing it with " + std::to_string(one.standing.equal);
      if (one.ahead) out += "; next before " + shown(*one.ahead);
      if (one.behind) out += std::string(one.ahead ? "," : ";") + " next after " + shown(*one.behind);
      out += "\n";
    }
  }
  return out;
}

// Which of the listed rows to show.
template <class Options>
void take_some(const Options& o, lofty::Listing& list) {
  if (o.first) list.first = o.first;
  if (o.last) list.last = o.last;
  if (o.sample) list.sample = o.sample;
  if (o.seed && !list.sample)
    bad_option("--seed", std::to_string(*o.seed), "--seed chooses the sample, and there is no --sample", "--sample 10");
  if (o.seed) list.seed = *o.seed;
}

// "10", or "10 %".
void so_many(const std::string& option, const std::string& text, std::optional<std::size_t>& number,
             std::optional<lofty::Decimal>& percent) {
  number.reset();
  percent = lofty::percent_of(text);
  if (percent) return;
  const auto whole = lofty::Decimal::parse(text);
  if (!whole || whole->scale() > 0 || *whole < lofty::Decimal(1, 0) || *whole > lofty::Decimal(0xffffffff, 0))
    bad_option(option, text, "`" + text + "` is neither a whole number from 1 on nor a part of the entries",
               option + " 10, or " + option + " '10 %'");
  number = static_cast<std::size_t>(whole->coefficient());
}

// The options laid over the ladder.
void apply(const RankOptions& o, lofty::Ladder& ladder) {
  if (o.title) ladder.title = *o.title;
  for (const std::string& join : o.joins) {
    const std::size_t on = join.find(" on ");
    if (on == std::string::npos)
      bad_option("--join", join, "--join says what to join, and on which columns", "--join 'shops.csv on shop_no'");
    lofty::Join one{.with = trimmed(join.substr(0, on)), .on = names({join.substr(on + 4)})};
    // The words in front: which rows it keeps, and whether a row may have several partners.
    for (bool any = true; any;) {
      any = false;
      const std::string word = one.with.substr(0, one.with.find(' '));
      if (word.size() == one.with.size()) break;
      for (const lofty::JoinType type :
           {lofty::JoinType::left, lofty::JoinType::inner, lofty::JoinType::right, lofty::JoinType::full})
        if (word == lofty::to_string(type)) {
          one.type = type;
          any = true;
        }
      if (word == "many") one.many = any = true;
      if (any) one.with = trimmed(one.with.substr(word.size()));
    }
    ladder.data.joins.push_back(std::move(one));
  }
  apply(static_cast<const TableOptions&>(o), ladder.data.read, o.locale.value_or(ladder.data.locale));
  for (const std::string& text : o.periods) {
    lofty::Period period = period_of(text);
    std::erase_if(ladder.periods, [&](const lofty::Period& other) { return other.name == period.name; });
    ladder.periods.push_back(std::move(period));
  }
  for (const std::string& figure : o.figures)
    put(ladder.figures, named("--figure", figure, "--figure 'amount=quantity * unit_price'"));
  for (const std::string& total : o.totals)
    put(ladder.totals, named("--total", total, "--total 'spend=sum(quantity * unit_price)'"));
  for (const std::string& window : o.named_windows)
    put(ladder.named_windows,
        named("--named-window", window, "--named-window 'by_day=partition by shop_no order by ordered_on'"));
  if (o.where) ladder.where = *o.where;
  const bool level = !o.each.empty() || !o.within.empty() || o.by || o.tiebreak || o.ties || o.rank_as ||
                     !o.also.empty() || o.best || o.worst || o.cut || o.having || o.eligible || o.keep_where ||
                     o.include || o.fill || o.unranked || o.others || !o.windows.empty();
  if (level && ladder.levels.size() > 1)
    throw Error(Problem{Code::bad_value,
                        "this ladder has " + std::to_string(ladder.levels.size()) +
                            " levels, and an option does not say which of them it is for",
                        {},
                        {},
                        "change its [[level]]s in the file"});
  if (level && ladder.levels.empty()) ladder.levels.emplace_back();
  if (level) {
    lofty::Level& l = ladder.levels.front();
    if (!o.each.empty()) l.each = names(o.each);
    if (!o.within.empty()) l.within = names(o.within);
    if (o.by) l.by = *o.by;
    if (o.tiebreak) l.tiebreak = *o.tiebreak;
    if (o.ties) l.ties = ties_of("--ties", *o.ties);
    if (o.rank_as) l.rank_as = *o.rank_as;
    for (const std::string& also : o.also) {
      const auto [name, what] = named("--also", also, "--also dense_place=dense");
      l.also.push_back(also_of(name, what));
    }
    for (const std::string& window : o.windows)
      put(l.windows, named("--window", window, "--window 'share=spend / sum(spend) over ()'"));
    if (o.having) l.having = *o.having;
    if (o.eligible) l.eligible = *o.eligible;
    if (o.keep_where) l.where = *o.keep_where;
    if (o.unranked) l.unranked = true;
    if (o.others) l.others = true;
    if (o.include) l.include = *o.include;
    if (o.fill) l.fill = calendar_unit_of("--fill", *o.fill);
    if (o.best) so_many("--best", *o.best, l.best, l.best_percent);
    if (o.worst) so_many("--worst", *o.worst, l.worst, l.worst_percent);
    if (o.cut) {
      if (*o.cut != "with ties" && *o.cut != "strict")
        bad_option("--cut", *o.cut, "--cut is `with ties` or `strict`", "--cut strict", Code::unknown_word);
      l.cut = *o.cut == "strict" ? lofty::Cut::strict : lofty::Cut::with_ties;
    }
  }
  if (o.compare) ladder.compare = {.period = *o.compare};
  if (o.locale) ladder.data.locale = *o.locale;
  if (o.zone) ladder.data.zone = *o.zone;
  if (o.first_month) ladder.first_month = *o.first_month;
  apply_orderings(o, ladder);
  if (o.order) ladder.list.order = *o.order;
  take_some(o, ladder.list);
  if (o.alternative) ladder.list.alternative = *o.alternative;
  if (!o.columns.empty()) ladder.list.columns = names(o.columns);
  for (const std::string& heading : o.headings)
    ladder.list.headings.push_back(named("--heading", heading, "--heading 'spend=Spend so far'"));
  for (const std::string& format : o.formats) {
    const auto one = named("--format", format, "--format 'share=12.5 % = 0.125'");
    std::erase_if(ladder.list.formats, [&](const auto& other) { return other.first == one.first; });
    ladder.list.formats.push_back(one);
  }
  if (!o.bars.empty()) ladder.list.bars = names(o.bars);
  choose_all(ladder, o.choices);
}

// A table of what an answer should be.
lofty::Table expected_of(const std::string& name, const lofty::TableFiles& files) {
  const auto source = files.open(name, {});
  std::vector<std::size_t> all(source->headings().size());
  for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
  return source->read(all, {});
}

// --to sales.sqlite#best: a SQLite file and the table to be made in it, which is called standings if it has no name.
std::optional<std::pair<fs::path, std::string>> database_of(const std::string& to) {
  const std::size_t mark = to.rfind('#');
  const fs::path file = to.substr(0, mark);
  const std::string ending = file.extension().string();
  if (ending != ".sqlite" && ending != ".sqlite3" && ending != ".db") return std::nullopt;
  return std::pair{file,
                   mark == std::string::npos || mark + 1 == to.size() ? std::string("standings") : to.substr(mark + 1)};
}

lofty::Stage stage_of(const std::string& name) {
  if (const auto stage = lofty::from_string<lofty::Stage>(name)) return *stage;
  std::string all;
  for (const lofty::Stage stage : lofty::stages()) all += (all.empty() ? "" : ", ") + std::string(to_string(stage));
  bad_option("--stage", name, "--stage takes one of " + all, "--stage counted", Code::unknown_word);
}

std::string relative_to(const fs::path& table, const fs::path& folder) {
  std::error_code error;
  const fs::path relative = fs::relative(table, folder.empty() ? fs::path(".") : folder, error);
  return (error || relative.empty() ? table : relative).generic_string();
}

void save(const Asked& asked, const std::string& file) {
  lofty::Ladder ladder = asked.text.ladder;
  const fs::path folder = fs::path(file).parent_path();
  ladder.data.from = relative_to(asked.folder / ladder.data.from, folder);
  for (lofty::Join& join : ladder.data.joins) join.with = relative_to(asked.folder / join.with, folder);
  if (!ladder.compare.with.empty()) ladder.compare.with = relative_to(asked.folder / ladder.compare.with, folder);
  lofty::write_file(file, lofty::ladder_text(ladder));
}

// What this run writes into files.
std::vector<lofty::Output> outputs_of(const RankOptions& o, const std::optional<lofty::Format>& format,
                                      const std::optional<std::pair<fs::path, std::string>>& database) {
  using Kind = lofty::Output::Kind;
  std::vector<lofty::Output> outputs;
  if (database) {
    outputs.push_back({"--to", database->first, Kind::table, database->second});
  } else if (format && !fs::path(o.to).extension().empty()) {
    const Kind kind = *format == lofty::Format::csv        ? Kind::csv
                      : *format == lofty::Format::json     ? Kind::json
                      : *format == lofty::Format::markdown ? Kind::markdown
                      : *format == lofty::Format::page     ? Kind::page
                                                           : Kind::workbook;
    outputs.push_back({"--to", o.to, kind});
  }
  if (o.save_standings) outputs.push_back({"--save-standings", *o.save_standings, Kind::standings});
  if (!o.save_ladder.empty() && o.save_ladder != "-") outputs.push_back({"--save-ladder", o.save_ladder, Kind::ladder});
  return outputs;
}

// Into a database, but never over a table that the answer is from.
void write_to_server(const lofty::Standings& answer, const RankOptions& options, const lofty::Ladder& ladder) {
  std::vector<std::string> inputs{ladder.data.from};
  for (const lofty::Join& join : ladder.data.joins) inputs.push_back(join.with);
  for (const std::string& input : inputs)
    if (lofty::without_password(input) == lofty::without_password(options.to))
      bad_option("--to", lofty::without_password(options.to), "it is an input of this run, and would be replaced",
                 "write to another table", Code::replaces_input);
  lofty::write_server_table(answer, options.to, options.replace, options.resources.source.server_timeout,
                            watched(options.resources));
}

// Whole rows of a table: those that meet a condition, or some of them.
void inspect_rows(const InspectOptions& options, const lofty::ReadOptions& read) {
  for (const std::string& name : options.tables) {
    lofty::Ladder ladder{.title = lofty::without_password(name), .data = {.from = name, .read = read}};
    if (options.where) ladder.where = *options.where;
    ladder.list.order = "input";
    take_some(options, ladder.list);
    const lofty::Standings answer =
        lofty::standings(ladder, tables_in({}, options.resources.source), watched(options.resources));
    if (&name != &options.tables.front()) print("\n");
    print(lofty::listing(answer, looks_of_output()));
    remark(lofty::remarks_text(answer.remarks(), looks_of_errors()));
  }
}

// What each column of the tables holds.
void inspect_columns(const InspectOptions& options, const lofty::ReadOptions& read) {
  const lofty::TableFiles files = tables_in({}, options.resources.source);
  bool first = true;
  for (const std::string& name : options.tables) {
    const auto source = files.open(name, read);
    std::vector<std::size_t> all(source->headings().size());
    for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
    const lofty::Run run = watched(options.resources);
    begin_step("reading " + source->name());
    const lofty::Table table = source->read(all, run);
    begin_step("looking at " + source->name());
    const lofty::TableProfile profile = lofty::profile(table, run);
    print((first ? "" : "\n") + lofty::profile_text(profile, looks_of_output(), source->form()));
    remark(lofty::remarks_text(profile.remarks, looks_of_errors()));
    first = false;
  }
}

}  // namespace

int inspect(const InspectOptions& options) {
  lofty::ReadOptions read;
  apply(options, read);
  try {
    if (options.where || options.first || options.last || options.sample || options.seed)
      inspect_rows(options, read);
    else
      inspect_columns(options, read);
  } catch (const Error& error) {
    std::vector<Problem> problems = error.problems();
    name_options(problems, {}, false);  // without a file, every key is an option's
    throw Error(std::move(problems));
  }
  return 0;
}

namespace {

lofty::Looks listing_looks(const RankOptions& options) {
  lofty::Looks looks = looks_of_output();
  if (options.whole_ties) looks.fold_ties = false;
  return looks;
}

PageChoices page_choices(const RankOptions& options) {
  PageChoices out;
  for (const std::string& name : options.pictures) {
    const auto kind = lofty::from_string<lofty::PictureKind>(name);
    if (!kind)
      bad_option("--picture", name, "--picture takes bars, lines, movement or shares", "--picture bars",
                 Code::unknown_word);
    out.pictures.push_back(*kind);
  }
  out.no_pictures = options.no_pictures;
  out.workings = options.workings;
  out.most_rows = options.page_rows.value_or(out.most_rows);
  out.resources = options.resources;
  return out;
}

// Several ladders into one page or one workbook.
int rank_several(const RankOptions& options) {
  const std::string ending = fs::path(options.to).extension().string();
  if (ending != ".html" && ending != ".xlsx")
    bad_option("--to", options.to, "several ladders go into one page or one workbook",
               "--to month.html, or --to month.xlsx");
  const bool is_page = ending == ".html";
  std::vector<Asked> asked;
  for (const std::string& source : options.sources) {
    asked.push_back(ask(source, options.resources.source));
    if (!asked.back().from_file)
      bad_option("rank", source, "several sources are ladders, or tables that are one, and not both",
                 "NAME.ladder.toml");
  }
  // A choice is for the ladders that have it.
  for (const std::string& choice : options.choices) {
    const auto [name, value] = named("--choose", choice, "--choose days=90");
    bool any = false;
    for (Asked& one : asked) {
      lofty::Ladder& ladder = one.text.ladder;
      const auto is_it = [&, wanted = name](const lofty::Choice& known) { return known.name == wanted; };
      if (std::none_of(ladder.choices.begin(), ladder.choices.end(), is_it)) continue;
      lofty::choose(ladder, name, value);
      any = true;
    }
    if (!any) lofty::choose(asked.front().text.ladder, name, value);  // says what is wrong
  }
  const std::vector<lofty::Output> outputs = {
      {"--to", options.to, is_page ? lofty::Output::Kind::page : lofty::Output::Kind::workbook}};
  const lofty::Detail detail = detail_of(options.remarks);
  std::vector<lofty::Standings> answers;
  std::vector<lofty::PageAnswer> on_page;
  lofty::FileSet inputs;
  std::vector<std::unique_ptr<lofty::TableFiles>> tables;
  for (std::size_t i = 0; i < asked.size(); ++i) {
    tables.push_back(std::make_unique<lofty::TableFiles>(asked[i].tables()));
    inputs.add(inputs_of(asked[i], options.sources[i], *tables.back()));
  }
  checked(outputs, inputs, nullptr, options.replace);
  for (std::size_t i = 0; i < asked.size(); ++i) {
    try {
      const lofty::Ladder& ladder = asked[i].text.ladder;
      answers.push_back(lofty::standings(ladder, *tables[i], watched(options.resources)));
      inputs.add(tables[i]->opened());
      if (is_page) on_page.push_back(page_answer(ladder, *tables[i], answers.back(), page_choices(options)));
    } catch (const Error& error) {
      std::vector<Problem> problems = error.problems();
      asked[i].text.locate(problems);
      throw Error(std::move(problems));
    }
  }
  const std::vector<lofty::Replaces> replaced = checked(outputs, inputs, &answers.front(), options.replace);
  lofty::write_file(options.to, [&](const lofty::TextSink& sink) {
    is_page ? put_page(on_page, page_choices(options), options.title.value_or(""), sink)
            : sink(lofty::workbook(answers));
  });
  for (std::size_t i = 0; i < answers.size() && detail != lofty::Detail::none; ++i) {
    const std::string remarks = lofty::remarks_text(answers[i].remarks(), looks_of_errors(), detail);
    if (!remarks.empty()) remark(options.sources[i] + ":\n" + remarks + "\n");
    if (is_page)
      remark(lofty::remarks_text(with_options(lofty::write_remarks(answers[i], lofty::Format::page,
                                                                   {.page_rows = page_choices(options).most_rows})),
                                 looks_of_errors(), detail));
  }
  remark("wrote " + options.to + ": " + std::to_string(answers.size()) + " ladders" +
         replaced_text(outputs.front(), replaced.front()) + "\n");
  return 0;
}

}  // namespace

int rank(const RankOptions& options) {
  const bool several = options.sources.size() > 1;
  if (several && std::any_of(options.sources.begin(), options.sources.end(), is_ladder)) return rank_several(options);
  const lofty::Detail detail = detail_of(options.remarks);
  if (options.save_standings && !options.save_standings->ends_with(".standings.json"))
    bad_option("--save-standings", *options.save_standings, "saved standings end in .standings.json",
               *options.save_standings + ".standings.json");
  if (!options.save_ladder.empty() && options.save_ladder != "-" && !is_ladder(options.save_ladder))
    bad_option("--save-ladder", options.save_ladder, "a ladder's file ends in .ladder.toml",
               options.save_ladder + ".ladder.toml");
  Asked asked = ask(options.source(), options.resources.source);
  lofty::Ladder& ladder = asked.text.ladder;
  if (several) ladder.data.read.more.assign(options.sources.begin() + 1, options.sources.end());
  apply(options, ladder);
  std::optional<lofty::Format> format;
  const std::optional<std::pair<fs::path, std::string>> database = database_of(options.to);
  const bool to_server = options.to.find("://") != std::string::npos;
  if (!options.to.empty() && !database && !to_server) {
    const std::string ending = fs::path(options.to).extension().string();
    try {
      format = lofty::format_from(ending.empty() ? options.to : ending.substr(1));
    } catch (const Error& error) {
      std::vector<Problem> problems = error.problems();
      problems.front().location.key = "--to";
      throw Error(std::move(problems));
    }
  }
  const bool to_file = database || to_server || (format && !fs::path(options.to).extension().empty());
  if (format == lofty::Format::workbook && !to_file && output_is_terminal())
    bad_option("--to", options.to, "a workbook is not for a terminal", "--to FILE.xlsx");
  const std::vector<lofty::Output> outputs = outputs_of(options, format, database);
  if (options.guard_cells && format != lofty::Format::csv)
    bad_option("--guard-cells", "", "--guard-cells is for csv; other forms need no guard", "--to FILE.csv");
  if (options.replace && outputs.empty() && !to_server)
    bad_option("--replace", "", "--replace is for outputs, and this run has none", "--to FILE.csv --replace");
  if (format != lofty::Format::page)
    for (const auto& [given, option] :
         {std::pair{!options.pictures.empty(), "--picture"}, std::pair{options.no_pictures, "--no-pictures"},
          std::pair{options.workings.has_value(), "--workings"},
          std::pair{options.page_rows.has_value(), "--page-rows"}})
      if (given) bad_option(option, "", std::string(option) + " is for a page", "--to FILE.html");
  if (options.whole_ties && format && format != lofty::Format::markdown)
    bad_option("--all", "", "--all is for listings and Markdown; other files hold all rows always", "leave it out");
  const lofty::WriteOptions how{.guard_cells = options.guard_cells,
                                .whole_ties = options.whole_ties,
                                .page_rows = page_choices(options).most_rows};
  try {
    const lofty::TableFiles tables = asked.tables(), expecting;
    lofty::FileSet inputs = inputs_of(asked, options.source(), tables);
    if (options.expect) inputs.add(expecting.file_of(*options.expect));
    checked(outputs, inputs, nullptr, options.replace);
    if (options.stage) {
      if (!options.save_ladder.empty())
        bad_option("--save-ladder", options.save_ladder,
                   "a stage is a part of the question, and --save-ladder keeps it whole",
                   "--save-ladder without --stage");
      ladder = lofty::up_to(ladder, stage_of(*options.stage), tables);
      // A terminal does not hold them all; a file does.
      if (!format && !to_file && !options.first && !options.last && !options.sample && ladder.levels.size() <= 1)
        ladder.list.first = 20;
    }
    std::optional<lofty::Table> expected;
    if (options.expect) expected = expected_of(*options.expect, expecting);
    const lofty::Standings answer = lofty::standings(ladder, tables, watched(options.resources));
    std::optional<lofty::Comparison> found;
    if (expected)
      found = lofty::compare_with(
          answer, *expected,
          {.nulls_are_empty_texts = options.expect->substr(0, options.expect->find('#')).ends_with(".xlsx")});
    const std::string would = would_stand(answer, options.place_for);  // before anything is printed
    // Before anything is written, also before the first line is printed.
    inputs.add(tables.opened());
    inputs.add(expecting.opened());
    const std::vector<lofty::Replaces> replaced = checked(outputs, inputs, &answer, options.replace);
    const auto write_to = [&](const lofty::TextSink& sink) {
      try {
        if (*format != lofty::Format::page) return lofty::write(answer, *format, sink, how, watched(options.resources));
        put_page({page_answer(ladder, tables, answer, page_choices(options))}, page_choices(options), ladder.title,
                 sink);
      } catch (const Error& error) {
        std::vector<Problem> problems = error.problems();
        if (to_file) problems.front().location.file = options.to;
        throw Error(std::move(problems));
      }
    };
    const std::string to = lofty::without_password(options.to);
    if (to_file) begin_step("writing " + to);
    if (to_server)
      write_to_server(answer, options, ladder);
    else if (database)
      lofty::write_sqlite(answer, database->first, database->second, options.replace);
    else if (!format)
      print_long(lofty::listing(answer, listing_looks(options)));
    else if (!to_file)
      write_to(print);
    else
      lofty::write_file(options.to, write_to);
    if (!would.empty()) format || to_file ? remark("\n" + would) : print("\n" + would);
    const lofty::Looks looks = looks_of_errors();
    if (detail != lofty::Detail::none) remark("\n" + lofty::accounting_text(answer, looks));
    remark(lofty::remarks_text(answer.remarks(), looks, detail));
    if (format) remark(lofty::remarks_text(with_options(lofty::write_remarks(answer, *format, how)), looks, detail));
    // What is written is said at once: the next output may fail.
    std::size_t done = 0;
    const auto say = [&](const std::string& what) {
      remark(what + replaced_text(outputs[done], replaced[done]) + "\n");
      ++done;
    };
    if (to_server)
      remark("wrote " + to + ": " + answer.shown_of_total() + "\n");
    else if (to_file)
      say("wrote " + to + ": " + answer.shown_of_total());
    if (options.save_standings) {
      lofty::write_file(*options.save_standings,
                        [&](const lofty::TextSink& sink) { lofty::save(answer, sink, watched(options.resources)); });
      say("saved " + *options.save_standings);
    }
    if (options.save_ladder == "-") {
      print(lofty::ladder_text(asked.text.ladder));
    } else if (!options.save_ladder.empty()) {
      save(asked, options.save_ladder);
      say("saved " + options.save_ladder);
    }
    if (found) {
      const std::string text =
          "\n" + lofty::comparison_text(*found, *options.expect, format || to_file ? looks : looks_of_output());
      format || to_file ? remark(text) : print(text);
      if (!found->equal()) return 1;
    }
  } catch (const Error& error) {
    std::vector<Problem> problems = error.problems();
    // What an option said is not to be found in the file.
    name_options(problems, options, asked.from_file);
    if (asked.from_file) asked.text.locate(problems);
    throw Error(std::move(problems));
  }
  return 0;
}

int why(const WhyOptions& options) {
  Asked asked = ask(options.ladder, options.resources.source, true);
  if (!asked.from_file) bad_option("why", options.ladder, "why takes a ladder file", "NAME.ladder.toml");
  choose_all(asked.text.ladder, options.choices);
  try {
    const lofty::TableFiles tables = asked.tables();
    print(lofty::workings_text(lofty::why(asked.text.ladder, tables, options.condition, watched(options.resources)),
                               options.lines, looks_of_output()));
  } catch (const Error& error) {
    std::vector<Problem> problems = error.problems();
    asked.text.locate(problems);
    throw Error(std::move(problems));
  }
  return 0;
}

namespace {

// Where this machine's speeds are kept: the user's cache folder, or nowhere.
fs::path speeds_file() {
  const char* const cache = std::getenv("XDG_CACHE_HOME");
  if (cache != nullptr && *cache == '/') return fs::path(cache) / "lofty-ladder" / "speeds.txt";
  const char* const home = std::getenv("HOME");
  return home != nullptr && *home == '/' ? fs::path(home) / ".cache" / "lofty-ladder" / "speeds.txt" : fs::path();
}

lofty::Speeds speeds_of_machine(bool again) {
  const fs::path file = speeds_file();
  std::error_code error;
  if (!file.empty() && fs::exists(file, error) && !fs::is_regular_file(file, error))
    throw Error(Problem{Code::cannot_open,
                        "this machine's speeds are not in a regular file",
                        {file.string(), 0, 0, {}, {}, 0, 0},
                        {},
                        "remove it; `lofty cost` writes it anew"});
  if (!again && !file.empty()) {
    std::ifstream in(file);
    const std::string text((std::istreambuf_iterator<char>(in)), std::istreambuf_iterator<char>());
    if (const auto speeds = lofty::speeds_from(text)) return *speeds;
  }
  remark("measuring this machine once; about three seconds\n");
  const lofty::Speeds speeds = lofty::measure_speeds();
  if (!file.empty()) fs::create_directories(file.parent_path(), error);
  if (!file.empty() && !error) {
    try {
      lofty::write_file(file.string(), lofty::speeds_text(speeds));
    } catch (const Error&) {
      // It will be measured again next time.
    }
  }
  return speeds;
}

}  // namespace

int cost(const CostOptions& options) {
  Asked asked = ask(options.ladder, options.resources.source, true);
  if (!asked.from_file) bad_option("cost", options.ladder, "cost takes a ladder file", "NAME.ladder.toml");
  choose_all(asked.text.ladder, options.choices);
  try {
    const lofty::TableFiles tables = asked.tables();
    lofty::Cost planned =
        lofty::plan(asked.text.ladder, tables, speeds_of_machine(options.measure_again), watched(options.resources));
    if (options.run)
      planned = lofty::with_measured(std::move(planned),
                                     lofty::standings(asked.text.ladder, tables, watched(options.resources)).cost());
    const lofty::MemoryForecast memory = lofty::memory_forecast(planned.bytes(), watched(options.resources));
    print(lofty::cost_text(planned, looks_of_output()) +
          with_options(lofty::memory_text(planned, memory, looks_of_output())));
  } catch (const Error& error) {
    std::vector<Problem> problems = error.problems();
    asked.text.locate(problems);
    throw Error(std::move(problems));
  }
  return 0;
}

int functions(const std::string& word) {
  const std::string text = lofty::functions_text(word, looks_of_output());
  if (text.empty())
    throw Error(
        Problem{Code::unknown_function, "no function has to do with `" + word + "`", {}, {}, "lofty functions"});
  print(text);
  return 0;
}

int translate(const TranslateOptions& options) {
  Asked asked = ask(options.ladder, options.source, true);
  if (!asked.from_file) bad_option("translate", options.ladder, "translate takes a ladder's file", "NAME.ladder.toml");
  choose_all(asked.text.ladder, options.choices);
  try {
    const lofty::Translation translation = lofty::translate(asked.text.ladder, asked.tables());
    print(translation.statement + ";\n");
    std::string differs;
    for (const std::string& one : translation.differs) differs += "  " + one + "\n";
    if (!differs.empty()) remark("may differ from the ladder's answer:\n" + differs);
  } catch (const Error& error) {
    std::vector<Problem> problems = error.problems();
    asked.text.locate(problems);
    throw Error(std::move(problems));
  }
  return 0;
}

int check(const CheckOptions& options) {
  int status = 0;
  for (const std::string& name : options.ladders) {
    std::vector<Problem> problems;
    try {
      Asked asked = ask(name, options.source, true);
      if (!asked.from_file) bad_option("check", name, "check takes ladder files", "NAME.ladder.toml");
      const lofty::TableFiles tables = asked.tables();
      problems = lofty::check(asked.text.ladder, tables);
      asked.text.locate(problems);
      // In the order of the file, as it will be mended.
      std::stable_sort(problems.begin(), problems.end(),
                       [](const Problem& a, const Problem& b) { return a.location.line < b.location.line; });
    } catch (const Error& error) {
      problems = error.problems();
    }
    if (problems.empty()) {
      print(name + ": nothing is wrong\n");
      continue;
    }
    print(lofty::problems_text(problems, looks_of_output()) + "\n");
    print(name + ": " + std::to_string(problems.size()) + (problems.size() == 1 ? " problem\n" : " problems\n"));
    const bool data =
        std::all_of(problems.begin(), problems.end(), [](const Problem& p) { return lofty::is_data_fault(p.code); });
    status = std::max(status, data ? 1 : 2);
  }
  return status;
}

}  // namespace tool
