#pragma once
// Small helpers that checks share: connected groups, and the points and triangles of entities.

#include <algorithm>
#include <cstdint>
#include <span>
#include <vector>

#include "aguja/solid/anatomy.h"
#include "base/disjoint_sets.h"
#include "base/parallel_algorithms.h"

namespace aguja {

/// Groups of items that hang together by common keys (their vertices, say). `keys_of(item, add)`
/// calls `add(key)` for each key. Groups and their members keep the order of the items.
/// Cost     O(k log k) for k keys, parallel; 16 bytes for each.
template <class Item, class KeysOf>
[[nodiscard]] std::vector<std::vector<Item>> connected_groups(const std::vector<Item>& items,
                                                              const KeysOf& keys_of) {
  struct Use {
    std::uint64_t key;
    std::uint32_t item;
    auto operator<=>(const Use&) const = default;
  };
  std::vector<Use> uses;
  for (std::uint32_t i = 0; i < items.size(); ++i) {
    keys_of(items[i], [&](std::uint64_t key) { uses.push_back({key, i}); });
  }
  parallel_sort(uses.begin(), uses.end());
  DisjointSets sets(items.size());
  for (std::size_t k = 1; k < uses.size(); ++k) {
    if (uses[k].key == uses[k - 1].key) sets.unite(uses[k - 1].item, uses[k].item);
  }
  // The first of a set is its root.
  std::vector<std::size_t> number(items.size());
  std::vector<std::vector<Item>> groups;
  for (std::uint32_t i = 0; i < items.size(); ++i) {
    const std::uint32_t root = sets.find(i);
    if (root == i) {
      number[i] = groups.size();
      groups.emplace_back();
    }
    groups[number[root]].push_back(items[i]);
  }
  return groups;
}

[[nodiscard]] inline double edge_length(const Anatomy& a, EdgeId e) {
  const Edge& edge = a.edges.edge(e);
  return (a.welded.point(edge.low) - a.welded.point(edge.high)).stableNorm();
}

inline void append_points(const Anatomy& a, TriangleId t, std::vector<Point>& out) {
  for (const VertexId v : a.welded.triangle(t).corner) out.push_back(a.welded.point(v));
}
inline void append_points(const Anatomy& a, EdgeId e, std::vector<Point>& out) {
  out.push_back(a.welded.point(a.edges.edge(e).low));
  out.push_back(a.welded.point(a.edges.edge(e).high));
}

[[nodiscard]] inline double area_of(const Anatomy& a, TriangleId t) {
  const Triangle& tri = a.welded.triangle(t);
  const Vector ab = a.welded.point(tri[1]) - a.welded.point(tri[0]);
  const Vector ac = a.welded.point(tri[2]) - a.welded.point(tri[0]);
  return 0.5 * Vector(ab.y() * ac.z() - ab.z() * ac.y(), ab.z() * ac.x() - ab.x() * ac.z(),
                      ab.x() * ac.y() - ab.y() * ac.x())
                   .norm();
}
[[nodiscard]] inline Point centroid_of(const Anatomy& a, TriangleId t) {
  const Triangle& tri = a.welded.triangle(t);
  return (a.welded.point(tri[0]) + a.welded.point(tri[1]) + a.welded.point(tri[2])) / 3.0;
}

/// What findings say of a set of triangles.
struct Extent {
  std::vector<Point> points;  // three of each
  Box box;
  double area = 0;
  Point place = Point::Zero();  // their centre of area
};
[[nodiscard]] inline Extent extent_of(const Anatomy& a, std::span<const TriangleId> triangles) {
  Extent extent;
  extent.points.reserve(3 * triangles.size());
  Vector sum = Vector::Zero();
  for (const TriangleId t : triangles) {
    append_points(a, t, extent.points);
    const double area = area_of(a, t);
    extent.area += area;
    sum += area * (centroid_of(a, t) - extent.points[0]);
  }
  extent.box = box_of(extent.points);
  if (!triangles.empty()) extent.place = extent.points[0];
  if (extent.area > 0) extent.place += sum / extent.area;
  return extent;
}

}  // namespace aguja
