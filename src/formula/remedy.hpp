#pragma once
// What would be right instead: advice of a problem, in the words of a ladder file.

#include <string>
#include <utility>

namespace lofty::engine {

// Advice about a key has it (Problem::advice_key), so that an interface that calls the key otherwise can say its own.
struct Remedy {
  Remedy() = default;
  Remedy(const char* advice) : words(advice) {}             // NOLINT(google-explicit-constructor): most are words alone
  Remedy(std::string advice) : words(std::move(advice)) {}  // NOLINT(google-explicit-constructor)
  Remedy(std::string advice, std::string about) : words(std::move(advice)), key(std::move(about)) {}

  std::string words, key;
};

namespace remedy {

inline Remedy set_each() { return {"each = [\"shop_no\"] under [rank]", "rank.each"}; }
inline Remedy set_by() { return {"by = \"spend desc\" under [rank]", "rank.by"}; }
inline Remedy set_rank_as() { return {"rank_as = \"place\" gives it another", "rank.rank_as"}; }
inline Remedy set_period() {
  return {"a section [periods.recent] with on = \"ordered_on\", last = 1 and unit = \"month\"", "compare.period"};
}
inline Remedy set_first_month() {
  return {"1 to 12: first_month = 4 has years begin in April", "calendar.first_month"};
}
inline Remedy name_total() { return {"give it a name under [totals]", "totals."}; }
inline Remedy name_window() { return {"give it a name under [windows]", "windows."}; }
inline Remedy name_figure() { return {"give it a name under [figures]", "figures."}; }

}  // namespace remedy

}  // namespace lofty::engine
