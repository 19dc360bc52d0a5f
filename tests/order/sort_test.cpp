// The sort itself on inputs that are large enough for buckets and threads, on every vector target of this machine.
#include "order/sort.hpp"
#include "order/codes.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <numeric>
#include <random>

#include "base/access.hpp"
#include "lofty/error.hpp"
#include "lofty/order.hpp"
#include "order/word_sort.hpp"

using namespace lofty;

namespace {

constexpr std::size_t large = 130'000;  // over the size from which rows are partitioned

// The seed is printed with every failure, and settable: LOFTY_TEST_SEED.
std::uint64_t seed() {
  static const char* const set = std::getenv("LOFTY_TEST_SEED");
  return set != nullptr ? std::strtoull(set, nullptr, 10) : 20'250'301;
}

struct Shape {
  const char* name;
  std::function<std::int64_t(std::size_t, std::mt19937_64&)> value;
};

const std::vector<Shape>& shapes() {
  static const std::vector<Shape> all{
      {"30 bits", [](std::size_t, auto& r) { return static_cast<std::int64_t>(r() >> 34); }},
      {"45 bits", [](std::size_t, auto& r) { return static_cast<std::int64_t>(r() >> 19); }},
      {"64 bits", [](std::size_t, auto& r) { return static_cast<std::int64_t>(r()); }},
      {"few distinct", [](std::size_t, auto& r) { return static_cast<std::int64_t>(r() % 10) * 123'456'789; }},
      {"sorted", [](std::size_t i, auto&) { return static_cast<std::int64_t>(i / 3); }},
      {"reversed", [](std::size_t i, auto&) { return -static_cast<std::int64_t>(i / 3); }},
      {"sorted, none equal", [](std::size_t i, auto&) { return static_cast<std::int64_t>(7 * i); }},
      {"reversed, none equal", [](std::size_t i, auto&) { return -static_cast<std::int64_t>(7 * i); }},
      {"nearly sorted", [](std::size_t i, auto& r) { return static_cast<std::int64_t>(i + r() % 50); }},
      {"skewed",
       [](std::size_t, auto& r) {
         return static_cast<std::int64_t>(std::exp(static_cast<double>(r() >> 11) * 0x1p-53 * 20));
       }},
      {"one far away",
       [](std::size_t i, auto& r) {
         return i == 7 ? std::int64_t{1} << 60 : static_cast<std::int64_t>(r() % 1'000'000);
       }},
      {"all equal", [](std::size_t, auto&) { return std::int64_t{42}; }},
      {"two heaps",
       [](std::size_t, auto& r) {
         return static_cast<std::int64_t>(r() % 2 == 0 ? r() % 100'000 : (std::uint64_t{1} << 50) + r() % 100'000);
       }},
  };
  return all;
}

std::vector<std::int64_t> values_of(const Shape& shape, std::size_t size) {
  std::mt19937_64 random(seed());
  std::vector<std::int64_t> values(size);
  for (std::size_t i = 0; i < size; ++i) values[i] = shape.value(i, random);
  return values;
}

using Compare = std::function<int(std::uint32_t, std::uint32_t)>;

// The reference: a stable sort of row numbers by a comparator, and marks from comparing neighbours.
void expect_plain(const Order& got, std::size_t size, const Compare& group, const Compare& by,
                  const Compare& tiebreak) {
  std::vector<std::uint32_t> rows(size);
  std::iota(rows.begin(), rows.end(), 0u);
  std::stable_sort(rows.begin(), rows.end(), [&](std::uint32_t a, std::uint32_t b) {
    if (const int c = group(a, b); c != 0) return c < 0;
    if (const int c = by(a, b); c != 0) return c < 0;
    return tiebreak(a, b) < 0;
  });
  ASSERT_EQ(got.size(), size);
  std::size_t groups = 0, undecided = 0;
  for (std::size_t i = 0; i < size; ++i) {
    ASSERT_EQ(got.rows()[i], rows[i]) << "position " << i << ", seed " << seed();
    const bool new_group = i == 0 || group(rows[i - 1], rows[i]) != 0,
               new_peers = new_group || by(rows[i - 1], rows[i]) != 0;
    ASSERT_EQ(got.starts_group(i), new_group) << i;
    ASSERT_EQ(got.starts_peers(i), new_peers) << i;
    groups += new_group;
    undecided += !new_peers && tiebreak(rows[i - 1], rows[i]) == 0;
  }
  ASSERT_EQ(got.groups(), groups);
  ASSERT_EQ(got.undecided(), undecided);
}

template <class T>
Compare up(const std::vector<T>& values) {
  return [&values](std::uint32_t a, std::uint32_t b) { return values[a] < values[b] ? -1 : values[b] < values[a]; };
}
Compare down(const Compare& compare) {
  return [compare](std::uint32_t a, std::uint32_t b) { return compare(b, a); };
}
int same(std::uint32_t, std::uint32_t) { return 0; }

struct BestTargetAgain {
  ~BestTargetAgain() { engine::force_word_sort_target(""); }
};

}  // namespace

