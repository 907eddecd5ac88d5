#pragma once
/// \file
/// Curves in space: analytic ones, B-splines, and curves made of others.

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "aguja/geometry/placement.h"
#include "aguja/geometry/point.h"

namespace aguja {

/// A range of parameters; either end may be infinite.
struct Interval {
  double low = 0;
  double high = 0;
  [[nodiscard]] double width() const { return high - low; }
  [[nodiscard]] double middle() const { return 0.5 * (low + high); }
  [[nodiscard]] double clamp(double t) const { return t < low ? low : t > high ? high : t; }
  [[nodiscard]] bool is_finite() const;
};

/// Where something is placed: orthonormal and right-handed.
struct Frame {
  Point origin = Point::Zero();
  Vector x = Vector(1, 0, 0);
  Vector y = Vector(0, 1, 0);
  Vector z = Vector(0, 0, 1);

  /// From an axis and a direction that `x` is to be near; directions of no length are replaced.
  [[nodiscard]] static Frame from(const Point& origin, const Vector& axis, const Vector& near_x);
  [[nodiscard]] Point at(double a, double b, double c = 0) const {
    return origin + a * x + b * y + c * z;
  }
  /// Coordinates in it.
  [[nodiscard]] Point of(const Point& p) const {
    const Vector d = p - origin;
    return {d.dot(x), d.dot(y), d.dot(z)};
  }
};

/// A place on a curve, and its first two derivatives by the parameter.
struct CurvePoint {
  Point p = Point::Zero();
  Vector d1 = Vector::Zero();
  Vector d2 = Vector::Zero();
};

enum class CurveKind {
  line,
  circle,
  ellipse,
  parabola,
  hyperbola,
  polyline,
  spline,
  composite,
  trimmed,
  offset,
  on_surface,
  moved
};
[[nodiscard]] std::string_view slug(CurveKind kind);

/// What defines a B-spline in one parameter.
struct KnotVector {
  int degree = 1;
  std::vector<double> knots;  ///< with repetitions; control points + degree + 1 of them
  [[nodiscard]] std::size_t control_count() const { return knots.size() - degree - 1; }
  [[nodiscard]] Interval domain() const { return {knots[degree], knots[control_count()]}; }
  /// What is wrong with it, in words; empty if nothing is.
  [[nodiscard]] std::string flaw(std::size_t control_count) const;
  /// The span that t lies in, within the domain.
  [[nodiscard]] std::size_t span(double t) const;
  /// Distinct knots strictly inside of the range.
  [[nodiscard]] std::vector<double> inner(const Interval& range) const;
};

class Curve;
class Surface;
using CurvePtr = std::shared_ptr<const Curve>;
using SurfacePtr = std::shared_ptr<const Surface>;

struct CurveSegment {
  CurvePtr curve;
  Interval range;
  bool forward = true;  ///< else from the high end of the range to its low
};
/// A number for each parameter of a curve.
using CurveLaw = std::function<double(double)>;

// What curves are made of; what it means is said at the functions that make them.
struct LineData {
  Point origin;
  Vector direction;
};
/// Of a circle, too: a and b are its radius.
struct EllipseData {
  Frame frame;
  double a, b;
};
struct ParabolaData {
  Frame frame;
  double focal;
};
struct HyperbolaData {
  Frame frame;
  double a, b;
};
struct PolylineData {
  std::vector<Point> points;
};
struct SplineData {
  KnotVector knots;
  std::vector<Point> points;
  std::vector<double> weights;  ///< empty: all 1
};
struct CompositeData {
  std::vector<CurveSegment> segments;
};
struct TrimmedCurveData {
  CurvePtr curve;
  Interval range;
};
struct OffsetCurveData {
  CurvePtr curve;
  CurveLaw distance;
  Vector direction;
};
struct CurveOnSurfaceData {
  SurfacePtr surface;
  CurvePtr in_parameters;
};
struct MovedCurveData {
  CurvePtr curve;
  Placement placement;
};
/// One of them; lives as long as its curve. Nothing: a curve of a user's own making.
using CurveData =
    std::variant<std::monostate, const LineData*, const EllipseData*, const ParabolaData*,
                 const HyperbolaData*, const PolylineData*, const SplineData*, const CompositeData*,
                 const TrimmedCurveData*, const OffsetCurveData*, const CurveOnSurfaceData*,
                 const MovedCurveData*>;

/// Immutable; may be shared and asked from any number of threads.
/// What a place on a curve or surface costs, in evaluations of elementary ones, and of how many
/// pieces it consists. Things made of things may double with every level.
struct Effort {
  double evaluations = 1;
  double pieces = 1;
};
/// More than this is not made: ArgumentError.
inline constexpr double kMostEvaluations = 200, kMostPieces = 1e6;

class Curve {
 public:
  virtual ~Curve() = default;
  [[nodiscard]] virtual CurveKind kind() const = 0;
  [[nodiscard]] virtual CurveData data() const { return {}; }
  /// The data, if it is of that kind.
  template <class Data>
  [[nodiscard]] const Data* as() const {
    const CurveData all = data();
    const auto* one = std::get_if<const Data*>(&all);
    return one == nullptr ? nullptr : *one;
  }
  /// Outside of the domain a periodic curve goes round, others are clamped or run on.
  [[nodiscard]] virtual CurvePoint at(double t) const = 0;
  [[nodiscard]] virtual Interval domain() const = 0;
  /// 0 if it does not close smoothly on itself.
  [[nodiscard]] virtual double period() const { return 0; }
  /// Parameters strictly inside of the range where it may have a corner or change its law.
  [[nodiscard]] virtual std::vector<double> breaks(const Interval&) const { return {}; }
  [[nodiscard]] virtual Effort effort() const { return {}; }
  /// The parameter of the point, where there is a closed form; the foot of the nearest point.
  [[nodiscard]] virtual std::optional<double> parameter_of(const Point&) const {
    return std::nullopt;
  }
  [[nodiscard]] Point point(double t) const { return at(t).p; }
};

[[nodiscard]] CurvePtr make_line(const Point& origin, const Vector& direction);
[[nodiscard]] CurvePtr make_circle(const Frame& frame, double radius);
/// Semi-axes along x and y.
[[nodiscard]] CurvePtr make_ellipse(const Frame& frame, double a, double b);
/// frame.at(f t^2, 2 f t): the form of ISO 10303-42.
[[nodiscard]] CurvePtr make_parabola(const Frame& frame, double focal);
/// frame.at(a cosh t, b sinh t)
[[nodiscard]] CurvePtr make_hyperbola(const Frame& frame, double a, double b);
/// From point to point, parameters 0, 1, 2, ...
/// Errors: ArgumentError (fewer than two points).
[[nodiscard]] CurvePtr make_polyline(std::vector<Point> points);

/// `weights` is empty or has one above 0 for each point. `closed` curves whose ends meet smoothly
/// are periodic.
/// Errors: ArgumentError (knots that decrease, wrong counts, weights of 0 or below).
/// Source: Piegl, Tiller: The NURBS Book, 1997.
[[nodiscard]] CurvePtr make_spline(KnotVector knots, std::vector<Point> points,
                                   std::vector<double> weights = {});

/// One after another, each over a unit of parameter.
[[nodiscard]] CurvePtr make_composite(std::vector<CurveSegment> segments);

/// A piece of a curve with the curve's own parameters.
[[nodiscard]] CurvePtr make_trimmed(CurvePtr curve, const Interval& range);

/// Moved by `distance` along `direction` x tangent: to the left, seen against `direction`.
/// Source: ISO 10303-42, offset_curve_3d; IGES 5.3, type 130.
[[nodiscard]] CurvePtr make_offset_curve(CurvePtr curve, double distance, const Vector& direction);
[[nodiscard]] CurvePtr make_offset_curve(CurvePtr curve, CurveLaw distance,
                                         const Vector& direction);

/// The curve with its points mapped.
[[nodiscard]] CurvePtr make_moved(CurvePtr curve, const Placement& placement);

/// The nearest parameter in a finite range: closed form where there is one, else samples and
/// Newton's method.
[[nodiscard]] double nearest_parameter(const Curve& curve, const Interval& range, const Point& p);

/// Parameters from the low to the high end of a finite range between which the chord is nowhere
/// farther from the curve than `chord`, turns by less than `angle` (radians), and is no longer than
/// `longest` (0: any). Ends and corners included.
/// Guarantees  Measured at three inner places of every piece; halved until it holds or the piece is
///             a millionth of the range.
[[nodiscard]] std::vector<double> divide_curve(const Curve& curve, const Interval& range,
                                               double chord, double angle, double longest = 0);

}  // namespace aguja
