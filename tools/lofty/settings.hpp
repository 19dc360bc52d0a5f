#pragma once
// The user's settings: a file of defaults, none of which changes an answer.

#include <optional>
#include <string>

#include "resources.hpp"

namespace tool {

struct Settings {
  enum class Colours { automatic, always, never } colours = Colours::automatic;
  Resources resources = {};
  std::optional<std::string> pager;    // instead of $PAGER; empty: none
  std::optional<std::string> remarks;  // none, short or full, where --remarks is not given
};

// Reads $XDG_CONFIG_HOME/lofty/config.toml, or ~/.config/lofty/config.toml, where it is there. Throws lofty::Error for
// a key or a value that is not one, with its place.
void load_settings();

// What was read; the defaults before that, and where reading failed.
const Settings& settings();

}  // namespace tool
