#pragma once
/// \file
/// Planes, cylinders, cones, spheres and tori: distances, normals, and fitting to points.

#include <cstdint>
#include <optional>
#include <span>
#include <string_view>

#include "aguja/geometry/point.h"

namespace aguja {

enum class PrimitiveKind : std::uint8_t { plane, cylinder, cone, sphere, torus };
[[nodiscard]] std::string_view slug(PrimitiveKind kind);

struct Primitive {
  PrimitiveKind kind = PrimitiveKind::plane;
  Point origin = Point::Zero();   ///< a point of the plane or axis; centre; a cone's apex
  Vector axis = Vector(0, 0, 1);  ///< unit: normal, axis; a cone's points into its opening
  double radius = 0;              ///< of cylinder and sphere; of a torus the major one
  double second = 0;              ///< a torus' minor radius; half of a cone's angle, radians

  /// Signed: positive outside (in front of a plane). Exact up to rounding; of cones that of the
  /// nappe into which the axis points.
  [[nodiscard]] double distance(const Point& p) const;
  /// Unit, the way in which the distance grows.
  [[nodiscard]] Vector normal(const Point& p) const;
};

/// The largest absolute distance.
[[nodiscard]] double largest_distance(const Primitive& primitive, std::span<const Point> points);

/// The plane with the least sum of squares; nothing for fewer than three points or points on a
/// line.
[[nodiscard]] std::optional<Primitive> fit_plane(std::span<const Point> points);

/// Improves a primitive until the sum of squared distances of the points does not fall any more.
/// Keeps its kind. Nothing if it runs off (a radius beyond 1e4 x the points' extent, or none).
/// Cost     O(points) per step.
/// Source   Levenberg-Marquardt; the parameters as in Lukács, Martin,
///          Marshall: Faithful Least-Squares Fitting of Spheres, Cylinders, Cones and Tori, ECCV
///          1998.
[[nodiscard]] std::optional<Primitive> refine(const Primitive& start, std::span<const Point> points,
                                              int most_steps = 12);

/// Starts for `refine`, from a few points of a surface and the normals there (unit, all to one
/// side). Each may be far off if the points are not on such a surface.
[[nodiscard]] std::optional<Primitive> guess_sphere(std::span<const Point> points);
[[nodiscard]] std::optional<Primitive> guess_cylinder(std::span<const Point> points,
                                                      const Vector& axis);
[[nodiscard]] std::optional<Primitive> guess_cone(std::span<const Point> points,
                                                  std::span<const Point> feet,
                                                  std::span<const Vector> normals);
[[nodiscard]] std::optional<Primitive> guess_torus(std::span<const Point> points,
                                                   std::span<const Point> feet,
                                                   std::span<const Vector> normals);

}  // namespace aguja
