#include "aguja/surface/surface.h"

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

constexpr Interval kWholeTurn{0, kFullTurn};
constexpr Interval kUnbounded{-kInfinity, kInfinity};

double positive_angle(double a) { return a < 0 ? a + kFullTurn : a; }

// A parameter of something that goes round every `period` (0: it does not) as one of the range: the
// same place if the range has it, else the end that is nearer.
double into(const Interval& range, double t, double period) {
  if (!(period > 0) || !range.is_finite()) return range.clamp(t);
  const double turned = t - period * std::floor((t - range.low) / period);
  if (turned <= range.high) return std::max(turned, range.low);
  return turned - range.high <= range.low + period - turned ? range.high : range.low;
}

}  // namespace

Vector SurfacePoint::normal() const {
  const Vector n = du.cross(dv);
  const double length = n.norm();
  return length > kNoNormal * du.norm() * dv.norm() && length > 0 ? Vector(n / length)
                                                                  : Vector(Vector::Zero());
}

SurfacePoint::Curvature SurfacePoint::curvature() const {
  Curvature c;
  const Vector n = normal();
  const double e = du.squaredNorm(), f = du.dot(dv), g = dv.squaredNorm();
  const double l = duu.dot(n), m = duv.dot(n), k = dvv.dot(n);
  // In the parameter directions also the bending within the surface counts: lines of parameters
  // are what facets follow.
  if (e > 0) c.along_u = std::fabs(l) / e;
  if (g > 0) c.along_v = std::fabs(k) / g;
  const double det = e * g - f * f;
  if (det > kNoNormal * kNoNormal * e * g && det > 0) {
    const double mean = 0.5 * (l * g - 2 * m * f + k * e) / det;
    const double gauss = (l * k - m * m) / det;
    c.largest = std::fabs(mean) + std::sqrt(std::max(0.0, mean * mean - gauss));
  }
  c.largest = std::max({c.largest, c.along_u, c.along_v});
  return c;
}

std::string_view slug(SurfaceKind kind) {
  constexpr std::array<std::string_view, 11> kSlugs = {
      "plane",     "cylinder",   "cone",  "sphere", "torus", "spline",
      "extrusion", "revolution", "ruled", "offset", "moved"};
  return kSlugs.at(static_cast<std::size_t>(kind));
}

// ---- Analytic ones.

namespace {

class Plane : public Surface {
 public:
  explicit Plane(const PlaneData& data) : d_(data) {}
  SurfaceKind kind() const override { return SurfaceKind::plane; }
  SurfaceData data() const override { return &d_; }
  SurfacePoint at(double u, double v) const override {
    SurfacePoint s;
    s.p = d_.frame.at(u, v);
    s.du = d_.frame.x;
    s.dv = d_.frame.y;
    return s;
  }
  Interval domain_u() const override { return kUnbounded; }
  Interval domain_v() const override { return kUnbounded; }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    return Parameters(d_.frame.of(p).head<2>());
  }

 private:
  PlaneData d_;
};

// Cylinders and cones: a line turned about the axis.
class Cone : public Surface {
 public:
  explicit Cone(const ConeData& data) : d_(data), slope_(std::tan(data.half_angle)) {}
  SurfaceKind kind() const override {
    return slope_ == 0 ? SurfaceKind::cylinder : SurfaceKind::cone;
  }
  SurfaceData data() const override { return &d_; }
  SurfacePoint at(double u, double v) const override {
    const double c = std::cos(u), s = std::sin(u);
    const Vector out = c * d_.frame.x + s * d_.frame.y, along = c * d_.frame.y - s * d_.frame.x;
    const double r = d_.radius + v * slope_;
    SurfacePoint p;
    p.p = d_.frame.origin + r * out + v * d_.frame.z;
    p.du = r * along;
    p.dv = slope_ * out + d_.frame.z;
    p.duu = -r * out;
    p.duv = slope_ * along;
    return p;
  }
  Interval domain_u() const override { return kWholeTurn; }
  Interval domain_v() const override { return kUnbounded; }
  double period_u() const override { return kFullTurn; }
  std::vector<Pole> poles() const override {
    if (slope_ == 0) return {};
    const double v = -d_.radius / slope_;
    return {{false, v, d_.frame.at(0, 0, v)}};
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    const Point q = d_.frame.of(p);
    const double r = std::hypot(q.x(), q.y());
    // The foot on the nappe that the point is nearer to.
    const auto foot = [&](double side) {
      return ((side * r - d_.radius) * slope_ + q.z()) / (1 + slope_ * slope_);
    };
    double v = foot(1);
    double turn = 0;
    if (slope_ != 0) {
      const double v_other = foot(-1);
      const auto off = [&](double w, double side) {
        return std::hypot(side * r - d_.radius - w * slope_, q.z() - w);
      };
      if (d_.radius + v * slope_ < 0 || off(v_other, -1) < off(v, 1)) {
        if (d_.radius + v_other * slope_ <= 0 && off(v_other, -1) < off(v, 1)) {
          v = v_other;
          turn = std::numbers::pi;
        }
      }
    }
    return Parameters(
        positive_angle(std::fmod(std::atan2(q.y(), q.x()) + turn + kFullTurn, kFullTurn)), v);
  }

 private:
  ConeData d_;
  double slope_;
};

