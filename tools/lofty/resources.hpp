#pragma once
// The parts of the machine that a command may use; none of them changes an answer.

#include <cstdint>
#include <string>

namespace tool {

struct Resources {
  int threads = 0;           // 0: as many as the machine has
  std::uint64_t memory = 0;  // bytes for large arrays; 0: half of what is free
  std::string spill_to;      // the folder for what does not fit; empty: the temporary one
  std::string only_under;    // the folder that tables have to be in; empty: any
};

// Turns "1GiB" into the digits of a number of bytes; returns what is wrong, or nothing.
std::string take_bytes(std::string& text);
// What is wrong with a folder for what does not fit into memory, or nothing.
std::string wrong_folder(const std::string& name);

}  // namespace tool
