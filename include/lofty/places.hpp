#pragma once
// Places under the five tie rules.

#include <bit>
#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <string_view>
#include <type_traits>
#include <vector>

#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"
#include "lofty/order.hpp"

namespace lofty LOFTY_EXPORT {

// How tied rows are numbered; for the values 9 9 7:
enum class Ties : std::uint8_t {
  competition,  // 1 1 3: one more than the number of better rows
  modified,     // 2 2 3: the number of rows that are as good or better
  dense,        // 1 1 2: the number of different values that are as good or better
  ordinal,      // 1 2 3: tied rows are told apart by the tie-breakers, then by the input order
  fractional,   // 1.5 1.5 3: the mean of the ordinal places
};
[[nodiscard]] const char* to_string(Ties value);
template <>
std::optional<Ties> from_string<Ties>(std::string_view name);

// The place of each position of `order` (in sorted order), starting from 1 in every group; 0 = unranked, because its
// first key is null. Precondition: ties is not fractional. O(n) time, 4 bytes a row. No error: every Order
// is valid. Thread-safe, as are the functions below.
[[nodiscard]] std::vector<std::uint32_t> places(const Order& order, Ties ties, const Run& run = {});
// The same into the caller's memory. Precondition: out.size() == order.size().
void places(const Order& order, Ties ties, std::span<std::uint32_t> out, const Run& run = {});
// The same by input row: for the values 7 9 9, descending, competition: 3 1 1.
[[nodiscard]] std::vector<std::uint32_t> places_by_row(const Order& order, Ties ties, const Run& run = {});
void places_by_row(const Order& order, Ties ties, std::span<std::uint32_t> out, const Run& run = {});

// Fractional places, exact halves; 0 = unranked.
[[nodiscard]] std::vector<double> fractional_places(const Order& order, const Run& run = {});
[[nodiscard]] std::vector<double> fractional_places_by_row(const Order& order, const Run& run = {});

// All five rules from one pass, in sorted order. 24 bytes a row.
struct EveryPlace {
  std::vector<std::uint32_t> competition, modified, dense, ordinal;
  std::vector<double> fractional;
};
[[nodiscard]] EveryPlace every_place(const Order& order, const Run& run = {});
void every_place(const Order& order, EveryPlace& out, const Run& run = {});  // into memory that is there already

// Equal-sized tiers, 1 to `count`, of the ranked rows of each group in the order of their ordinal places; the first
// tiers take one row more where the division leaves a remainder (as ISO SQL's ntile), so a tie may be split. 0 =
// unranked. Precondition: count is not 0.
[[nodiscard]] std::vector<std::uint32_t> tiers(const Order& order, std::uint32_t count, const Run& run = {});

// ISO SQL's percent_rank over the ranked rows of each group: (competition - 1) / (ranked - 1), 0 for a single one; and
// cume_dist: modified / ranked. NaN = unranked.
[[nodiscard]] std::vector<double> percent_ranks(const Order& order, const Run& run = {});
[[nodiscard]] std::vector<double> cumulative_distributions(const Order& order, const Run& run = {});

// Results in sorted order -> by input row. O(n); a copy of the values and 2 bytes a row, while it runs.
template <class T>
[[nodiscard]] std::vector<T> by_input_row(const Order& order, std::span<const T> sorted, const Run& run = {});
template <class T>
[[nodiscard]] std::vector<T> by_input_row(const Order& order, const std::vector<T>& sorted, const Run& run = {}) {
  return by_input_row(order, std::span<const T>(sorted), run);
}
// The same into the caller's memory. Precondition: the three are of one length.
template <class T>
void by_input_row(const Order& order, std::span<const T> sorted, std::span<T> out, const Run& run = {});

namespace detail {
// Calls work(begin, end) for stretches that cover [0, size), on this thread; asks between them whether to stop.
void in_stretches(std::size_t size, const Run& run, const std::function<void(std::size_t, std::size_t)>& work);
// out[rows[i]] = sorted[i] for elements of 1, 2, 4, 8 or 16 bytes, on several threads.
void scatter(const Order& order, const void* sorted, std::size_t element, void* out, const Run& run);
void require_lengths(bool equal);  // throws CallError where they are not
void fetch_pages(void* data, std::size_t bytes, const Run& run);
}  // namespace detail

template <class T>
void by_input_row(const Order& order, std::span<const T> sorted, std::span<T> out, const Run& run) {
  detail::require_lengths(sorted.size() == order.size() && out.size() == order.size());
  if constexpr (std::is_trivially_copyable_v<T> && std::has_single_bit(sizeof(T)) && sizeof(T) <= 16) {
    detail::scatter(order, sorted.data(), sizeof(T), out.data(), run);
  } else {
    const auto rows = order.rows();
    detail::in_stretches(order.size(), run, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) out[rows[i]] = sorted[i];
    });
  }
}

template <class T>
[[nodiscard]] std::vector<T> by_input_row(const Order& order, std::span<const T> sorted, const Run& run) {
  detail::require_lengths(sorted.size() == order.size());
  std::vector<T> out;
  out.reserve(sorted.size());
  detail::fetch_pages(out.data(), sorted.size() * sizeof(T), run);
  out.resize(sorted.size());
  by_input_row(order, sorted, std::span<T>(out), run);
  return out;
}

}  // namespace lofty
