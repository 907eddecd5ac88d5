#pragma once
/// \file
/// Constrained Delaunay triangulation in the plane, exact.

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include <Eigen/Core>

#include "aguja/geometry/exact_points.h"

namespace aguja {

using PlanarPoint = Eigen::Vector2d;
using PlanarEdge = std::array<std::uint32_t, 2>;

struct PlanarTriangulation {
  /// Counter-clockwise corners; together they cover the convex hull. Points that coincide with an
  /// earlier one, and all points if they lie on one line, are in no triangle.
  std::vector<std::array<std::uint32_t, 3>> triangles;
  /// Pieces of constraints as they are found in the triangles, between points on the way, each
  /// once, the lower number first, sorted.
  std::vector<PlanarEdge> constrained;
  /// Constraints (by number) that cross an earlier one between points: they are left out.
  std::vector<std::size_t> refused;
};

/// Fewer points are triangulated in less time by flips.
inline constexpr std::size_t kDividedFrom = 4096;

/// Promises
///  1. No triangle is flat or turned over; decided exactly, for all finite coordinates.
///  2. Every constraint is there, as one edge or as several with points of its own on the way,
///     unless it crosses an earlier one.
///  3. No circle about a triangle holds a point that can be seen from its inside (constraints block
///     the view).
///  4. The same triangles for the same input; on circles with four points any diagonal.
/// Cost     O(n log n) for n points, `divided_from` or more; below, beside the flips, which are few
///          for points that are not ordered against us. O(crossed edges squared) per constraint at
///          worst.
/// Errors   ArgumentError (a constraint names no point). Geometry never throws.
/// Source   Lawson: Software for C1 Surface Interpolation, 1977 (flips); Guibas, Stolfi: Primitives
///          for the Manipulation of General Subdivisions and the Computation of Voronoi Diagrams,
///          ACM Transactions on Graphics 4(2), 1985 (from `divided_from` points on); Sloan: A Fast Algorithm for
///          Generating Constrained Delaunay Triangulations, Computers & Structures 47(3), 1993.
[[nodiscard]] PlanarTriangulation triangulate(std::span<const PlanarPoint> points,
                                              std::span<const PlanarEdge> constraints = {},
                                              std::size_t divided_from = kDividedFrom);

/// The same of exact points that lie in one plane (or are looked at as if they did), seen along the
/// axis of `view` from the side that makes it counter-clockwise; constraints and triangles name them
/// by their number in `ids`. Circles, too, are those of this view.
[[nodiscard]] PlanarTriangulation triangulate(const ExactPoints& points,
                                              std::span<const ExactPointId> ids,
                                              const ExactPoints::View& view,
                                              std::span<const PlanarEdge> constraints = {},
                                              std::size_t divided_from = kDividedFrom);

}  // namespace aguja
