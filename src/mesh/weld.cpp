#include "aguja/mesh/weld.h"

#include <atomic>
#include <cstring>
#include <unordered_set>

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

namespace {

struct PlaceHash {
  std::size_t operator()(const Point& p) const {
    std::uint64_t bits[3];
    const Point q = p.array() + 0.0;
    std::memcpy(bits, q.data(), sizeof(bits));
    std::uint64_t h = bits[0] * 0x9E3779B97F4A7C15u;
    h = (h ^ (h >> 29) ^ bits[1]) * 0xBF58476D1CE4E5B9u;
    return (h ^ (h >> 32) ^ bits[2]) * 0x94D049BB133111EBu;
  }
};

}  // namespace

bool stay_distinct(std::span<const Point> before, std::span<const Point> added) {
  if (added.empty()) return true;
  std::unordered_set<Point, PlaceHash> places;
  Box box;
  for (const Point& p : added) {
    if (!places.insert(p).second) return false;
    box.extend(p);
  }
  std::atomic<bool> found = false;
  parallel_ranges(before.size(), std::size_t{1} << 15, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end && !found; ++i) {
      if (box.contains(before[i]) && places.contains(before[i])) found = true;
    }
  });
  return !found;
}

}  // namespace aguja
