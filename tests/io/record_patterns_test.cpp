// Long runs of every mixture of records. A text of 64 lines with a doubled quote in every other one was never read to
// its end, and no test with a few records saw it.
#include <gtest/gtest.h>

#include <array>

#include "io/delimited_source.hpp"
#include "lofty/table_files.hpp"
#include "support/plain_delimited.hpp"
#include "support/process.hpp"

using namespace lofty;

namespace {

// Plain, quoted, doubled quotes, a line end inside quotes, an empty field, CR LF, a field missing.
constexpr std::array<const char*, 7> kinds = {
    "ab,c,d\n", "\"e,\",f,g\n", "\"h \"\"i\"\"\",j,k\n", "l,\"m\nn\",o\n", "p,,\"\"\n", "q,r,s\r\n", "t,u\n"};

std::string repeated(const std::string& text, std::size_t times) {
  std::string out;
  for (std::size_t i = 0; i < times; ++i) out += text;
  return out;
}

// Compares a table with the rows of one repetition, again and again. Returns what differs first, or nothing.
std::string difference(const Table& table, const std::vector<support::PlainRow>& rows, std::size_t times) {
  if (table.rows() != rows.size() * times) return std::to_string(table.rows()) + " rows";
  for (std::size_t r = 0; r < table.rows(); ++r)
    for (std::size_t c = 0; c < 3; ++c) {
      const std::optional<std::string>& wanted = rows[r % rows.size()][c];
      const Value value = table.value(r, c);
      const auto* const text = std::get_if<std::string>(&value);
      if (wanted.has_value() != (text != nullptr) || (text != nullptr && *text != *wanted))
        return "row " + std::to_string(r) + ", column " + std::to_string(c);
    }
  return {};
}

class Patterns {
 public:
  // Reads `body` with chunks of so many bytes. Every field is text, whatever it looks like.
  Table read(const std::string& body, std::size_t chunk) {
    scratch_.file("t.csv", "a,b,c\n" + body);
    engine::chunk_bytes = chunk;
    ReadOptions options{.columns = {{"a", Kind::text}, {"b", Kind::text}, {"c", Kind::text}}, .ragged_as_null = true};
    const Table table = open_delimited(scratch_.path() / "t.csv", options)->read(all_, {.threads = 2});
    engine::chunk_bytes = engine::usual_chunk_bytes;
    return table;
  }
  static std::vector<support::PlainRow> plain(const std::string& pattern) {
    return support::plain_rows(pattern, ',', 3, true).value();
  }

 private:
  const support::Scratch scratch_;
  const std::vector<std::size_t> all_{0, 1, 2};
};

// Calls see(pattern) for all patterns of `length` kinds.
template <class See>
void each_pattern(std::size_t length, const See& see, const std::string& begun = {}) {
  if (length == 0) return see(begun);
  for (const char* kind : kinds) each_pattern(length - 1, see, begun + kind);
}

}  // namespace

TEST(RecordPatterns, AThousandTimesEachIsReadAsThePlainReaderReadsIt) {
  Patterns patterns;
  for (const std::size_t length : {1, 2, 3, 4})
    each_pattern(length, [&](const std::string& pattern) {
      const Table table = patterns.read(repeated(pattern, 1000), engine::usual_chunk_bytes);
      ASSERT_EQ(difference(table, Patterns::plain(pattern), 1000), "") << pattern;
    });
}

TEST(RecordPatterns, ChunksEndAtEveryOffsetOfEachPattern) {
  Patterns patterns;
  constexpr std::size_t times = 5;
  for (const std::size_t length : {1, 2})
    each_pattern(length, [&](const std::string& pattern) {
      const std::string body = repeated(pattern, times);
      for (std::size_t chunk = 1; chunk <= pattern.size() + 1; ++chunk)
        ASSERT_EQ(difference(patterns.read(body, chunk), Patterns::plain(pattern), times), "") << pattern << chunk;
    });
}
