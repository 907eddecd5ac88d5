#include "aguja/surface/surface.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "base/numbers.h"
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
  explicit Plane(const Frame& frame) : frame_(frame) {}
  SurfaceKind kind() const override { return SurfaceKind::plane; }
  SurfacePoint at(double u, double v) const override {
    SurfacePoint s;
    s.p = frame_.at(u, v);
    s.du = frame_.x;
    s.dv = frame_.y;
    return s;
  }
  Interval domain_u() const override { return kUnbounded; }
  Interval domain_v() const override { return kUnbounded; }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    return Parameters(frame_.of(p).head<2>());
  }

 private:
  Frame frame_;
};

// Cylinders and cones: a line turned about the axis.
class Cone : public Surface {
 public:
  Cone(const Frame& frame, double radius, double half_angle)
      : frame_(frame), radius_(radius), slope_(std::tan(half_angle)) {}
  SurfaceKind kind() const override {
    return slope_ == 0 ? SurfaceKind::cylinder : SurfaceKind::cone;
  }
  SurfacePoint at(double u, double v) const override {
    const double c = std::cos(u), s = std::sin(u);
    const Vector out = c * frame_.x + s * frame_.y, along = c * frame_.y - s * frame_.x;
    const double r = radius_ + v * slope_;
    SurfacePoint p;
    p.p = frame_.origin + r * out + v * frame_.z;
    p.du = r * along;
    p.dv = slope_ * out + frame_.z;
    p.duu = -r * out;
    p.duv = slope_ * along;
    return p;
  }
  Interval domain_u() const override { return kWholeTurn; }
  Interval domain_v() const override { return kUnbounded; }
  double period_u() const override { return kFullTurn; }
  std::vector<Pole> poles() const override {
    if (slope_ == 0) return {};
    const double v = -radius_ / slope_;
    return {{false, v, frame_.at(0, 0, v)}};
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    const Point q = frame_.of(p);
    const double r = std::hypot(q.x(), q.y());
    // The foot on the nappe that the point is nearer to.
    const auto foot = [&](double side) {
      return ((side * r - radius_) * slope_ + q.z()) / (1 + slope_ * slope_);
    };
    double v = foot(1);
    double turn = 0;
    if (slope_ != 0) {
      const double v_other = foot(-1);
      const auto off = [&](double w, double side) {
        return std::hypot(side * r - radius_ - w * slope_, q.z() - w);
      };
      if (radius_ + v * slope_ < 0 || off(v_other, -1) < off(v, 1)) {
        if (radius_ + v_other * slope_ <= 0 && off(v_other, -1) < off(v, 1)) {
          v = v_other;
          turn = std::numbers::pi;
        }
      }
    }
    return Parameters(
        positive_angle(std::fmod(std::atan2(q.y(), q.x()) + turn + kFullTurn, kFullTurn)), v);
  }

 private:
  Frame frame_;
  double radius_, slope_;
};

class Sphere : public Surface {
 public:
  Sphere(const Frame& frame, double radius) : frame_(frame), radius_(radius) {}
  SurfaceKind kind() const override { return SurfaceKind::sphere; }
  SurfacePoint at(double u, double v) const override {
    const double cu = std::cos(u), su = std::sin(u), cv = std::cos(v), sv = std::sin(v);
    const Vector out = cu * frame_.x + su * frame_.y, along = cu * frame_.y - su * frame_.x;
    const double r = radius_;
    SurfacePoint s;
    s.p = frame_.origin + r * cv * out + r * sv * frame_.z;
    s.du = r * cv * along;
    s.dv = -r * sv * out + r * cv * frame_.z;
    s.duu = -r * cv * out;
    s.duv = -r * sv * along;
    s.dvv = -r * cv * out - r * sv * frame_.z;
    return s;
  }
  Interval domain_u() const override { return kWholeTurn; }
  Interval domain_v() const override { return {-kFullTurn / 4, kFullTurn / 4}; }
  double period_u() const override { return kFullTurn; }
  std::vector<Pole> poles() const override {
    return {{false, -kFullTurn / 4, frame_.at(0, 0, -radius_)},
            {false, kFullTurn / 4, frame_.at(0, 0, radius_)}};
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    const Point q = frame_.of(p);
    return Parameters(positive_angle(std::atan2(q.y(), q.x())),
                      std::atan2(q.z(), std::hypot(q.x(), q.y())));
  }

