#pragma once
// The keys of a ladder file and the options that set them: one table for all that has to know.

#include <string>
#include <vector>

#include "commands.hpp"
#include "lofty/lofty.hpp"

namespace tool {

// Problems with what an option said are about the option, not about a key: its name becomes their place, and advice
// that is about a key speaks of the key's option. `from_file`: what no option set is in the ladder's file and stays as
// it is. Problems of options come first.
void name_options(std::vector<lofty::Problem>& problems, const RankOptions& options, bool from_file);

}  // namespace tool
