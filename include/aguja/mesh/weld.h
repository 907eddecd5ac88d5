#pragma once
/// \file
/// Identical points counted once, for topology. The mesh stays as it was read.

#include <span>

#include "aguja/mesh/mesh.h"

namespace aguja {

/// A mesh seen with identical points as one vertex (0.0 equals -0.0, nothing else is merged).
/// Triangles keep their numbers. If the mesh's points are distinct already, nothing is copied and
/// this object only refers to it: the mesh must outlive it.
///
/// Cost     O(points + triangles) and a copy of both, or nothing at all.
class Welded {
 public:
  explicit Welded(const Mesh& mesh);
  Welded(Welded&&) = default;
  Welded& operator=(Welded&&) = default;
  Welded(const Welded&) = delete;
  Welded& operator=(const Welded&) = delete;

  [[nodiscard]] std::span<const Point> points() const { return points_; }
  [[nodiscard]] std::span<const Triangle> triangles() const { return triangles_; }
  [[nodiscard]] std::span<const Wire> wires() const { return wires_; }
  [[nodiscard]] const Point& point(VertexId v) const { return points_[v.value]; }
  [[nodiscard]] const Triangle& triangle(TriangleId t) const { return triangles_[t.value]; }
  /// What a vertex of the mesh is here.
  [[nodiscard]] VertexId vertex(VertexId of_mesh) const {
    return vertex_of_.empty() ? of_mesh : vertex_of_[of_mesh.value];
  }

 private:
  Array<VertexId> vertex_of_;  // empty: each is its own
  SharedArray<Point> own_points_;
  SharedArray<Triangle> own_triangles_;
  SharedArray<Wire> own_wires_;
  std::span<const Point> points_;
  std::span<const Triangle> triangles_;
  std::span<const Wire> wires_;
};

/// Are points that are added to distinct ones different from these and from each other?
/// Cost     O(n + k log k), and O(log k) for each of n that lies in the box of those added.
[[nodiscard]] bool stay_distinct(std::span<const Point> before, std::span<const Point> added);

/// Two corners are the same vertex: such a triangle has no area and is in no edge.
[[nodiscard]] inline bool has_equal_corners(const Triangle& t) {
  return t[0] == t[1] || t[1] == t[2] || t[2] == t[0];
}

}  // namespace aguja