class Sphere : public Surface {
 public:
  explicit Sphere(const SphereData& data) : d_(data) {}
  SurfaceKind kind() const override { return SurfaceKind::sphere; }
  SurfaceData data() const override { return &d_; }
  SurfacePoint at(double u, double v) const override {
    const double cu = std::cos(u), su = std::sin(u), cv = std::cos(v), sv = std::sin(v);
    const Vector out = cu * d_.frame.x + su * d_.frame.y, along = cu * d_.frame.y - su * d_.frame.x;
    const double r = d_.radius;
    SurfacePoint s;
    s.p = d_.frame.origin + r * cv * out + r * sv * d_.frame.z;
    s.du = r * cv * along;
    s.dv = -r * sv * out + r * cv * d_.frame.z;
    s.duu = -r * cv * out;
    s.duv = -r * sv * along;
    s.dvv = -r * cv * out - r * sv * d_.frame.z;
    return s;
  }
  Interval domain_u() const override { return kWholeTurn; }
  Interval domain_v() const override { return {-kFullTurn / 4, kFullTurn / 4}; }
  double period_u() const override { return kFullTurn; }
  std::vector<Pole> poles() const override {
    return {{false, -kFullTurn / 4, d_.frame.at(0, 0, -d_.radius)},
            {false, kFullTurn / 4, d_.frame.at(0, 0, d_.radius)}};
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    const Point q = d_.frame.of(p);
    return Parameters(positive_angle(std::atan2(q.y(), q.x())),
                      std::atan2(q.z(), std::hypot(q.x(), q.y())));
  }

 private:
  SphereData d_;
};

class Torus : public Surface {
 public:
  explicit Torus(const TorusData& data) : d_(data) {}
  SurfaceKind kind() const override { return SurfaceKind::torus; }
  SurfaceData data() const override { return &d_; }
  SurfacePoint at(double u, double v) const override {
    const double cu = std::cos(u), su = std::sin(u), cv = std::cos(v), sv = std::sin(v);
    const Vector out = cu * d_.frame.x + su * d_.frame.y, along = cu * d_.frame.y - su * d_.frame.x;
    const double r = d_.major + d_.minor * cv;
    SurfacePoint s;
    s.p = d_.frame.origin + r * out + d_.minor * sv * d_.frame.z;
    s.du = r * along;
    s.dv = -d_.minor * sv * out + d_.minor * cv * d_.frame.z;
    s.duu = -r * out;
    s.duv = -d_.minor * sv * along;
    s.dvv = -d_.minor * cv * out - d_.minor * sv * d_.frame.z;
    return s;
  }
  Interval domain_u() const override { return kWholeTurn; }
  // A spindle's apple and lemon are the two parts between the points where it meets its axis.
  Interval domain_v() const override {
    if (!is_spindle()) return kWholeTurn;
    const double meets = std::acos(-d_.major / d_.minor);
    return d_.outer ? Interval{-meets, meets} : Interval{meets, kFullTurn - meets};
  }
  double period_u() const override { return kFullTurn; }
  double period_v() const override { return is_spindle() ? 0 : kFullTurn; }
  std::vector<Pole> poles() const override {
    if (!is_spindle()) return {};
    const Interval v = domain_v();
    return {{false, v.low, at(0, v.low).p}, {false, v.high, at(0, v.high).p}};
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    const Point q = d_.frame.of(p);
    const double r = std::hypot(q.x(), q.y());
    double u = std::atan2(q.y(), q.x());
    double v = std::atan2(q.z(), r - d_.major);
    if (is_spindle() && !d_.outer) {
      u += std::numbers::pi;
      v = std::atan2(q.z(), -r - d_.major);
    }
    if (is_spindle() && d_.outer) return Parameters(positive_angle(u), domain_v().clamp(v));
    v = positive_angle(v);
    if (is_spindle()) v = domain_v().clamp(v);
    return Parameters(positive_angle(std::fmod(u, kFullTurn)), v);
  }

 private:
  [[nodiscard]] bool is_spindle() const { return d_.major < d_.minor; }
  TorusData d_;
};

}  // namespace

SurfacePtr make_plane(const Frame& frame) { return std::make_shared<Plane>(PlaneData{frame}); }
SurfacePtr make_cylinder(const Frame& frame, double radius) {
  return std::make_shared<Cone>(ConeData{frame, radius, 0});
}
SurfacePtr make_cone(const Frame& frame, double radius, double half_angle) {
  return std::make_shared<Cone>(ConeData{frame, radius, half_angle});
}
SurfacePtr make_sphere(const Frame& frame, double radius) {
  return std::make_shared<Sphere>(SphereData{frame, radius});
}
SurfacePtr make_torus(const Frame& frame, double major, double minor, bool outer) {
  return std::make_shared<Torus>(TorusData{frame, major, minor, outer});
}

// ---- B-splines.

namespace {

class SplineSurface : public Surface {
 public:
  explicit SplineSurface(SplineSurfaceData data) : d_(std::move(data)) {
    for (const Point& p : d_.points) size_ = std::max(size_, (p - d_.points[0]).norm());
    find_seams();
    find_poles();
  }
  SurfaceKind kind() const override { return SurfaceKind::spline; }
  SurfaceData data() const override { return &d_; }
  SurfacePoint at(double u, double v) const override {
    return inside(wrapped(u, d_.u.domain(), period_u_), wrapped(v, d_.v.domain(), period_v_));
  }
  Interval domain_u() const override { return d_.u.domain(); }
  Interval domain_v() const override { return d_.v.domain(); }
  double period_u() const override { return period_u_; }
  double period_v() const override { return period_v_; }
  std::vector<Pole> poles() const override { return poles_; }
  std::vector<double> breaks_u(const Interval& range) const override { return d_.u.inner(range); }
  std::vector<double> breaks_v(const Interval& range) const override { return d_.v.inner(range); }

