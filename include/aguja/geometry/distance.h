#pragma once
/// \file
/// Distances to triangles, in floating point.

#include "aguja/geometry/point.h"

namespace aguja {

/// The point of the triangle (a, b, c) that is nearest to `p`. Triangles of no area are taken as
/// the segment or point that they are. Source   Ericson: Real-Time Collision Detection, 2005,
/// section 5.1.5 (regions of a triangle).
[[nodiscard]] Point closest_point(const Point& p, const Point& a, const Point& b, const Point& c);

}  // namespace aguja
