#pragma once
// Ladders as TOML files.

#include <filesystem>
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/error.hpp"
#include "lofty/export.hpp"
#include "lofty/ladder.hpp"

namespace lofty LOFTY_EXPORT {

// A ladder as it was read, and where each of its keys is in the file.
struct LadderText {
  Ladder ladder;
  std::string file;  // for messages

  // Gives problems that name a key of the ladder ("figures.amount") their line and column in the file.
  void locate(std::vector<Problem>& problems) const;

  std::string source;
  struct Spot {
    std::size_t line = 0, column = 0;  // of the value, 1-based
    std::size_t offset = 0;            // of the value, in bytes
  };
  std::map<std::string, Spot> spots;
};

// Reads a ladder. Throws Error with all problems of its grammar and keys: syntax, unknown_key, unknown_word, bad_value,
// not_in_this_version; for a file also cannot_open.
[[nodiscard]] LadderText read_ladder(std::string_view toml, const std::string& file_name);
[[nodiscard]] LadderText read_ladder_file(const std::filesystem::path& file);
// The same, with what is wrong with keys and values appended to `problems`, in the order of the file, instead of
// thrown: the ladder is then as far as it could be read, and check() may have more to say.
[[nodiscard]] LadderText read_ladder_file(const std::filesystem::path& file, std::vector<Problem>& problems);

// The ladder as a TOML text; reading it back gives the same ladder. Keys come in the order in which people read them.
[[nodiscard]] std::string ladder_text(const Ladder& ladder);

}  // namespace lofty
