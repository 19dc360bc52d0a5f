#pragma once
// The tool with faults injected: a library of ours, preloaded into it, makes the N-th call of a kind fail
// (tests/faults/faults.cpp). Not for sanitizer builds, which come with an allocator of their own.

#include <string>
#include <vector>

#include "support/process.hpp"

namespace support {

struct Fault {
  std::string kind;       // read, write, open, sync, rename, close, stdio, alloc, thread, map
  long at = 0;            // which call, from 1
  std::string what = {};  // an errno's number, short, signal15, kill, shrink, grow, rewrite
  std::string file = {};  // what shrink, grow and rewrite change
  bool early = false;     // alloc: counted from the first one of the process, before main()
};

// Can faults be injected into this build?
bool faults_work();
Ran lofty_with(const Fault& fault, const std::vector<std::string>& arguments, const std::filesystem::path& folder);
// How many calls of a kind the tool makes.
long calls_of(const std::string& kind, const std::vector<std::string>& arguments, const std::filesystem::path& folder);

}  // namespace support
