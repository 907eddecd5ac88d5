#include "aguja/surface/curve.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "base/numbers.h"
#include "surface/bounded.h"
#include "surface/limits.h"
#include "surface/spline_basis.h"

namespace aguja {
namespace {

// Radians: a step of Newton's method that no longer changes an angle.
constexpr double kTurnRounding = 1e-15;

Vector any_across(const Vector& axis) {
  // Across the coordinate axis that it leans on least.
  Eigen::Index least = 0;
  axis.cwiseAbs().minCoeff(&least);
  return Vector::Unit(least);
}

}  // namespace

bool Interval::is_finite() const { return std::isfinite(low) && std::isfinite(high); }

Frame Frame::from(const Point& origin, const Vector& axis, const Vector& near_x) {
  Frame f;
  f.origin = origin;
  f.z = axis.norm() > 0 && axis.allFinite() ? Vector(axis.normalized()) : Vector(0, 0, 1);
  Vector x = near_x - near_x.dot(f.z) * f.z;
  if (!(x.norm() > kParameterRounding * near_x.norm()) || !x.allFinite()) {
    x = any_across(f.z);
    x -= x.dot(f.z) * f.z;
  }
  f.x = x.normalized();
  f.y = f.z.cross(f.x);
  return f;
}

std::string_view slug(CurveKind kind) {
  constexpr std::array<std::string_view, 12> kSlugs = {
      "line",   "circle",    "ellipse", "parabola", "hyperbola",  "polyline",
      "spline", "composite", "trimmed", "offset",   "on-surface", "moved"};
  return kSlugs.at(static_cast<std::size_t>(kind));
}

namespace {

class Line : public Curve {
 public:
  explicit Line(LineData data) : d_(std::move(data)) {}
  CurveKind kind() const override { return CurveKind::line; }
  CurveData data() const override { return &d_; }
  CurvePoint at(double t) const override {
    return {d_.origin + t * d_.direction, d_.direction, Vector::Zero()};
  }
  Interval domain() const override { return {-kInfinity, kInfinity}; }
  std::optional<double> parameter_of(const Point& p) const override {
    const double length = d_.direction.squaredNorm();
    return length > 0 ? (p - d_.origin).dot(d_.direction) / length : 0.0;
  }

 private:
  LineData d_;
};

class Ellipse : public Curve {
 public:
  explicit Ellipse(const EllipseData& data) : d_(data) {}
  CurveKind kind() const override { return d_.a == d_.b ? CurveKind::circle : CurveKind::ellipse; }
  CurveData data() const override { return &d_; }
  CurvePoint at(double t) const override {
    const double c = std::cos(t), s = std::sin(t);
    const Vector x = d_.a * d_.frame.x, y = d_.b * d_.frame.y;
    return {d_.frame.origin + c * x + s * y, c * y - s * x, -c * x - s * y};
  }
  Interval domain() const override { return {0, kFullTurn}; }
  double period() const override { return kFullTurn; }
  std::optional<double> parameter_of(const Point& p) const override {
    const Point q = d_.frame.of(p);
    double t = std::atan2(q.y() * d_.a, q.x() * d_.b);
    if (d_.a != d_.b) {
      // The foot on an ellipse: Newton from the parameter of the same direction.
      for (int i = 0; i < 20; ++i) {
        const CurvePoint c = at(t);
        const Vector d = c.p - p;
        const double f = d.dot(c.d1), slope = c.d1.squaredNorm() + d.dot(c.d2);
        if (!(std::fabs(slope) > 0)) break;
        const double step = std::clamp(-f / slope, -0.5, 0.5);
        t += step;
        if (std::fabs(step) < kTurnRounding) break;
      }
    }
    return t < 0 ? t + kFullTurn : t;
  }

 private:
  EllipseData d_;
};

class Parabola : public Curve {
 public:
  explicit Parabola(const ParabolaData& data) : d_(data) {}
  CurveKind kind() const override { return CurveKind::parabola; }
  CurveData data() const override { return &d_; }
  CurvePoint at(double t) const override {
    return {d_.frame.at(d_.focal * t * t, 2 * d_.focal * t),
            2 * d_.focal * t * d_.frame.x + 2 * d_.focal * d_.frame.y, 2 * d_.focal * d_.frame.x};
  }
  Interval domain() const override { return {-kInfinity, kInfinity}; }
  std::optional<double> parameter_of(const Point& p) const override {
    return d_.frame.of(p).y() / (2 * d_.focal);
  }

