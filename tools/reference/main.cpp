// Prints the reference pages that are made from what the code itself uses: manual pages and completions from the
// tool's options, the page of a ladder's keys and the table of functions from the library's tables.
//
//   reference man COMMAND        the manual page of `lofty COMMAND`; of `lofty` itself without COMMAND
//   reference bash|zsh|fish      completion for that shell
//   reference ladder-file        docs/ladder-file.md
//   reference functions          the tables of docs/formulas.md
// Covered by tests/tool/reference_test.cpp.

#include <algorithm>
#include <cstdio>
#include <string>
#include <vector>

#include "app.hpp"
#include "lofty/lofty.hpp"
#include "option_keys.hpp"

namespace {

using Commands = std::vector<CLI::App*>;

Commands commands_of(CLI::App& app) {
  return app.get_subcommands([](CLI::App*) { return true; });
}

bool is_option(const CLI::Option& option) { return option.nonpositional(); }

std::string one_line(std::string text) {
  std::replace(text.begin(), text.end(), '\n', ' ');
  return text;
}

std::string replaced(std::string text, const std::string& from, const std::string& to) {
  for (std::size_t at = 0; (at = text.find(from, at)) != std::string::npos; at += to.size())
    text.replace(at, from.size(), to);
  return text;
}

// ---- manual pages (man(7))

std::string roff(std::string text) {
  text = replaced(replaced(std::move(text), "\\", "\\e"), "-", "\\-");
  if (!text.empty() && (text[0] == '.' || text[0] == '\'')) text.insert(0, "\\&");
  return replaced(text, "\n.", "\n\\&.");
}

std::string option_names(const CLI::Option& option) {
  std::string names;
  for (const std::string& one : option.get_snames()) names += (names.empty() ? "" : ", ") + ("-" + one);
  for (const std::string& one : option.get_lnames()) names += (names.empty() ? "" : ", ") + ("--" + one);
  return names;
}

void print_options(const CLI::App& command) {
  std::puts(".SH OPTIONS");
  for (const CLI::Option* option : command.get_options()) {
    const std::string type = option->get_items_expected_max() > 0 ? option->get_type_name() : "";
    std::puts(".TP");
    if (is_option(*option))
      std::printf(".B %s%s\n", roff(option_names(*option)).c_str(),
                  type.empty() ? "" : (" \\fI" + roff(type) + "\\fR").c_str());
    else
      std::printf(".I %s\n", roff(option->get_name(true)).c_str());
    std::puts(roff(one_line(option->get_description())).c_str());
  }
}

void print_footer(const CLI::App& command) {
  const std::string footer = command.get_footer();
  if (footer.empty()) return;
  std::puts(".SH EXAMPLES");
  std::puts(".nf");
  std::puts(roff(footer).c_str());
  std::puts(".fi");
}

void print_manual_page(CLI::App& app, const std::string& name) {
  CLI::App* const command = name.empty() ? &app : app.get_subcommand(name);
  const std::string title = name.empty() ? "lofty" : "lofty-" + name;
  std::string upper = title;
  std::transform(upper.begin(), upper.end(), upper.begin(), [](unsigned char c) { return std::toupper(c); });
  std::printf(".TH %s 1 \"\" \"lofty %s\" \"User Commands\"\n.SH NAME\n", roff(upper).c_str(), lofty::version());
  const std::string about = name.empty() ? "rank and sort customers, products and orders by computed totals"
                                         : one_line(command->get_description());
  std::printf("%s \\- %s\n.SH SYNOPSIS\n", roff(title).c_str(), roff(about).c_str());
  std::string positional;
  for (const CLI::Option* option : command->get_options())
    if (!is_option(*option)) positional += "\\fI" + roff(option->get_name(true)) + "\\fR ";
  std::printf(".B lofty%s\n%s[\\fIOPTION\\fR ...]\n", name.empty() ? "" : (" " + roff(name)).c_str(),
              name.empty() ? "\\fICOMMAND\\fR " : positional.c_str());

  // The commands, or the options of one.
  std::puts(".SH DESCRIPTION");
  std::puts(roff(command->get_description()).c_str());
  if (name.empty()) {
    std::puts(".SH COMMANDS");
    for (const CLI::App* one : commands_of(app))
      std::printf(".TP\n.B %s\n%s\n", roff(one->get_name()).c_str(), roff(one_line(one->get_description())).c_str());
  }
  print_options(*command);
  print_footer(*command);
  std::puts(
      ".SH EXIT STATUS\n.TP\n.B 0\ndone\n.TP\n.B 1\nthe input data is at fault, or \\-\\-expect differs\n.TP\n.B 2\n"
      "the command line or the ladder is at fault");
  std::puts(".SH SEE ALSO");
  std::string others = name.empty() ? "" : ".BR lofty (1)";
  for (const CLI::App* one : commands_of(app))
    if (one->get_name() != name)
      others += (others.empty() ? ".BR lofty\\-" : ",\n.BR lofty\\-") + roff(one->get_name()) + " (1)";
  std::puts(others.c_str());
}

// ---- completions

std::string options_of(const CLI::App& command) {
  std::string out;
  for (const CLI::Option* option : command.get_options())
    for (const std::string& one : option->get_lnames()) out += (out.empty() ? "--" : " --") + one;
  return out;
}

// The words that an option takes, where they are few.
std::string words_of(const std::string& option) {
  const auto all = [](const auto& values) {
    std::string out;
    for (const auto value : values) out += (out.empty() ? "" : " ") + std::string(to_string(value));
    return out;
  };
  using lofty::Ties;
  if (option == "ties")
    return all(std::vector{Ties::competition, Ties::modified, Ties::dense, Ties::ordinal, Ties::fractional});
  if (option == "stage") return all(lofty::stages());
  if (option == "as" || option == "picture") return "bars lines movement shares";
  if (option == "remarks") return "none short full";
  if (option == "scale") return "same free";
  return {};
}

void print_bash(CLI::App& app) {
  std::string names;
  for (const CLI::App* one : commands_of(app)) names += (names.empty() ? "" : " ") + one->get_name();
  std::printf(
      "# bash completion for lofty; made from its options.\n"
      "_lofty() {\n"
      "  local current=${COMP_WORDS[COMP_CWORD]} previous=${COMP_WORDS[COMP_CWORD-1]}\n"
      "  if [ \"$COMP_CWORD\" -eq 1 ]; then\n"
      "    mapfile -t COMPREPLY < <(compgen -W '%s --help --version' -- \"$current\")\n"
      "    return\n"
      "  fi\n"
      "  case $previous in\n",
      names.c_str());
  for (const char* option : {"ties", "stage", "as", "picture", "remarks", "scale"})
    std::printf("    --%s) mapfile -t COMPREPLY < <(compgen -W '%s' -- \"$current\"); return ;;\n", option,
                words_of(option).c_str());
  std::puts(
      "  esac\n  case $current in\n    -*) ;;\n    *) compopt -o default; COMPREPLY=(); return ;;\n  esac\n"
      "  local options=\n  case ${COMP_WORDS[1]} in");
  for (const CLI::App* one : commands_of(app))
    std::printf("    %s) options='%s' ;;\n", one->get_name().c_str(), options_of(*one).c_str());
  std::puts("  esac\n  mapfile -t COMPREPLY < <(compgen -W \"$options\" -- \"$current\")\n}\ncomplete -F _lofty lofty");
}

std::string zsh_text(const std::string& text) {
  return replaced(replaced(replaced(one_line(text), "'", "'\\''"), "[", "\\["), "]", "\\]");
}

void print_zsh(CLI::App& app) {
  std::puts(
      "#compdef lofty\n# zsh completion for lofty; made from its options.\n_lofty() {\n  local -a commands\n"
      "  commands=(");
  for (const CLI::App* one : commands_of(app))
    std::printf("    '%s:%s'\n", one->get_name().c_str(),
                replaced(zsh_text(one->get_description()), ":", "\\:").c_str());
  std::puts(
      "  )\n  if (( CURRENT == 2 )); then\n    _describe command commands\n    return\n  fi\n  case $words[2] in");
  for (const CLI::App* one : commands_of(app)) {
    std::printf("    %s)\n      _arguments", one->get_name().c_str());
    for (const CLI::Option* option : one->get_options())
      for (const std::string& name : option->get_lnames()) {
        const std::string words = words_of(name);
        const std::string type = option->get_items_expected_max() > 0 ? option->get_type_name() : "";
        std::string value;
        if (!words.empty())
          value = ":word:(" + words + ")";
        else if (!type.empty())
          value = ":" + replaced(zsh_text(type), ":", "\\:") + ":" +
                  (type.find("FILE") != std::string::npos || type == "TABLE" ? "_files" : "");
        std::printf(" \\\n        '%s--%s[%s]%s'", option->get_items_expected_max() > 1 ? "*" : "", name.c_str(),
                    replaced(zsh_text(option->get_description()), ":", "\\:").c_str(), value.c_str());
      }
    std::puts(" \\\n        '*:file:_files' ;;");
  }
  std::puts("  esac\n}\n_lofty \"$@\"");
}

void print_fish(CLI::App& app) {
  const auto quoted = [](const std::string& text) { return "'" + replaced(one_line(text), "'", "\\'") + "'"; };
  std::puts("# fish completion for lofty; made from its options.");
  for (const CLI::App* one : commands_of(app))
    std::printf("complete -c lofty -n __fish_use_subcommand -f -a %s -d %s\n", one->get_name().c_str(),
                quoted(one->get_description()).c_str());
  for (const CLI::App* one : commands_of(app))
    for (const CLI::Option* option : one->get_options())
      for (const std::string& name : option->get_lnames()) {
        const std::string words = words_of(name);
        std::printf("complete -c lofty -n '__fish_seen_subcommand_from %s' -l %s -d %s%s\n", one->get_name().c_str(),
                    name.c_str(), quoted(option->get_description()).c_str(),
                    !words.empty()                         ? (" -x -a '" + words + "'").c_str()
                    : option->get_items_expected_max() > 0 ? " -r"
                                                           : "");
      }
}

// ---- pages of the documentation

std::string cell(std::string_view text) { return replaced(std::string(text), "|", "\\|"); }

const char* about_section(std::string_view section) {
  static const std::pair<std::string_view, const char*> all[] = {
      {"", "At the top of the file."},
      {"data", "What is read."},
      {"data.join[]", "A further table, brought in by its keys. Write `[[data.join]]`, once for each."},
      {"data.columns.*", "How a column is written. Also for the columns of a join: `[data.join.columns.NAME]`."},
      {"choices", "Values that a reader may change without editing the ladder: `--choose days=90`."},
      {"choices.*", "A choice written as a table: `days = { value = 30, least = 1 }`."},
      {"periods.*", "A stretch of time. Formulas use its name as a condition."},
      {"figures", "Values of rows."},
      {"named_windows", "Windows that several formulas use."},
      {"rows", "Rows that count."},
      {"totals", "Values of entries."},
      {"rank", "What is ranked, and by what."},
      {"rank.also", "Further columns next to the place."},
      {"rank.also.*", "One of these keys; `ties` goes with `by`."},
      {"windows", "Values computed over the entries, after the totals."},
      {"keep", "How much of the standings is kept."},
      {"level[]",
       "Levels inside levels, outermost first. Write `[[level]]`, once for each, instead of `[rank]` and `[keep]`."},
      {"list", "The listing."},
      {"alternatives", "Other orders of the listing, for `list.alternative`."},
      {"orderings.*", "An order of a column's values that is yours. It affects sorting only."},
      {"crossed", "A crossed table: the entries down, these across."},
      {"compare", "The same question as it was answered before, to see which entries moved."},
  };
  for (const auto& [name, text] : all)
    if (name == section) return text;
  return "";
}

std::string heading_of(std::string_view section) {
  if (section.empty()) return "The top of the file";
  std::string out = replaced(std::string(section), "*", "NAME");
  if (out.ends_with("[]")) return "[[" + out.substr(0, out.size() - 2) + "]]";
  return "[" + out + "]";
}

void print_ladder_file() {
  std::puts(
      "# The ladder file\n\n"
      "A ladder is a TOML file whose name ends in `.ladder.toml`. Every key is listed here, section by section, with "
      "the type of its value,\n"
      "what holds without it, an example, and the option of `lofty rank` that does the same. "
      "[semantics.md](semantics.md) has the exact\n"
      "meanings, [formulas.md](formulas.md) the language of formulas, conditions and sort lists. `demo/` has whole "
      "ladders.\n\n"
      "```toml\n"
      "[data]\nfrom = \"order_lines.csv\"\n\n[figures]\namount = \"quantity * unit_price\"\n\n[totals]\nspend = "
      "\"sum(amount)\"\n\n"
      "[rank]\neach = [\"shop_no\"]\nby = \"spend desc\"\n\n[keep]\nbest = 10\n```\n\n"
      "An unknown key is an error that names the nearest one. This page is made from the table that the reader uses\n"
      "(`reference ladder-file`); a test keeps the two equal.");
  std::string_view section = "none yet";
  for (const lofty::LadderKey& key : lofty::ladder_keys()) {
    if (key.section != section) {
      section = key.section;
      std::printf(
          "\n## %s\n\n%s\n\n| key | value | without it | meaning | example | option |\n|---|---|---|---|---|---|\n",
          heading_of(section).c_str(), about_section(section));
    }
    const std::string set_by = tool::option_of(key);
    const std::string option = key.section == "data" && key.key == "from" ? "the argument"
                               : set_by.empty()                           ? ""
                                                                          : "`" + set_by + "`";
    std::printf("| `%s` | %s | %s | %s | `%s` | %s |\n", key.key == "*" ? "NAME" : cell(key.key).c_str(),
                cell(key.type).c_str(), cell(key.standard).c_str(), cell(key.meaning).c_str(),
                cell(key.example).c_str(), option.c_str());
  }
}

void print_functions() {
  const std::pair<lofty::CalledIn, const char*> groups[] = {
      {lofty::CalledIn::any_formula, "In any formula, for a row or an entry"},
      {lofty::CalledIn::totals, "Totals: over the rows of an entry, in `[totals]`, `rank.having` and the like"},
      {lofty::CalledIn::whole, "In any formula, over all rows that count: one value for the whole ladder"},
      {lofty::CalledIn::windows, "With `over (...)`; the totals above may have it too"}};
  for (const auto& [where, title] : groups) {
    std::printf("\n### %s\n\n| call | meaning |\n|---|---|\n", title);
    for (const lofty::FunctionDescription& one : lofty::functions())
      if (one.where == where) std::printf("| `%s` | %s |\n", cell(one.signature).c_str(), cell(one.meaning).c_str());
  }
}

}  // namespace

int main(int argc, char** argv) {
  const std::string what = argc > 1 ? argv[1] : "", name = argc > 2 ? argv[2] : "";
  tool::CommandLine options;
  const std::unique_ptr<CLI::App> app = tool::make_app(options);
  if (what == "man")
    print_manual_page(*app, name);
  else if (what == "bash")
    print_bash(*app);
  else if (what == "zsh")
    print_zsh(*app);
  else if (what == "fish")
    print_fish(*app);
  else if (what == "ladder-file")
    print_ladder_file();
  else if (what == "functions")
    print_functions();
  else
    return std::fputs("reference man [COMMAND] | bash | zsh | fish | ladder-file | functions\n", stderr), 2;
  return 0;
}
