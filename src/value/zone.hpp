#pragma once
// Time zones: the wall clock of a place, for moments that were written with an offset.
// Covered by tests/value/zone_test.cpp.

#include <cstdint>
#include <string>
#include <vector>

#include "lofty/value.hpp"

namespace lofty {

// One zone's rules, from ICU's own tables (they come with the library, so the machine's settings change nothing).
// Moments are microseconds since 1970-01-01 00:00 UTC, wall clocks microseconds since 1970-01-01 00:00 there.
// Immutable; safe to share between threads. Zones live as long as the program.
class Zone {
 public:
  // By its name in the IANA data base, "Europe/Oslo"; null: there is none. Thread-safe.
  static const Zone* find(const std::string& name);
  // All names, for messages.
  static std::vector<std::string> names();
  // The name that may be meant; empty: none is near. "Oslo" is Europe/Oslo.
  static std::string nearest(const std::string& name);

  std::int64_t to_local(std::int64_t instant) const { return instant + offset(instant); }
  // The moment that a wall clock shows this: of an hour that comes twice the first, of one that is skipped the moment
  // that it would have been.
  std::int64_t to_instant(std::int64_t local) const;
  // Ahead of UTC, in microseconds. O(log of the number of changes).
  std::int64_t offset(std::int64_t instant) const;

 private:
  explicit Zone(const std::string& name);
  std::vector<std::int64_t> from_, offset_;  // from when on, ascending; the first is before everything
};

namespace engine {

// The day (since 1970-01-01) of a date, or of a moment where it is shown.
std::int64_t day_at(const Type& type, std::int64_t value);

}  // namespace engine
}  // namespace lofty
