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

TEST(FieldEnds, RunsOfRecordsWithQuotesEndAtTheFirstWithout) {
  std::mt19937_64 random(12);
  for (std::size_t size = 0; size < 700; ++size) {
    const std::string text = some_text(random, size);
    const std::size_t from = size == 0 ? 0 : random() % size;

    // Record by record.
    std::size_t begin = from;
    for (std::size_t at = from; at < size;) {
      bool inside = false, quote = false;
      for (; at < size; ++at) {
        quote = quote || text[at] == '"';
        inside = inside != (text[at] == '"');
        if (text[at] == '\n' && !inside) break;
      }
      at = std::min(size, at + 1);
      if (!quote) break;
      begin = at;
    }
    engine::with_all_vectors([&] { ASSERT_EQ(engine::quoted_records_end(text, from), begin) << text; });
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
