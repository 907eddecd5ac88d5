#pragma once
// Points taken out of a planar triangulation, each with no look at the rest of it.

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "aguja/geometry/planar_triangulation.h"

namespace aguja {

// Takes points out of triangles that cover a part of the plane without overlaps. What was about a
// point is divided anew between its neighbours: Delaunay if it was, with sides of triangles about
// the point for constraints.
//
// Cost     O(n) once; O(k^2) for a point with k neighbours, k^3 at worst.
// Source   Devillers: On Deletion in Delaunay Triangulations, SCG 1999 (ears of the hole).
class PointRemoval {
 public:
  // Both must outlive it.
  PointRemoval(std::span<const PlanarPoint> points,
               std::vector<std::array<std::uint32_t, 3>>& triangles);

  // By number the triangles that came of it. None, and nothing is changed, if the point is in none,
  // or not inside of what they cover, or if some about it are flat and leave no way.
  std::span<const std::uint32_t> remove(std::uint32_t point);

  // Triangles that are gone have one point for all corners until they are swept.
  static bool is_gone(const std::array<std::uint32_t, 3>& t) { return t[0] == t[1]; }
  void sweep();

 private:
  [[nodiscard]] bool find_rim(std::uint32_t point);
  [[nodiscard]] bool divide_hole();
  [[nodiscard]] bool is_ear(std::size_t at, bool empty_circle) const;
  void unlink(std::uint32_t point, std::uint32_t triangle);

  std::span<const PlanarPoint> points_;
  std::vector<std::array<std::uint32_t, 3>>& triangles_;
  std::vector<std::vector<std::uint32_t>> about_;      // by point
  std::vector<std::uint32_t> rim_;                     // of the hole, counter-clockwise
  std::vector<std::array<std::uint32_t, 3>> divided_;  // the hole's triangles
  std::vector<std::uint32_t> numbers_;
};

}  // namespace aguja
