// Text orders: by a language's rules, naturally, by code point. Only distinct texts come here.

#include <unicode/coll.h>
#include <unicode/unistr.h>

#include <algorithm>
#include <numeric>

#include "base/parallel.hpp"
#include "lofty/error.hpp"
#include "order/codes.hpp"

namespace lofty::engine {
namespace {

std::unique_ptr<icu::Collator> open_collator(TextOrder order, const std::string& locale) {
  UErrorCode status = U_ZERO_ERROR;
  const icu::Locale where = locale.empty() ? icu::Locale::getRoot() : icu::Locale(locale.c_str());
  std::unique_ptr<icu::Collator> collator(icu::Collator::createInstance(where, status));
  if (collator && order == TextOrder::natural) collator->setAttribute(UCOL_NUMERIC_COLLATION, UCOL_ON, status);
  if (status == U_MEMORY_ALLOCATION_ERROR || (!collator && U_SUCCESS(status) != 0)) throw std::bad_alloc();
  if (!collator || U_FAILURE(status) != 0)
    throw Error(
        Problem{Code::bad_value, "no text order for the locale `" + locale + "`: " + u_errorName(status), {}, {}, {}});
  return collator;
}

std::string collation_key(const icu::Collator& collator, std::string_view text) {
  const icu::UnicodeString wide =
      icu::UnicodeString::fromUTF8(icu::StringPiece(text.data(), static_cast<std::int32_t>(text.size())));
  std::string key(64, '\0');
  std::int32_t size =
      collator.getSortKey(wide, reinterpret_cast<std::uint8_t*>(key.data()), static_cast<std::int32_t>(key.size()));
  if (size > static_cast<std::int32_t>(key.size())) {
    key.resize(static_cast<std::size_t>(size));
    size = collator.getSortKey(wide, reinterpret_cast<std::uint8_t*>(key.data()), size);
  }
  if (size == 0 || wide.isBogus() != 0) throw std::bad_alloc();  // a key has a byte at least
  key.resize(static_cast<std::size_t>(size));
  return key;
}

}  // namespace

std::vector<std::uint32_t> text_ranks(const std::vector<std::string_view>& distinct, TextOrder order,
                                      const std::string& locale, const Run& run) {
  std::vector<std::uint32_t> sorted(distinct.size()), ranks(distinct.size());
  std::iota(sorted.begin(), sorted.end(), 0u);
  if (order == TextOrder::code_point || distinct.size() < 2) {
    sort_unless_stopped(sorted.begin(), sorted.end(), run,
                        [&](std::uint32_t a, std::uint32_t b) { return distinct[a] < distinct[b]; });
  } else {
    const auto collator = open_collator(order, locale);
    std::vector<std::string> keys(distinct.size());
    // Threads may share a collator that does not change.
    parallel_for(RowRanges::costly(keys.size(), 8192), run, [&](const RowRange& piece) {
      for (std::size_t i = piece.begin; i < piece.end; ++i) keys[i] = collation_key(*collator, distinct[i]);
    });
    sort_unless_stopped(sorted.begin(), sorted.end(), run, [&](std::uint32_t a, std::uint32_t b) {
      const int by_rules = keys[a].compare(keys[b]);
      return by_rules != 0 ? by_rules < 0 : distinct[a] < distinct[b];
    });
  }
  for (std::uint32_t i = 0; i < sorted.size(); ++i) ranks[sorted[i]] = i;
  return ranks;
}

bool is_locale(const std::string& name) {
  const icu::Locale locale(name.c_str());
  return !locale.isBogus() && locale.getISO3Language()[0] != '\0';
}

int compare_texts(std::string_view a, std::string_view b, TextOrder order, const std::string& locale) {
  if (order != TextOrder::code_point && a != b) {
    const auto collator = open_collator(order, locale);
    const int by_rules = collation_key(*collator, a).compare(collation_key(*collator, b));
    if (by_rules != 0) return by_rules;
  }
  return a.compare(b);
}

}  // namespace lofty::engine