 private:
  ParabolaData d_;
};

class Hyperbola : public Curve {
 public:
  explicit Hyperbola(const HyperbolaData& data) : d_(data) {}
  CurveKind kind() const override { return CurveKind::hyperbola; }
  CurveData data() const override { return &d_; }
  CurvePoint at(double t) const override {
    const double c = std::cosh(t), s = std::sinh(t);
    const Vector x = d_.a * d_.frame.x, y = d_.b * d_.frame.y;
    return {d_.frame.origin + c * x + s * y, s * x + c * y, c * x + s * y};
  }
  Interval domain() const override { return {-kInfinity, kInfinity}; }
  std::optional<double> parameter_of(const Point& p) const override {
    return std::asinh(d_.frame.of(p).y() / d_.b);
  }

 private:
  HyperbolaData d_;
};

class Polyline : public Curve {
 public:
  explicit Polyline(PolylineData data) : d_(std::move(data)) {}
  CurveKind kind() const override { return CurveKind::polyline; }
  CurveData data() const override { return &d_; }
  CurvePoint at(double t) const override {
    const double last = static_cast<double>(d_.points.size() - 1);
    t = std::clamp(t, 0.0, last);
    const auto i = std::min(static_cast<std::size_t>(t), d_.points.size() - 2);
    const Vector d = d_.points[i + 1] - d_.points[i];
    return {d_.points[i] + (t - static_cast<double>(i)) * d, d, Vector::Zero()};
  }
  Interval domain() const override { return {0, static_cast<double>(d_.points.size() - 1)}; }
  std::vector<double> breaks(const Interval& range) const override {
    std::vector<double> inner;
    for (std::size_t i = 1; i + 1 < d_.points.size(); ++i) {
      const auto t = static_cast<double>(i);
      if (t > range.low && t < range.high) inner.push_back(t);
    }
    return inner;
  }

 private:
  PolylineData d_;
};

}  // namespace

CurvePtr make_line(const Point& origin, const Vector& direction) {
  return std::make_shared<Line>(LineData{origin, direction});
}
CurvePtr make_circle(const Frame& frame, double radius) {
  return std::make_shared<Ellipse>(EllipseData{frame, radius, radius});
}
CurvePtr make_ellipse(const Frame& frame, double a, double b) {
  return std::make_shared<Ellipse>(EllipseData{frame, a, b});
}
CurvePtr make_parabola(const Frame& frame, double focal) {
  return std::make_shared<Parabola>(ParabolaData{frame, focal});
}
CurvePtr make_hyperbola(const Frame& frame, double a, double b) {
  return std::make_shared<Hyperbola>(HyperbolaData{frame, a, b});
}
CurvePtr make_polyline(std::vector<Point> points) {
  if (points.size() < 2) throw ArgumentError("polyline: two points at least are needed");
  return std::make_shared<Polyline>(PolylineData{std::move(points)});
}

// ---- B-splines.

std::string KnotVector::flaw(std::size_t count) const {
  if (degree < 1 || degree > kMostDegree) {
    return "a degree of " + std::to_string(degree) + " (1 to " + std::to_string(kMostDegree) + ")";
  }
  if (count < static_cast<std::size_t>(degree) + 1)
    return "fewer control points than its degree needs";
  if (knots.size() != count + static_cast<std::size_t>(degree) + 1) {
    return std::to_string(knots.size()) + " knots for " + std::to_string(count) +
           " control points of degree " + std::to_string(degree);
  }
  for (std::size_t i = 0; i < knots.size(); ++i) {
    if (!std::isfinite(knots[i])) return "a knot that is not finite";
    if (i > 0 && knots[i] < knots[i - 1]) return "knots that decrease";
  }
  if (!(domain().width() > 0)) return "knots that span nothing";
  return {};
}

std::size_t KnotVector::span(double t) const {
  const auto p = static_cast<std::size_t>(degree);
  const std::size_t n = control_count();
  const auto begin = knots.begin() + degree, end = knots.begin() + static_cast<std::ptrdiff_t>(n);
  const auto at = std::upper_bound(begin, end, t);
  auto i = static_cast<std::size_t>(at - knots.begin());
  i = std::clamp(i, p + 1, n) - 1;
  while (i > p && knots[i] == knots[i + 1]) --i;  // the last span that is not empty
  return i;
}

std::vector<double> KnotVector::inner(const Interval& range) const {
  std::vector<double> out;
  for (std::size_t i = static_cast<std::size_t>(degree); i <= control_count(); ++i) {
    if (knots[i] > range.low && knots[i] < range.high && (out.empty() || out.back() < knots[i])) {
      out.push_back(knots[i]);
    }
  }
  return out;
}

namespace {

class Spline : public Curve {
 public:
  explicit Spline(SplineData data) : d_(std::move(data)) {
    const Interval d = d_.knots.domain();
    const CurvePoint first = in_domain(d.low), last = in_domain(d.high);
    double size = 0;
    for (const Point& p : d_.points) size = std::max(size, (p - d_.points[0]).norm());
    const bool meets = (first.p - last.p).norm() <= kSamePlace * size;
    const double speed = std::max(first.d1.norm(), last.d1.norm());
    if (meets && (first.d1 - last.d1).norm() <= kSmoothCurve * speed) period_ = d.width();
  }
  CurveKind kind() const override { return CurveKind::spline; }
  CurveData data() const override { return &d_; }
  CurvePoint at(double t) const override {
    const Interval d = d_.knots.domain();
    if (period_ > 0 && (t < d.low || t > d.high)) t -= period_ * std::floor((t - d.low) / period_);
    return in_domain(d.clamp(t));
  }
  Interval domain() const override { return d_.knots.domain(); }
  double period() const override { return period_; }
  std::vector<double> breaks(const Interval& range) const override {
    std::vector<double> all;
    const Interval d = d_.knots.domain();
    if (period_ > 0) {
      const double first = std::floor((range.low - d.low) / period_);
      const double last = std::floor((range.high - d.low) / period_);
      for (double k = first; k <= last; ++k) {
        for (double t : d_.knots.inner({range.low - k * period_, range.high - k * period_})) {
          all.push_back(t + k * period_);
        }
      }
      return all;
    }
    return d_.knots.inner(range);
  }

