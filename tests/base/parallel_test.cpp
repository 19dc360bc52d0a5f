#include <gtest/gtest.h>

#include <atomic>

#include "base/parallel.hpp"
#include "lofty/error.hpp"

using namespace lofty;
using namespace lofty::engine;

TEST(Parallel, EveryPieceRunsOnce) {
  for (const int threads : {1, 2, 8, 0}) {
    std::vector<std::atomic<int>> ran(1000);
    parallel_for(ran.size(), lofty::Run{.threads = threads}, [&](std::size_t piece) { ++ran[piece]; });
    for (const auto& count : ran) ASSERT_EQ(count.load(), 1);
  }
}

TEST(Parallel, TheLowestFailureIsTheOneReported) {
  for (int repeat = 0; repeat < 20; ++repeat) {
    try {
      parallel_for(64, lofty::Run{.threads = 4}, [](std::size_t piece) {
        if (piece >= 3) throw Error(Problem{Code::overflow, std::to_string(piece), {}, {}, {}});
      });
      FAIL();
    } catch (const Error& error) {
      EXPECT_EQ(error.problems().front().sentence, "3");
    }
  }
}

void expect_whole(const RowRanges& pieces, std::size_t rows, std::size_t multiple) {
  ASSERT_GE(pieces.count(), 1u);
  std::size_t at = 0;
  for (std::size_t p = 0; p < pieces.count(); ++p) {
    ASSERT_EQ(pieces[p].begin, at) << "of " << rows;
    ASSERT_EQ(pieces[p].begin % multiple, 0u) << "of " << rows;
    at = pieces[p].end;
  }
  ASSERT_EQ(at, rows);
}

TEST(Parallel, PiecesCoverAllRowsInOrder) {
  for (const std::size_t rows : {0u, 1u, 99'999u, 100'000u, 262'144u, 262'145u, 5'000'001u, 70'000'000u}) {
    for (const std::size_t multiple : {1u, 1024u, 4096u}) {
      expect_whole(RowRanges::fixed(rows, 128 * 1024, multiple), rows, multiple);
      expect_whole(RowRanges::few(rows, multiple), rows, multiple);
      for (const int threads : {1, 3, 8, 1000})
        expect_whole(RowRanges::per_thread(rows, {.threads = threads}, multiple), rows, multiple);
    }
    expect_whole(RowRanges::costly(rows, 8192), rows, 1);
    expect_whole(RowRanges::one(rows), rows, 1);
    EXPECT_LE(RowRanges::few(rows, 4096).count(), 16u);
  }
  // Few rows are one piece, whatever the rule; but not where the work is costly.
  EXPECT_EQ(RowRanges::fixed(99'999, 1000).count(), 1u);
  EXPECT_EQ(RowRanges::fixed(100'000, 1000).count(), 100u);
  EXPECT_EQ(RowRanges::per_thread(99'999, {.threads = 8}).count(), 1u);
  EXPECT_EQ(RowRanges::per_thread(100'000, {.threads = 8}).count(), 8u);
  EXPECT_EQ(RowRanges::per_thread(100'000, {.threads = 1000}).count(), 255u);
  EXPECT_EQ(RowRanges::costly(20'000, 8192).count(), 3u);
}

TEST(Parallel, WorkGetsItsRows) {
  std::vector<std::atomic<int>> seen(300'000);
  parallel_for(RowRanges::fixed(seen.size(), 1000), lofty::Run{.threads = 4}, [&](const RowRange& rows) {
    for (std::size_t i = rows.begin; i < rows.end; ++i) ++seen[i];
  });
  for (const auto& count : seen) ASSERT_EQ(count.load(), 1);
}

TEST(Parallel, NoPieceBeginsAfterAStop) {
  for (const int threads : {1, 4}) {
    std::stop_source source;
    std::atomic<int> ran{0};
    const auto work = [&](std::size_t) {
      ++ran;
      source.request_stop();
    };
    EXPECT_THROW(parallel_for(1000, lofty::Run{.threads = threads, .stop = source.get_token()}, work), Error);
    EXPECT_LE(ran.load(), threads);
  }
}

TEST(Parallel, FinishedPiecesAreProgress) {
  for (const int threads : {1, 4}) {
    std::vector<double> shares;
    const lofty::Run run{.threads = threads, .progress = [&](double share) { shares.push_back(share); }};
    Progress progress(run, 300'000);
    parallel_for(RowRanges::fixed(300'000, 100'000), progress, [](const RowRange&, std::size_t) {});
    EXPECT_EQ(shares, (std::vector<double>{1. / 3, 2. / 3, 1}));
  }
}

TEST(Parallel, NoWorkIsDoneAtOnce) {
  std::vector<double> shares;
  const lofty::Run run{.progress = [&](double share) { shares.push_back(share); }};
  Progress progress(run, 0);
  parallel_for(RowRanges::fixed(0), progress, [](const RowRange& rows, std::size_t) { EXPECT_EQ(rows.size(), 0u); });
  EXPECT_EQ(shares, (std::vector<double>{1}));
}

TEST(Parallel, StopsWhenAsked) {
  std::stop_source source;
  const lofty::Run run{.stop = source.get_token()};
  EXPECT_NO_THROW(check_stop(run));
  source.request_stop();
  EXPECT_THROW(check_stop(run), Error);
}
