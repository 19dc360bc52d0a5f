#pragma once
// What is in a folder. (std::filesystem::directory_iterator ends the process when memory runs out.)

#include <dirent.h>

#include <filesystem>
#include <memory>
#include <string>

namespace lofty::engine {

// Calls `see` with the name of each entry, in no order, until it returns false. A folder that cannot be read has none.
template <class See>
void each_name_in(const std::filesystem::path& folder, const See& see) {
  const auto close = [](DIR* open) { ::closedir(open); };
  const std::unique_ptr<DIR, decltype(close)> open(::opendir(folder.c_str()), close);
  while (open) {
    const dirent* const entry = ::readdir(open.get());
    if (entry == nullptr || !see(std::string(entry->d_name))) return;
  }
}

}  // namespace lofty::engine
