#pragma once
// The keys of a ladder file: what each one is, for readers, editors and documentation.

#include <span>
#include <string_view>

#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

struct LadderKey {
  std::string_view section;   // "rank", "data.join[]", "periods.*"; empty: the top of the file
  std::string_view key;       // "by"; "*": any name, which the ladder's author chooses
  std::string_view type;      // of its value: "text", "list of texts", "whole number", ...
  std::string_view standard;  // what holds where it is missing; empty: nothing does, or it has to be there
  std::string_view meaning;   // one or two sentences
  std::string_view example;   // a line that can be pasted: "by = \"spend desc\""
};

// All of them, section by section, in the order in which a ladder is usually written. Static, thread-safe.
[[nodiscard]] std::span<const LadderKey> ladder_keys();

}  // namespace lofty
