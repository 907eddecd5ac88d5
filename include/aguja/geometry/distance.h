#pragma once
/// \file
/// Distances to triangles, in floating point.

#include <array>
#include <optional>
#include <span>

#include "aguja/geometry/point.h"

namespace aguja {

/// The point of the triangle (a, b, c) that is nearest to `p`. Triangles of no area are taken as
/// the segment or point that they are.
/// Source   Ericson: Real-Time Collision Detection, 2005, section 5.1.5 (regions of a triangle).
[[nodiscard]] Point closest_point(const Point& p, const Point& a, const Point& b, const Point& c);

using TriangleCorners = std::array<Point, 3>;

/// An upper bound, at most `limit`, of the distance from any point of `from` to `to`; nothing if
/// `to` is farther, or so nearly that cutting the triangles where they lie over each other does not
/// tell.
/// Cost     For few triangles: every piece of `from` is held against all of `to`.
[[nodiscard]] std::optional<double> distance_within(std::span<const TriangleCorners> from,
                                                    std::span<const TriangleCorners> to,
                                                    double limit);
/// As above, but what faces away (by more than 120 degrees; triangles too thin to tell aside)
/// counts for nothing: the far side of a wall is near, and no part of the same surface.
[[nodiscard]] std::optional<double> distance_within_facing(std::span<const TriangleCorners> from,
                                                           std::span<const TriangleCorners> to,
                                                           double limit);

}  // namespace aguja
