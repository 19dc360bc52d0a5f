// The command line: options in, exit status out. 0 done; 1 the data would not do; 2 the call or the ladder was wrong.

#include <CLI/CLI.hpp>

#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <cstdio>
#include <exception>
#include <new>
#include <string>
#include <string_view>
#include <vector>

#include "commands.hpp"
#include "lofty/lofty.hpp"
#include "terminal.hpp"

namespace {

using lofty::Code;
using lofty::Error;
using lofty::Problem;

// A whole number, from `least` on: the options' own reader would take -2 for the largest number less one.
CLI::Validator whole_from(int least) {
  return CLI::Validator(
      [least](std::string& text) -> std::string {
        const bool digits = !text.empty() && text.find_first_not_of("0123456789") == std::string::npos;
        if (digits && (least == 0 || text.find_first_not_of('0') != std::string::npos)) return {};
        return "`" + text + "` is not a whole number from " + std::to_string(least) + " on";
      },
      {});
}

// Which of the rows to show.
template <class Options>
void add_some_rows(CLI::App* c, Options& o) {
  c->add_option("--first", o.first, "Only the first N rows")->type_name("N")->check(whole_from(1));
  c->add_option("--last", o.last, "Only the last N rows, or the last N too")->type_name("N")->check(whole_from(1));
  c->add_option("--sample", o.sample, "N rows by chance, in their order")->type_name("N")->check(whole_from(1));
  c->add_option("--seed", o.seed, "Another sample; the same for the same number (1)")->type_name("N");
}

void add_inspect(CLI::App& app, tool::InspectOptions& o) {
  CLI::App* const c =
      app.add_subcommand("inspect", "First acquaintance with tables: columns, types, blanks, ranges, doubts");
  c->add_option("TABLE", o.tables,
                "Delimited text (also .gz), FILE.sqlite#TABLE, FILE.jsonl,\n"
                "or FILE.xlsx#SHEET")
      ->required();
  c->add_option("--delimiter", o.delimiter, "The sign between fields; told from the heading line if left out")
      ->type_name("SIGN");
  c->add_option("--nulls", o.nulls, "Texts that mean null, besides nothing at all")->type_name("TEXT");
  c->add_option("--where", o.where, "Whole rows that meet a condition, instead of the columns")->type_name("CONDITION");
  add_some_rows(c, o);
  c->footer(
      "Examples, on the demo data:\n"
      "  lofty inspect demo/order_lines.csv\n"
      "  lofty inspect demo/shops.csv demo/products.csv\n"
      "  lofty inspect demo/order_lines.csv --first 5 --last 5\n"
      "  lofty inspect demo/order_lines.csv --where \"status = 'returned'\" --sample 10\n");
}

void add_rank(CLI::App& app, tool::RankOptions& o) {
  CLI::App* const c = app.add_subcommand("rank", "The standings of a ladder file, or of a table and options");
  c->add_option("LADDER|TABLE", o.sources,
                "A ladder (NAME.ladder.toml), or a delimited text file; or several\n"
                "ladders, into one page or one workbook")
      ->required();
  c->add_option("--join", o.joins,
                "A second table and its keys: 'shops.csv on shop_no'; in front of it\n"
                "inner, right or full for other rows than all of the first table,\n"
                "and many where a row may have several partners")
      ->type_name("'TABLE on COLUMN'");
  c->add_option("--figure", o.figures,
                "A value worked out row by row; with over (...) beside every row\n"
                "that counts")
      ->type_name("NAME=FORMULA");
  c->add_option("--where", o.where, "Which rows count")->type_name("CONDITION");
  c->add_option("--total", o.totals, "A value worked out per entry")->type_name("NAME=FORMULA");
  c->add_option("--window", o.windows,
                "A value worked out over the entries, with over (...): a share,\n"
                "the one before, the sum so far")
      ->type_name("NAME=FORMULA");
  c->add_option("--window-def", o.window_defs, "A window by name, for `over NAME`: partition by ... order by ...")
      ->type_name("NAME=WINDOW");
  c->add_option("--each", o.each, "The columns that make an entry; every row is one if left out")
      ->type_name("COLUMN,...");
  c->add_option("--within", o.within, "Start places anew in each of these")->type_name("COLUMN,...");
  c->add_option("--by", o.by, "What to rank by, each key with asc or desc")->type_name("SORT LIST");
  c->add_option("--tiebreak", o.tiebreak, "What orders tied entries")->type_name("SORT LIST");
  c->add_option("--ties", o.ties, "competition, modified, dense, ordinal or fractional")->type_name("RULE");
  c->add_option("--also", o.also,
                "A further column: a tie rule (dense), by SORT LIST, tiers N,\n"
                "share of COLUMN, running share of COLUMN, percent rank,\n"
                "or cumulative distribution")
      ->type_name("NAME=WHAT");
  c->add_option("--having", o.having, "Which entries take part, by their totals")->type_name("CONDITION");
  c->add_option("--eligible", o.eligible, "Which entries get a place; the others stay listed")->type_name("CONDITION");
  c->add_option("--rank-as", o.rank_as, "The name of the place column, instead of rank")->type_name("NAME");
  c->add_option("--keep-where", o.keep_where, "Which entries to keep, by places too: 'rank <= 5'")
      ->type_name("CONDITION");
  c->add_flag("--unranked", o.unranked, "Keep entries without a place too");
  c->add_flag("--others", o.others, "Under each group a line for the entries not listed, and one for all");
  c->add_option("--best", o.best, "Keep the best N of every group")->type_name("N")->check(whole_from(1));
  c->add_option("--worst", o.worst, "Keep the worst N of every group, instead or too")
      ->type_name("N")
      ->check(whole_from(1));
  c->add_option("--cut", o.cut, "'with ties' (the default) or 'strict'")->type_name("CUT");
  c->add_option("--order", o.order, "The listing's order: a sort list, or input")->type_name("SORT LIST");
  c->add_option("--order-by", o.order_by,
                "List by one of the ladder's alternatives, or by name;\n"
                "places, and who is kept, stay")
      ->type_name("NAME");
  c->add_option("--put-first", o.put_first, "Sort these values of a column in front, either way round")
      ->type_name("COLUMN=A,B");
  c->add_option("--put-last", o.put_last, "Sort these values of a column behind, either way round")
      ->type_name("COLUMN=A,B");
  c->add_option("--sequence", o.sequences, "The full order of a column's values")->type_name("COLUMN=A,B,...");
  c->add_option("--text-order", o.text_orders, "How a column's texts are ordered: language, natural or code point")
      ->type_name("COLUMN=ORDER");
  c->add_option("--zone", o.zone, "Where timestamps with an offset are shown, and their days counted: Europe/Oslo")
      ->type_name("ZONE");
  c->add_option("--locale", o.locale, "Whose rules order text: sv, en_GB; never the environment's")->type_name("CODE");
  c->add_option("--columns", o.columns, "The columns to list, in their order")->type_name("COLUMN,...");
  c->add_option("--heading", o.headings, "Another heading for a column")->type_name("NAME=TEXT");
  c->add_option("--format", o.formats, "How a column is shown, by an example: 'share=12.5 % = 0.125'")
      ->type_name("NAME=EXAMPLE");
  c->add_option("--bars", o.bars, "Columns of numbers with a bar next to each number")->type_name("COLUMN,...");
  c->add_flag("--all", o.whole_ties, "List a long tie at the cut whole, instead of five of it and their number");
  c->add_option("--stage", o.stage,
                "The rows after a stage, with every column known there: joined,\n"
                "figures, counted, totalled, ranked or kept")
      ->type_name("STAGE");
  add_some_rows(c, o);
  c->add_option("--title", o.title, "A title above the listing")->type_name("TEXT");
  c->add_option("--choose", o.choices, "Change a choice of the ladder")->type_name("NAME=VALUE");
  c->add_option("--where-would", o.where_would, "The place that a value not in the data would get")
      ->type_name("NAME=VALUE");
  c->add_option("--to", o.to,
                "Write csv, json, md, xlsx or html: to standard output, or to a file by\n"
                "its ending; "
                "FILE.sqlite#TABLE makes a table")
      ->type_name("FORMAT|FILE");
  c->add_option("--picture", o.pictures, "In a page: bars, lines, movement or shares, instead of what suits the answer")
      ->type_name("KIND");
  c->add_flag("--no-pictures", o.no_pictures, "A page without pictures");
  c->add_option("--workings", o.workings, "In a page: the workings of the first N entries (10)")
      ->type_name("N")
      ->check(whole_from(0));
  c->add_flag("--replace", o.replace,
              "Let outputs replace files that are not plainly earlier answers,\n"
              "and tables of a SQLite file");
  c->add_flag("--guard-cells", o.guard_cells,
              "In csv, an apostrophe before texts that an office program\n"
              "would run as formulas");
  c->add_option("--keep-as", o.keep_as, "Keep the standings, to compare with them later")
      ->type_name("FILE.standings.json");
  c->add_option("--expect", o.expect, "Is it this answer? A table with some of its columns; status 1 if not")
      ->type_name("TABLE");
  c->add_option("--remarks", o.remarks, "none, short or full (the default)")->type_name("HOW");
  c->add_option("--save", o.save, "Keep the question as a ladder file")->type_name("FILE");
  c->add_option("--delimiter", o.delimiter, "The sign between fields; told from the heading line if left out")
      ->type_name("SIGN");
  c->add_option("--nulls", o.nulls, "Texts that mean null, besides nothing at all")->type_name("TEXT");
  c->add_option("--threads", o.threads, "Threads to use; the answer is the same for any number")->type_name("N");
  c->footer(
      "Examples, on the demo data:\n"
      "  lofty rank demo/best_shops.ladder.toml\n"
      "  lofty rank demo/best_shops.ladder.toml --stage counted --sample 5\n"
      "  lofty rank demo/order_lines.csv --figure 'amount=quantity * unit_price' --total 'spend=sum(amount)' \\\n"
      "        --each shop_no --by 'spend desc' --best 10 --to best.csv\n"
      "Formulas are ISO SQL: quantity * unit_price, status <> 'void', sum(amount) filter (where status = 'paid').\n");
}

void add_why(CLI::App& app, tool::WhyOptions& o) {
  CLI::App* const c = app.add_subcommand("why", "The workings of one entry: place, neighbours, totals, rows");
  c->add_option("LADDER", o.ladder, "A ladder (NAME.ladder.toml)")->required();
  c->add_option("CONDITION", o.condition, "Which entry: by its key, a label, or its place")->required();
  c->add_option("--choose", o.choices, "Change a choice of the ladder")->type_name("NAME=VALUE");
  c->add_option("--lines", o.lines, "How many of its rows to list (20)")->type_name("N")->check(whole_from(0));
  c->footer(
      "Examples, on the demo data:\n"
      "  lofty why demo/best_shops.ladder.toml 'shop_no = 136'\n"
      "  lofty why demo/best_in_valley.ladder.toml \"shop = 'Twin Pantry'\" --lines 5\n");
}

void add_cost(CLI::App& app, tool::CostOptions& o) {
  CLI::App* const c =
      app.add_subcommand("cost", "What a ladder costs: its scans and sorts, and which windows share one");
  c->add_option("LADDER", o.ladder, "A ladder (NAME.ladder.toml)")->required();
  c->add_flag("--run", o.run, "Ask it too, and set the measured times beside the estimates");
  c->add_option("--choose", o.choices, "Change a choice of the ladder")->type_name("NAME=VALUE");
  c->add_option("--threads", o.threads, "Threads to use with --run")->type_name("N");
  c->add_flag("--measure-again", o.measure_again,
              "Measure this machine again; its speeds are kept in the cache folder");
  c->footer(
      "Examples, on the demo data:\n"
      "  lofty cost demo/best_shops.ladder.toml\n"
      "  lofty cost demo/three_frames.ladder.toml --run\n");
}

void add_draw(CLI::App& app, tool::DrawOptions& o) {
  CLI::App* const c = app.add_subcommand("draw", "Pictures of the standings: bars, lines, movement or shares");
  c->add_option("LADDER", o.ladder, "A ladder (NAME.ladder.toml)")->required();
  c->add_option("--as", o.as,
                "bars: a bar for each entry, in ranked order;\n"
                "lines: a small chart for each group or outer entry, in ranked order;\n"
                "movement: places then and now, or of several orders;\n"
                "shares: the running share, and who reaches half")
      ->type_name("KIND")
      ->required();
  c->add_option("--to", o.to, "Write an svg, png or pdf file, by its ending; or svg to standard output")
      ->type_name("FILE|FORMAT")
      ->required();
  c->add_option("--value", o.value, "The column of numbers; what entries are ranked by if left out")
      ->type_name("COLUMN");
  c->add_option("--along", o.along, "lines: the column from left to right; dates if left out")->type_name("COLUMN");
  c->add_option("--scale", o.scale, "lines: same (the default) for all charts, or free for each")->type_name("HOW");
  c->add_option("--smooth", o.smooth, "lines: the mean over N rows, or over 'N days', besides the values")
      ->type_name("N");
  c->add_option("--mark", o.mark, "shares: the share whose entry is marked, instead of 0.5")->type_name("SHARE");
  c->add_option("--where-would", o.where_would, "bars: a line where a value would be, and its place")
      ->type_name("NAME=VALUE");
  c->add_option("--best", o.best, "Keep the best N of every group, as in rank")->type_name("N")->check(whole_from(1));
  c->add_option("--at-most", o.at_most, "Draw the first N entries or charts, and name the others")
      ->type_name("N")
      ->check(whole_from(1));
  c->add_flag("--dark", o.dark, "Light on dark");
  c->add_option("--remarks", o.remarks, "none, short or full (the default)")->type_name("HOW");
  c->add_option("--width", o.width, "In pixels (960)")->type_name("N")->check(CLI::Range(480, 4000));
  c->add_option("--title", o.title, "A title above the picture")->type_name("TEXT");
  c->add_option("--choose", o.choices, "Change a choice of the ladder")->type_name("NAME=VALUE");
  c->add_flag("--replace", o.replace, "Let the picture replace a file that is not plainly an earlier one");
  c->add_option("--threads", o.threads, "Threads to use")->type_name("N");
  c->footer(
      "Examples, on the demo data:\n"
      "  lofty draw demo/best_shops.ladder.toml --as bars --to best.svg\n"
      "  lofty draw demo/valley_weeks.ladder.toml --as lines --smooth '28 days' --to valleys.png\n"
      "  lofty draw demo/who_moved.ladder.toml --as movement --to moved.svg\n");
}

void add_check(CLI::App& app, tool::CheckOptions& o) {
  CLI::App* const c = app.add_subcommand("check", "All that is wrong with a ladder, before any row is computed");
  c->add_option("LADDER", o.ladders, "Ladder files")->required();
  c->footer(
      "Examples, on the demo data:\n"
      "  lofty check demo/best_shops.ladder.toml\n"
      "  lofty check demo/best_in_valley.ladder.toml demo/tie_rules.ladder.toml\n");
}

void add_functions(CLI::App& app, std::string& word) {
  CLI::App* const c = app.add_subcommand("functions", "What formulas may call, with arguments and meaning");
  c->add_option("WORD", word, "Only those that have to do with it");
  c->footer(
      "Examples:\n"
      "  lofty functions\n"
      "  lofty functions date\n");
}

// The word of `list` that is nearest to a misspelt one, in the library's own judgement.
std::string nearest_of(const std::string& word, const std::vector<std::string>& list) {
  lofty::Catalog names;
  for (const std::string& one : list) names.add(lofty::TableBuilder(one).build());
  try {
    names.open(word, {});
  } catch (const Error& error) {
    return error.problems().front().nearest;
  }
  return word;
}

[[noreturn]] void wrong_call(std::string sentence, const std::string& word, const std::vector<std::string>& known,
                             std::string advice) {
  throw Error(Problem{Code::unknown_word,
                      std::move(sentence),
                      {},
                      word.empty() ? std::string() : nearest_of(word, known),
                      std::move(advice)});
}

// Words that no option took.
void refuse_leftovers(const CLI::App& command) {
  const std::vector<std::string> left = command.remaining();
  if (left.empty()) return;
  std::vector<std::string> options;
  for (const CLI::Option* option : command.get_options())
    if (!option->get_name().empty() && option->get_name()[0] == '-') options.push_back(option->get_name());
  const std::string word = left.front().substr(0, left.front().find('='));
  for (const char* later : {"--period"})
    if (word == later)
      throw Error(Problem{Code::not_in_this_version, "`" + word + "` is not in this version", {}, {}, {}});
  if (word.starts_with("-"))
    wrong_call("`lofty " + command.get_name() + "` has no option `" + word + "`", word, options,
               "lofty " + command.get_name() + " --help");
  wrong_call("`" + word + "` is one word too many for `lofty " + command.get_name() + "`", {}, {},
             "lofty " + command.get_name() + " --help");
}

// Options that change a question do not say which of several ladders they are for.
void refuse_for_several(const CLI::App& command) {
  static const std::vector<std::string> fitting = {"--to",      "--replace",     "--remarks",  "--threads", "--choose",
                                                   "--picture", "--no-pictures", "--workings", "--title"};
  for (const CLI::Option* option : command.get_options()) {
    const std::string name = option->get_name();
    if (option->count() == 0 || !name.starts_with("--") ||
        std::find(fitting.begin(), fitting.end(), name) != fitting.end())
      continue;
    throw Error(Problem{Code::bad_value,
                        "`" + name + "` does not say which of several ladders it is for",
                        {},
                        {},
                        "change it in the ladders' files"});
  }
}

int run(int argc, char** argv) {
  CLI::App app{
      "lofty ranks and sorts customers, products and orders by computed totals.\n"
      "It says who shares a place, what was left out, and never decides a tie in silence."};
  app.name("lofty");
  app.set_version_flag("--version", "lofty " LOFTY_VERSION);
  app.get_formatter()->column_width(34);
  app.footer(
      "Examples, on the demo data:\n"
      "  lofty demo\n"
      "  lofty rank demo/best_shops.ladder.toml\n"
      "Exit status: 0 done, 1 the data would not do, 2 the call or the ladder was wrong.\n");
  tool::InspectOptions inspect_options;
  tool::RankOptions rank_options;
  tool::WhyOptions why_options;
  tool::CostOptions cost_options;
  tool::CheckOptions check_options;
  tool::DrawOptions draw_options;
  tool::DemoOptions demo_options;
  std::string function_word;
  add_inspect(app, inspect_options);
  add_rank(app, rank_options);
  add_why(app, why_options);
  add_draw(app, draw_options);
  add_cost(app, cost_options);
  add_check(app, check_options);
  add_functions(app, function_word);
  CLI::App* const demo = app.add_subcommand("demo", "The full tour on the shipped data");
  demo->add_option("--to", demo_options.to, "The folder for its page and pictures (lofty-demo)")->type_name("FOLDER");
  demo->footer("Examples:\n  lofty demo\n  lofty demo --to meeting | less -R\n");
  const std::vector<CLI::App*> commands = app.get_subcommands([](CLI::App*) { return true; });
  for (CLI::App* command : commands) {
    command->allow_extras();
    // An option that may be given several times takes one value each time: the next word is not a second one.
    for (CLI::Option* option : command->get_options([](CLI::Option* one) { return one->nonpositional(); }))
      if (option->get_items_expected_max() > 1) option->allow_extra_args(false);
  }
  app.allow_extras();
  try {
    app.parse(argc, argv);
  } catch (const CLI::CallForHelp& help) {
    const auto chosen = app.get_subcommands();
    tool::print((chosen.empty() ? &app : chosen.front())->help());
    return 0;
  } catch (const CLI::CallForVersion&) {
    tool::print("lofty " LOFTY_VERSION "\n");
    return 0;
  } catch (const CLI::ParseError& error) {
    const auto chosen = app.get_subcommands();
    if (!chosen.empty()) refuse_leftovers(*chosen.front());
    std::string sentence = error.what();
    if (!sentence.empty() && sentence.back() == '.') sentence.pop_back();
    wrong_call(sentence, {}, {},
               "lofty " + (chosen.empty() ? std::string() : chosen.front()->get_name() + " ") + "--help");
  }
  const auto chosen = app.get_subcommands();
  if (chosen.empty()) {
    const std::vector<std::string> left = app.remaining();
    if (left.empty()) {
      tool::print(app.help());
      return 0;
    }
    std::vector<std::string> names;
    for (const CLI::App* command : commands) names.push_back(command->get_name());
    wrong_call("lofty has no command `" + left.front() + "`", left.front(), names, "lofty --help lists them");
  }
  refuse_leftovers(*chosen.front());
  const std::string name = chosen.front()->get_name();
  if (name == "inspect") return tool::inspect(inspect_options);
  if (name == "rank") {
    if (rank_options.sources.size() > 1) refuse_for_several(*chosen.front());
    return tool::rank(rank_options);
  }
  if (name == "why") return tool::why(why_options);
  if (name == "draw") return tool::draw(draw_options);
  if (name == "cost") return tool::cost(cost_options);
  if (name == "functions") return tool::functions(function_word);
  if (name == "check") return tool::check(check_options);
  return tool::demo(demo_options);
}

}  // namespace

