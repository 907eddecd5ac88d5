#include "aguja/base/parallel.h"

#include <oneapi/tbb/blocked_range.h>
#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/task_arena.h>

#ifdef AGUJA_PLAIN_THREADS
#include <atomic>
#include <exception>
#include <thread>
#endif

namespace aguja {

std::size_t thread_count() {
  return static_cast<std::size_t>(std::max(1, oneapi::tbb::this_task_arena::max_concurrency()));
}

#ifdef AGUJA_PLAIN_THREADS

// See base/parallel_algorithms.h.
void detail::run_parallel(std::size_t count, std::size_t grain, bool,
                          void (*body)(const void* context, Range), const void* context) {
  thread_local bool is_inside = false;
  const std::size_t pieces = (count + grain - 1) / grain;
  std::atomic<std::size_t> next = 0;
  std::exception_ptr error;
  std::atomic<bool> has_failed = false;
  const auto work = [&] {
    const bool was_inside = std::exchange(is_inside, true);
    for (std::size_t i = next++; i < pieces && !has_failed; i = next++) {
      try {
        body(context, Range{i * grain, std::min(count, (i + 1) * grain)});
      } catch (...) {
        if (!has_failed.exchange(true)) error = std::current_exception();
      }
    }
    is_inside = was_inside;
  };
  if (is_inside) {
    work();
  } else {
    std::jthread others[] = {std::jthread(work), std::jthread(work)};
    work();
  }
  if (error) std::rethrow_exception(error);
}

#else

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

#endif

}  // namespace aguja
