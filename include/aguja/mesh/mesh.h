#pragma once
/// \file
/// The indexed triangle mesh: flat arrays, nothing hidden.

#include <array>
#include <cstddef>
#include <span>
#include <vector>

#include "aguja/base/shared_array.h"
#include "aguja/geometry/box.h"
#include "aguja/geometry/point.h"
#include "aguja/mesh/ids.h"

namespace aguja {

/// Three corners; the normal points to where they are seen running counter-clockwise.
struct Triangle {
  VertexId corner[3];
  [[nodiscard]] VertexId operator[](std::size_t i) const { return corner[i]; }
  [[nodiscard]] VertexId& operator[](std::size_t i) { return corner[i]; }
  friend bool operator==(const Triangle&, const Triangle&) = default;
};

/// Two vertices that a file joins by a line, whether or not a triangle has that edge too.
using Wire = std::array<VertexId, 2>;

/// A triangle mesh as it was read or made. Equal points may occur many times: `weld.h` tells them
/// apart for topology without changing the mesh.
struct Mesh {
  SharedArray<Point> points;
  SharedArray<Triangle> triangles;
  SharedArray<PatchId> patch_of;  ///< by triangle; empty if the mesh is one patch
  SharedArray<Wire> wires;
  /// No two points are equal (where 0.0 equals -0.0). Set by who made the points and knows; clear
  /// it when editing them. It saves the search for equal points.
  bool points_are_distinct = false;

  [[nodiscard]] const Point& point(VertexId v) const { return points[v.value]; }
  [[nodiscard]] const Triangle& triangle(TriangleId t) const { return triangles[t.value]; }
};

/// A mesh holds at most this many triangles: half-edges and their direction fit 32 bits.
inline constexpr std::size_t kMostTriangles = 0xFFFFFFFFu / 6;
inline constexpr std::size_t kMostPoints = 0xFFFFFFFEu;

/// By point: is it the corner of a triangle?
[[nodiscard]] std::vector<bool> points_of_triangles(const Mesh& mesh);
/// By point: does a triangle or a wire refer to it?
[[nodiscard]] std::vector<bool> used_points(const Mesh& mesh);

/// Box of all points, used or not. Parallel.
[[nodiscard]] Box box_of(const Mesh& mesh);

}  // namespace aguja
