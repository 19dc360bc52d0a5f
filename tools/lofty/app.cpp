// The commands, their options and their help.

#include "app.hpp"

#include <algorithm>
#include <sstream>

#include "lofty/lofty.hpp"

namespace tool {
namespace {

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

// How a table is read.
void add_table_options(CLI::App* c, TableOptions& o) {
  c->add_option("--column", o.columns_read,
                "How a column is read: 'price: written 1.234,50 \u20AC = 1234.50'\n"
                "(an example and what it means), or 'id: type text'")
      ->type_name("'NAME: ...'");
  c->add_option("--delimiter", o.delimiter, "The character between fields; found in the heading line if left out")
      ->type_name("CHARACTER");
  c->add_option("--encoding", o.encoding, "How bytes are characters, where not UTF-8: windows-1252")->type_name("NAME");
  c->add_option("--file-column", o.file_column, "A further column of this name: which file a row is from")
      ->type_name("NAME");
  c->add_option("--nulls", o.nulls, "Texts that mean null, in addition to an empty field")->type_name("TEXT");
  c->add_option("--skip", o.skip, "Lines above the headings that are no part of the table")
      ->type_name("N")
      ->check(whole_from(0));
  c->add_option("--row-order", o.row_order, "The columns that a server sorts its rows by, where their order matters")
      ->type_name("COLUMN,...");
  c->add_option("--skip-last", o.skip_last, "Lines at the end that are no rows, as a line of totals")
      ->type_name("N")
      ->check(whole_from(0));
}

// What may be used of the machine. The answer does not depend on it.
void add_resources(CLI::App* c, Resources& o) {
  c->add_option("--threads", o.threads, "Threads to use; the answer does not depend on it")->type_name("N");
  c->add_option("--memory", o.memory,
                "Memory for large arrays: 1GiB, 500MB; half of what is free if left\n"
                "out. What does not fit lies in a file that is gone at the end")
      ->transform(CLI::Validator(take_bytes, "", "size"))
      ->type_name("SIZE");
  c->add_option("--spill-to", o.spill_to, "The folder of that file; TMPDIR or /var/tmp if left out")
      ->check(wrong_folder)
      ->type_name("FOLDER");
}

void add_server_timeout(CLI::App* c, SourceOptions& o) {
  c->add_option("--server-timeout", o.server_timeout,
                "Seconds that a database server may take for a statement; 600 if\n"
                "left out, 0 is any time")
      ->check(CLI::NonNegativeNumber)
      ->type_name("SECONDS");
}

// Of commands that take a ladder.
void add_source_options(CLI::App* c, SourceOptions& o) {
  c->add_option("--from", o.from, "Ask the ladder over another table")->type_name("TABLE");
  c->add_option("--join-from", o.join_from, "Join another table in place of the one called NAME")
      ->type_name("NAME=TABLE");
  add_server_timeout(c, o);
  c->add_option("--only-under", o.only_under,
                "Read tables under this folder only, links resolved: for a ladder\n"
                "from somebody else")
      ->check(wrong_folder)
      ->type_name("FOLDER");
}

// Which of the rows to show.
template <class Options>
void add_some_rows(CLI::App* c, Options& o) {
  c->add_option("--first", o.first, "Only the first N rows")->type_name("N")->check(whole_from(1));
  c->add_option("--last", o.last, "Only the last N rows, or the last N too")->type_name("N")->check(whole_from(1));
  c->add_option("--sample", o.sample, "N rows chosen at random, in their order")->type_name("N")->check(whole_from(1));
  c->add_option("--seed", o.seed, "Chooses the sample: the same number, the same rows (1)")->type_name("N");
}

void add_inspect(CLI::App& app, InspectOptions& o) {
  CLI::App* const c = app.add_subcommand("inspect", "A first look at tables: columns, types, blanks, ranges, remarks");
  c->add_option("TABLE", o.tables,
                "Delimited text (also .gz), FILE.sqlite#TABLE, FILE.jsonl,\n"
                "or FILE.xlsx#SHEET; 'orders-*.csv' is all these files as one table")
      ->required();
  add_server_timeout(c, o.resources.source);
  add_table_options(c, o);
  c->add_option("--where", o.where, "List the rows that meet a condition, instead of the columns")
      ->type_name("CONDITION");
  add_some_rows(c, o);
  add_resources(c, o.resources);
  c->footer(
      "Examples, on the demo data:\n"
      "  lofty inspect demo/order_lines.csv\n"
      "  lofty inspect demo/shops.csv demo/products.csv\n"
      "  lofty inspect demo/order_lines.csv --first 5 --last 5\n"
      "  lofty inspect demo/order_lines.csv --where \"status = 'returned'\" --sample 10\n");
}

void add_rank(CLI::App& app, RankOptions& o) {
  CLI::App* const c = app.add_subcommand("rank", "The standings of a ladder file, or of a table and options");
  c->add_option("LADDER|TABLE", o.sources,
                "A ladder (NAME.ladder.toml), or a delimited text file; several files,\n"
                "or a pattern ('orders-*.csv'), are one table; several ladders go into\n"
                "one page or one workbook")
      ->required();
  add_source_options(c, o.resources.source);
  c->add_option("--join", o.joins,
                "A second table and its keys: 'shops.csv on shop_no'. Write inner,\n"
                "right or full first to keep other rows than all of the first\n"
                "table, and many where a row may have several partners")
      ->type_name("'TABLE on COLUMN'");
  c->add_option("--figure", o.figures,
                "A value computed for each row; with over (...), from the rows\n"
                "around it")
      ->type_name("NAME=FORMULA");
  c->add_option("--where", o.where, "Which rows count")->type_name("CONDITION");
  c->add_option("--period", o.periods,
                "A condition by its name: 'recent: last 3 months of ordered_on,\n"
                "whole, back 1' or 'march: ordered_on from DATE through DATE'")
      ->type_name("'NAME: ...'");
  c->add_option("--total", o.totals, "A value computed for each entry")->type_name("NAME=FORMULA");
  c->add_option("--window", o.windows,
                "A value computed over the entries, with over (...): a share,\n"
                "the previous value, the sum so far")
      ->type_name("NAME=FORMULA");
  c->add_option("--named-window", o.named_windows,
                "A window with a name, for `over NAME`: partition by ... order by ...")
      ->type_name("NAME=WINDOW");
  c->add_option("--each", o.each, "The columns that identify an entry; if left out, each row is one")
      ->type_name("COLUMN,...");
  c->add_option("--within", o.within, "Places start again in each of these")->type_name("COLUMN,...");
  c->add_option("--include", o.include, "A joined table of which all are entries, with rows that count or without")
      ->type_name("TABLE");
  c->add_option("--fill", o.fill,
                "Add each day, week, month, quarter or year without rows as an entry;\n"
                "--each has a column of dates")
      ->type_name("UNIT");
  c->add_option("--compare", o.compare, "Who moved since the stretch before this period, which is as long")
      ->type_name("PERIOD");
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
  c->add_flag("--others", o.others, "Under each group, a line for the entries not listed, and one for all");
  c->add_option("--best", o.best, "Keep the best N of every group, or a part of them: '10 %'")->type_name("N");
  c->add_option("--worst", o.worst, "Keep the worst N of every group, or a part of them")->type_name("N");
  c->add_option("--cut", o.cut, "'with ties' (the default) or 'strict'")->type_name("CUT");
  c->add_option("--order", o.order, "The listing's order: a sort list, or input")->type_name("SORT LIST");
  c->add_option("--alternative", o.alternative,
                "List in the order of one of the ladder's alternatives, or by\n"
                "`name`; places, and which entries are kept, do not change")
      ->type_name("NAME");
  c->add_option("--put-first", o.put_first, "Sort these values of a column first, in either direction")
      ->type_name("COLUMN=A,B");
  c->add_option("--put-last", o.put_last, "Sort these values of a column last, in either direction")
      ->type_name("COLUMN=A,B");
  c->add_option("--sequence", o.sequences, "The full order of a column's values")->type_name("COLUMN=A,B,...");
  c->add_option("--text-order", o.text_orders, "How a column's texts are ordered: language, natural or code point")
      ->type_name("COLUMN=ORDER");
  c->add_option("--zone", o.zone, "Where timestamps with an offset are shown, and their days counted: Europe/Oslo")
      ->type_name("ZONE");
  c->add_option("--first-month", o.first_month, "The month that years and quarters begin in: 4 for April")
      ->type_name("N")
      ->check(whole_from(1));
  c->add_option("--locale", o.locale, "The language whose rules order text: sv, en_GB (not the environment's)")
      ->type_name("CODE");
  c->add_option("--columns", o.columns, "The columns to list, in their order")->type_name("COLUMN,...");
  c->add_option("--heading", o.headings, "Another heading for a column")->type_name("NAME=TEXT");
  c->add_option("--format", o.formats, "How a column is shown, by an example: 'share=12.5 % = 0.125'")
      ->type_name("NAME=EXAMPLE");
  c->add_option("--bars", o.bars, "Columns of numbers with a bar next to each number")->type_name("COLUMN,...");
  c->add_flag("--all", o.whole_ties, "List all entries of a long tie at the cut, not only five and their number");
  c->add_option("--stage", o.stage,
                "The rows after a stage, with every column known there: joined,\n"
                "figures, counted, totalled, ranked or kept")
      ->type_name("STAGE");
  add_some_rows(c, o);
  c->add_option("--title", o.title, "A title above the listing")->type_name("TEXT");
  c->add_option("--choose", o.choices, "Change a choice of the ladder")->type_name("NAME=VALUE");
  c->add_option("--place-for", o.place_for, "The place that a value would get, which need not be in the data")
      ->type_name("NAME=VALUE");
  c->add_option("--to", o.to,
                "Write csv, json, md, xlsx or html to standard output, or to a file\n"
                "with such an ending; FILE.sqlite#TABLE writes a table")
      ->type_name("FORMAT|FILE");
  c->add_option("--picture", o.pictures, "In a page: bars, lines, movement or shares, not those that suit the answer")
      ->type_name("KIND");
  c->add_flag("--no-pictures", o.no_pictures, "A page without pictures");
  c->add_option("--workings", o.workings,
                "In a page: the workings of the first N entries (10, or 0 above\n"
                "250,000 rows)")
      ->type_name("N")
      ->check(whole_from(0));
  c->add_option("--page-rows", o.page_rows, "In a page: show at most N rows of each answer (10,000)")
      ->type_name("N")
      ->check(whole_from(1));
  c->add_flag("--replace", o.replace,
              "Let outputs replace files that are not plainly earlier answers,\n"
              "and tables of a SQLite file");
  c->add_flag("--guard-cells", o.guard_cells,
              "In csv, an apostrophe before texts that an office program\n"
              "would run as formulas");
  c->add_option("--save-standings", o.save_standings, "Save the standings, to compare with them later")
      ->type_name("FILE.standings.json");
  c->add_option("--expect", o.expect, "Compare with a table that has some of the columns; status 1 if different")
      ->type_name("TABLE");
  c->add_option("--remarks", o.remarks, "none, short or full (the default)")->type_name("HOW");
  c->add_option("--save-ladder", o.save_ladder, "Save the question as a ladder file")->type_name("FILE");
  add_table_options(c, o);
  add_resources(c, o.resources);
  c->footer(
      "Examples, on the demo data:\n"
      "  lofty rank demo/best_shops.ladder.toml\n"
      "  lofty rank demo/best_shops.ladder.toml --stage counted --sample 5\n"
      "  lofty rank demo/order_lines.csv --figure 'amount=quantity * unit_price' --total 'spend=sum(amount)' \\\n"
      "        --each shop_no --by 'spend desc' --best 10 --to best.csv\n"
      "Formulas are ISO SQL: quantity * unit_price, status <> 'void', sum(amount) filter (where status = 'paid').\n");
}

void add_why(CLI::App& app, WhyOptions& o) {
  CLI::App* const c = app.add_subcommand("why", "The workings of one entry: place, neighbours, totals, rows");
  c->add_option("LADDER", o.ladder, "A ladder (NAME.ladder.toml)")->required();
  c->add_option("CONDITION", o.condition, "Which entry: by its key, a label, or its place")->required();
  add_source_options(c, o.resources.source);
  c->add_option("--choose", o.choices, "Change a choice of the ladder")->type_name("NAME=VALUE");
  c->add_option("--lines", o.lines, "How many of its rows to list (20)")->type_name("N")->check(whole_from(0));
  add_resources(c, o.resources);
  c->footer(
      "Examples, on the demo data:\n"
      "  lofty why demo/best_shops.ladder.toml 'shop_no = 136'\n"
      "  lofty why demo/best_in_valley.ladder.toml \"shop = 'Twin Pantry'\" --lines 5\n");
}

void add_cost(CLI::App& app, CostOptions& o) {
  CLI::App* const c = app.add_subcommand("cost", "What a ladder costs: scans, sorts, and which windows share a sort");
  c->add_option("LADDER", o.ladder, "A ladder (NAME.ladder.toml)")->required();
  add_source_options(c, o.resources.source);
  c->add_flag("--run", o.run, "Run it too, and print the measured times next to the estimates");
  c->add_option("--choose", o.choices, "Change a choice of the ladder")->type_name("NAME=VALUE");
  add_resources(c, o.resources);
  c->add_flag("--measure-again", o.measure_again, "Measure this machine again; its speeds are in the cache folder");
  c->footer(
      "Examples, on the demo data:\n"
      "  lofty cost demo/best_shops.ladder.toml\n"
      "  lofty cost demo/three_frames.ladder.toml --run\n");
}

void add_draw(CLI::App& app, DrawOptions& o) {
  CLI::App* const c = app.add_subcommand("draw", "Pictures of the standings: bars, lines, movement or shares");
  c->add_option("LADDER", o.ladder, "A ladder (NAME.ladder.toml)")->required();
  add_source_options(c, o.resources.source);
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
  c->add_option("--smooth", o.smooth, "lines: the mean over N rows, or over 'N days', in addition to the values")
      ->type_name("N");
  c->add_option("--mark", o.mark, "shares: the share whose entry is marked, instead of 0.5")->type_name("SHARE");
  c->add_option("--place-for", o.place_for, "bars: a line at a value that need not be in the data, and its place")
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
  add_resources(c, o.resources);
  c->footer(
      "Examples, on the demo data:\n"
      "  lofty draw demo/best_shops.ladder.toml --as bars --to best.svg\n"
      "  lofty draw demo/valley_weeks.ladder.toml --as lines --smooth '28 days' --to valleys.png\n"
      "  lofty draw demo/who_moved.ladder.toml --as movement --to moved.svg\n");
}

void add_translate(CLI::App& app, TranslateOptions& o) {
  CLI::App* const c =
      app.add_subcommand("translate", "A ladder as one statement of ISO SQL, for whoever runs the warehouse");
  c->add_option("LADDER", o.ladder, "A ladder file")->required();
  c->add_option("--choose", o.choices, "Change a choice of the ladder")->type_name("NAME=VALUE");
  add_source_options(c, o.source);
  c->footer(
      "Examples, on the demo data:\n"
      "  lofty translate demo/best_shops.ladder.toml\n"
      "  lofty translate demo/recent_valleys.ladder.toml --choose days=90\n");
}

void add_check(CLI::App& app, CheckOptions& o) {
  CLI::App* const c = app.add_subcommand("check", "Everything that is wrong with a ladder, before any row is computed");
  c->add_option("LADDER", o.ladders, "Ladder files")->required();
  add_source_options(c, o.source);
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

}  // namespace

std::string version_text() {
  std::string out = std::string("lofty ") + lofty::version() + "\n";
  for (const lofty::LibraryVersion& one : lofty::libraries_in_use()) out += "  " + one.name + " " + one.version + "\n";
  return out;
}

namespace {

// Help that keeps its two columns in 80 characters, whatever it is shown on.
class HelpFormatter : public CLI::Formatter {
 public:
  static constexpr std::size_t left_width = 34, width = 80;

