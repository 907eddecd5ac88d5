#include "aguja/geometry/distance.h"

#include <algorithm>
#include <limits>

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

// Halvings of a triangle's sides before a bound is given up.
constexpr int kDeepest = 6;

// Distance to one triangle is convex: over a piece it is largest at a corner.
std::optional<double> piece_within(const TriangleCorners& piece,
                                   std::span<const TriangleCorners> to, double limit, int depth) {
  double bound = std::numeric_limits<double>::infinity();
  std::array<double, 3> nearest{bound, bound, bound};
  for (const auto& [a, b, c] : to) {
    double farthest = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      const double d = (closest_point(piece[k], a, b, c) - piece[k]).norm();
      nearest[k] = std::min(nearest[k], d);
      farthest = std::max(farthest, d);
    }
    bound = std::min(bound, farthest);
  }
  if (bound <= limit) return bound;
  if (*std::max_element(nearest.begin(), nearest.end()) > limit || depth == kDeepest) return {};
  const Point ab = 0.5 * (piece[0] + piece[1]), bc = 0.5 * (piece[1] + piece[2]),
              ca = 0.5 * (piece[2] + piece[0]);
  double largest = 0;
  for (const TriangleCorners& part :
       {TriangleCorners{piece[0], ab, ca}, TriangleCorners{piece[1], bc, ab},
        TriangleCorners{piece[2], ca, bc}, TriangleCorners{ab, bc, ca}}) {
    const auto within = piece_within(part, to, limit, depth + 1);
    if (!within) return {};
    largest = std::max(largest, *within);
  }
  return largest;
}

}  // namespace

std::optional<double> distance_within(std::span<const TriangleCorners> from,
                                      std::span<const TriangleCorners> to, double limit) {
  double largest = 0;
  for (const TriangleCorners& piece : from) {
    const auto within = piece_within(piece, to, limit, 0);
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