 private:
  Frame frame_;
  double radius_;
};

class Torus : public Surface {
 public:
  Torus(const Frame& frame, double major, double minor, bool outer)
      : frame_(frame), major_(major), minor_(minor), outer_(outer) {}
  SurfaceKind kind() const override { return SurfaceKind::torus; }
  SurfacePoint at(double u, double v) const override {
    const double cu = std::cos(u), su = std::sin(u), cv = std::cos(v), sv = std::sin(v);
    const Vector out = cu * frame_.x + su * frame_.y, along = cu * frame_.y - su * frame_.x;
    const double r = major_ + minor_ * cv;
    SurfacePoint s;
    s.p = frame_.origin + r * out + minor_ * sv * frame_.z;
    s.du = r * along;
    s.dv = -minor_ * sv * out + minor_ * cv * frame_.z;
    s.duu = -r * out;
    s.duv = -minor_ * sv * along;
    s.dvv = -minor_ * cv * out - minor_ * sv * frame_.z;
    return s;
  }
  Interval domain_u() const override { return kWholeTurn; }
  // A spindle's apple and lemon are the two parts between the points where it meets its axis.
  Interval domain_v() const override {
    if (!is_spindle()) return kWholeTurn;
    const double meets = std::acos(-major_ / minor_);
    return outer_ ? Interval{-meets, meets} : Interval{meets, kFullTurn - meets};
  }
  double period_u() const override { return kFullTurn; }
  double period_v() const override { return is_spindle() ? 0 : kFullTurn; }
  std::vector<Pole> poles() const override {
    if (!is_spindle()) return {};
    const Interval v = domain_v();
    return {{false, v.low, at(0, v.low).p}, {false, v.high, at(0, v.high).p}};
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    const Point q = frame_.of(p);
    const double r = std::hypot(q.x(), q.y());
    double u = std::atan2(q.y(), q.x());
    double v = std::atan2(q.z(), r - major_);
    if (is_spindle() && !outer_) {
      u += std::numbers::pi;
      v = std::atan2(q.z(), -r - major_);
    }
    if (is_spindle() && outer_) return Parameters(positive_angle(u), domain_v().clamp(v));
    v = positive_angle(v);
    if (is_spindle()) v = domain_v().clamp(v);
    return Parameters(positive_angle(std::fmod(u, kFullTurn)), v);
  }

 private:
  [[nodiscard]] bool is_spindle() const { return major_ < minor_; }
  Frame frame_;
  double major_, minor_;
  bool outer_;
};

}  // namespace

SurfacePtr make_plane(const Frame& frame) { return std::make_shared<Plane>(frame); }
SurfacePtr make_cylinder(const Frame& frame, double radius) {
  return std::make_shared<Cone>(frame, radius, 0.0);
}
SurfacePtr make_cone(const Frame& frame, double radius, double half_angle) {
  return std::make_shared<Cone>(frame, radius, half_angle);
}
SurfacePtr make_sphere(const Frame& frame, double radius) {
  return std::make_shared<Sphere>(frame, radius);
}
SurfacePtr make_torus(const Frame& frame, double major, double minor, bool outer) {
  return std::make_shared<Torus>(frame, major, minor, outer);
}

// ---- B-splines.

