#pragma once
/// \file
/// Seconds spent per stage of a job, for `timings` in reports; they never enter a file.

#include <chrono>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace aguja {

/// Stages in the order in which they were first entered; a stage entered again adds up.
class StageTimes {
 public:
  using Stage = std::pair<std::string, double>;

  /// What `work()` gives; its time is added to `stage`.
  template <class Work>
  decltype(auto) time(std::string_view stage, Work&& work) {
    const Running running{*this, stage, Clock::now()};
    return std::forward<Work>(work)();
  }
  void add(std::string_view stage, double seconds) {
    for (Stage& known : stages_) {
      if (known.first == stage) {
        known.second += seconds;
        return;
      }
    }
    stages_.emplace_back(stage, seconds);
  }
  void add(const StageTimes& other) {
    for (const Stage& stage : other.stages_) add(stage.first, stage.second);
  }
  [[nodiscard]] const std::vector<Stage>& stages() const { return stages_; }

 private:
  using Clock = std::chrono::steady_clock;
  struct Running {
    StageTimes& times;
    std::string_view stage;
    Clock::time_point start;
    ~Running() { times.add(stage, std::chrono::duration<double>(Clock::now() - start).count()); }
  };
  std::vector<Stage> stages_;
};

/// What `work()` gives; its time is added to `stage` of `times`, which may be null.
template <class Work>
decltype(auto) timed(StageTimes* times, std::string_view stage, Work&& work) {
  return times == nullptr ? std::forward<Work>(work)()
                          : times->time(stage, std::forward<Work>(work));
}

}  // namespace aguja
