#pragma once
// The parts of the machine that a command may use; none of them changes an answer.

#include <cstdint>
#include <string>
#include <vector>

namespace tool {

// Which tables are read instead of the ladder's own, which may be read, and how long a server may take for them.
struct SourceOptions {
  std::string from;                    // the first table; empty: the ladder's own
  std::vector<std::string> join_from;  // NAME=TABLE, of joined tables
  std::string only_under;              // the folder that tables have to be in; empty: any table
  double server_timeout = 600;         // seconds a statement; 0: any number
};

struct Resources {
  int threads = 0;           // 0: as many as the machine has
  std::uint64_t memory = 0;  // bytes for large arrays; 0: half of what is free
  std::string spill_to;      // the folder for what does not fit; empty: the temporary one
  SourceOptions source = {};
};

// Turns "1GiB" into the digits of a number of bytes; returns what is wrong, or nothing.
std::string take_bytes(std::string& text);
// What is wrong with a folder for what does not fit into memory, or nothing.
std::string wrong_folder(const std::string& name);

}  // namespace tool
