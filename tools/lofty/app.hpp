#pragma once
// The command line's commands and options: what the tool reads, and what manual pages and completions are made from.

#include <CLI/CLI.hpp>

#include <memory>
#include <string>

#include "commands.hpp"

namespace tool {

// What the options of each command are read into.
struct CommandLine {
  InspectOptions inspect;
  RankOptions rank;
  WhyOptions why;
  CostOptions cost;
  TranslateOptions translate;
  CheckOptions check;
  DrawOptions draw;
  DemoOptions demo;
  std::string function_word;
};

std::string version_text();

// Every command with its options, help and examples. `to` has to outlive the result.
std::unique_ptr<CLI::App> make_app(CommandLine& to);

}  // namespace tool
