#pragma once
// What the commands share: reading options, opening a ladder, and outputs that replace nothing by accident.

#include <filesystem>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "lofty/lofty.hpp"
#include "option_keys.hpp"
#include "resources.hpp"

namespace tool {

[[noreturn]] void bad_option(const std::string& option, const std::string& text, std::string sentence,
                             std::string advice, lofty::Code code = lofty::Code::bad_value);

// "spend=sum(amount)" -> spend, sum(amount)
std::pair<std::string, std::string> named(const std::string& option, const std::string& text, const char* example);

// The names of lists with commas.
std::vector<std::string> names(const std::vector<std::string>& texts);

// A value as it is written in an option: a number, a date, or text.
lofty::Value value_of(const std::string& text);

// "days=90", for each of them.
void choose_all(lofty::Ladder& ladder, const std::vector<std::string>& choices);

// "none", "short" or "full", which nothing means too.
lofty::Detail detail_of(const std::optional<std::string>& name);

bool is_ladder(const std::string& name);

// The tables of a folder; an empty one is the current folder.
lofty::TableFiles tables_in(const std::filesystem::path& folder, const SourceOptions& options);

struct Asked {
  lofty::LadderText text;
  std::filesystem::path folder;  // where its tables are
  bool from_file = false;
  SourceOptions source = {};

  lofty::TableFiles tables() const { return tables_in(folder, source); }
};

// The ladder of a file, or one that has a table and nothing else yet.
// With `ladder`, standard input is a ladder; else it is a table.
Asked ask(const std::string& source, const SourceOptions& options, bool ladder = false);

// What `-` means.
inline constexpr const char* standard_input = "/dev/stdin";

// The files that a ladder reads, as far as they are known before it is run.
lofty::FileSet inputs_of(const Asked& asked, const std::string& source, const lofty::TableFiles& tables);

// The outputs are no inputs, and replace nothing but earlier answers. Returns what each replaces. Without an answer
// what only an answer can tell is left for later: the tables of other ladders, and whether a csv file is an earlier
// answer.
std::vector<lofty::Replaces> checked(const std::vector<lofty::Output>& outputs, const lofty::FileSet& inputs,
                                     const lofty::Standings* answer, bool may_replace);

// "; it replaced an earlier answer"
std::string replaced_text(const lofty::Output& output, const lofty::Replaces& found);

}  // namespace tool
