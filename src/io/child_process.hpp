#pragma once
// Another program, with a text in and texts out.

#include <chrono>
#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

namespace lofty::engine {

struct ProgramResult {
  bool not_found = false;      // there is no such program
  bool out_of_time = false;    // it was killed because it did not end within the time limit
  int status = -1;             // its exit status; -1 where a signal ended it
  std::string output, errors;  // what it wrote; of its errors the first 64 KiB
};

// Runs the program of that name, found as a shell finds it, and gives it `input`. The C locale is in force there.
// Throws Error(cannot_write) where no process can be started. Blocks until the program ends or `at_most` has passed,
// then kills it and the processes that it started. A program that stops reading is no error here. Thread-safe.
ProgramResult run_program(const std::string& name, const std::vector<std::string>& arguments, std::string_view input,
                          std::chrono::milliseconds at_most);

// Notes a process that leads a group of its own while it runs, so that kill_programs() finds it. A process that finds
// no free slot is not found: it ends when its pipes close.
class RunningProgram {
 public:
  explicit RunningProgram(int group);
  ~RunningProgram();
  RunningProgram(const RunningProgram&) = delete;
  RunningProgram& operator=(const RunningProgram&) = delete;
  void kill() const;  // the whole group

 private:
  int group_;
  std::size_t slot_;
};

// Kills the processes that are noted. Async-signal-safe.
void kill_programs() noexcept;

}  // namespace lofty::engine
