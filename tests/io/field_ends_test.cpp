// The ends of fields and records, for every kind of vectors, against a loop over the bytes.
#include "io/field_ends.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>
#include <string>
#include <vector>

#include "support/vectors.hpp"

using namespace lofty;

namespace {

std::string some_text(std::mt19937_64& random, std::size_t size) {
  static constexpr std::string_view likely = "ab,1;\n\r\"";
  const std::size_t rare = random() % 5;  // quotes in some texts only, and long stretches without any end
  std::string text(size, 'x');
  for (char& c : text) {
    if (random() % 4 < rare) continue;
    c = likely[random() % (likely.size() - (random() % 8 != 0))];
  }
  return text;
}

}  // namespace

TEST(FieldEnds, AreThoseOfALoopOverTheBytes) {
  std::mt19937_64 random(11);
  for (std::size_t size = 0; size < 700; ++size) {
    const std::string text = some_text(random, size);
    const std::size_t from = size == 0 ? 0 : random() % size;
    const char delimiter = size % 2 == 0 ? ',' : ';';
    engine::with_all_vectors([&] {
      std::vector<std::uint32_t> out(engine::least_field_room + size % 90, 0xffffffff);
      const engine::FieldEnds found = engine::find_field_ends(text, from, delimiter, out.data(), out.size());

      // What is before the place where it stopped.
      std::vector<std::uint32_t> ends;
      std::size_t feeds = 0;
      bool returns = false;
      std::size_t at = from;
      for (; at < found.stopped && text[at] != '"'; ++at) {
        if (text[at] == delimiter || text[at] == '\n' || text[at] == '\r')
          ends.push_back(static_cast<std::uint32_t>(at) + 1);
        feeds += text[at] == '\n';
        returns = returns || text[at] == '\r';
      }
      ASSERT_EQ(at, found.stopped) << "it goes beyond a quote";
      ASSERT_TRUE(at == size || text[at] == '"' || out.size() - found.count < 64) << "it stops early";
      out.resize(found.count);
      ASSERT_EQ(out, ends);
      ASSERT_EQ(found.line_feeds, feeds);
      ASSERT_EQ(found.carriage_returns, returns);
    });
  }
}

namespace {

// Fields with and without quotes around them, long ones too; in some texts a sign is too many or missing.
std::string some_fields(std::mt19937_64& random, std::size_t size, char delimiter) {
  const std::uint64_t quoted = random() % 4, faults = random() % 3;
  std::string text;
  while (text.size() < size) {
    std::string field(random() % 4 == 0 ? random() % 150 : random() % 6, 'x');
    if (random() % 4 < quoted) {
      for (char& c : field)
        if (random() % 8 == 0) c = std::string_view(",;\n\r")[random() % 4];
      field = '"' + field + '"';
    }
    text += field;
    text += random() % 4 == 0 ? std::string_view("\n\r")[random() % 2] : delimiter;
    if (faults == 0 && random() % 40 == 0) text[random() % text.size()] = '"';
  }
  text.resize(size);
  return text;
}

}  // namespace

// In one search or several, each where the one before it stopped.
TEST(FieldEnds, OutsideQuotesAreThoseOfALoopOverTheBytes) {
  std::mt19937_64 random(15);
  std::size_t whole = 0;
  for (std::size_t size = 0; size < 1200; ++size) {
    const char delimiter = size % 2 == 0 ? ',' : ';';
    const std::string text = some_fields(random, size, delimiter);
    const std::size_t room = engine::least_field_room + random() % 90;
    std::vector<std::uint32_t> ends;
    std::size_t feeds = 0, wrong = size;
    bool inside = false, begins = true, closed = false, returns = false;
    for (std::size_t at = 0; at < size; ++at) {
      const char c = text[at];
      const bool end = !inside && (c == delimiter || c == '\n' || c == '\r');
      if ((c == '"' && !inside && !begins) || (closed && !end)) {
        wrong = at;
        break;
      }
      if (c == '"') inside = !inside;
      closed = c == '"' && !inside;
      begins = end;
      if (!end) continue;
      ends.push_back(static_cast<std::uint32_t>(at) + 1);
      feeds += c == '\n';
      returns = returns || c == '\r';
    }
    whole += wrong == size && !inside;

    engine::with_all_vectors([&] {
      std::vector<std::uint32_t> all, out(room);
      std::size_t at = 0, all_feeds = 0;
      bool any_returns = false;
      engine::QuoteState state;
      for (bool ended = size == 0; !ended;) {
        const auto found = engine::find_field_ends_outside_quotes(text, at, delimiter, state, out.data(), room);
        all.insert(all.end(), out.begin(), out.begin() + static_cast<std::ptrdiff_t>(found.count));
        all_feeds += found.line_feeds;
        any_returns = any_returns || found.carriage_returns;
        const std::string_view seen = std::string_view(text).substr(at, found.stopped - at);
        ASSERT_TRUE(found.quotes || seen.find('"') == std::string_view::npos);
        ended = found.needs_parser || found.stopped == size;
        ASSERT_TRUE(ended || room - found.count < 64) << "it stops early";
        at = found.stopped;
        ASSERT_EQ(found.needs_parser, ended && (wrong < size || inside)) << text;
      }
      ASSERT_EQ(at, wrong) << text;
      ASSERT_EQ(all, ends) << text;
      ASSERT_EQ(all_feeds, feeds);
      ASSERT_EQ(any_returns, returns);
    });
  }
  EXPECT_GT(whole, 300U);
  EXPECT_LT(whole, 900U);
}

TEST(FieldEnds, RunsOfRecordsWithQuotesEndAtTheFirstWithoutAndAreOfSoManyAtMost) {
  std::mt19937_64 random(12);
  for (std::size_t size = 0; size < 700; ++size) {
    const std::string text = some_text(random, size);
    const std::size_t from = size == 0 ? 0 : random() % size, most = 1 + random() % 20;

    // Record by record.
    std::size_t begin = from, records = 0;
    for (std::size_t at = from; at < size && records < most;) {
      bool inside = false, quote = false;
      for (; at < size; ++at) {
        quote = quote || text[at] == '"';
        inside = inside != (text[at] == '"');
        if (text[at] == '\n' && !inside) break;
      }
      at = std::min(size, at + 1);
      if (!quote) break;
      begin = at;
      ++records;
    }
    engine::with_all_vectors([&] { ASSERT_EQ(engine::quoted_records_end(text, from, most), begin) << text; });
  }
}

TEST(FieldEnds, CountsQuotes) {
  std::mt19937_64 random(13);
  for (std::size_t size = 0; size < 300; ++size) {
    const std::string text = some_text(random, size);
    const auto quotes = static_cast<std::size_t>(std::count(text.begin(), text.end(), '"'));
    engine::with_all_vectors([&] { ASSERT_EQ(engine::count_quotes(text), quotes); });
  }
}

TEST(FieldEnds, CountsLineEnds) {
  std::mt19937_64 random(14);
  for (std::size_t size = 0; size < 300; ++size) {
    const std::string text = some_text(random, size);
    std::size_t lines = 0;
    for (std::size_t i = 0; i < size; ++i) lines += text[i] == '\n' ? !(i > 0 && text[i - 1] == '\r') : text[i] == '\r';
    engine::with_all_vectors([&] { ASSERT_EQ(engine::count_line_ends(text), lines); });
  }
}