 private:
  static double wrapped(double t, const Interval& d, double period) {
    if (period > 0 && (t < d.low || t > d.high)) t -= period * std::floor((t - d.low) / period);
    return d.clamp(t);
  }
  [[nodiscard]] SurfacePoint inside(double u, double v) const {
    const std::size_t su = d_.u.span(u), sv = d_.v.span(v);
    const BasisValues bu(d_.u, su, u), bv(d_.v, sv, v);
    const std::size_t first_u = su - static_cast<std::size_t>(d_.u.degree);
    const std::size_t first_v = sv - static_cast<std::size_t>(d_.v.degree);
    const std::size_t row = d_.v.control_count();
    // Derivatives (0,0), (1,0), (0,1), (2,0), (1,1), (0,2) of the homogeneous surface.
    constexpr int kOrder[6][2] = {{0, 0}, {1, 0}, {0, 1}, {2, 0}, {1, 1}, {0, 2}};
    Eigen::Vector4d h[6];
    for (auto& x : h) x.setZero();
    for (int i = 0; i <= d_.u.degree; ++i) {
      Eigen::Vector4d line[3] = {Eigen::Vector4d::Zero(), Eigen::Vector4d::Zero(),
                                 Eigen::Vector4d::Zero()};
      const std::size_t base = (first_u + static_cast<std::size_t>(i)) * row + first_v;
      for (int j = 0; j <= d_.v.degree; ++j) {
        const std::size_t k = base + static_cast<std::size_t>(j);
        const double w = d_.weights.empty() ? 1.0 : d_.weights[k];
        const Eigen::Vector4d p(w * d_.points[k].x(), w * d_.points[k].y(), w * d_.points[k].z(),
                                w);
        for (int d = 0; d < 3; ++d) line[d] += bv.at(d, j) * p;
      }
      for (int o = 0; o < 6; ++o) h[o] += bu.at(kOrder[o][0], i) * line[kOrder[o][1]];
    }
    SurfacePoint s;
    const double w = h[0][3];
    s.p = h[0].head<3>() / w;
    s.du = (h[1].head<3>() - h[1][3] * s.p) / w;
    s.dv = (h[2].head<3>() - h[2][3] * s.p) / w;
    s.duu = (h[3].head<3>() - 2 * h[1][3] * s.du - h[3][3] * s.p) / w;
    s.duv = (h[4].head<3>() - h[1][3] * s.dv - h[2][3] * s.du - h[4][3] * s.p) / w;
    s.dvv = (h[5].head<3>() - 2 * h[2][3] * s.dv - h[5][3] * s.p) / w;
    return s;
  }
  // It closes in a direction where its two sides are one curve, and meet without a corner.
  void find_seams() {
    const Interval du = d_.u.domain(), dv = d_.v.domain();
    bool closes_u = true, closes_v = true, smooth_u = true, smooth_v = true;
    constexpr int kSamples = 8;
    for (int i = 0; i <= kSamples; ++i) {
      const double part = (i + 0.31) / (kSamples + 0.62);
      const double u = du.low + part * du.width(), v = dv.low + part * dv.width();
      const SurfacePoint a = inside(du.low, v), b = inside(du.high, v);
      closes_u = closes_u && (a.p - b.p).norm() <= kSamePlace * size_;
      smooth_u =
          smooth_u && (a.du - b.du).norm() <= kSmoothSurface * std::max(a.du.norm(), b.du.norm());
      const SurfacePoint c = inside(u, dv.low), d = inside(u, dv.high);
      closes_v = closes_v && (c.p - d.p).norm() <= kSamePlace * size_;
      smooth_v =
          smooth_v && (c.dv - d.dv).norm() <= kSmoothSurface * std::max(c.dv.norm(), d.dv.norm());
    }
    // A corner at the seam does no harm to parameters: they go round all the same.
    if (closes_u) period_u_ = du.width();
    if (closes_v) period_v_ = dv.width();
  }
  void find_poles() {
    const Interval du = d_.u.domain(), dv = d_.v.domain();
    constexpr int kSamples = 8;
    for (const bool at_u : {true, false}) {
      const Interval fixed = at_u ? du : dv, along = at_u ? dv : du;
      for (const double value : {fixed.low, fixed.high}) {
        const auto place = [&](double t) { return at_u ? inside(value, t).p : inside(t, value).p; };
        const Point first = place(along.low);
        double spread = 0;
        for (int i = 1; i <= kSamples; ++i) {
          spread =
              std::max(spread, (place(along.low + along.width() * i / kSamples) - first).norm());
        }
        if (spread <= kPoleSize * size_) poles_.push_back({at_u, value, first});
      }
    }
  }

  double size_ = 0;
  double period_u_ = 0, period_v_ = 0;
  std::vector<Pole> poles_;
  SplineSurfaceData d_;
};

}  // namespace