 private:
  [[nodiscard]] CurvePoint in_domain(double t) const {
    const std::size_t span = d_.knots.span(t);
    const BasisValues basis(d_.knots, span, t);
    const auto first = span - static_cast<std::size_t>(d_.knots.degree);
    Eigen::Vector4d value[3] = {Eigen::Vector4d::Zero(), Eigen::Vector4d::Zero(),
                                Eigen::Vector4d::Zero()};
    for (int i = 0; i <= d_.knots.degree; ++i) {
      const auto k = first + static_cast<std::size_t>(i);
      const double w = d_.weights.empty() ? 1.0 : d_.weights[k];
      const Eigen::Vector4d h(w * d_.points[k].x(), w * d_.points[k].y(), w * d_.points[k].z(), w);
      for (int d = 0; d < 3; ++d) value[d] += basis.at(d, i) * h;
    }
    return from_homogeneous(value[0], value[1], value[2]);
  }
  static CurvePoint from_homogeneous(const Eigen::Vector4d& a, const Eigen::Vector4d& a1,
                                     const Eigen::Vector4d& a2) {
    CurvePoint c;
    c.p = a.head<3>() / a[3];
    c.d1 = (a1.head<3>() - a1[3] * c.p) / a[3];
    c.d2 = (a2.head<3>() - 2 * a1[3] * c.d1 - a2[3] * c.p) / a[3];
    return c;
  }

  double period_ = 0;
  SplineData d_;
};

class Composite : public Curve {
 public:
  explicit Composite(CompositeData data) : d_(std::move(data)) {
    effort_.pieces = 0;
    for (const CurveSegment& segment : d_.segments) {
      const Effort own = segment.curve->effort();
      effort_.pieces += own.pieces;
      effort_.evaluations = std::max(effort_.evaluations, own.evaluations);
    }
  }
  Effort effort() const override { return effort_; }
  CurveKind kind() const override { return CurveKind::composite; }
  CurveData data() const override { return &d_; }
  CurvePoint at(double t) const override {
    const double last = static_cast<double>(d_.segments.size());
    t = std::clamp(t, 0.0, last);
    const auto i = std::min(static_cast<std::size_t>(t), d_.segments.size() - 1);
    const CurveSegment& s = d_.segments[i];
    const double along = t - static_cast<double>(i);
    const double scale = s.forward ? s.range.width() : -s.range.width();
    CurvePoint c = s.curve->at((s.forward ? s.range.low : s.range.high) + along * scale);
    c.d1 *= scale;
    c.d2 *= scale * scale;
    return c;
  }
  Interval domain() const override { return {0, static_cast<double>(d_.segments.size())}; }
  std::vector<double> breaks(const Interval& range) const override {
    std::vector<double> all;
    for (std::size_t i = 0; i < d_.segments.size(); ++i) {
      const CurveSegment& s = d_.segments[i];
      const auto start = static_cast<double>(i);
      if (start > range.low && start < range.high) all.push_back(start);
      std::vector<double> own;
      for (const double t : s.curve->breaks(s.range)) {
        const double part = (t - s.range.low) / s.range.width();
        const double at = start + (s.forward ? part : 1 - part);
        if (at > range.low && at < range.high) own.push_back(at);
      }
      if (!s.forward) std::reverse(own.begin(), own.end());
      all.insert(all.end(), own.begin(), own.end());
    }
    return all;
  }

