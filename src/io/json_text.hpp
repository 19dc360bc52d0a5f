#pragma once
// A text as JSON.

#include <string>

namespace lofty::engine {

// With its quotes; what is not UTF-8 becomes U+FFFD.
std::string json_text(const std::string& text);

}  // namespace lofty::engine
