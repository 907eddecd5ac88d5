#pragma once
// Circles through points, and what bends from one to another.

#include <optional>
#include <span>

#include "aguja/geometry/point.h"

namespace aguja {

/// From a point to the centre of the circle through it and the ends of these two vectors from it; not
/// finite where they are parallel.
[[nodiscard]] Vector to_circle_center(const Vector& u, const Vector& v);

/// A circle that a rim is, about the normal of its cap.
struct RimCircle {
  Point center = Point::Zero();
  Vector normal = Vector::Zero();
  double radius = 0;
};
/// Vertices of round rims lie on circles, cylinders and bends to this part of the radius.
inline constexpr double kRoundRim = 1e-4;
/// None where a vertex is farther off than that, or there are too few to tell.
[[nodiscard]] std::optional<RimCircle> circle_through(std::span<const Point> loop,
                                                      const Vector& normal);

/// A bend of a round bar or tube between two circles that are as large: how far its axis bends out, and
/// where its middle is. None where their axes, along their normals, do not meet as far from both.
struct TubeBend {
  Point center = Point::Zero();
  Vector axis = Vector::Zero();
  double radius = 0;
};
[[nodiscard]] std::optional<TubeBend> bend_between(const RimCircle& a, const RimCircle& b);

}  // namespace aguja