SurfacePtr make_spline_surface(KnotVector u, KnotVector v, std::vector<Point> points,
                               std::vector<double> weights) {
  if (u.knots.size() <= static_cast<std::size_t>(std::max(u.degree, 0)) ||
      v.knots.size() <= static_cast<std::size_t>(std::max(v.degree, 0)) || u.degree < 1 ||
      v.degree < 1) {
    throw ArgumentError("spline surface: too few knots");
  }
  const std::size_t nu = u.control_count() - 0, nv = v.control_count() - 0;
  for (const auto& [knots, count] : {std::pair(&u, nu), std::pair(&v, nv)}) {
    if (const std::string flaw = knots->flaw(count); !flaw.empty()) {
      throw ArgumentError("spline surface: " + flaw);
    }
  }
  if (points.size() != nu * nv) {
    throw ArgumentError("spline surface: " + std::to_string(points.size()) +
                        " control points for " + std::to_string(nu) + " x " + std::to_string(nv));
  }
  if (!weights.empty() && weights.size() != points.size()) {
    throw ArgumentError("spline surface: as many weights as points are needed");
  }
  for (const double w : weights) {
    if (!(w > 0) || !std::isfinite(w)) {
      throw ArgumentError("spline surface: a weight that is not above 0");
    }
  }
  return std::make_shared<SplineSurface>(
      SplineSurfaceData{std::move(u), std::move(v), std::move(points), std::move(weights)});
}

// ---- Made of curves.

namespace {

class Extrusion : public Surface {
 public:
  explicit Extrusion(ExtrusionData data) : d_(std::move(data)) {}
  SurfaceKind kind() const override { return SurfaceKind::extrusion; }
  Effort effort() const override { return d_.curve->effort(); }
  SurfaceData data() const override { return &d_; }
  SurfacePoint at(double u, double v) const override {
    const CurvePoint c = d_.curve->at(u);
    SurfacePoint s;
    s.p = c.p + v * d_.direction;
    s.du = c.d1;
    s.dv = d_.direction;
    s.duu = c.d2;
    return s;
  }
  Interval domain_u() const override { return d_.range; }
  Interval domain_v() const override { return d_.height; }
  double period_u() const override { return closes() ? d_.range.width() : 0; }
  std::vector<double> breaks_u(const Interval& range) const override {
    return d_.curve->breaks(range);
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    const double length = d_.direction.squaredNorm();
    if (d_.curve->kind() == CurveKind::line) {
      const CurvePoint c = d_.curve->at(0);
      const double e = c.d1.squaredNorm(), f = c.d1.dot(d_.direction);
      const double det = e * length - f * f;
      if (!(det > 0)) return std::nullopt;
      const Vector d = p - c.p;
      const double a = d.dot(c.d1), b = d.dot(d_.direction);
      return Parameters(d_.range.clamp((a * length - b * f) / det),
                        d_.height.clamp((b * e - a * f) / det));
    }
    if (!d_.range.is_finite()) return std::nullopt;
    // Seen along the direction it is a curve in a plane.
    Placement flat;
    flat.linear -= d_.direction * d_.direction.transpose() / length;
    const auto seen = make_moved(d_.curve, flat);
    const double u = nearest_parameter(*seen, d_.range, flat(p));
    return Parameters(u, d_.height.clamp((p - d_.curve->point(u)).dot(d_.direction) / length));
  }

