#pragma once
// Medians of interleaved runs: every job runs once a round, so that a machine that slows down does
// so for all of them.

#include <algorithm>
#include <chrono>
#include <functional>
#include <string>
#include <vector>

namespace aguja::bench {

struct Job {
  std::string name;
  std::function<void()> prepare;  ///< not timed
  std::function<void()> run;
};

/// Median seconds by job, after one round that is not counted.
inline std::vector<double> interleaved_medians(const std::vector<Job>& jobs, int rounds) {
  std::vector<std::vector<double>> seconds(jobs.size());
  for (int round = 0; round <= rounds; ++round) {
    for (std::size_t j = 0; j < jobs.size(); ++j) {
      if (jobs[j].prepare) jobs[j].prepare();
      const auto start = std::chrono::steady_clock::now();
      jobs[j].run();
      const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
      if (round > 0) seconds[j].push_back(took.count());
    }
  }
  std::vector<double> medians;
  for (auto& s : seconds) {
    std::nth_element(s.begin(), s.begin() + s.size() / 2, s.end());
    medians.push_back(s[s.size() / 2]);
  }
  return medians;
}

}  // namespace aguja::bench
