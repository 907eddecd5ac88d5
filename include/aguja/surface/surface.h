#pragma once
/// \file
/// Surfaces: analytic ones, B-splines, swept and offset ones.

#include "aguja/surface/curve.h"

namespace aguja {

using Parameters = Eigen::Vector2d;

/// A place on a surface, with derivatives by u and v.
struct SurfacePoint {
  Point p = Point::Zero();
  Vector du = Vector::Zero();
  Vector dv = Vector::Zero();
  Vector duu = Vector::Zero();
  Vector duv = Vector::Zero();
  Vector dvv = Vector::Zero();
  /// Unit; zero where the derivatives say nothing.
  [[nodiscard]] Vector normal() const;
  /// The largest absolute curvature of the surface there, and in the two parameter directions.
  struct Curvature {
    double along_u = 0, along_v = 0, largest = 0;
  };
  [[nodiscard]] Curvature curvature() const;
};

enum class SurfaceKind {
  plane,
  cylinder,
  cone,
  sphere,
  torus,
  spline,
  extrusion,
  revolution,
  ruled,
  offset,
  moved
};
[[nodiscard]] std::string_view slug(SurfaceKind kind);

/// A side of the domain that is one point in space.
struct Pole {
  bool at_u = false;  ///< the side u = value; else v = value
  double value = 0;
  Point place = Point::Zero();
};

// What surfaces are made of; what it means is said at the functions that make them.
struct PlaneData {
  Frame frame;
};
/// Of a cylinder, too: its half angle is 0.
struct ConeData {
  Frame frame;
  double radius;
  double half_angle;  ///< radians
};
struct SphereData {
  Frame frame;
  double radius;
};
struct TorusData {
  Frame frame;
  double major, minor;
  bool outer;
};
struct SplineSurfaceData {
  KnotVector u, v;
  std::vector<Point> points;    ///< by rows of v
  std::vector<double> weights;  ///< empty: all 1
};
struct ExtrusionData {
  CurvePtr curve;
  Interval range;
  Vector direction;
  Interval height;
};
struct RevolutionData {
  CurvePtr curve;
  Interval range;
  Point origin;
  Vector axis;  ///< unit
  Interval angles;
};
struct RuledData {
  CurvePtr first;
  Interval first_range;
  CurvePtr second;
  Interval second_range;
};
struct OffsetSurfaceData {
  SurfacePtr surface;
  double distance;
};
struct MovedSurfaceData {
  SurfacePtr surface;
  Placement placement;
};
struct TrimmedSurfaceData {
  SurfacePtr surface;
  Interval u, v;
};
/// One of them; lives as long as its surface. Nothing: a surface of a user's own making.
using SurfaceData =
    std::variant<std::monostate, const PlaneData*, const ConeData*, const SphereData*,
                 const TorusData*, const SplineSurfaceData*, const ExtrusionData*,
                 const RevolutionData*, const RuledData*, const OffsetSurfaceData*,
                 const MovedSurfaceData*, const TrimmedSurfaceData*>;

/// Immutable; may be shared and asked from any number of threads.
class Surface {
 public:
  virtual ~Surface() = default;
  /// Of what it is moved or trimmed from, where it is.
  [[nodiscard]] virtual SurfaceKind kind() const = 0;
  [[nodiscard]] virtual SurfaceData data() const { return {}; }
  /// The data, if it is of that kind.
  template <class Data>
  [[nodiscard]] const Data* as() const {
    const SurfaceData all = data();
    const auto* one = std::get_if<const Data*>(&all);
    return one == nullptr ? nullptr : *one;
  }
  [[nodiscard]] virtual SurfacePoint at(double u, double v) const = 0;
  [[nodiscard]] virtual Interval domain_u() const = 0;
  [[nodiscard]] virtual Interval domain_v() const = 0;
  [[nodiscard]] virtual double period_u() const { return 0; }
  [[nodiscard]] virtual double period_v() const { return 0; }
  [[nodiscard]] virtual std::vector<Pole> poles() const { return {}; }
  [[nodiscard]] virtual Effort effort() const { return {}; }
  /// Where it may have a crease or change its law, strictly inside of the range.
  [[nodiscard]] virtual std::vector<double> breaks_u(const Interval&) const { return {}; }
  [[nodiscard]] virtual std::vector<double> breaks_v(const Interval&) const { return {}; }
  /// Of the nearest point, in closed form where there is one; always in the domain.
  [[nodiscard]] virtual std::optional<Parameters> parameters_of(const Point&) const {
    return std::nullopt;
  }
  /// Places to look from for the nearest point, where there is no closed form and the domain has no
  /// bounds.
  [[nodiscard]] virtual std::vector<Parameters> guesses(const Point&) const { return {}; }
  [[nodiscard]] Point point(double u, double v) const { return at(u, v).p; }
  [[nodiscard]] Point point(const Parameters& uv) const { return at(uv[0], uv[1]).p; }
};

[[nodiscard]] SurfacePtr make_plane(const Frame& frame);
/// frame.at(r cos u, r sin u, v)
[[nodiscard]] SurfacePtr make_cylinder(const Frame& frame, double radius);
/// frame.at((r + v tan a) cos u, (r + v tan a) sin u, v)
[[nodiscard]] SurfacePtr make_cone(const Frame& frame, double radius, double half_angle);
/// frame.at(r cos v cos u, r cos v sin u, r sin v)
[[nodiscard]] SurfacePtr make_sphere(const Frame& frame, double radius);
/// frame.at((R + r cos v) cos u, (R + r cos v) sin u, r sin v). Where R < r it is a spindle:
/// `outer` chooses the apple, else the lemon.
[[nodiscard]] SurfacePtr make_torus(const Frame& frame, double major, double minor,
                                    bool outer = true);
/// Control points by rows of v: points[i * count_v + j].
/// Errors: as for curves.
[[nodiscard]] SurfacePtr make_spline_surface(KnotVector u, KnotVector v, std::vector<Point> points,
                                             std::vector<double> weights = {});
/// curve(u) + v * direction
[[nodiscard]] SurfacePtr make_extrusion(CurvePtr curve, const Interval& range,
                                        const Vector& direction, const Interval& height);
/// curve(v) turned about the axis by u.
[[nodiscard]] SurfacePtr make_revolution(CurvePtr curve, const Interval& range, const Point& origin,
                                         const Vector& axis,
                                         const Interval& angles = {0, 6.283185307179586});
/// Straight lines from one curve to the other: u along both, v from 0 to 1.
[[nodiscard]] SurfacePtr make_ruled(CurvePtr first, const Interval& first_range, CurvePtr second,
                                    const Interval& second_range);
/// Moved along the normal.
[[nodiscard]] SurfacePtr make_offset_surface(SurfacePtr surface, double distance);
[[nodiscard]] SurfacePtr make_moved(SurfacePtr surface, const Placement& placement);
/// The surface over a part of its domain.
[[nodiscard]] SurfacePtr make_trimmed_surface(SurfacePtr surface, const Interval& u,
                                              const Interval& v);

/// A curve given in a surface's parameters (x = u, y = v).
[[nodiscard]] CurvePtr make_curve_on_surface(SurfacePtr surface, CurvePtr in_parameters);

/// Finds parameters on one surface, again and again: what it has to prepare for that is made once.
/// Not for several threads at a time.
class SurfaceFoot {
 public:
  explicit SurfaceFoot(const Surface& surface);
  /// Of the nearest point; in the domain, where that is bounded. With `near`, the foot that is
  /// found from there if it is as near.
  [[nodiscard]] Parameters of(const Point& p, const std::optional<Parameters>& near = {}) const;

 private:
  struct Sample {
    Parameters uv;
    Point p;
  };
  [[nodiscard]] Parameters improved(Parameters uv, const Point& p) const;
  [[nodiscard]] Parameters found_from(const Point& p, const std::optional<Parameters>& near) const;
  const Surface& surface_;
  std::vector<Sample> samples_;
};

}  // namespace aguja