 private:
  [[nodiscard]] bool closes() const {
    if (!d_.range.is_finite()) return false;
    if (d_.curve->period() > 0)
      return std::fabs(d_.range.width() - d_.curve->period()) < kSameParameter * d_.range.width();
    const Point a = d_.curve->point(d_.range.low), b = d_.curve->point(d_.range.high);
    return (a - b).norm() <= kSamePlace * (d_.curve->point(d_.range.middle()) - a).norm();
  }
  ExtrusionData d_;
};

class Revolution : public Surface {
 public:
  explicit Revolution(RevolutionData data) : d_(std::move(data)) { d_.axis.normalize(); }
  SurfaceKind kind() const override { return SurfaceKind::revolution; }
  Effort effort() const override { return d_.curve->effort(); }
  SurfaceData data() const override { return &d_; }
  SurfacePoint at(double u, double v) const override {
    const CurvePoint c = d_.curve->at(v);
    const Eigen::Matrix3d turn = Eigen::AngleAxisd(u, d_.axis).toRotationMatrix();
    const Vector r = turn * (c.p - d_.origin);
    SurfacePoint s;
    s.p = d_.origin + r;
    s.du = d_.axis.cross(r);
    s.dv = turn * c.d1;
    s.duu = d_.axis.cross(s.du);
    s.duv = d_.axis.cross(s.dv);
    s.dvv = turn * c.d2;
    return s;
  }
  Interval domain_u() const override { return d_.angles; }
  Interval domain_v() const override { return d_.range; }
  double period_u() const override {
    return std::fabs(d_.angles.width() - kFullTurn) < kSameParameter ? kFullTurn : 0;
  }
  double period_v() const override {
    const double period = d_.curve->period();
    return period > 0 && std::fabs(d_.range.width() - period) < kSameParameter * period ? period
                                                                                        : 0;
  }
  std::vector<Pole> poles() const override {
    std::vector<Pole> out;
    if (!d_.range.is_finite()) return out;
    for (const double v : {d_.range.low, d_.range.high}) {
      const Point p = d_.curve->point(v);
      const Vector d = p - d_.origin;
      const double size = (d_.curve->point(d_.range.middle()) - p).norm() + d.norm();
      if ((d - d.dot(d_.axis) * d_.axis).norm() <= kPoleSize * size) out.push_back({false, v, p});
    }
    return out;
  }
  std::vector<double> breaks_v(const Interval& range) const override {
    return d_.curve->breaks(range);
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    // The curve may lie on both sides of the axis, and anywhere about it: by samples, elsewhere.
    if (!planar_) return std::nullopt;
    return on_side(p, 1);
  }
  // Of a curve on both sides of the axis: on either. Of a straight line about it: where it is as
  // high, or as far from the axis, as the point.
  std::vector<Parameters> guesses(const Point& p) const override {
    if (crosses_axis_) return {on_side(p, 1), on_side(p, -1)};
    if (d_.curve->kind() != CurveKind::line) return {};
    const CurvePoint c = d_.curve->at(0);
    std::vector<double> along;
    const double rise = c.d1.dot(d_.axis);
    if (rise != 0) along.push_back((p - c.p).dot(d_.axis) / rise);
    const Vector from = across(c.p), step = across(d_.origin + c.d1);
    const double e = step.squaredNorm(), f = from.dot(step);
    if (e > 0) {
      const double root =
          std::sqrt(std::max(0.0, f * f - e * (from.squaredNorm() - across(p).squaredNorm())));
      along.insert(along.end(), {(-f - root) / e, (-f + root) / e});
    }
    std::vector<Parameters> out;
    for (double v : along) {
      v = d_.range.clamp(v);
      const Vector a = across(d_.curve->point(v)), b = across(p);
      out.emplace_back(into(d_.angles, std::atan2(a.cross(b).dot(d_.axis), a.dot(b)), kFullTurn),
                       v);
    }
    return out;
  }
  void look_if_planar() {
    // All of the curve in one plane with the axis, and on one side of it?
    if (!d_.range.is_finite()) return;
    std::vector<Vector> places;
    for (int i = 0; i <= 32; ++i) {
      places.push_back(across(d_.curve->point(d_.range.low + d_.range.width() * i / 32)));
      if (places.back().squaredNorm() > side_.squaredNorm()) side_ = places.back();
    }
    if (!(side_.norm() > 0)) return;
    bool one_side = true;
    for (const Vector& d : places) {
      if (side_.cross(d).norm() > kSamePlace * side_.squaredNorm()) return;
      one_side = one_side && side_.dot(d) >= -kSamePlace * side_.squaredNorm();
    }
    planar_ = one_side;
    crosses_axis_ = !one_side;
  }

 private:
  [[nodiscard]] Vector across(const Point& p) const {
    const Vector d = p - d_.origin;
    return d - d.dot(d_.axis) * d_.axis;
  }
  // With the curve turned to where the point is on its side (1) or beyond the axis (-1).
  [[nodiscard]] Parameters on_side(const Point& p, double sign) const {
    const Vector b = sign * across(p);
    const double u =
        into(d_.angles, std::atan2(side_.cross(b).dot(d_.axis), side_.dot(b)), kFullTurn);
    const Point back = d_.origin + Eigen::AngleAxisd(-u, d_.axis) * (p - d_.origin);
    return {u, nearest_parameter(*d_.curve, d_.range, back)};
  }
  Vector side_ = Vector::Zero();  // from the axis to where the curve is farthest
  bool planar_ = false, crosses_axis_ = false;
  RevolutionData d_;
};

class Ruled : public Surface {
 public:
  explicit Ruled(RuledData data) : d_(std::move(data)) {}
  SurfaceKind kind() const override { return SurfaceKind::ruled; }
  Effort effort() const override {
    const Effort a = d_.first->effort(), b = d_.second->effort();
    return {a.evaluations + b.evaluations, a.pieces + b.pieces};
  }
  SurfaceData data() const override { return &d_; }
  SurfacePoint at(double u, double v) const override {
    const CurvePoint p = part(*d_.first, d_.first_range, u),
                     q = part(*d_.second, d_.second_range, u);
    SurfacePoint s;
    s.p = (1 - v) * p.p + v * q.p;
    s.du = (1 - v) * p.d1 + v * q.d1;
    s.dv = q.p - p.p;
    s.duu = (1 - v) * p.d2 + v * q.d2;
    s.duv = q.d1 - p.d1;
    return s;
  }
  Interval domain_u() const override { return {0, 1}; }
  Interval domain_v() const override { return {0, 1}; }
  double period_u() const override {
    const double size = (at(0, 0).p - at(0.5, 0.5).p).norm();
    return (at(0, 0).p - at(1, 0).p).norm() <= kSamePlace * size &&
                   (at(0, 1).p - at(1, 1).p).norm() <= kSamePlace * size
               ? 1
               : 0;
  }
  std::vector<Pole> poles() const override {
    std::vector<Pole> out;
    for (const double v : {0.0, 1.0}) {
      const Point p = at(0, v).p;
      if ((at(0.5, v).p - p).norm() + (at(1, v).p - p).norm() <=
          kSamePlace * (at(0.5, 0.5).p - p).norm()) {
        out.push_back({false, v, p});
      }
    }
    return out;
  }
  std::vector<double> breaks_u(const Interval& range) const override {
    std::vector<double> all;
    for (const auto& [curve, own] :
         {std::pair(&d_.first, &d_.first_range), std::pair(&d_.second, &d_.second_range)}) {
      for (const double t : (*curve)->breaks(*own)) {
        const double u = (t - own->low) / own->width();
        if (u > range.low && u < range.high) all.push_back(u);
      }
    }
    std::sort(all.begin(), all.end());
    all.erase(std::unique(all.begin(), all.end()), all.end());
    return all;
  }

