#pragma once
/// \file
/// Turns a soup of corners into points and indices, as they are read.

#include <algorithm>
#include <bit>
#include <cstdint>
#include <cstring>
#include <span>
#include <vector>

#include "aguja/base/parallel.h"
#include "aguja/base/shared_array.h"
#include "aguja/geometry/point.h"
#include "aguja/mesh/ids.h"

namespace aguja {

/// Gives every distinct point one index. Points are the same if all their bits are: 0.0 and -0.0
/// are kept apart, so that a file can be written back bit for bit.
///
/// Promises
///  1. Points are numbered by first appearance, whatever the number of threads.
///  2. No memory is reserved beyond what `expected` and the corners added so far call for.
/// Cost     O(corners); about 16 bytes per distinct point beside the points.
/// Threads  One object by one thread at a time; `add` works in parallel inside.
class PointIndexer {
 public:
  /// `expected`: a guess at the number of distinct points.
  explicit PointIndexer(std::size_t expected);

  /// Adds corners `source(0) ... source(count - 1)`, each a `Point`, and writes a provisional index
  /// for each to `out`. `source` is called from several threads, more than once per corner.
  template <class Source>
  void add(std::size_t count, const Source& source, VertexId* out) {
    parallel_tasks(partitions_.size(), [&](std::size_t p) { add_to(p, count, source, out); });
    corners_ += count;
  }

  /// Replaces the provisional indices by final ones and gives the points. Call once, at the end.
  [[nodiscard]] SharedArray<Point> finish(std::span<VertexId> provisional);

  /// Has a coordinate -0.0 occurred? If not, points with different bits are different points.
  [[nodiscard]] bool has_negative_zero() const;

 private:
  // A thread owns a partition, and with it all points whose hash falls there: no locks. Each thread
  // reads all corners, which is cheap beside looking them up.
  struct Partition {
    SharedArray<Point> points;
    Array<std::uint32_t> first_corner;  // by point: the corner at which it first appeared
    Array<std::uint64_t> slots;         // tag << 32 | index + 1, or 0
    bool negative_zero = false;

    void grow();
    void reserve_for(std::size_t more) {
      if (slots_for(points.size() + more) > slots.size()) grow();
    }
    std::uint32_t index_of(const Point& p, std::uint64_t hash, std::size_t corner);
  };

  static constexpr std::size_t kBlock = 256;
  // At most three slots in four are taken: probes stay short, and fresh pages few.
  static std::size_t slots_for(std::size_t points) { return points + points / 3; }

  static std::uint64_t hash_of(const Point& p) {
    std::uint64_t bits[3];
    std::memcpy(bits, p.data(), sizeof(bits));
    std::uint64_t h = bits[0] * 0x9E3779B97F4A7C15u;
    h = (std::rotl(h, 29) ^ bits[1]) * 0xBF58476D1CE4E5B9u;
    h = (std::rotl(h, 31) ^ bits[2]) * 0x94D049BB133111EBu;
    h ^= h >> 32;
    return h * 0xD6E8FEB86659FD93u;
  }
  static bool same_bits(const Point& a, const Point& b) {
    return std::memcmp(a.data(), b.data(), 3 * sizeof(double)) == 0;
  }
  [[nodiscard]] std::size_t partition_of(std::uint64_t hash) const {
    return (hash >> 32) & (partitions_.size() - 1);
  }

  template <class Source>
  void add_to(std::size_t which, std::size_t count, const Source& source, VertexId* out) {
    struct Pending {
      Point point;
      std::uint64_t hash;
      std::size_t corner;
    };
    Partition& partition = partitions_[which];
    Pending pending[kBlock];
    for (std::size_t begin = 0; begin < count; begin += kBlock) {
      const std::size_t end = std::min(count, begin + kBlock);
      partition.reserve_for(kBlock);
      const std::uint64_t mask = partition.slots.size() - 1;
      std::size_t n = 0;
      for (std::size_t i = begin; i < end; ++i) {
        const Point p = source(i);
        const std::uint64_t hash = hash_of(p);
        if (partition_of(hash) != which) continue;
        __builtin_prefetch(&partition.slots[hash & mask]);
        pending[n++] = {p, hash, i};
      }
      for (std::size_t k = 0; k < n; ++k) {
        const Pending& q = pending[k];
        const std::uint32_t local = partition.index_of(q.point, q.hash, corners_ + q.corner);
        out[q.corner] = {static_cast<std::uint32_t>((local << shift_) | which)};
      }
    }
  }

  std::vector<Partition> partitions_;  // a power of two
  int shift_ = 0;                      // log2 of their number
  std::size_t corners_ = 0;
};

}  // namespace aguja