TEST(Sort, EveryShapeOnEveryTarget) {
  const BestTargetAgain again;
  for (const std::string& target : engine::word_sort_targets()) {
    engine::force_word_sort_target(target);
    ASSERT_EQ(engine::word_sort_target(), target);
    for (const Shape& shape : shapes()) {
      SCOPED_TRACE(target + ", " + shape.name);
      const auto values = values_of(shape, large);
      ASSERT_NO_FATAL_FAILURE(expect_plain(order({descending(values)}), large, same, down(up(values)), same));
    }
  }
}

TEST(Sort, AnyNumberOfThreadsGivesTheSameOrder) {
  for (const Shape& shape : shapes()) {
    SCOPED_TRACE(shape.name);
    const auto values = values_of(shape, large);
    const Order one = order({ascending(values)}, {}, {.threads = 1}),
                eight = order({ascending(values)}, {}, {.threads = 8});
    ASSERT_TRUE(std::equal(one.rows().begin(), one.rows().end(), eight.rows().begin()));
    for (std::size_t i = 0; i < large; ++i) ASSERT_EQ(one.starts_peers(i), eight.starts_peers(i));
  }
}

// Keys that are longer than a word, whose leading bits decide always, now and then, and never.
TEST(Sort, KeysLongerThanAWord) {
  for (const std::size_t first : {1u, 2u, 3u, 8u, 9u})
    for (const std::size_t second : {0u, 2u, 3u, 9u}) {
      const Shape& shape = shapes()[first];
      SCOPED_TRACE(std::string(shape.name) + " then " + shapes()[second].name);
      const auto a = values_of(shape, large);
      std::vector<std::int64_t> b = values_of(shapes()[second], large), c = values_of(shapes()[2], large);
      std::reverse(b.begin(), b.end());
      for (std::size_t i = 0; i < large; i += 5) c[i] = c[i / 2];
      const auto up_a = up(a), down_b = down(up(b)), up_c = up(c);
      const auto two = [&](std::uint32_t x, std::uint32_t y) { return up_a(x, y) != 0 ? up_a(x, y) : down_b(x, y); };
      ASSERT_NO_FATAL_FAILURE(
          expect_plain(order({ascending(a), descending(b)}, {ascending(c)}), large, same, two, up_c));
      ASSERT_NO_FATAL_FAILURE(
          expect_plain(order(groups(a), {descending(b)}, {ascending(c)}), large, up_a, down_b, up_c));
    }
}

TEST(Sort, UnrankedRowsStandLastInTheirGroup) {
  for (const std::size_t size : {std::size_t{1000}, large}) {
    std::mt19937_64 random(seed());
    std::vector<std::int64_t> group(size);
    std::vector<double> value(size);
    for (std::size_t i = 0; i < size; ++i) {
      group[i] = static_cast<std::int64_t>(random() % 7 == 0 ? random() : random() % 20);  // some 64 bits of groups
      value[i] = random() % 5 == 0 ? std::nan("") : static_cast<double>(random() % 1000) / 8;
    }
    const Order o = order(groups(group), {descending(value, {.nulls = Nulls::first})});
    const auto by = [&](std::uint32_t a, std::uint32_t b) {
      if (std::isnan(value[a]) || std::isnan(value[b])) return std::isnan(value[a]) - std::isnan(value[b]);
      return value[a] > value[b] ? -1 : value[a] < value[b];
    };
    ASSERT_NO_FATAL_FAILURE(expect_plain(o, size, up(group), by, same));
    for (std::size_t i = 0; i < size; ++i) ASSERT_EQ(o.ranked(i), !std::isnan(value[o.rows()[i]]));
  }
}

