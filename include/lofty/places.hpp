#pragma once
// Places under the five tie rules.

#include <cstdint>
#include <optional>
#include <string_view>
#include <vector>

#include "lofty/order.hpp"

namespace lofty {

// How tied rows are numbered; for the values 9 9 7:
enum class Ties : std::uint8_t {
  competition,  // 1 1 3: one more than the number of better rows
  modified,     // 2 2 3: the number of rows that are as good or better
  dense,        // 1 1 2: the number of different values that are as good or better
  ordinal,      // 1 2 3: tied rows are told apart by the tie-breakers, then by the input order
  fractional,   // 1.5 1.5 3: the mean of the ordinal places
};

const char* ties_name(Ties ties);
std::optional<Ties> ties_from(std::string_view name);

// The place of each position of `order` (in sorted order), starting from 1 in every group; 0 = unranked, because its
// first key is null. Precondition (asserted): ties is not fractional. O(n) time, 4 bytes a row. No error: every Order
// is valid. Thread-safe, as are the functions below.
std::vector<std::uint32_t> places(const Order& order, Ties ties);
// The same by input row: for the values 7 9 9, descending, competition: 3 1 1.
std::vector<std::uint32_t> places_by_row(const Order& order, Ties ties);

// Fractional places, exact halves; 0 = unranked.
std::vector<double> fractional_places(const Order& order);
std::vector<double> fractional_places_by_row(const Order& order);

}  // namespace lofty