 private:
  CompositeData d_;
  Effort effort_;
};

class Trimmed : public Curve {
 public:
  explicit Trimmed(TrimmedCurveData data) : d_(std::move(data)) {}
  CurveKind kind() const override { return CurveKind::trimmed; }
  Effort effort() const override { return d_.curve->effort(); }
  CurveData data() const override { return &d_; }
  CurvePoint at(double t) const override { return d_.curve->at(t); }
  Interval domain() const override { return d_.range; }
  std::vector<double> breaks(const Interval& range) const override {
    return d_.curve->breaks(range);
  }

 private:
  TrimmedCurveData d_;
};

// Second derivatives by differences: what is derived from others has no third ones.
template <class Position>
CurvePoint differentiated(const Position& position, double t, double step) {
  const Point a = position(t - step), b = position(t), c = position(t + step);
  return {b, (c - a) / (2 * step), (a - 2 * b + c) / (step * step)};
}

class OffsetCurve : public Curve {
 public:
  explicit OffsetCurve(OffsetCurveData data) : d_(std::move(data)) {
    const Interval domain = d_.curve->domain();
    step_ = kDifferenceStep * (domain.is_finite() ? domain.width() : 1);
  }
  CurveKind kind() const override { return CurveKind::offset; }
  // Its second derivative takes two more places.
  Effort effort() const override {
    const Effort own = d_.curve->effort();
    return {3 * own.evaluations, own.pieces};
  }
  CurveData data() const override { return &d_; }
  CurvePoint at(double t) const override {
    CurvePoint c = first(t);
    // Within the domain: beyond its ends a spline stands still.
    const Interval near = within(t);
    c.d2 = (first(near.high).d1 - first(near.low).d1) / near.width();
    return c;
  }
  Interval domain() const override { return d_.curve->domain(); }
  double period() const override { return d_.curve->period(); }
  std::vector<double> breaks(const Interval& range) const override {
    return d_.curve->breaks(range);
  }

 private:
  Interval within(double t) const {
    const Interval d = d_.curve->domain();
    if (d_.curve->period() > 0 || t < d.low || t > d.high) return {t - step_, t + step_};
    return {std::max(d.low, t - step_), std::min(d.high, t + step_)};
  }
  CurvePoint first(double t) const {
    CurvePoint c = d_.curve->at(t);
    const Vector across = d_.direction.cross(c.d1), change = d_.direction.cross(c.d2);
    const double length = across.norm();
    if (!(length > 0)) return c;
    const Vector unit = across / length;
    const Interval near = within(t);
    const double distance = d_.distance(t),
                 growth = (d_.distance(near.high) - d_.distance(near.low)) / near.width();
    c.p += distance * unit;
    c.d1 += growth * unit + distance * (change - unit * unit.dot(change)) / length;
    return c;
  }

  double step_;
  OffsetCurveData d_;
};

class MovedCurve : public Curve {
 public:
  explicit MovedCurve(MovedCurveData data) : d_(std::move(data)) {}
  CurveKind kind() const override { return CurveKind::moved; }
  Effort effort() const override { return d_.curve->effort(); }
  CurveData data() const override { return &d_; }
  CurvePoint at(double t) const override {
    const CurvePoint c = d_.curve->at(t);
    return {d_.placement(c.p), d_.placement.linear * c.d1, d_.placement.linear * c.d2};
  }
  Interval domain() const override { return d_.curve->domain(); }
  double period() const override { return d_.curve->period(); }
  std::vector<double> breaks(const Interval& range) const override {
    return d_.curve->breaks(range);
  }

