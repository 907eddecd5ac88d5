#include "aguja/base/jobs.h"

#include <mutex>
#include <numeric>
#include <vector>

#include "aguja/base/parallel.h"

namespace aguja {
namespace {

// What several jobs tell of themselves, one at a time.
class JobProgress : public Progress {
 public:
  JobProgress(Progress* told, std::string_view stage, std::size_t total)
      : told_(told), stage_(stage), total_(total) {}

  bool advance(std::string_view, double) override { return add(0); }
  bool add(std::size_t size) {
    const std::lock_guard lock(mutex_);
    done_ += size;
    const double all = static_cast<double>(total_);
    return told_ == nullptr ||
           told_->advance(stage_, total_ > 0 ? static_cast<double>(done_) / all : 0.0);
  }

 private:
  std::mutex mutex_;
  Progress* told_;
  std::string_view stage_;
  std::size_t total_, done_ = 0;
};

}  // namespace

void run_jobs(std::span<const std::size_t> sizes, std::size_t small, std::string_view stage,
              Progress* progress, const std::function<void(std::size_t, Progress*)>& work) {
  if (sizes.size() == 1) return work(0, progress);
  JobProgress shared(progress, stage, std::accumulate(sizes.begin(), sizes.end(), std::size_t{0}));
  const auto run = [&](std::size_t i) {
    work(i, &shared);
    if (!shared.add(sizes[i])) throw Cancelled();
  };
  std::vector<std::size_t> beside;
  for (std::size_t i = 0; i < sizes.size(); ++i) {
    if (sizes[i] <= small) {
      beside.push_back(i);
    } else {
      run(i);
    }
  }
  parallel_tasks(beside.size(), [&](std::size_t i) { run(beside[i]); });
}

}  // namespace aguja
