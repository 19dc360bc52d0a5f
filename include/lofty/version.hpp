#pragma once
// Which version this is. While the first number is 0, a change of the second may change interfaces.

#include <string>
#include <vector>

#include "lofty/export.hpp"

#define LOFTY_VERSION_MAJOR 0
#define LOFTY_VERSION_MINOR 2
#define LOFTY_VERSION_PATCH 0
#define LOFTY_VERSION "0.2.0"

namespace lofty LOFTY_EXPORT {

// The version of the library that is linked, "0.2.0". With a shared library it may be another than LOFTY_VERSION, with
// which the program was compiled.
[[nodiscard]] const char* version();

// Another library that is in use, with its version at run time where it tells one.
struct LibraryVersion {
  std::string name, version;
};
// All of them, by name.
[[nodiscard]] std::vector<LibraryVersion> libraries_in_use();

}  // namespace lofty
