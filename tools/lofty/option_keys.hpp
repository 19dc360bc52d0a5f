#pragma once
// The keys of a ladder file and the options that set them: one table for all that has to know.

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "commands.hpp"
#include "lofty/lofty.hpp"

namespace tool {

// Problems with what an option said are about the option, not about a key: its name becomes their place, and advice
// that is about a key speaks of the key's option. `from_file`: what no option set is in the ladder's file and stays as
// it is. Problems of options come first.
void name_options(std::vector<lofty::Problem>& problems, const RankOptions& options, bool from_file);

// The option of `lofty rank` that sets this key of ladder_keys(); empty: there is none.
std::string option_of(const lofty::LadderKey& key);
// An option's current name; nullopt: no version had it.
std::optional<std::string> current_option(std::string_view retired);
// Advice of the library with options in place of its settings: "run.memory" is "--memory", and "picture.mark = 0.8" is
// "--mark 0.8". `keys`: the same for the keys of a ladder.
std::string with_options(std::string advice, bool keys = false);
std::vector<lofty::Remark> with_options(std::vector<lofty::Remark> remarks);

std::string trimmed(std::string text);

}  // namespace tool
