#include "aguja/mesh/point_indexer.h"

#include "aguja/base/error.h"

namespace aguja {
namespace {

constexpr std::size_t kMostPartitions = 16;
constexpr std::size_t kFewestSlots = 1024;

bool is_negative_zero(double x) {
  return std::bit_cast<std::uint64_t>(x) == std::uint64_t{1} << 63;
}

}  // namespace

PointIndexer::PointIndexer(std::size_t expected)
    : partitions_(expected < 4096 ? 1 : std::bit_floor(std::min(thread_count(), kMostPartitions))) {
  shift_ = std::countr_zero(partitions_.size());
  const std::size_t each = expected / partitions_.size() + expected / 32;
  for (Partition& partition : partitions_) {
    partition.points.reserve(each);
    partition.first_corner.reserve(each);
    partition.slots.assign(std::bit_ceil(std::max(kFewestSlots, slots_for(each))), 0);
  }
}

void PointIndexer::Partition::grow() {
  Array<std::uint64_t> larger(slots.size() * 2, 0);
  const std::uint64_t mask = larger.size() - 1;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const std::uint64_t hash = hash_of(points[i]);
    std::uint64_t at = hash & mask;
    while (larger[at] != 0) at = (at + 1) & mask;
    larger[at] = (hash >> 32 << 32) | (i + 1);
  }
  slots = std::move(larger);
}

std::uint32_t PointIndexer::Partition::index_of(const Point& p, std::uint64_t hash,
                                                std::size_t corner) {
  const std::uint64_t mask = slots.size() - 1;
  const std::uint64_t tag = hash >> 32;
  std::uint64_t at = hash & mask;
  for (; slots[at] != 0; at = (at + 1) & mask) {
    if (slots[at] >> 32 != tag) continue;
    const auto index = static_cast<std::uint32_t>(slots[at]) - 1;
    if (same_bits(points[index], p)) return index;
  }
  const auto index = static_cast<std::uint32_t>(points.size());
  slots[at] = (tag << 32) | (index + 1ULL);
  points.push_back(p);
  first_corner.push_back(static_cast<std::uint32_t>(corner));
  negative_zero |= is_negative_zero(p.x()) || is_negative_zero(p.y()) || is_negative_zero(p.z());
  return index;
}

bool PointIndexer::has_negative_zero() const {
  return std::any_of(partitions_.begin(), partitions_.end(),
                     [](const Partition& p) { return p.negative_zero; });
}

SharedArray<Point> PointIndexer::finish(std::span<VertexId> provisional) {
  if (partitions_.size() == 1) return std::move(partitions_[0].points);

  const std::size_t count = partitions_.size();
  std::size_t total = 0;
  std::vector<Array<std::uint32_t>> final_index(count);
  for (std::size_t p = 0; p < count; ++p) {
    if (partitions_[p].points.size() >> (32 - shift_) != 0) {
      throw InternalError("point indexer: a partition holds more points than its indices reach");
    }
    partitions_[p].slots = {};
    final_index[p].resize(partitions_[p].points.size());
    total += partitions_[p].points.size();
  }

  // Merge the partitions' points by first appearance, in pieces of the range of corners.
  SharedArray<Point> points(total);
  const std::size_t pieces = total < 4096 ? 1 : 4 * thread_count();
  parallel_tasks(pieces, [&](std::size_t piece) {
    const Range corners = piece_of(corners_, pieces, piece);
    std::size_t at[kMostPartitions];
    std::size_t stop[kMostPartitions];
    std::size_t next = 0;
    for (std::size_t p = 0; p < count; ++p) {
      const Array<std::uint32_t>& first = partitions_[p].first_corner;
      at[p] = std::lower_bound(first.begin(), first.end(), corners.begin) - first.begin();
      stop[p] = std::lower_bound(first.begin(), first.end(), corners.end) - first.begin();
      next += at[p];
    }
    while (true) {
      std::size_t earliest = count;
      std::uint32_t corner = kNoIndex;
      for (std::size_t p = 0; p < count; ++p) {
        if (at[p] == stop[p] || partitions_[p].first_corner[at[p]] >= corner) continue;
        corner = partitions_[p].first_corner[at[p]];
        earliest = p;
      }
      if (earliest == count) break;
      points[next] = partitions_[earliest].points[at[earliest]];
      final_index[earliest][at[earliest]++] = static_cast<std::uint32_t>(next++);
    }
  });

  const std::uint32_t mask = static_cast<std::uint32_t>(count) - 1;
  parallel_ranges(provisional.size(), std::size_t{1} << 16, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      const std::uint32_t v = provisional[i].value;
      provisional[i] = {final_index[v & mask][v >> shift_]};
    }
  });
  return points;
}

}  // namespace aguja