 private:
  MovedCurveData d_;
};

}  // namespace

CurvePtr make_spline(KnotVector knots, std::vector<Point> points, std::vector<double> weights) {
  if (const std::string flaw = knots.flaw(points.size()); !flaw.empty()) {
    throw ArgumentError("spline: " + flaw);
  }
  if (!weights.empty() && weights.size() != points.size()) {
    throw ArgumentError("spline: " + std::to_string(weights.size()) + " weights for " +
                        std::to_string(points.size()) + " points");
  }
  for (const double w : weights) {
    if (!(w > 0) || !std::isfinite(w)) throw ArgumentError("spline: a weight that is not above 0");
  }
  return std::make_shared<Spline>(
      SplineData{std::move(knots), std::move(points), std::move(weights)});
}
CurvePtr make_composite(std::vector<CurveSegment> segments) {
  if (segments.empty()) throw ArgumentError("composite curve: no segments");
  for (const CurveSegment& s : segments) {
    if (!s.range.is_finite()) throw ArgumentError("composite curve: a segment without ends");
  }
  return bounded<CurvePtr>(std::make_shared<Composite>(CompositeData{std::move(segments)}));
}
CurvePtr make_trimmed(CurvePtr curve, const Interval& range) {
  return std::make_shared<Trimmed>(TrimmedCurveData{std::move(curve), range});
}
CurvePtr make_offset_curve(CurvePtr curve, double distance, const Vector& direction) {
  return make_offset_curve(
      std::move(curve), [distance](double) { return distance; }, direction);
}
CurvePtr make_offset_curve(CurvePtr curve, CurveLaw distance, const Vector& direction) {
  return bounded<CurvePtr>(std::make_shared<OffsetCurve>(
      OffsetCurveData{std::move(curve), std::move(distance), direction}));
}
CurvePtr make_moved(CurvePtr curve, const Placement& placement) {
  if (curve->kind() == CurveKind::line) {
    const CurvePoint c = curve->at(0);
    return make_line(placement(c.p), placement.linear * c.d1);
  }
  if (placement.is_identity()) return curve;
  return std::make_shared<MovedCurve>(MovedCurveData{std::move(curve), placement});
}

// ---- Feet and division.

namespace {

// The best of samples, then Newton's method on the derivative of the distance.
double improved_parameter(const Curve& curve, const Interval& range, const Point& p, double t,
                          double width) {
  const double start = t;
  double best = (curve.point(t) - p).squaredNorm();
  double best_t = t;
  for (int i = 0; i < 30; ++i) {
    const CurvePoint c = curve.at(t);
    const Vector d = c.p - p;
    const double f = d.dot(c.d1);
    double slope = c.d1.squaredNorm() + d.dot(c.d2);
    if (!(slope > 0)) slope = c.d1.squaredNorm();
    if (!(slope > 0)) break;
    const double next = std::clamp(t - f / slope, std::max(range.low, start - width),
                                   std::min(range.high, start + width));
    if (next == t) break;
    t = next;
    const double distance = (curve.point(t) - p).squaredNorm();
    if (distance < best) best = distance, best_t = t;
  }
  return best_t;
}

}  // namespace

double nearest_parameter(const Curve& curve, const Interval& range, const Point& p) {
  if (const auto closed = curve.parameter_of(p)) {
    double t = *closed;
    const double period = curve.period();
    if (period > 0) {
      // Into the range, or to its nearer end.
      t += period * std::ceil((range.low - t) / period);
      if (t <= range.high) return t;
      return (curve.point(range.low) - p).squaredNorm() <=
                     (curve.point(range.high) - p).squaredNorm()
                 ? range.low
                 : range.high;
    }
    return range.clamp(t);
  }
  std::vector<double> ends = {range.low};
  for (const double t : curve.breaks(range)) ends.push_back(t);
  ends.push_back(range.high);
  // At least 16 samples in all, four between breaks.
  const int pieces = std::max(4, static_cast<int>(16 / (ends.size() - 1)));
  struct Sample {
    double distance, t, width;
  };
  std::vector<Sample> samples;
  for (std::size_t i = 0; i + 1 < ends.size(); ++i) {
    const double width = (ends[i + 1] - ends[i]) / pieces;
    for (int k = 0; k <= pieces; ++k) {
      const double t = k == pieces ? ends[i + 1] : ends[i] + k * width;
      samples.push_back({(curve.point(t) - p).squaredNorm(), t, 1.5 * width});
    }
  }
  const std::size_t kept = std::min<std::size_t>(3, samples.size());
  std::partial_sort(samples.begin(), samples.begin() + static_cast<std::ptrdiff_t>(kept),
                    samples.end(),
                    [](const Sample& a, const Sample& b) { return a.distance < b.distance; });
  double best = samples[0].t, least = samples[0].distance;
  for (std::size_t i = 0; i < kept; ++i) {
    const double t = improved_parameter(curve, range, p, samples[i].t, samples[i].width);
    const double distance = (curve.point(t) - p).squaredNorm();
    if (distance < least) least = distance, best = t;
  }
  return best;
}

namespace {

double distance_to_chord(const Point& p, const Point& a, const Point& b) {
  const Vector d = b - a;
  const double length = d.squaredNorm();
  const double t = length > 0 ? std::clamp((p - a).dot(d) / length, 0.0, 1.0) : 0.0;
  return (p - a - t * d).norm();
}

double turn_between(const Vector& a, const Vector& b) {
  return std::atan2(a.cross(b).norm(), a.dot(b));
}

}  // namespace

std::vector<double> divide_curve(const Curve& curve, const Interval& range, double chord,
                                 double angle, double longest) {
  std::vector<double> out = {range.low};
  if (!(range.width() > 0)) return {range.low, range.high};
  const double rounding =
      kLeastPieceRounding * std::max(std::fabs(range.low), std::fabs(range.high));
  const double least = std::max(kLeastPiece * range.width(), rounding);
  if (range.width() <= least) return {range.low, range.high};
  // Breaks next to an end, or to each other, are rounding.
  std::vector<double> stops;
  for (const double t : curve.breaks(range)) {
    if (t - (stops.empty() ? range.low : stops.back()) > least && range.high - t > least) {
      stops.push_back(t);
    }
  }
  stops.push_back(range.high);
  struct Piece {
    double to;
    Point p;
  };
  const bool straight = curve.kind() == CurveKind::line;
  Point from = curve.point(range.low);
  double start = range.low;
  for (const double stop : stops) {
    std::vector<Piece> pending = {{stop, curve.point(stop)}};
    // A whole turn begins as four pieces: three places on it could all be near its chord.
    if (!straight) {
      for (const double part : {0.75, 0.5, 0.25}) {
        const double t = start + part * (stop - start);
        if (stops.size() < 8) pending.push_back({t, curve.point(t)});
      }
    }
    const double first = start;
    bool refined = false;
    while (!pending.empty()) {
      const Piece next = pending.back();
      const double width = next.to - start;
      bool fine = true;
      if (!straight && width > least) {
        Vector last = curve.at(start + kInsidePiece * width).d1;
        double turned = 0;
        for (const double part : {0.25, 0.5, 0.75}) {
          const CurvePoint c = curve.at(start + part * width);
          fine = fine && distance_to_chord(c.p, from, next.p) <= chord;
          turned += turn_between(last, c.d1);
          last = c.d1;
        }
        turned += turn_between(last, curve.at(next.to - kInsidePiece * width).d1);
        fine = fine && turned <= angle;
      }
      if (fine && longest > 0) fine = (next.p - from).norm() <= longest || width <= least;
      if (!fine) {
        const double middle = start + 0.5 * width;
        pending.push_back({middle, curve.point(middle)});
        refined = true;
        continue;
      }
      out.push_back(next.to);
      start = next.to;
      from = next.p;
      pending.pop_back();
    }
    // The four pieces to begin with are more than a flat arc needs.
    if (!refined && !straight && out.size() >= 5 && stops.size() < 8) {
      const Point a = curve.point(first), b = curve.point(stop);
      double off = 0, turned = 0;
      Vector last = curve.at(first + kInsidePiece * (stop - first)).d1;
      for (int k = 1; k < 16; ++k) {
        const CurvePoint c = curve.at(first + (stop - first) * k / 16);
        off = std::max(off, distance_to_chord(c.p, a, b));
        turned += turn_between(last, c.d1);
        last = c.d1;
      }
      if (off <= chord && turned <= angle && (longest <= 0 || (a - b).norm() <= longest) &&
          (a - b).norm() > 4 * off) {
        out.resize(out.size() - 4);
        out.push_back(stop);
      }
    }
  }
  out.back() = range.high;
  return out;
}

}  // namespace aguja
