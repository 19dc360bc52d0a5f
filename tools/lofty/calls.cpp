#include "calls.hpp"

#include <algorithm>
#include <iterator>
#include <utility>

#include "settings.hpp"

namespace tool {

namespace fs = std::filesystem;
using lofty::Code;
using lofty::Error;
using lofty::Problem;

void bad_option(const std::string& option, const std::string& text, std::string sentence, std::string advice,
                Code code) {
  Problem p{code, std::move(sentence), {}, {}, std::move(advice)};
  p.location.key = option;
  p.location.text = text;
  p.location.length = text.size();
  throw Error(std::move(p));
}

std::pair<std::string, std::string> named(const std::string& option, const std::string& text, const char* example) {
  const std::size_t equals = text.find('=');
  if (equals == std::string::npos || trimmed(text.substr(0, equals)).empty())
    bad_option(option, text, option + " takes NAME=VALUE", example);
  return {trimmed(text.substr(0, equals)), trimmed(text.substr(equals + 1))};
}

std::vector<std::string> names(const std::vector<std::string>& texts) {
  std::vector<std::string> out;
  for (const std::string& text : texts) {
    // A comma inside double quotes belongs to a name.
    std::string one;
    bool inside = false;
    for (const char c : text) {
      inside = inside != (c == '"');
      if (c == ',' && !inside)
        out.push_back(trimmed(std::exchange(one, {})));
      else
        one += c;
    }
    out.push_back(trimmed(one));
  }
  return out;
}

bool is_ladder(const std::string& name) { return name.ends_with(".toml"); }

lofty::Value value_of(const std::string& text) {
  if (const auto number = lofty::Decimal::parse(text)) return *number;
  if (const auto date = lofty::Date::parse(text)) return *date;
  return text;
}

void choose_all(lofty::Ladder& ladder, const std::vector<std::string>& choices) {
  for (const std::string& choice : choices) {
    const auto [name, value] = named("--choose", choice, "--choose days=90");
    lofty::choose(ladder, name, value);
  }
}

namespace {

// What else is wrong with a ladder of which some keys could not be read: words that are misspelt in the rest of it.
// That something is missing may be no fault of the rest.
void add_other_problems(const Asked& asked, std::vector<Problem>& problems) {
  std::vector<Problem> more;
  try {
    more = lofty::check(asked.text.ladder, asked.tables());
  } catch (const Error&) {
    return;
  }
  std::erase_if(more, [](const Problem& p) {
    return p.code != Code::unknown_column && p.code != Code::unknown_function && p.code != Code::unknown_choice &&
           p.code != Code::unknown_table && p.code != Code::syntax;
  });
  asked.text.locate(more);
  problems.insert(problems.end(), std::make_move_iterator(more.begin()), std::make_move_iterator(more.end()));
}

}  // namespace

lofty::TableFiles tables_in(const fs::path& folder, const SourceOptions& options) {
  lofty::TableFiles tables(folder.empty() ? fs::path(".") : folder, options.only_under);
  tables.server_timeout(options.server_timeout);
  return tables;
}

namespace {

// The ladder over the tables that options name. Those are named from the current folder, the ladder's own from its.
void read_instead(Asked& asked, const SourceOptions& options) {
  const auto from_ladder = [&](const std::string& name) {
    if (name.find("://") != std::string::npos) return name;
    return fs::absolute(name).lexically_proximate(fs::absolute(asked.folder)).string();
  };
  if (!options.from.empty()) lofty::replace_source(asked.text.ladder, from_ladder(options.from));
  for (const std::string& one : options.join_from) {
    const auto [table, source] = named("--join-from", one, "--join-from shops=shops-march.csv");
    lofty::replace_source(asked.text.ladder, from_ladder(source), table);
  }
}

}  // namespace

Asked ask(const std::string& source, const SourceOptions& options, bool ladder) {
  Asked asked;
  asked.source = options;
  if (is_ladder(source) || (ladder && source == standard_input)) {
    std::vector<Problem> problems;
    asked.text = lofty::read_ladder_file(source, problems);
    asked.folder = source == standard_input ? fs::path() : fs::path(source).parent_path();
    asked.from_file = true;
    if (!problems.empty()) {
      add_other_problems(asked, problems);
      std::stable_sort(problems.begin(), problems.end(),
                       [](const Problem& a, const Problem& b) { return a.location.line < b.location.line; });
      throw Error(std::move(problems));
    }
    read_instead(asked, options);
  } else {
    if (!options.from.empty() || !options.join_from.empty())
      bad_option(options.from.empty() ? "--join-from" : "--from", source,
                 "it gives a ladder another table, and `" + source + "` is a table itself",
                 "lofty rank NAME.ladder.toml --from " + source);
    asked.text.ladder.data.from = source;
  }
  return asked;
}

lofty::Detail detail_of(const std::optional<std::string>& given) {
  const std::optional<std::string> name = given ? given : settings().remarks;
  if (!name || *name == "full") return lofty::Detail::full;
  if (*name == "short") return lofty::Detail::brief;
  if (*name == "none") return lofty::Detail::none;
  bad_option("--remarks", *name, "--remarks takes none, short or full", "--remarks short", Code::unknown_word);
}

lofty::FileSet inputs_of(const Asked& asked, const std::string& source, const lofty::TableFiles& tables) {
  const lofty::Ladder& ladder = asked.text.ladder;
  lofty::FileSet inputs;
  if (asked.from_file) inputs.add(source);
  inputs.add(tables.file_of(ladder.data.from));
  for (const std::string& name : ladder.data.read.more) inputs.add(tables.file_of(name));
  for (const lofty::Join& join : ladder.data.joins) inputs.add(tables.file_of(join.with));
  if (!ladder.compare.with.empty()) inputs.add(tables.file_of(ladder.compare.with));
  return inputs;
}

std::vector<lofty::Replaces> checked(const std::vector<lofty::Output>& outputs, const lofty::FileSet& inputs,
                                     const lofty::Standings* answer, bool may_replace) {
  lofty::check_apart(outputs, inputs);
  std::vector<lofty::Replaces> found;
  for (const lofty::Output& output : outputs) {
    if (answer == nullptr && output.kind == lofty::Output::Kind::csv) continue;
    found.push_back(lofty::what_it_replaces(output, answer));
    if (!may_replace) lofty::check_replaces(output, found.back());
  }
  return found;
}

std::string replaced_text(const lofty::Output& output, const lofty::Replaces& found) {
  using What = lofty::Replaces::What;
  if (found.what == What::nothing) return {};
  if (found.what == What::earlier_answer) return "; it replaced an earlier answer";
  if (output.kind == lofty::Output::Kind::table) return "; it replaced a table of that name";
  return "; it replaced a file of " + lofty::Decimal(static_cast<lofty::int128>(found.bytes), 0).grouped_text() +
         " bytes";
}

}  // namespace tool
