#pragma once
// Sorting and forking on all threads. The thread sanitizer cannot see into a library that was built
// without it: for its builds (AGUJA_PLAIN_THREADS) threads of the standard library do the work.

#include <algorithm>
#include <functional>

#ifdef AGUJA_PLAIN_THREADS
#include <thread>
#else
#include <oneapi/tbb/parallel_invoke.h>
#include <oneapi/tbb/parallel_sort.h>
#endif

namespace aguja {

template <class Iterator, class Less = std::less<>>
void parallel_sort(Iterator begin, Iterator end, const Less& less = {}) {
#ifdef AGUJA_PLAIN_THREADS
  std::sort(begin, end, less);
#else
  oneapi::tbb::parallel_sort(begin, end, less);
#endif
}

/// Both, at the same time if there are threads for it.
template <class First, class Second>
void parallel_invoke(const First& first, const Second& second) {
#ifdef AGUJA_PLAIN_THREADS
  thread_local bool is_forked = false;
  if (is_forked) {
    first();
    second();
    return;
  }
  std::jthread other([&] {
    is_forked = true;
    second();
  });
  is_forked = true;
  first();
  is_forked = false;
#else
  oneapi::tbb::parallel_invoke(first, second);
#endif
}

}  // namespace aguja