 private:
  static CurvePoint part(const Curve& curve, const Interval& range, double u) {
    CurvePoint c = curve.at(range.low + u * range.width());
    c.d1 *= range.width();
    c.d2 *= range.width() * range.width();
    return c;
  }
  RuledData d_;
};

// A surface made of another one, with its parameters.
template <class Data>
class SurfaceOver : public Surface {
 public:
  explicit SurfaceOver(Data data) : d_(std::move(data)) {}
  SurfaceData data() const override { return &d_; }
  Effort effort() const override { return d_.surface->effort(); }
  Interval domain_u() const override { return d_.surface->domain_u(); }
  Interval domain_v() const override { return d_.surface->domain_v(); }
  double period_u() const override { return d_.surface->period_u(); }
  double period_v() const override { return d_.surface->period_v(); }
  std::vector<double> breaks_u(const Interval& r) const override { return d_.surface->breaks_u(r); }
  std::vector<double> breaks_v(const Interval& r) const override { return d_.surface->breaks_v(r); }

 protected:
  Data d_;
};

class OffsetSurface : public SurfaceOver<OffsetSurfaceData> {
 public:
  using SurfaceOver::SurfaceOver;
  SurfaceKind kind() const override { return SurfaceKind::offset; }
  // Its second derivatives take four more places.
  Effort effort() const override {
    const Effort own = d_.surface->effort();
    return {5 * own.evaluations, own.pieces};
  }
  SurfacePoint at(double u, double v) const override {
    // The normal's first derivatives are exact (Weingarten); the second ones of the offset are
    // taken by differences of the first.
    SurfacePoint s = first_order(u, v);
    const double hu = step(d_.surface->domain_u(), d_.surface->period_u());
    const double hv = step(d_.surface->domain_v(), d_.surface->period_v());
    const SurfacePoint u0 = first_order(u - hu, v), u1 = first_order(u + hu, v);
    const SurfacePoint v0 = first_order(u, v - hv), v1 = first_order(u, v + hv);
    s.duu = (u1.du - u0.du) / (2 * hu);
    s.duv = (v1.du - v0.du) / (2 * hv);
    s.dvv = (v1.dv - v0.dv) / (2 * hv);
    return s;
  }
  std::vector<Pole> poles() const override {
    std::vector<Pole> out = d_.surface->poles();
    for (Pole& pole : out) {
      const double other =
          pole.at_u ? d_.surface->domain_v().middle() : d_.surface->domain_u().middle();
      const SurfacePoint s =
          pole.at_u ? first_order(pole.value, other) : first_order(other, pole.value);
      pole.place = s.p;
    }
    return out;
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    return d_.surface->parameters_of(p);  // normals of the one are normals of the other
  }
  std::vector<Parameters> guesses(const Point& p) const override { return d_.surface->guesses(p); }

 private:
  static double step(const Interval& domain, double period) {
    return kDifferenceStep * (period > 0 ? period : domain.is_finite() ? domain.width() : 1);
  }
  [[nodiscard]] SurfacePoint first_order(double u, double v) const {
    SurfacePoint s = d_.surface->at(u, v);
    const Vector n = s.normal();
    const double e = s.du.squaredNorm(), f = s.du.dot(s.dv), g = s.dv.squaredNorm();
    const double l = s.duu.dot(n), m = s.duv.dot(n), k = s.dvv.dot(n);
    const double det = e * g - f * f;
    SurfacePoint out;
    out.p = s.p + d_.distance * n;
    out.du = s.du;
    out.dv = s.dv;
    if (det > 0) {
      out.du += d_.distance * ((m * f - l * g) * s.du + (l * f - m * e) * s.dv) / det;
      out.dv += d_.distance * ((k * f - m * g) * s.du + (m * f - k * e) * s.dv) / det;
    }
    return out;
  }
};

class MovedSurface : public SurfaceOver<MovedSurfaceData> {
 public:
  explicit MovedSurface(MovedSurfaceData data)
      : SurfaceOver(std::move(data)), inverse_(d_.placement.linear.inverse()) {}
  SurfaceKind kind() const override { return d_.surface->kind(); }
  SurfacePoint at(double u, double v) const override {
    SurfacePoint s = d_.surface->at(u, v);
    s.p = d_.placement(s.p);
    for (Vector* d : {&s.du, &s.dv, &s.duu, &s.duv, &s.dvv}) *d = d_.placement.linear * *d;
    return s;
  }
  std::vector<Pole> poles() const override {
    std::vector<Pole> out = d_.surface->poles();
    for (Pole& pole : out) pole.place = d_.placement(pole.place);
    return out;
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    return d_.surface->parameters_of(inverse_ * (p - d_.placement.shift));
  }
  std::vector<Parameters> guesses(const Point& p) const override {
    return d_.surface->guesses(inverse_ * (p - d_.placement.shift));
  }

