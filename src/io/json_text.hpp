#pragma once
// A text as JSON.

#include <string>

namespace lofty::engine {

// With its quotes; what is not UTF-8 becomes U+FFFD.
std::string json_text(const std::string& text);
// Makes a JSON text of what begins at `from`.
void quote_json(std::string& out, std::size_t from);

}  // namespace lofty::engine
