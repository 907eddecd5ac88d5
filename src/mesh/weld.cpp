#include "aguja/mesh/weld.h"

#include <algorithm>
#include <atomic>
#include <vector>

#include "aguja/base/parallel.h"
#include "aguja/geometry/box.h"
#include "aguja/mesh/point_indexer.h"

namespace aguja {

Welded::Welded(const Mesh& mesh)
    : points_(mesh.points), triangles_(mesh.triangles), wires_(mesh.wires) {
  if (mesh.points_are_distinct) return;

  Array<VertexId>& vertex_of = vertex_of_;
  vertex_of.resize(mesh.points.size());
  PointIndexer indexer(mesh.points.size());
  // Adding 0.0 turns -0.0 into 0.0 and leaves everything else as it is.
  indexer.add(
      mesh.points.size(), [&](std::size_t i) -> Point { return mesh.points[i].array() + 0.0; },
      vertex_of.data());
  own_points_ = indexer.finish(vertex_of);
  if (own_points_.size() == mesh.points.size()) {
    own_points_ = {};  // numbered by first appearance: every vertex is its own point
    vertex_of_ = {};
    return;
  }

  own_triangles_.resize(mesh.triangles.size());
  parallel_ranges(mesh.triangles.size(), std::size_t{1} << 14, [&](Range r) {
    for (std::size_t t = r.begin; t < r.end; ++t) {
      for (std::size_t c = 0; c < 3; ++c) {
        own_triangles_[t][c] = vertex_of[mesh.triangles[t][c].value];
      }
    }
  });
  own_wires_.reserve(mesh.wires.size());
  for (const Wire& w : mesh.wires) {
    own_wires_.push_back({vertex_of[w[0].value], vertex_of[w[1].value]});
  }
  points_ = own_points_;
  triangles_ = own_triangles_;
  wires_ = own_wires_;
}

bool stay_distinct(std::span<const Point> before, std::span<const Point> added) {
  if (added.empty()) return true;
  std::vector<Point> places(added.begin(), added.end());
  std::sort(places.begin(), places.end(), lexicographically_less);
  if (std::adjacent_find(places.begin(), places.end()) != places.end()) return false;
  const Box box = box_of(added);
  std::atomic<bool> found = false;
  parallel_ranges(before.size(), std::size_t{1} << 15, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end && !found; ++i) {
      found = found ||
              (box.contains(before[i]) &&
               std::binary_search(places.begin(), places.end(), before[i], lexicographically_less));
    }
  });
  return !found;
}

}  // namespace aguja
