#pragma once
// All that an answer says, as one text: so that two ways to the same answer can be compared.

#include <filesystem>
#include <string>

#include "lofty/ladder.hpp"

namespace support {

struct Said {
  std::string text;          // the whole answer, or what is wrong
  bool in_one_pass = false;  // rows were not kept
  bool answered = false;
};

// The ladder's tables are files of this folder.
Said ask(const lofty::Ladder& ladder, const std::filesystem::path& folder, int threads = 0);

}  // namespace support
