#include "value/zone.hpp"

#include <unicode/basictz.h>
#include <unicode/strenum.h>
#include <unicode/timezone.h>
#include <unicode/tztrans.h>
#include <unicode/unistr.h>

#include <algorithm>
#include <initializer_list>
#include <limits>
#include <map>
#include <memory>
#include <mutex>

#include "base/folded.hpp"

namespace lofty {

using namespace engine;

namespace {

constexpr double last_year_ms = 4'102'444'800'000.0;  // 2100-01-01: laws about clocks reach no further

}  // namespace

Zone::Zone(const std::string& name) {
  const std::unique_ptr<icu::TimeZone> zone(icu::TimeZone::createTimeZone(icu::UnicodeString::fromUTF8(name)));
  const auto* const rules = dynamic_cast<const icu::BasicTimeZone*>(zone.get());
  const auto add = [&](std::int64_t from, double at_ms) {
    std::int32_t raw = 0, summer = 0;
    UErrorCode error = U_ZERO_ERROR;
    zone->getOffset(at_ms, static_cast<UBool>(false), raw, summer, error);
    const std::int64_t offset = (std::int64_t{raw} + summer) * 1000;
    if (!offset_.empty() && offset_.back() == offset) return;
    from_.push_back(from);
    offset_.push_back(offset);
  };
  constexpr double before_all_ms = -4e12;  // 1843: no zone had rules then
  add(std::numeric_limits<std::int64_t>::min(), before_all_ms);
  icu::TimeZoneTransition change;
  for (double at = before_all_ms;
       rules != nullptr && rules->getNextTransition(at, static_cast<UBool>(false), change) != 0;) {
    at = change.getTime();
    if (at > last_year_ms) break;
    add(static_cast<std::int64_t>(at) * 1000, at);
  }
}

const Zone* Zone::find(const std::string& name) {
  static std::mutex mutex;
  static std::map<std::string, std::unique_ptr<const Zone>> zones;
  const std::scoped_lock lock(mutex);
  const auto found = zones.find(name);
  if (found != zones.end()) return found->second.get();
  const std::vector<std::string> all = names();
  if (std::find(all.begin(), all.end(), name) == all.end()) return nullptr;
  return zones.emplace(name, std::unique_ptr<const Zone>(new Zone(name))).first->second.get();
}

std::vector<std::string> Zone::names() {
  std::vector<std::string> out;
  UErrorCode error = U_ZERO_ERROR;
  const std::unique_ptr<icu::StringEnumeration> all(
      icu::TimeZone::createTimeZoneIDEnumeration(UCAL_ZONE_TYPE_ANY, nullptr, nullptr, error));
  if (U_FAILURE(error) != 0) throw std::bad_alloc();  // the only reason that it can have
  for (const icu::UnicodeString* one; (one = all->snext(error)) != nullptr;) {
    std::string name;
    one->toUTF8String(name);
    out.push_back(std::move(name));
  }
  return out;
}

std::string Zone::nearest(const std::string& name) {
  std::string words = name;
  std::replace(words.begin(), words.end(), ' ', '_');
  std::vector<std::string> places;  // the last part of each name
  const std::vector<std::string> all = names();
  for (const std::string& one : all) places.push_back(one.substr(one.rfind('/') + 1));
  for (const auto* these : std::initializer_list<const std::vector<std::string>*>{&all, &places})
    for (std::size_t z = 0; z < all.size(); ++z)
      if (equal_folded((*these)[z], words)) return all[z];
  const std::string whole = nearest_word(name, all);
  if (!whole.empty() || name.find('/') != std::string::npos) return whole;
  const std::string place = nearest_word(words, places);
  return place.empty() ? place
                       : all[static_cast<std::size_t>(std::find(places.begin(), places.end(), place) - places.begin())];
}

std::int64_t engine::day_at(const Type& type, std::int64_t value) {
  if (type.kind == Kind::date) return value;
  return Timestamp{type.zone != nullptr ? type.zone->to_local(value) : value}.day().days;
}

std::int64_t Zone::offset(std::int64_t instant) const {
  const auto next = std::upper_bound(from_.begin() + 1, from_.end(), instant);
  return offset_[static_cast<std::size_t>(next - from_.begin()) - 1];
}

std::int64_t Zone::to_instant(std::int64_t local) const {
  constexpr std::int64_t day = 86'400'000'000;  // no offset is longer
  // The offset before a change that is near is in force in the first of two equal hours, and says when a skipped one
  // would have been.
  const std::int64_t before = offset(local - day), early = local - before;
  if (offset(early) == before) return early;
  const std::int64_t after = offset(early), late = local - after;
  return offset(late) == after ? late : early;
}

}  // namespace lofty
