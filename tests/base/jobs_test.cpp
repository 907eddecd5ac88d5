#include "aguja/base/jobs.h"

#include <atomic>
#include <vector>

#include <gtest/gtest.h>

namespace aguja {
namespace jobs_test {

struct Log : Progress {
  std::vector<double> done;
  std::size_t stop_at = 1'000'000;
  bool advance(std::string_view stage, double share) override {
    if (stage == "jobs") done.push_back(share);
    return done.size() < stop_at;
  }
};

TEST(RunJobs, RunsEachOnceAndLargeOnesAlone) {
  std::vector<std::size_t> sizes;
  for (std::size_t i = 0; i < 200; ++i) sizes.push_back(i % 7 == 0 ? 1000 : 10 + i);
  std::vector<int> times(sizes.size());
  std::atomic<int> running = 0, crowded = 0;
  Log log;
  run_jobs(sizes, 999, "jobs", &log, [&](std::size_t i, Progress* progress) {
    crowded += static_cast<int>(++running > 1 && sizes[i] > 999);
    ++times[i];
    advance(progress, "its own stage", 0.5);
    --running;
  });
  EXPECT_EQ(times, std::vector<int>(sizes.size(), 1));
  EXPECT_EQ(crowded, 0);
  EXPECT_TRUE(std::is_sorted(log.done.begin(), log.done.end()));
  EXPECT_EQ(log.done.back(), 1.0);
}

TEST(RunJobs, OneJobTellsOfItsOwnStages) {
  Log log;
  const std::size_t size = 5;
  run_jobs(std::span(&size, 1), 10, "all", &log,
           [](std::size_t, Progress* progress) { advance(progress, "jobs", 0.25); });
  EXPECT_EQ(log.done, std::vector<double>{0.25});
}

TEST(RunJobs, StopsAtEveryCallOfProgress) {
  const std::vector<std::size_t> sizes(40, 3);
  for (const std::size_t small : {0u, 3u}) {
    for (std::size_t stop = 1; stop <= sizes.size(); ++stop) {
      Log log;
      log.stop_at = stop;
      std::atomic<std::size_t> begun = 0;
      EXPECT_THROW(run_jobs(sizes, small, "jobs", &log, [&](std::size_t, Progress*) { ++begun; }),
                   Cancelled);
      EXPECT_GE(begun, std::min(stop, sizes.size()));
      if (small == 0) {
        EXPECT_EQ(begun, stop);
      }
    }
  }
}

}  // namespace jobs_test
}  // namespace aguja
