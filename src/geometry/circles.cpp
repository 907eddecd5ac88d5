#include "geometry/circles.h"

#include <algorithm>
#include <cmath>

#include <Eigen/Geometry>

namespace aguja {

Vector to_circle_center(const Vector& u, const Vector& v) {
  const Vector n = u.cross(v);
  return (v.squaredNorm() * n.cross(u) + u.squaredNorm() * v.cross(n)) / (2 * n.squaredNorm());
}

std::optional<RimCircle> circle_through(std::span<const Point> loop, const Vector& normal) {
  constexpr std::size_t kFewest = 6;
  if (loop.size() < kFewest || normal.squaredNorm() == 0) return std::nullopt;
  const Point& a = loop[0];
  const Vector b = loop[loop.size() / 3] - a, c = loop[2 * loop.size() / 3] - a;
  const Vector across = b.cross(c), to_center = to_circle_center(b, c);
  if (!to_center.allFinite()) return std::nullopt;
  RimCircle circle;
  circle.center = a + to_center;
  circle.radius = to_center.norm();
  circle.normal = across.normalized();
  if (circle.normal.dot(normal) < 0) circle.normal = -circle.normal;
  double farthest = 0;
  for (const Point& p : loop) {
    farthest = std::max(farthest, (p - a).norm());
    const Vector d = p - circle.center;
    if (std::fabs(d.norm() - circle.radius) > kRoundRim * circle.radius ||
        std::fabs(d.dot(circle.normal)) > kRoundRim * circle.radius) {
      return std::nullopt;
    }
  }
  // What is nearly straight is near to a large circle, but does not go round it.
  if (farthest < circle.radius) return std::nullopt;
  return circle;
}

std::optional<TubeBend> bend_between(const RimCircle& a, const RimCircle& b) {
  constexpr double kAlikeRadii = 1e-3, kLeastTurn = 0.017453292519943295;  // 1 degree
  if (std::fabs(a.radius - b.radius) > kAlikeRadii * a.radius) return std::nullopt;
  TubeBend bend;
  bend.axis = a.normal.cross(-b.normal);
  const double sine = bend.axis.norm(), cosine = -a.normal.dot(b.normal);
  if (sine < std::sin(kLeastTurn)) return std::nullopt;
  bend.axis /= sine;
  const Vector between = b.center - a.center;
  if (std::fabs(between.dot(bend.axis)) > kAlikeRadii * a.radius) return std::nullopt;
  // Both axes in one plane: how far along each they meet.
  const double from_a = between.cross(-b.normal).dot(bend.axis) / sine,
               from_b = between.cross(-a.normal).dot(bend.axis) / sine;
  if (!(from_a > 0) || std::fabs(from_a - from_b) > kAlikeRadii * (from_a + a.radius)) {
    return std::nullopt;
  }
  bend.radius = from_a * (1 + cosine) / sine;  // along / tan of half the turn
  if (!(bend.radius > a.radius)) return std::nullopt;
  bend.center = a.center + bend.radius * bend.axis.cross(a.normal);
  return bend;
}

}  // namespace aguja
