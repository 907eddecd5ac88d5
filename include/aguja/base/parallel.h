#pragma once
/// \file
/// Parallel loops whose results do not depend on the number of threads: work is cut into pieces of
/// a fixed size, and what pieces give is merged in the order of the pieces.

#include <algorithm>
#include <cstddef>
#include <vector>

namespace aguja {

/// Half-open range of indices.
struct Range {
  std::size_t begin = 0;
  std::size_t end = 0;
  [[nodiscard]] std::size_t size() const { return end - begin; }
};

/// Number of threads that a parallel loop would use here; at least 1.
[[nodiscard]] std::size_t thread_count();

namespace detail {

/// Calls `body(context, range)` for pieces of 0..count, at most `grain` long if `exact`, about as
/// long else, on all threads.
void run_parallel(std::size_t count, std::size_t grain, bool exact,
                  void (*body)(const void* context, Range), const void* context);

}  // namespace detail

/// The `index`-th of `pieces` nearly equal pieces of 0..count.
[[nodiscard]] inline Range piece_of(std::size_t count, std::size_t pieces, std::size_t index) {
  return {count * index / pieces, count * (index + 1) / pieces};
}

/// Calls `body(Range)` over 0..count in pieces of about `grain`; bodies must write to disjoint
/// places.
template <class Body>
void parallel_ranges(std::size_t count, std::size_t grain, const Body& body) {
  if (count <= grain) {
    if (count > 0) body(Range{0, count});
    return;
  }
  detail::run_parallel(
      count, grain, false,
      [](const void* context, Range range) { (*static_cast<const Body*>(context))(range); }, &body);
}

/// Calls `body(index)` for 0..count, each as a task of its own.
template <class Body>
void parallel_tasks(std::size_t count, const Body& body) {
  if (count == 1) return body(std::size_t{0});
  detail::run_parallel(
      count, 1, true,
      [](const void* context, Range range) {
        const Body& own = *static_cast<const Body*>(context);
        for (std::size_t i = range.begin; i != range.end; ++i) own(i);
      },
      &body);
}

/// `map(Range)` over pieces of exactly `grain` (the last may be shorter), results in piece order.
template <class Map>
[[nodiscard]] auto parallel_map(std::size_t count, std::size_t grain, const Map& map) {
  using Result = decltype(map(Range{}));
  std::vector<Result> results((count + grain - 1) / grain);
  parallel_tasks(results.size(), [&](std::size_t i) {
    results[i] = map(Range{i * grain, std::min(count, (i + 1) * grain)});
  });
  return results;
}

/// Everything that `collect(Range, out)` appends to `out`, in index order.
template <class T, class Collect>
[[nodiscard]] std::vector<T> parallel_collect(std::size_t count, std::size_t grain,
                                              const Collect& collect) {
  const auto pieces = parallel_map(count, grain, [&](Range range) {
    std::vector<T> out;
    collect(range, out);
    return out;
  });
  std::vector<T> all;
  std::size_t total = 0;
  for (const auto& piece : pieces) total += piece.size();
  all.reserve(total);
  for (const auto& piece : pieces) all.insert(all.end(), piece.begin(), piece.end());
  return all;
}

}  // namespace aguja