  std::string make_option_desc(const CLI::Option* option) const override {
    std::string out, line;
    std::istringstream words(option->get_description());
    for (std::string word; words >> word;) {
      if (!line.empty() && line.size() + 1 + word.size() > width - left_width) {
        out += line + "\n";
        line.clear();
      }
      line += (line.empty() ? "" : " ") + word;
    }
    return out + line;
  }
};

}  // namespace

std::unique_ptr<CLI::App> make_app(CommandLine& to) {
  auto made = std::make_unique<CLI::App>(
      "lofty ranks and sorts customers, products and orders by computed totals.\n"
      "It reports ties, what was left out, and every tie that it had to decide.");
  CLI::App& app = *made;
  app.name("lofty");
  app.set_version_flag(
      "--version", [] { return version_text(); }, "The version, with those of the libraries in use");
  app.formatter(std::make_shared<HelpFormatter>());
  app.get_formatter()->column_width(HelpFormatter::left_width);
  app.get_formatter()->label("SUBCOMMAND", "COMMAND");
  app.footer(
      "Examples, on the demo data:\n"
      "  lofty demo\n"
      "  lofty rank demo/best_shops.ladder.toml\n"
      "Exit status: 0 done; 1 the input data is at fault, or --expect differs;\n"
      "2 the command line or the ladder is.\n");
  add_inspect(app, to.inspect);
  add_rank(app, to.rank);
  add_why(app, to.why);
  add_draw(app, to.draw);
  add_cost(app, to.cost);
  add_translate(app, to.translate);
  add_check(app, to.check);
  add_functions(app, to.function_word);
  CLI::App* const demo = app.add_subcommand("demo", "The full tour on the shipped data");
  demo->add_option("--to", to.demo.to, "The folder for its page and pictures (lofty-demo)")->type_name("FOLDER");
  demo->footer("Examples:\n  lofty demo\n  lofty demo --to meeting | less -R\n");
  for (CLI::App* command : app.get_subcommands([](CLI::App*) { return true; })) {
    command->group("Commands");
    command->allow_extras();
    // An option that may be given several times takes one value each time: the next word is not a second one.
    for (CLI::Option* option : command->get_options([](CLI::Option* one) { return one->nonpositional(); }))
      if (option->get_items_expected_max() > 1) option->allow_extra_args(false);
  }
  app.allow_extras();
  app.require_subcommand(0, 1);  // one command: a later word such as rank in `lofty functions rank` is no other one
  return made;
}

}  // namespace tool
