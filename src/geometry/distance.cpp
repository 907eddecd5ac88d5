#include "aguja/geometry/distance.h"

#include <algorithm>
#include <limits>
#include <vector>

#include <Eigen/Geometry>

namespace aguja {
namespace {

Point closest_on_segment(const Point& p, const Point& a, const Point& b) {
  const Vector ab = b - a;
  const double length_sq = ab.squaredNorm();
  if (length_sq == 0) return a;
  const double t = std::clamp(ab.dot(p - a) / length_sq, 0.0, 1.0);
  return t == 1.0 ? b : Point(a + t * ab);
}

using ConvexPolygon = std::vector<Point>;

// The parts of a polygon on both sides of a plane through `at`.
struct Halves {
  ConvexPolygon inside;  // where (p - at) . outward <= 0
  ConvexPolygon outside;
};
Halves cut(const ConvexPolygon& polygon, const Point& at, const Vector& outward) {
  Halves halves;
  for (std::size_t i = 0; i < polygon.size(); ++i) {
    const Point &p = polygon[i], &q = polygon[(i + 1) % polygon.size()];
    const double hp = outward.dot(p - at), hq = outward.dot(q - at);
    if (hp <= 0) halves.inside.push_back(p);
    if (hp >= 0) halves.outside.push_back(p);
    if ((hp < 0 && hq > 0) || (hp > 0 && hq < 0)) {
      const Point between = p + (q - p) * (hp / (hp - hq));
      halves.inside.push_back(between);
      halves.outside.push_back(between);
    }
  }
  return halves;
}

// Covers polygons by triangles: what lies upright over one of them is bounded at its corners,
// since the distance to one triangle is convex; the rest is left to the others.
class Cover {
 public:
  Cover(std::span<const TriangleCorners> to, double limit) : to_(to), limit_(limit) {}

  [[nodiscard]] std::optional<double> bound(const ConvexPolygon& polygon, std::vector<bool>& used,
                                            int depth) const {
    double best = std::numeric_limits<double>::infinity();
    for (const TriangleCorners& t : to_) best = std::min(best, farthest(polygon, t));
    if (best <= limit_) return best;
    if (depth == 0) return {};
    Point middle = Point::Zero();
    for (const Point& p : polygon) middle += p / static_cast<double>(polygon.size());
    // Nearest first.
    std::size_t which = to_.size();
    double nearest = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; i < to_.size(); ++i) {
      const double d = distance(middle, to_[i]);
      if (used[i] || d >= nearest) continue;
      nearest = d;
      which = i;
    }
    if (which == to_.size()) return {};
    used[which] = true;
    auto found = over(polygon, which, used, depth);
    used[which] = false;
    return found;
  }

 private:
  static double distance(const Point& p, const TriangleCorners& t) {
    return (closest_point(p, t[0], t[1], t[2]) - p).norm();
  }
  static double farthest(const ConvexPolygon& polygon, const TriangleCorners& t) {
    double d = 0;
    for (const Point& p : polygon) d = std::max(d, distance(p, t));
    return d;
  }

  // With what lies over one triangle bounded by it, and the rest by the others.
  [[nodiscard]] std::optional<double> over(const ConvexPolygon& polygon, std::size_t which,
                                           std::vector<bool>& used, int depth) const {
    const TriangleCorners& t = to_[which];
    const Vector normal = (t[1] - t[0]).cross(t[2] - t[0]);
    if (!(normal.squaredNorm() > 0)) return bound(polygon, used, depth - 1);
    ConvexPolygon inside = polygon;
    std::vector<ConvexPolygon> outside;
    for (std::size_t k = 0; k < 3 && inside.size() >= 3; ++k) {
      Halves halves = cut(inside, t[k], (t[(k + 1) % 3] - t[k]).cross(normal));
      inside = std::move(halves.inside);
      if (halves.outside.size() >= 3) outside.push_back(std::move(halves.outside));
    }
    double largest = 0;
    if (inside.size() >= 3) {
      const double there = farthest(inside, t);
      if (there > limit_) return bound(polygon, used, depth - 1);
      largest = there;
    } else {
      outside = {polygon};
    }
    for (const ConvexPolygon& rest : outside) {
      const auto more = bound(rest, used, depth - 1);
      if (!more) return {};
      largest = std::max(largest, *more);
    }
    return largest;
  }

  std::span<const TriangleCorners> to_;
  double limit_;
};

// Triangles that one point of `from` may be handed on to.
constexpr int kMostHandedOn = 24;

}  // namespace

std::optional<double> distance_within(std::span<const TriangleCorners> from,
                                      std::span<const TriangleCorners> to, double limit) {
  const Cover cover(to, limit);
  std::vector<bool> used(to.size());
  double largest = 0;
  for (const TriangleCorners& piece : from) {
    const auto within = cover.bound({piece.begin(), piece.end()}, used, kMostHandedOn);
    if (!within) return {};
    largest = std::max(largest, *within);
  }
  return largest;
}

std::optional<double> distance_within_facing(std::span<const TriangleCorners> from,
                                             std::span<const TriangleCorners> to, double limit) {
  // Zero for triangles too thin to tell where they face.
  const auto facing = [](const TriangleCorners& t) -> Vector {
    constexpr double kReliable = 1e-3;  // height by length
    const Vector n = (t[1] - t[0]).cross(t[2] - t[0]);
    const double longest = std::max(
        {(t[1] - t[0]).squaredNorm(), (t[2] - t[1]).squaredNorm(), (t[0] - t[2]).squaredNorm()});
    const double length = n.norm();
    return length > kReliable * longest ? Vector(n / length) : Vector(Vector::Zero());
  };
  std::vector<Vector> normals;
  for (const TriangleCorners& t : to) normals.push_back(facing(t));
  double largest = 0;
  std::vector<TriangleCorners> same_side;
  for (const TriangleCorners& piece : from) {
    const Vector own = facing(piece);
    same_side.clear();
    for (std::size_t i = 0; i < to.size(); ++i) {
      if (own.dot(normals[i]) >= -0.5) same_side.push_back(to[i]);
    }
    const auto within = distance_within({&piece, 1}, same_side, limit);
    if (!within) return {};
    largest = std::max(largest, *within);
  }
  return largest;
}

Point closest_point(const Point& p, const Point& a, const Point& b, const Point& c) {
  const Vector ab = b - a;
  const Vector ac = c - a;
  const Vector n = ab.cross(ac);
  const double n_sq = n.squaredNorm();
  if (n_sq > 0) {
    const Vector ap = p - a;
    // Barycentric coordinates of the foot of the perpendicular.
    const double w = n.dot(ab.cross(ap)) / n_sq;
    const double v = n.dot(ap.cross(ac)) / n_sq;
    if (v >= 0 && w >= 0 && v + w <= 1) return a + v * ab + w * ac;
  }
  Point best = closest_on_segment(p, a, b);
  for (const Point& q : {closest_on_segment(p, b, c), closest_on_segment(p, c, a)}) {
    if ((q - p).squaredNorm() < (best - p).squaredNorm()) best = q;
  }
  return best;
}

}  // namespace aguja
