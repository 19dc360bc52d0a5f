#include <gtest/gtest.h>

#include <atomic>

#include "lofty/error.hpp"
#include "table/parallel.hpp"

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

TEST(Parallel, StopsWhenAsked) {
  std::stop_source source;
  const lofty::Run run{.stop = source.get_token()};
  EXPECT_NO_THROW(check_stop(run));
  source.request_stop();
  EXPECT_THROW(check_stop(run), Error);
}
