#include "aguja/geometry/distance.h"

#include <algorithm>

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

}  // namespace

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
