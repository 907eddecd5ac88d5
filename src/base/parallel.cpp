#include "aguja/base/parallel.h"

#include <oneapi/tbb/blocked_range.h>
#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/task_arena.h>

namespace aguja {

std::size_t thread_count() {
  return static_cast<std::size_t>(std::max(1, oneapi::tbb::this_task_arena::max_concurrency()));
}

void detail::run_parallel(std::size_t count, std::size_t grain, bool exact,
                          void (*body)(const void* context, Range), const void* context) {
  using Blocked = oneapi::tbb::blocked_range<std::size_t>;
  const auto run = [&](const Blocked& r) { body(context, Range{r.begin(), r.end()}); };
  const Blocked all(0, count, grain);
  if (exact) {
    oneapi::tbb::parallel_for(all, run, oneapi::tbb::simple_partitioner{});
  } else {
    oneapi::tbb::parallel_for(all, run);
  }
}

}  // namespace aguja