namespace {

class SplineSurface : public Surface {
 public:
  SplineSurface(KnotVector u, KnotVector v, std::vector<Point> points, std::vector<double> weights)
      : u_(std::move(u)),
        v_(std::move(v)),
        points_(std::move(points)),
        weights_(std::move(weights)) {
    for (const Point& p : points_) size_ = std::max(size_, (p - points_[0]).norm());
    find_seams();
    find_poles();
  }
  SurfaceKind kind() const override { return SurfaceKind::spline; }
  SurfacePoint at(double u, double v) const override {
    return inside(wrapped(u, u_.domain(), period_u_), wrapped(v, v_.domain(), period_v_));
  }
  Interval domain_u() const override { return u_.domain(); }
  Interval domain_v() const override { return v_.domain(); }
  double period_u() const override { return period_u_; }
  double period_v() const override { return period_v_; }
  std::vector<Pole> poles() const override { return poles_; }
  std::vector<double> breaks_u(const Interval& range) const override { return u_.inner(range); }
  std::vector<double> breaks_v(const Interval& range) const override { return v_.inner(range); }

 private:
  static double wrapped(double t, const Interval& d, double period) {
    if (period > 0 && (t < d.low || t > d.high)) t -= period * std::floor((t - d.low) / period);
    return d.clamp(t);
  }
  [[nodiscard]] SurfacePoint inside(double u, double v) const {
    const std::size_t su = u_.span(u), sv = v_.span(v);
    const BasisValues bu(u_, su, u), bv(v_, sv, v);
    const std::size_t first_u = su - static_cast<std::size_t>(u_.degree);
    const std::size_t first_v = sv - static_cast<std::size_t>(v_.degree);
    const std::size_t row = v_.control_count();
    // Derivatives (0,0), (1,0), (0,1), (2,0), (1,1), (0,2) of the homogeneous surface.
    constexpr int kOrder[6][2] = {{0, 0}, {1, 0}, {0, 1}, {2, 0}, {1, 1}, {0, 2}};
    Eigen::Vector4d h[6];
    for (auto& x : h) x.setZero();
    for (int i = 0; i <= u_.degree; ++i) {
      Eigen::Vector4d line[3] = {Eigen::Vector4d::Zero(), Eigen::Vector4d::Zero(),
                                 Eigen::Vector4d::Zero()};
      const std::size_t base = (first_u + static_cast<std::size_t>(i)) * row + first_v;
      for (int j = 0; j <= v_.degree; ++j) {
        const std::size_t k = base + static_cast<std::size_t>(j);
        const double w = weights_.empty() ? 1.0 : weights_[k];
        const Eigen::Vector4d p(w * points_[k].x(), w * points_[k].y(), w * points_[k].z(), w);
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
    const Interval du = u_.domain(), dv = v_.domain();
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
    const Interval du = u_.domain(), dv = v_.domain();
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

  KnotVector u_, v_;
  std::vector<Point> points_;
  std::vector<double> weights_;
  double size_ = 0;
  double period_u_ = 0, period_v_ = 0;
  std::vector<Pole> poles_;
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
  return std::make_shared<SplineSurface>(std::move(u), std::move(v), std::move(points),
                                         std::move(weights));
}

// ---- Made of curves.

namespace {

class Extrusion : public Surface {
 public:
  Extrusion(CurvePtr curve, const Interval& range, const Vector& direction, const Interval& height)
      : curve_(std::move(curve)), range_(range), direction_(direction), height_(height) {}
  SurfaceKind kind() const override { return SurfaceKind::extrusion; }
  SurfacePoint at(double u, double v) const override {
    const CurvePoint c = curve_->at(u);
    SurfacePoint s;
    s.p = c.p + v * direction_;
    s.du = c.d1;
    s.dv = direction_;
    s.duu = c.d2;
    return s;
  }
  Interval domain_u() const override { return range_; }
  Interval domain_v() const override { return height_; }
  double period_u() const override { return closes() ? range_.width() : 0; }
  std::vector<double> breaks_u(const Interval& range) const override {
    return curve_->breaks(range);
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    const double length = direction_.squaredNorm();
    if (curve_->kind() == CurveKind::line) {
      const CurvePoint c = curve_->at(0);
      const double e = c.d1.squaredNorm(), f = c.d1.dot(direction_);
      const double det = e * length - f * f;
      if (!(det > 0)) return std::nullopt;
      const Vector d = p - c.p;
      const double a = d.dot(c.d1), b = d.dot(direction_);
      return Parameters(range_.clamp((a * length - b * f) / det),
                        height_.clamp((b * e - a * f) / det));
    }
    if (!range_.is_finite()) return std::nullopt;
    // Seen along the direction it is a curve in a plane.
    Placement flat;
    flat.linear -= direction_ * direction_.transpose() / length;
    const auto seen = make_moved(curve_, flat);
    const double u = nearest_parameter(*seen, range_, flat(p));
    return Parameters(u, height_.clamp((p - curve_->point(u)).dot(direction_) / length));
  }

 private:
  [[nodiscard]] bool closes() const {
    if (!range_.is_finite()) return false;
    if (curve_->period() > 0)
      return std::fabs(range_.width() - curve_->period()) < kSameParameter * range_.width();
    const Point a = curve_->point(range_.low), b = curve_->point(range_.high);
    return (a - b).norm() <= kSamePlace * (curve_->point(range_.middle()) - a).norm();
  }
  CurvePtr curve_;
  Interval range_;
  Vector direction_;
  Interval height_;
};

class Revolution : public Surface {
 public:
  Revolution(CurvePtr curve, const Interval& range, const Point& origin, const Vector& axis,
             const Interval& angles)
      : curve_(std::move(curve)),
        range_(range),
        origin_(origin),
        axis_(axis.normalized()),
        angles_(angles) {}
  SurfaceKind kind() const override { return SurfaceKind::revolution; }
  SurfacePoint at(double u, double v) const override {
    const CurvePoint c = curve_->at(v);
    const Eigen::Matrix3d turn = Eigen::AngleAxisd(u, axis_).toRotationMatrix();
    const Vector r = turn * (c.p - origin_);
    SurfacePoint s;
    s.p = origin_ + r;
    s.du = axis_.cross(r);
    s.dv = turn * c.d1;
    s.duu = axis_.cross(s.du);
    s.duv = axis_.cross(s.dv);
    s.dvv = turn * c.d2;
    return s;
  }
  Interval domain_u() const override { return angles_; }
  Interval domain_v() const override { return range_; }
  double period_u() const override {
    return std::fabs(angles_.width() - kFullTurn) < kSameParameter ? kFullTurn : 0;
  }
  double period_v() const override {
    const double period = curve_->period();
    return period > 0 && std::fabs(range_.width() - period) < kSameParameter * period ? period : 0;
  }
  std::vector<Pole> poles() const override {
    std::vector<Pole> out;
    if (!range_.is_finite()) return out;
    for (const double v : {range_.low, range_.high}) {
      const Point p = curve_->point(v);
      const Vector d = p - origin_;
      const double size = (curve_->point(range_.middle()) - p).norm() + d.norm();
      if ((d - d.dot(axis_) * axis_).norm() <= kPoleSize * size) out.push_back({false, v, p});
    }
    return out;
  }
  std::vector<double> breaks_v(const Interval& range) const override {
    return curve_->breaks(range);
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    // The curve may lie on both sides of the axis, and anywhere about it: by samples, elsewhere.
    if (!planar_) return std::nullopt;
    const CurvePoint middle = curve_->at(range_.middle());
    const Vector a = across(middle.p), b = across(p);
    if (!(a.norm() > 0)) return std::nullopt;
    const double u = into(angles_, std::atan2(a.cross(b).dot(axis_), a.dot(b)), kFullTurn);
    const Point back = origin_ + Eigen::AngleAxisd(-u, axis_) * (p - origin_);
    return Parameters(u, nearest_parameter(*curve_, range_, back));
  }
  // Where the straight line is as high, or as far from the axis, as the point.
  std::vector<Parameters> guesses(const Point& p) const override {
    if (curve_->kind() != CurveKind::line) return {};
    const CurvePoint c = curve_->at(0);
    std::vector<double> along;
    const double rise = c.d1.dot(axis_);
    if (rise != 0) along.push_back((p - c.p).dot(axis_) / rise);
    const Vector from = across(c.p), step = across(origin_ + c.d1);
    const double e = step.squaredNorm(), f = from.dot(step);
    if (e > 0) {
      const double root =
          std::sqrt(std::max(0.0, f * f - e * (from.squaredNorm() - across(p).squaredNorm())));
      along.insert(along.end(), {(-f - root) / e, (-f + root) / e});
    }
    std::vector<Parameters> out;
    for (double v : along) {
      v = range_.clamp(v);
      const Vector a = across(curve_->point(v)), b = across(p);
      out.emplace_back(into(angles_, std::atan2(a.cross(b).dot(axis_), a.dot(b)), kFullTurn), v);
    }
    return out;
  }
  void look_if_planar() {
    // All of the curve on one side of the axis, in one plane with it.
    planar_ = range_.is_finite();
    if (!planar_) return;
    const Vector side = across(curve_->point(range_.middle()));
    for (int i = 0; i <= 32 && planar_; ++i) {
      const Vector d = across(curve_->point(range_.low + range_.width() * i / 32));
      planar_ =
          side.cross(d).norm() <= kSamePlace * side.norm() * std::max(side.norm(), d.norm()) &&
          side.dot(d) >= -kSamePlace * side.squaredNorm();
    }
  }

 private:
  [[nodiscard]] Vector across(const Point& p) const {
    const Vector d = p - origin_;
    return d - d.dot(axis_) * axis_;
  }
  CurvePtr curve_;
  Interval range_;
  Point origin_;
  Vector axis_;
  Interval angles_;
  bool planar_ = false;
};

class Ruled : public Surface {
 public:
  Ruled(CurvePtr first, const Interval& first_range, CurvePtr second, const Interval& second_range)
      : first_(std::move(first)), second_(std::move(second)), a_(first_range), b_(second_range) {}
  SurfaceKind kind() const override { return SurfaceKind::ruled; }
  SurfacePoint at(double u, double v) const override {
    const CurvePoint p = part(*first_, a_, u), q = part(*second_, b_, u);
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
    for (const auto& [curve, own] : {std::pair(&first_, &a_), std::pair(&second_, &b_)}) {
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
  CurvePtr first_, second_;
  Interval a_, b_;
};

class OffsetSurface : public Surface {
 public:
  OffsetSurface(SurfacePtr surface, double distance)
      : surface_(std::move(surface)), distance_(distance) {}
  SurfaceKind kind() const override { return SurfaceKind::offset; }
  SurfacePoint at(double u, double v) const override {
    // The normal's first derivatives are exact (Weingarten); the second ones of the offset are
    // taken by differences of the first.
    SurfacePoint s = first_order(u, v);
    const double hu = step(surface_->domain_u(), surface_->period_u());
    const double hv = step(surface_->domain_v(), surface_->period_v());
    const SurfacePoint u0 = first_order(u - hu, v), u1 = first_order(u + hu, v);
    const SurfacePoint v0 = first_order(u, v - hv), v1 = first_order(u, v + hv);
    s.duu = (u1.du - u0.du) / (2 * hu);
    s.duv = (v1.du - v0.du) / (2 * hv);
    s.dvv = (v1.dv - v0.dv) / (2 * hv);
    return s;
  }
  Interval domain_u() const override { return surface_->domain_u(); }
  Interval domain_v() const override { return surface_->domain_v(); }
  double period_u() const override { return surface_->period_u(); }
  double period_v() const override { return surface_->period_v(); }
  std::vector<double> breaks_u(const Interval& r) const override { return surface_->breaks_u(r); }
  std::vector<double> breaks_v(const Interval& r) const override { return surface_->breaks_v(r); }
  std::vector<Pole> poles() const override {
    std::vector<Pole> out = surface_->poles();
    for (Pole& pole : out) {
      const double other =
          pole.at_u ? surface_->domain_v().middle() : surface_->domain_u().middle();
      const SurfacePoint s =
          pole.at_u ? first_order(pole.value, other) : first_order(other, pole.value);
      pole.place = s.p;
    }
    return out;
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    return surface_->parameters_of(p);  // normals of the one are normals of the other
  }
  std::vector<Parameters> guesses(const Point& p) const override { return surface_->guesses(p); }

 private:
  static double step(const Interval& domain, double period) {
    return kDifferenceStep * (period > 0 ? period : domain.is_finite() ? domain.width() : 1);
  }
  [[nodiscard]] SurfacePoint first_order(double u, double v) const {
    SurfacePoint s = surface_->at(u, v);
    const Vector n = s.normal();
    const double e = s.du.squaredNorm(), f = s.du.dot(s.dv), g = s.dv.squaredNorm();
    const double l = s.duu.dot(n), m = s.duv.dot(n), k = s.dvv.dot(n);
    const double det = e * g - f * f;
    SurfacePoint out;
    out.p = s.p + distance_ * n;
    out.du = s.du;
    out.dv = s.dv;
    if (det > 0) {
      out.du += distance_ * ((m * f - l * g) * s.du + (l * f - m * e) * s.dv) / det;
      out.dv += distance_ * ((k * f - m * g) * s.du + (m * f - k * e) * s.dv) / det;
    }
    return out;
  }
  SurfacePtr surface_;
  double distance_;
};

class MovedSurface : public Surface {
 public:
  MovedSurface(SurfacePtr surface, const Placement& placement)
      : surface_(std::move(surface)), placement_(placement), inverse_(placement.linear.inverse()) {}
  SurfaceKind kind() const override { return surface_->kind(); }
  SurfacePoint at(double u, double v) const override {
    SurfacePoint s = surface_->at(u, v);
    s.p = placement_(s.p);
    for (Vector* d : {&s.du, &s.dv, &s.duu, &s.duv, &s.dvv}) *d = placement_.linear * *d;
    return s;
  }
  Interval domain_u() const override { return surface_->domain_u(); }
  Interval domain_v() const override { return surface_->domain_v(); }
  double period_u() const override { return surface_->period_u(); }
  double period_v() const override { return surface_->period_v(); }
  std::vector<double> breaks_u(const Interval& r) const override { return surface_->breaks_u(r); }
  std::vector<double> breaks_v(const Interval& r) const override { return surface_->breaks_v(r); }
  std::vector<Pole> poles() const override {
    std::vector<Pole> out = surface_->poles();
    for (Pole& pole : out) pole.place = placement_(pole.place);
    return out;
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    return surface_->parameters_of(inverse_ * (p - placement_.shift));
  }
  std::vector<Parameters> guesses(const Point& p) const override {
    return surface_->guesses(inverse_ * (p - placement_.shift));
  }

 private:
  SurfacePtr surface_;
  Placement placement_;
  Eigen::Matrix3d inverse_;
};

class TrimmedSurface : public Surface {
 public:
  TrimmedSurface(SurfacePtr surface, const Interval& u, const Interval& v)
      : surface_(std::move(surface)), u_(u), v_(v) {}
  SurfaceKind kind() const override { return surface_->kind(); }
  SurfacePoint at(double u, double v) const override { return surface_->at(u, v); }
  Interval domain_u() const override { return u_; }
  Interval domain_v() const override { return v_; }
  double period_u() const override { return kept(surface_->period_u(), u_); }
  double period_v() const override { return kept(surface_->period_v(), v_); }
  std::vector<double> breaks_u(const Interval& r) const override { return surface_->breaks_u(r); }
  std::vector<double> breaks_v(const Interval& r) const override { return surface_->breaks_v(r); }
  std::vector<Pole> poles() const override {
    std::vector<Pole> out;
    for (const Pole& pole : surface_->poles()) {
      const Interval& own = pole.at_u ? u_ : v_;
      if (pole.value >= own.low && pole.value <= own.high) out.push_back(pole);
    }
    return out;
  }
  std::optional<Parameters> parameters_of(const Point& p) const override {
    const auto whole = surface_->parameters_of(p);
    return whole ? std::optional<Parameters>(inside(*whole)) : std::nullopt;
  }
  std::vector<Parameters> guesses(const Point& p) const override {
    std::vector<Parameters> all = surface_->guesses(p);
    for (Parameters& uv : all) uv = inside(uv);
    return all;
  }

 private:
  [[nodiscard]] Parameters inside(const Parameters& uv) const {
    return {into(u_, uv[0], surface_->period_u()), into(v_, uv[1], surface_->period_v())};
  }
  static double kept(double period, const Interval& range) {
    return period > 0 && range.width() >= period * (1 - kSameParameter) ? period : 0;
  }
  SurfacePtr surface_;
  Interval u_, v_;
};

class CurveOnSurface : public Curve {
 public:
  CurveOnSurface(SurfacePtr surface, CurvePtr curve)
      : surface_(std::move(surface)), curve_(std::move(curve)) {}
  CurveKind kind() const override { return CurveKind::on_surface; }
  CurvePoint at(double t) const override {
    const CurvePoint c = curve_->at(t);
    const SurfacePoint s = surface_->at(c.p.x(), c.p.y());
    CurvePoint out;
    out.p = s.p;
    out.d1 = c.d1.x() * s.du + c.d1.y() * s.dv;
    out.d2 = c.d2.x() * s.du + c.d2.y() * s.dv + c.d1.x() * c.d1.x() * s.duu +
             2 * c.d1.x() * c.d1.y() * s.duv + c.d1.y() * c.d1.y() * s.dvv;
    return out;
  }
  Interval domain() const override { return curve_->domain(); }
  double period() const override { return 0; }
  std::vector<double> breaks(const Interval& range) const override { return curve_->breaks(range); }

 private:
  SurfacePtr surface_;
  CurvePtr curve_;
};

}  // namespace

SurfacePtr make_extrusion(CurvePtr curve, const Interval& range, const Vector& direction,
                          const Interval& height) {
  return std::make_shared<Extrusion>(std::move(curve), range, direction, height);
}
SurfacePtr make_revolution(CurvePtr curve, const Interval& range, const Point& origin,
                           const Vector& axis, const Interval& angles) {
  auto made = std::make_shared<Revolution>(std::move(curve), range, origin, axis, angles);
  made->look_if_planar();
  return made;
}
SurfacePtr make_ruled(CurvePtr first, const Interval& first_range, CurvePtr second,
                      const Interval& second_range) {
  return std::make_shared<Ruled>(std::move(first), first_range, std::move(second), second_range);
}
SurfacePtr make_offset_surface(SurfacePtr surface, double distance) {
  return std::make_shared<OffsetSurface>(std::move(surface), distance);
}
SurfacePtr make_moved(SurfacePtr surface, const Placement& placement) {
  if (placement.is_identity()) return surface;
  return std::make_shared<MovedSurface>(std::move(surface), placement);
}
SurfacePtr make_trimmed_surface(SurfacePtr surface, const Interval& u, const Interval& v) {
  return std::make_shared<TrimmedSurface>(std::move(surface), u, v);
}
CurvePtr make_curve_on_surface(SurfacePtr surface, CurvePtr in_parameters) {
  return std::make_shared<CurveOnSurface>(std::move(surface), std::move(in_parameters));
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
  if (surface.parameters_of(Point::Zero()) || !u.is_finite() || !v.is_finite()) return;
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