// A signal that ends the process removes what is half written first. A signal that is ignored stays so (nohup).
void end_tidily(int signal) {
  lofty::remove_unfinished_files();
  std::signal(signal, SIG_DFL);
  ::raise(signal);
}

[[noreturn]] void end_at_once(std::string_view words) noexcept {
  lofty::remove_unfinished_files();
  if (::write(STDERR_FILENO, words.data(), words.size()) < 0) ::_exit(1);
  ::_exit(1);
}

// Without memory the process ends here, rather than in a library that does not look whether it got any, or that
// promises not to throw. Allocates nothing.
[[noreturn]] void end_without_memory() noexcept { end_at_once("lofty: the machine has not enough memory for this\n"); }
[[noreturn]] void end_terminated() noexcept {
  end_at_once("lofty: ended, most likely because the machine has not enough memory for this\n");
}

int main(int argc, char** argv) {
  std::set_new_handler(end_without_memory);
  std::set_terminate(end_terminated);
  for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGPIPE, SIGQUIT, SIGXFSZ, SIGXCPU})
    if (std::signal(signal, end_tidily) == SIG_IGN) std::signal(signal, SIG_IGN);
  try {
    return run(argc, argv);
  } catch (const Error& error) {
    tool::remark("lofty: " + lofty::problems_text(error.problems(), tool::looks_of_errors()));
    return error.data_fault() ? 1 : 2;
  } catch (const std::bad_alloc&) {
    tool::remark("lofty: the machine has not enough memory for this\n");
    return 1;
  } catch (const std::exception& error) {
    tool::remark(std::string("lofty: ") + error.what() + "\n");
    return 1;
  }
}
