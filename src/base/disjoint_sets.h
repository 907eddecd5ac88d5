#pragma once
// Which of 0, 1, ... belong together.

#include <atomic>
#include <cstdint>
#include <utility>

#include "aguja/base/array.h"
#include "aguja/base/parallel.h"

namespace aguja {

// Union-find without locks: a root is only ever hung under a smaller one, so that in the end the
// root of a set is its smallest member, in whatever order threads came.
class DisjointSets {
 public:
  explicit DisjointSets(std::size_t count) : parent_(count) {
    parallel_ranges(count, kGrain, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) parent_[i] = static_cast<std::uint32_t>(i);
    });
  }

  std::uint32_t find(std::uint32_t x) {
    while (true) {
      const std::uint32_t parent = load(x);
      if (parent == x) return x;
      const std::uint32_t grandparent = load(parent);
      if (parent != grandparent) at(x).store(grandparent, std::memory_order_relaxed);
      x = grandparent;
    }
  }

  void unite(std::uint32_t a, std::uint32_t b) {
    while (true) {
      a = find(a);
      b = find(b);
      if (a == b) return;
      if (a > b) std::swap(a, b);
      std::uint32_t expected = b;
      if (at(b).compare_exchange_weak(expected, a, std::memory_order_relaxed)) return;
    }
  }

  static constexpr std::size_t kGrain = std::size_t{1} << 14;

 private:
  std::atomic_ref<std::uint32_t> at(std::uint32_t i) { return std::atomic_ref(parent_[i]); }
  std::uint32_t load(std::uint32_t i) { return at(i).load(std::memory_order_relaxed); }

  Array<std::uint32_t> parent_;
};

}  // namespace aguja
