#pragma once
/// \file
/// Polygons with more than three corners, as files bring them, divided into triangles.

#include <span>

#include "aguja/mesh/mesh.h"

namespace aguja {

/// A polygon that stands in a list of triangles as a fan about its first corner: `corners - 2`
/// triangles from `first` on.
struct FannedPolygon {
  std::size_t first;
  std::size_t corners;
};

/// Appends a polygon as a fan; the triangles keep its direction.
void append_fan(SharedArray<Triangle>& triangles, std::span<const VertexId> corners);

/// Replaces the fans of polygons by triangles that do not overlap, in place: the same number of
/// triangles on the same corners. Decided exactly in the polygon's projection along its largest
/// normal component; convex polygons without corners in line keep their fan.
/// Returns how many polygons cross themselves so that no such division was found; the rest of those
/// stays a fan.
/// Cost     O(c) for convex, O(c r) for other polygons, c corners, r of them reflex; from 256 corners
///          on that of a planar triangulation, O(c log c). Of more than 2048 corners those that cross
///          themselves stay fans. Parallel.
/// Source   Meisters: Polygons Have Ears, American Mathematical Monthly 82, 1975; see also
///          planar_triangulation.h.
[[nodiscard]] std::size_t divide_polygons(std::span<const Point> points,
                                          std::span<Triangle> triangles,
                                          std::span<const FannedPolygon> polygons);

}  // namespace aguja
