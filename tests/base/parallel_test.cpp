#include "aguja/base/parallel.h"

#include <numeric>
#include <stdexcept>

#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

namespace aguja {
namespace parallel_test {

TEST(PieceOf, CutsWithoutGapsOrOverlaps) {
  for (const std::size_t count : {0u, 1u, 7u, 100u, 1001u}) {
    for (const std::size_t pieces : {1u, 2u, 3u, 16u}) {
      std::size_t next = 0;
      for (std::size_t i = 0; i < pieces; ++i) {
        const Range r = piece_of(count, pieces, i);
        EXPECT_EQ(r.begin, next);
        EXPECT_LE(r.size(), count / pieces + 1);
        next = r.end;
      }
      EXPECT_EQ(next, count);
    }
  }
}

TEST(ParallelRanges, VisitsEveryIndexOnce) {
  for (const std::size_t count : {0u, 1u, 99u, 100u, 101u, 100000u}) {
    std::vector<int> visits(count, 0);
    parallel_ranges(count, 100, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) ++visits[i];
    });
    EXPECT_EQ(std::count(visits.begin(), visits.end(), 1), static_cast<std::ptrdiff_t>(count));
  }
}

TEST(ParallelMap, GivesResultsInOrderFromPiecesThatDoNotDependOnThreads) {
  const auto sums = [](std::size_t threads) {
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                            threads);
    return parallel_map(100003, 1000, [](Range r) {
      double sum = 0;  // rounding makes the order show
      for (std::size_t i = r.begin; i < r.end; ++i) sum += 1.0 / static_cast<double>(i + 1);
      return sum;
    });
  };
  const auto one = sums(1);
  ASSERT_EQ(one.size(), 101u);
  EXPECT_GT(one[0], one[1]);
  EXPECT_EQ(one, sums(2));
  EXPECT_EQ(one, sums(5));
}

TEST(ParallelCollect, KeepsTheOrderOfIndices) {
  const auto found = parallel_collect<std::size_t>(50000, 64, [](Range r, auto& out) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      if (i % 7 == 3) out.push_back(i);
    }
  });
  ASSERT_EQ(found.size(), 7143u);
  for (std::size_t k = 0; k < found.size(); ++k) ASSERT_EQ(found[k], 7 * k + 3);
}

TEST(ParallelTasks, AnErrorReachesTheCaller) {
  EXPECT_THROW(parallel_tasks(100,
                              [](std::size_t i) {
                                if (i == 57) throw std::runtime_error("stop");
                              }),
               std::runtime_error);
}

}  // namespace parallel_test
}  // namespace aguja
