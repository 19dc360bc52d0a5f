#pragma once
// Where fields and records of delimited text end, found 64 bytes at a time.
// Covered by tests/io/field_ends_test.cpp and tests/io/delimited_test.cpp.

#include <cstddef>
#include <cstdint>
#include <string_view>

namespace lofty::engine {

struct FieldEnds {
  std::size_t count = 0;          // offsets that were written
  std::size_t line_feeds = 0;     // how many of them follow a line feed
  bool carriage_returns = false;  // do any of them follow a carriage return?
  std::size_t stopped = 0;        // how far the text was searched: its end, a quote, or where the room ended
  bool quotes = false;            // are there any before that?
  bool needs_parser = false;      // did it stop at a quote that is not one of a pair around a whole field?
};

// How far the text was searched before: in quotes, or where a field begins, or right after a closing quote.
struct QuoteState {
  bool inside = false, field_begins = true, closed = false;
};

// The least room that find_field_ends() gets on with.
inline constexpr std::size_t least_field_room = 128;

// Writes the offset after each delimiter, line feed and carriage return of the text from `from` on, ascending, and
// stops at the first quote (") and where fewer than 64 of `room` are left. Up to `room` elements of `out` may be
// overwritten. The text has at most 4 GiB. Uses the widest vectors that the machine has, chosen at run time.
FieldEnds find_field_ends(std::string_view text, std::size_t from, char delimiter, std::uint32_t* out,
                          std::size_t room);

// The same where quotes are in pairs around whole fields and nowhere else: delimiters and line ends between them are
// none. Stops at the first other quote, and at the end of a text that ends between quotes. Goes on from `state`, and
// leaves it for the next call.
FieldEnds find_field_ends_outside_quotes(std::string_view text, std::size_t from, char delimiter, QuoteState& state,
                                         std::uint32_t* out, std::size_t room);

// The end of a run of at most so many records from `from` on, where one begins, that all hold a quote. A record ends
// after a line feed before which the number of quotes is even, or with the text.
std::size_t quoted_records_end(std::string_view text, std::size_t from, std::size_t most);

std::size_t count_quotes(std::string_view text);

// How many line ends a text has. CR LF, LF and CR each end a line.
std::size_t count_line_ends(std::string_view text);

}  // namespace lofty::engine
