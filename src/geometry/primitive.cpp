#include "aguja/geometry/primitive.h"

#include <algorithm>
#include <array>
#include <cmath>

#include <Eigen/Geometry>

#include "aguja/geometry/box.h"
#include "base/numbers.h"
#include "geometry/small_matrix.h"

namespace aguja {
namespace {

// Radians: a cone that is flatter or more slender is a plane or a cylinder.
constexpr double kLeastConeAngle = 1e-4, kMostConeAngle = 1.5706;
// Ratios of the squares of extents (of points, of normals) below which there is none.
constexpr double kNoWidth = 1e-14, kNoApex = 1e-9;
// Square of the extent: an error that is all rounding.
constexpr double kExactFit = 1e-32;
// Damping of the first step, and what is added to a diagonal of zeros for it (in units of extent).
constexpr double kFitDamping = 1e-6, kLeastDiagonal = 1e-12;
// A step that lowers the sum of squares by a thousandth is the last.
constexpr double kSettledSum = 0.999;
// Length of the part of a unit vector that gives the direction of an axis.
constexpr double kNoDirection = 1e-9;

constexpr double kFarthest = 1e4;  // radii beyond this times the extent are planes

// Two unit vectors that make a right-handed frame with `axis`.
std::array<Vector, 2> frame_of(const Vector& axis) {
  const Vector other = std::fabs(axis.x()) < 0.6 ? Vector(1, 0, 0) : Vector(0, 1, 0);
  const Vector u = axis.cross(other).normalized();
  return {u, axis.cross(u)};
}

// Height along the axis, and the vector from the axis.
struct AboutAxis {
  double along;
  Vector across;
  double radius;
};
AboutAxis about_axis(const Primitive& s, const Point& p) {
  const Vector d = p - s.origin;
  const double along = d.dot(s.axis);
  const Vector across = d - along * s.axis;
  return {along, across, across.norm()};
}

Vector unit_or(const Vector& v, const Vector& otherwise) {
  const double n = v.norm();
  return n > 0 ? Vector(v / n) : otherwise;
}

// Steps in the parameters of each kind; lengths are of order one.
std::size_t parameter_count(PrimitiveKind kind) {
  switch (kind) {
    case PrimitiveKind::plane:
      return 3;
    case PrimitiveKind::cylinder:
      return 5;
    case PrimitiveKind::cone:
      return 6;
    case PrimitiveKind::sphere:
      return 4;
    case PrimitiveKind::torus:
      return 7;
  }
  return 0;
}

Primitive stepped(const Primitive& s, std::span<const double> by) {
  Primitive t = s;
  const std::array<Vector, 2> across = frame_of(s.axis);
  const Vector &u = across[0], &v = across[1];
  const auto turn = [&](double a, double b) { t.axis = (s.axis + a * u + b * v).normalized(); };
  switch (s.kind) {
    case PrimitiveKind::plane:
      t.origin += by[0] * s.axis;
      turn(by[1], by[2]);
      break;
    case PrimitiveKind::cylinder:
      t.origin += by[0] * u + by[1] * v;
      turn(by[2], by[3]);
      t.radius += by[4];
      break;
    case PrimitiveKind::cone:
      t.origin += by[0] * u + by[1] * v + by[2] * s.axis;
      turn(by[3], by[4]);
      t.second += by[5];
      break;
    case PrimitiveKind::sphere:
      t.origin += Vector(by[0], by[1], by[2]);
      t.radius += by[3];
      break;
    case PrimitiveKind::torus:
      t.origin += by[0] * u + by[1] * v + by[2] * s.axis;
      turn(by[3], by[4]);
      t.radius += by[5];
      t.second += by[6];
      break;
  }
  return t;
}

// By how much the distance of `p` changes with each of the steps of `stepped`.
void gradient(const Primitive& s, const Vector& u, const Vector& v, const Point& p, double* out) {
  const Vector d = p - s.origin;
  if (s.kind == PrimitiveKind::plane) {
    out[0] = -1;
    out[1] = d.dot(u);
    out[2] = d.dot(v);
    return;
  }
  if (s.kind == PrimitiveKind::sphere) {
    const Vector n = unit_or(d, s.axis);
    for (int k = 0; k < 3; ++k) out[k] = -n[k];
    out[3] = -1;
    return;
  }
  const AboutAxis a = about_axis(s, p);
  const Vector n = unit_or(a.across, u);
  const double turn_u = -a.along * n.dot(u), turn_v = -a.along * n.dot(v);
  if (s.kind == PrimitiveKind::cylinder) {
    out[0] = -n.dot(u);
    out[1] = -n.dot(v);
    out[2] = turn_u;
    out[3] = turn_v;
    out[4] = -1;
    return;
  }
  // Cone and torus: the distance in the plane through the axis, by radius and height.
  double by_radius = std::cos(s.second), by_height = -std::sin(s.second);
  if (s.kind == PrimitiveKind::torus) {
    const double h = std::max(
        std::sqrt((a.radius - s.radius) * (a.radius - s.radius) + a.along * a.along), kSomeLength);
    by_radius = (a.radius - s.radius) / h;
    by_height = a.along / h;
    out[5] = -by_radius;
    out[6] = -1;
  } else {
    out[5] = -a.radius * std::sin(s.second) - a.along * std::cos(s.second);
  }
  out[0] = -by_radius * n.dot(u);
  out[1] = -by_radius * n.dot(v);
  out[2] = -by_height;
  out[3] = by_radius * turn_u + by_height * d.dot(u);
  out[4] = by_radius * turn_v + by_height * d.dot(v);
}

bool is_sane(const Primitive& s, double extent) {
  const double most = kFarthest * extent;
  if (!s.origin.allFinite() || !s.axis.allFinite()) return false;
  switch (s.kind) {
    case PrimitiveKind::plane:
      return true;
    case PrimitiveKind::cylinder:
    case PrimitiveKind::sphere:
      return s.radius > 0 && s.radius < most;
    case PrimitiveKind::cone:
      return s.second > kLeastConeAngle && s.second < kMostConeAngle;
    case PrimitiveKind::torus:
      return s.second > 0 && s.radius > 0 && s.radius < most && s.second < most;
  }
  return false;
}

double sum_of_squares(const Primitive& s, std::span<const Point> points) {
  double sum = 0;
  for (const Point& p : points) sum += s.distance(p) * s.distance(p);
  return sum;
}

// The circle through points of a plane with the least algebraic error (Kåsa 1976).
struct Circle {
  double x, y, radius;
};
std::optional<Circle> fit_circle(std::span<const Eigen::Vector2d> points) {
  if (points.size() < 3) return std::nullopt;
  Eigen::Vector2d mean = Eigen::Vector2d::Zero();
  for (const auto& p : points) mean += p;
  mean /= static_cast<double>(points.size());
  Eigen::Matrix3d a = Eigen::Matrix3d::Zero();
  Eigen::Vector3d b = Eigen::Vector3d::Zero();
  for (const auto& p : points) {
    const Eigen::Vector2d d = p - mean;
    const Eigen::Vector3d row(d.x(), d.y(), 1);
    a += row * row.transpose();
    b += d.squaredNorm() * row;
  }
  const SmallColumn solution = solve(a, b);
  if (!solution.allFinite()) return std::nullopt;
  const Eigen::Vector2d center = 0.5 * solution.head<2>();
  const double squared = solution.z() + center.squaredNorm();
  if (!(squared > 0)) return std::nullopt;
  return Circle{mean.x() + center.x(), mean.y() + center.y(), std::sqrt(squared)};
}

Point mean_of(std::span<const Point> points) {
  Point mean = Point::Zero();
  for (const Point& p : points) mean += p;
  return mean / static_cast<double>(points.size());
}

}  // namespace

std::string_view slug(PrimitiveKind kind) {
  constexpr std::array<std::string_view, 5> kSlugs = {"plane", "cylinder", "cone", "sphere",
                                                      "torus"};
  return kSlugs.at(static_cast<std::size_t>(kind));
}

double Primitive::distance(const Point& p) const {
  switch (kind) {
    case PrimitiveKind::plane:
      return (p - origin).dot(axis);
    case PrimitiveKind::sphere:
      return (p - origin).norm() - radius;
    case PrimitiveKind::cylinder:
      return about_axis(*this, p).radius - radius;
    case PrimitiveKind::cone: {
      const AboutAxis a = about_axis(*this, p);
      return a.radius * std::cos(second) - a.along * std::sin(second);
    }
    case PrimitiveKind::torus: {
      const AboutAxis a = about_axis(*this, p);
      return std::sqrt((a.radius - radius) * (a.radius - radius) + a.along * a.along) - second;
    }
  }
  return 0;
}

Vector Primitive::normal(const Point& p) const {
  switch (kind) {
    case PrimitiveKind::plane:
      return axis;
    case PrimitiveKind::sphere:
      return unit_or(p - origin, axis);
    case PrimitiveKind::cylinder:
      return unit_or(about_axis(*this, p).across, frame_of(axis)[0]);
    case PrimitiveKind::cone: {
      const Vector out = unit_or(about_axis(*this, p).across, frame_of(axis)[0]);
      return std::cos(second) * out - std::sin(second) * axis;
    }
    case PrimitiveKind::torus: {
      const AboutAxis a = about_axis(*this, p);
      const Vector out = unit_or(a.across, frame_of(axis)[0]);
      return unit_or((a.radius - radius) * out + a.along * axis, out);
    }
  }
  return axis;
}

double largest_distance(const Primitive& primitive, std::span<const Point> points) {
  double largest = 0;
  for (const Point& p : points) largest = std::max(largest, std::fabs(primitive.distance(p)));
  return largest;
}

std::optional<Primitive> fit_plane(std::span<const Point> points) {
  if (points.size() < 3) return std::nullopt;
  const Point mean = mean_of(points);
  Eigen::Matrix3d covariance = Eigen::Matrix3d::Zero();
  for (const Point& p : points) covariance += (p - mean) * (p - mean).transpose();
  const PrincipalAxes axes = principal_axes(covariance);
  if (!(axes.values[1] > kNoWidth * axes.values[2])) return std::nullopt;
  return Primitive{PrimitiveKind::plane, mean, axes.vectors.col(0), 0, 0};
}

std::optional<Primitive> refine(const Primitive& start, std::span<const Point> points,
                                int most_steps) {
  const std::size_t n = parameter_count(start.kind);
  if (points.size() < n) return std::nullopt;
  // Work about the points' centre in units of their extent, where all parameters are alike.
  const Box box = box_of(points);
  const Point center = box.center();
  const double extent = box.diagonal();
  if (!(extent > 0)) return std::nullopt;
  Primitive s = start;
  s.origin = (s.origin - center) / extent;
  s.radius /= extent;
  if (s.kind == PrimitiveKind::torus) s.second /= extent;
  if (s.kind == PrimitiveKind::cylinder) s.origin -= s.origin.dot(s.axis) * s.axis;
  std::vector<Point> scaled;
  scaled.reserve(points.size());
  for (const Point& p : points) scaled.emplace_back((p - center) / extent);
  if (!is_sane(s, 1)) return std::nullopt;

  const auto m = static_cast<Eigen::Index>(n);
  double error = sum_of_squares(s, scaled);
  double damping = kFitDamping;
  for (int step = 0; step < most_steps && error > kExactFit; ++step) {
    const auto [u, v] = frame_of(s.axis);
    SmallMatrix a = SmallMatrix::Zero(m, m);
    SmallColumn b = SmallColumn::Zero(m);
    SmallColumn row(m);
    for (const Point& p : scaled) {
      gradient(s, u, v, p, row.data());
      a += row * row.transpose();
      b -= s.distance(p) * row;
    }
    bool better = false;
    for (int tries = 0; tries < 6 && !better; ++tries) {
      SmallMatrix damped = a;
      for (Eigen::Index k = 0; k < m; ++k) damped(k, k) += damping * (a(k, k) + kLeastDiagonal);
      const SmallColumn by = solve(damped, b);
      if (!by.allFinite()) break;
      const Primitive next = stepped(s, {by.data(), n});
      const double next_error = is_sane(next, 1) ? sum_of_squares(next, scaled) : error;
      better = next_error < error;
      if (!better) {
        damping *= 16;
        continue;
      }
      const bool settled = next_error > kSettledSum * error;
      s = next;
      error = next_error;
      damping *= 0.1;
      if (settled) step = most_steps;
    }
    if (!better) break;
  }
  s.origin = center + extent * s.origin;
  s.radius *= extent;
  if (s.kind == PrimitiveKind::torus) s.second *= extent;
  return s;
}

std::optional<Primitive> guess_sphere(std::span<const Point> points) {
  if (points.size() < 4) return std::nullopt;
  const Point mean = mean_of(points);
  Eigen::Matrix4d a = Eigen::Matrix4d::Zero();
  Eigen::Vector4d b = Eigen::Vector4d::Zero();
  const double extent = std::max(box_of(points).diagonal(), kSomeLength);
  for (const Point& p : points) {
    const Vector d = (p - mean) / extent;
    const Eigen::Vector4d row(d.x(), d.y(), d.z(), 1);
    a += row * row.transpose();
    b += d.squaredNorm() * row;
  }
  const SmallColumn solution = solve(a, b);
  if (!solution.allFinite()) return std::nullopt;
  const Vector center = 0.5 * solution.head<3>();
  const double squared = solution[3] + center.squaredNorm();
  if (!(squared > 0)) return std::nullopt;
  return Primitive{PrimitiveKind::sphere, mean + extent * center, Vector(0, 0, 1),
                   extent * std::sqrt(squared), 0};
}

std::optional<Primitive> guess_cylinder(std::span<const Point> points, const Vector& axis) {
  if (!(axis.norm() > 0)) return std::nullopt;
  const Vector unit = axis.normalized();
  const auto [u, v] = frame_of(unit);
  const Point mean = mean_of(points);
  std::vector<Eigen::Vector2d> flat;
  for (const Point& p : points) flat.emplace_back((p - mean).dot(u), (p - mean).dot(v));
  const auto circle = fit_circle(flat);
  if (!circle) return std::nullopt;
  return Primitive{PrimitiveKind::cylinder, mean + circle->x * u + circle->y * v, unit,
                   circle->radius, 0};
}

std::optional<Primitive> guess_cone(std::span<const Point> points, std::span<const Point> feet,
                                    std::span<const Vector> normals) {
  if (normals.size() < 3) return std::nullopt;
  // Tangent planes meet in the apex; the tips of the normals lie on a circle about the axis.
  Eigen::Matrix3d a = Eigen::Matrix3d::Zero();
  Eigen::Vector3d b = Eigen::Vector3d::Zero();
  const Point mean = mean_of(feet);
  for (std::size_t i = 0; i < normals.size(); ++i) {
    a += normals[i] * normals[i].transpose();
    b += normals[i].dot(feet[i] - mean) * normals[i];
  }
  const PrincipalAxes axes = principal_axes(a);
  if (!(axes.values[0] > kNoApex * axes.values[2])) return std::nullopt;
  const Point apex = mean + Vector(solve(a, b));
  const auto tips = fit_plane(normals);
  if (!tips) return std::nullopt;
  Vector axis = tips->axis;
  if ((mean - apex).dot(axis) < 0) axis = -axis;
  double angle = 0;
  for (const Point& p : points) {
    const Vector d = p - apex;
    angle += std::atan2((d - d.dot(axis) * axis).norm(), d.dot(axis));
  }
  angle /= static_cast<double>(points.size());
  if (!(angle > kLeastConeAngle && angle < kMostConeAngle)) return std::nullopt;
  return Primitive{PrimitiveKind::cone, apex, axis, 0, angle};
}

std::optional<Primitive> guess_torus(std::span<const Point> points, std::span<const Point> feet,
                                     std::span<const Vector> normals) {
  if (normals.size() < 6) return std::nullopt;
  // All normals of a surface of revolution meet its axis (Pottmann, Randrup 1998): the linear
  // complex with the least moments.
  const Point mean = mean_of(feet);
  const double extent = std::max(box_of(feet).diagonal(), kSomeLength);
  Eigen::Matrix<double, 6, 6> m = Eigen::Matrix<double, 6, 6>::Zero();
  for (std::size_t i = 0; i < normals.size(); ++i) {
    const Vector moment = ((feet[i] - mean) / extent).cross(normals[i]);
    Eigen::Matrix<double, 6, 1> row;
    row << moment, normals[i];
    m += row * row.transpose();
  }
  const SmallColumn least = principal_axes(m).vectors.col(0);
  const Vector direction = least.head<3>();
  const double length = direction.norm();
  if (!(length > kNoDirection)) return std::nullopt;
  const Vector axis = direction / length;
  const Point on_axis = mean + extent * axis.cross(Vector(least.tail<3>() / length));
  std::vector<Eigen::Vector2d> profile;
  for (const Point& p : points) {
    const Vector d = p - on_axis;
    profile.emplace_back((d - d.dot(axis) * axis).norm(), d.dot(axis));
  }
  const auto circle = fit_circle(profile);
  if (!circle || !(circle->x > 0)) return std::nullopt;
  return Primitive{PrimitiveKind::torus, on_axis + circle->y * axis, axis, circle->x,
                   circle->radius};
}

}  // namespace aguja