TEST(Sort, SizesAroundEveryThreshold) {
  for (const std::size_t size :
       {0u, 1u, 2u, 3u, 127u, 128u, 129u, 1023u, 1024u, 1025u, 65'536u, 99'999u, 100'000u, 131'072u, 131'073u}) {
    const auto values = values_of(shapes()[0], size);
    if (size == 0) {
      EXPECT_EQ(order({ascending(values)}).size(), 0u);
      continue;
    }
    SCOPED_TRACE(size);
    ASSERT_NO_FATAL_FAILURE(expect_plain(order({ascending(values)}), size, same, up(values), same));
  }
}

TEST(WordSort, AgreesWithStdSortOnEveryTarget) {
  const BestTargetAgain again;
  std::mt19937_64 random(seed());
  std::vector<std::string> targets = engine::word_sort_targets();
  targets.emplace_back();  // whichever is the fastest for these words
  for (const std::string& target : targets) {
    engine::force_word_sort_target(target);
    engine::WordSorter few(100), many(100'000'000);
    for (const std::size_t size : {0u, 1u, 2u, 100u, 129u, 1000u, 50'000u})
      for (const int shift : {0, 20, 40, 63})
        for (const int rising : {0, 16}) {
          SCOPED_TRACE(target + ", " + std::to_string(size) + " words");
          std::vector<std::uint64_t> words(size);
          for (std::size_t i = 0; i < size; ++i)
            words[i] = rising == 0 ? random() >> shift : random() >> shift << rising | i;
          std::vector<std::uint64_t> expected = words, copy = words;
          std::sort(expected.begin(), expected.end());
          few.sort(words.data(), size, rising);
          ASSERT_EQ(words, expected);
          many.sort(copy.data(), size, rising);
          ASSERT_EQ(copy, expected);
        }
  }
}

TEST(Sort, StopsWhenAsked) {
  std::stop_source stop;
  stop.request_stop();
  const auto values = values_of(shapes()[0], large);
  EXPECT_THROW(order({ascending(values)}, {}, {.stop = stop.get_token()}), Error);
}

// Sorted inside the groups of another order it is what it would have been from the beginning.
TEST(RefinedOrder, IsTheOrderFromTheBeginning) {
  std::mt19937_64 random(seed());
  const lofty::Run run;
  for (const std::size_t size : {std::size_t{0}, std::size_t{1}, std::size_t{2}, std::size_t{500}, large})
    for (const std::uint64_t groups : {std::uint64_t{1}, std::uint64_t{40}, std::uint64_t{50'000}}) {
      std::vector<std::int64_t> group(size), x(size), b(size), c(size);
      for (std::size_t i = 0; i < size; ++i) {
        group[i] = static_cast<std::int64_t>(random() % groups);
        x[i] = static_cast<std::int64_t>(random() % 1000);
        b[i] = static_cast<std::int64_t>(random() % 3);
        c[i] =
            static_cast<std::int64_t>(random() % 7 == 0 ? random() : random() % 5);  // longer than a word with the row
      }
      const auto keys = [&](const std::vector<Key>& within, const std::vector<Key>& by) {
        engine::SortKeys out;
        for (const Key& key : within) engine::encode(key, run, out.within);
        for (const Key& key : by) engine::encode(key, run, out.by);
        return out;
      };
      const Order grouped = engine::make_order(size, keys({ascending(group)}, {descending(x)}), run);
      const Order refined =
          engine::refine_order(engine::Access::data(grouped), keys({ascending(b)}, {descending(c)}), run);
      const Order whole = engine::make_order(size, keys({ascending(group), ascending(b)}, {descending(c)}), run);
      ASSERT_TRUE(std::ranges::equal(refined.rows(), whole.rows())) << size << " rows, " << groups << " groups";
      ASSERT_TRUE(
          std::ranges::equal(engine::Access::data(refined).marks.view(), engine::Access::data(whole).marks.view()));
      ASSERT_EQ(refined.groups(), whole.groups());
      ASSERT_EQ(engine::Access::data(refined).undecided, engine::Access::data(whole).undecided);
    }
}