 private:
  Eigen::Matrix3d inverse_;
};

class TrimmedSurface : public SurfaceOver<TrimmedSurfaceData> {
 public:
  using SurfaceOver::SurfaceOver;
  SurfaceKind kind() const override { return d_.surface->kind(); }
  SurfacePoint at(double u, double v) const override { return d_.surface->at(u, v); }
  Interval domain_u() const override { return d_.u; }
  Interval domain_v() const override { return d_.v; }
  double period_u() const override { return kept(d_.surface->period_u(), d_.u); }
  double period_v() const override { return kept(d_.surface->period_v(), d_.v); }
  std::vector<Pole> poles() const override {
    std::vector<Pole> out;
    for (const Pole& pole : d_.surface->poles()) {
      const Interval& own = pole.at_u ? d_.u : d_.v;
      if (pole.value >= own.low && pole.value <= own.high) out.push_back(pole);
    }
    return out;
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    const auto whole = d_.surface->parameters_of(p);
    return whole ? std::optional<Parameters>(inside(*whole)) : std::nullopt;
  }
  std::vector<Parameters> guesses(const Point& p) const override {
    std::vector<Parameters> all = d_.surface->guesses(p);
    for (Parameters& uv : all) uv = inside(uv);
    return all;
  }

 private:
  [[nodiscard]] Parameters inside(const Parameters& uv) const {
    return {into(d_.u, uv[0], d_.surface->period_u()), into(d_.v, uv[1], d_.surface->period_v())};
  }
  static double kept(double period, const Interval& range) {
    return period > 0 && range.width() >= period * (1 - kSameParameter) ? period : 0;
  }
};

class CurveOnSurface : public Curve {
 public:
  explicit CurveOnSurface(CurveOnSurfaceData data) : d_(std::move(data)) {}
  CurveKind kind() const override { return CurveKind::on_surface; }
  Effort effort() const override {
    const Effort a = d_.surface->effort(), b = d_.in_parameters->effort();
    return {a.evaluations + b.evaluations, a.pieces + b.pieces};
  }
  CurveData data() const override { return &d_; }
  CurvePoint at(double t) const override {
    const CurvePoint c = d_.in_parameters->at(t);
    const SurfacePoint s = d_.surface->at(c.p.x(), c.p.y());
    CurvePoint out;
    out.p = s.p;
    out.d1 = c.d1.x() * s.du + c.d1.y() * s.dv;
    out.d2 = c.d2.x() * s.du + c.d2.y() * s.dv + c.d1.x() * c.d1.x() * s.duu +
             2 * c.d1.x() * c.d1.y() * s.duv + c.d1.y() * c.d1.y() * s.dvv;
    return out;
  }
  Interval domain() const override { return d_.in_parameters->domain(); }
  double period() const override { return 0; }
  std::vector<double> breaks(const Interval& range) const override {
    return d_.in_parameters->breaks(range);
  }

 private:
  CurveOnSurfaceData d_;
};

}  // namespace

SurfacePtr make_extrusion(CurvePtr curve, const Interval& range, const Vector& direction,
                          const Interval& height) {
  return std::make_shared<Extrusion>(ExtrusionData{std::move(curve), range, direction, height});
}
SurfacePtr make_revolution(CurvePtr curve, const Interval& range, const Point& origin,
                           const Vector& axis, const Interval& angles) {
  auto made =
      std::make_shared<Revolution>(RevolutionData{std::move(curve), range, origin, axis, angles});
  made->look_if_planar();
  return made;
}
SurfacePtr make_ruled(CurvePtr first, const Interval& first_range, CurvePtr second,
                      const Interval& second_range) {
  return std::make_shared<Ruled>(
      RuledData{std::move(first), first_range, std::move(second), second_range});
}
SurfacePtr make_offset_surface(SurfacePtr surface, double distance) {
  return bounded<SurfacePtr>(
      std::make_shared<OffsetSurface>(OffsetSurfaceData{std::move(surface), distance}));
}
SurfacePtr make_moved(SurfacePtr surface, const Placement& placement) {
  if (placement.is_identity()) return surface;
  return std::make_shared<MovedSurface>(MovedSurfaceData{std::move(surface), placement});
}
SurfacePtr make_trimmed_surface(SurfacePtr surface, const Interval& u, const Interval& v) {
  return std::make_shared<TrimmedSurface>(TrimmedSurfaceData{std::move(surface), u, v});
}
CurvePtr make_curve_on_surface(SurfacePtr surface, CurvePtr in_parameters) {
  return bounded<CurvePtr>(std::make_shared<CurveOnSurface>(
      CurveOnSurfaceData{std::move(surface), std::move(in_parameters)}));
}

// ---- Feet.

namespace {

// A few values in each stretch between breaks.
std::vector<double> sample_values(const Interval& range, const std::vector<double>& breaks) {
  std::vector<double> ends = {range.low};
  ends.insert(ends.end(), breaks.begin(), breaks.end());
  ends.push_back(range.high);
  const std::size_t stretches = ends.size() - 1;
  const int pieces = std::clamp(static_cast<int>(24 / stretches), 2, 12);
  std::vector<double> out;
  for (std::size_t i = 0; i < stretches; ++i) {
    for (int k = 0; k < pieces; ++k) out.push_back(ends[i] + (ends[i + 1] - ends[i]) * k / pieces);
  }
  out.push_back(range.high);
  return out;
}

}  // namespace

