#pragma once
// Another program, with a text in and texts out.

#include <string>
#include <string_view>
#include <vector>

namespace lofty::engine {

struct ProgramResult {
  bool not_found = false;      // there is no such program
  int status = -1;             // its exit status; -1 where a signal ended it
  std::string output, errors;  // what it wrote; of its errors the first 64 KiB
};

// Runs the program of that name, found as a shell finds it, and gives it `input`. The C locale is in force there.
// Throws Error(cannot_write) where no process can be begun. Blocks until it ends; a program that reads nothing more is
// no error here. Thread-safe.
ProgramResult run_program(const std::string& name, const std::vector<std::string>& arguments, std::string_view input);

}  // namespace lofty::engine