SurfaceFoot::SurfaceFoot(const Surface& surface) : surface_(surface) {
  const Interval u = surface.domain_u(), v = surface.domain_v();
  if (surface.parameters_of(Point::Zero()) || !u.is_finite() || !v.is_finite() ||
      !surface.guesses(Point::Zero()).empty()) {
    return;
  }
  for (const double a : sample_values(u, surface.breaks_u(u))) {
    for (const double b : sample_values(v, surface.breaks_v(v))) {
      samples_.push_back({{a, b}, surface.point(a, b)});
    }
  }
}

Parameters SurfaceFoot::improved(Parameters uv, const Point& p) const {
  const Interval du = surface_.domain_u(), dv = surface_.domain_v();
  const bool wraps_u = surface_.period_u() > 0, wraps_v = surface_.period_v() > 0;
  SurfacePoint s = surface_.at(uv[0], uv[1]);
  double error = (s.p - p).squaredNorm();
  double damping = 0;
  for (int i = 0; i < 40; ++i) {
    const Vector r = s.p - p;
    // Newton on the squared distance, Gauss-Newton where that is no minimum.
    double a = s.du.squaredNorm() + r.dot(s.duu), b = s.du.dot(s.dv) + r.dot(s.duv),
           c = s.dv.squaredNorm() + r.dot(s.dvv);
    if (!(a > 0 && c > 0 && a * c - b * b > 0)) {
      a = s.du.squaredNorm();
      b = s.du.dot(s.dv);
      c = s.dv.squaredNorm();
    }
    a *= 1 + damping;
    c *= 1 + damping;
    const double f = r.dot(s.du), g = r.dot(s.dv);
    const double det = a * c - b * b;
    Parameters step;
    if (det > kNoNormal * a * c) {
      step = {-(c * f - b * g) / det, -(a * g - b * f) / det};
    } else {
      step = {a > 0 ? -f / a : 0, c > 0 ? -g / c : 0};
    }
    Parameters next = uv + step;
    if (!wraps_u) next[0] = du.clamp(next[0]);
    if (!wraps_v) next[1] = dv.clamp(next[1]);
    if (next == uv) break;
    const SurfacePoint there = surface_.at(next[0], next[1]);
    const double next_error = (there.p - p).squaredNorm();
    if (!(next_error < error)) {
      if (damping > kMostDamping) break;
      damping = damping == 0 ? kFirstDamping : damping * 10;
      continue;
    }
    const bool settled = next_error > error * (1 - kSettled);
    uv = next;
    s = there;
    error = next_error;
    damping *= 0.1;
    if (damping < kLeastDamping) damping = 0;
    if (settled) break;
  }
  return uv;
}

Parameters SurfaceFoot::of(const Point& p, const std::optional<Parameters>& near) const {
  Parameters uv = found_from(p, near);
  const Interval domain[] = {surface_.domain_u(), surface_.domain_v()};
  const double period[] = {surface_.period_u(), surface_.period_v()};
  for (int k = 0; k < 2; ++k) {
    if (period[k] > 0) uv[k] = domain[k].clamp(into(domain[k], uv[k], period[k]));
  }
  return uv;
}

Parameters SurfaceFoot::found_from(const Point& p, const std::optional<Parameters>& near) const {
  if (const auto closed = surface_.parameters_of(p)) return *closed;
  std::optional<Parameters> from_near;
  double near_error = kInfinity;
  if (near) {
    from_near = improved(*near, p);
    near_error = (surface_.point(*from_near) - p).squaredNorm();
  }
  if (samples_.empty()) {
    double least = near_error;
    Parameters found =
        from_near.value_or(Parameters(surface_.domain_u().clamp(0), surface_.domain_v().clamp(0)));
    for (const Parameters& guess : surface_.guesses(p)) {
      const Parameters uv = improved(guess, p);
      const double error = (surface_.point(uv) - p).squaredNorm();
      // The one that was followed wins where both are as near.
      if (error < least * (1 - kAsNear) - kLostSquare) {
        least = error;
        found = uv;
      }
    }
    return found;
  }
  // Following along an edge the foot is nearly always there already.
  struct Candidate {
    double error;
    std::size_t at;
  };
  std::array<Candidate, 3> best = {{{kInfinity, 0}, {kInfinity, 0}, {kInfinity, 0}}};
  for (std::size_t i = 0; i < samples_.size(); ++i) {
    const double error = (samples_[i].p - p).squaredNorm();
    if (error >= best[2].error) continue;
    best[2] = {error, i};
    if (best[2].error < best[1].error) std::swap(best[1], best[2]);
    if (best[1].error < best[0].error) std::swap(best[0], best[1]);
  }
  if (from_near && near_error <= kAsNear * best[0].error) return *from_near;
  Parameters found = from_near.value_or(samples_[best[0].at].uv);
  double least = from_near ? near_error : kInfinity;
  for (const Candidate& c : best) {
    if (!(c.error < kInfinity)) continue;
    const Parameters uv = improved(samples_[c.at].uv, p);
    const double error = (surface_.point(uv) - p).squaredNorm();
    // The one that was followed wins where both are as near.
    if (error < least * (1 - kAsNear) - kLostSquare) {
      least = error;
      found = uv;
    }
  }
  return found;
}

}  // namespace aguja
