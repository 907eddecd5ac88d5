#pragma once
/// \file
/// Exact orientation predicates on doubles.
///
/// Each gives -1, 0 or +1: the true sign of a determinant of the given coordinates, taken as exact
/// numbers. They are right for all finite doubles, subnormal and huge ones included, and never
/// contradict each other or themselves under any order of their arguments:
///  - swapping two points flips the sign;
///  - moving all points by the same exact amount, or scaling all by a power of two, keeps it.
///
/// Stages, cheapest first: a filter with a proven error bound; a check for determinants that are
/// zero because a whole column is (axis-aligned faces, which CAD models are full of); expansion
/// arithmetic; rational arithmetic for exponents at which expansions would lose bits.
///
/// Cost     5-8 ns when the filter answers; a few hundred ns for expansions; µs for rationals.
/// Errors   None; NaN or infinite input gives an unspecified sign.
/// Source   Shewchuk: Adaptive Precision Floating-Point Arithmetic and Fast Robust Geometric
///          Predicates, Discrete & Computational Geometry 18, 1997 (filter bounds, expansions).

#include <cmath>
#include <cstdint>

#include "aguja/geometry/point.h"

namespace aguja {

/// The stage that decided; for tests and benchmarks.
enum class PredicateStage : std::uint8_t {
  filter,
  zero_column,
  expansion,
  rational,
  by_definition,  ///< of points that were made: it follows from how
  whole           ///< of points that were made: whole numbers
};

struct StagedSign {
  int sign;
  PredicateStage stage;
};

namespace detail {

// Half an ulp of 1.
inline constexpr double kRoundoff = 0x1p-53;
// |error| <= factor x permanent for the determinants as written below (Shewchuk 1997, section 4.2:
// 3 eps + 16 eps^2 for two dimensions, 7 eps + 56 eps^2 for three).
inline constexpr double kOrient2dErrorFactor = (3.0 + 16.0 * kRoundoff) * kRoundoff;
inline constexpr double kOrient3dErrorFactor = (7.0 + 56.0 * kRoundoff) * kRoundoff;
// 10 eps + 96 eps^2 (Shewchuk 1997, section 4.3).
inline constexpr double kInCircleErrorFactor = (10.0 + 96.0 * kRoundoff) * kRoundoff;
// The bounds above assume no underflow. A product that underflows is off by at most 2^-1074, and in
// three dimensions that error is multiplied by a difference below kOrient3dLargest: adding these
// covers it with room to spare.
inline constexpr double kOrient2dUnderflow = 0x1p-1000;
inline constexpr double kOrient3dUnderflow = 0x1p-700;
inline constexpr double kOrient3dLargest = 0x1p300;

[[nodiscard]] StagedSign orient2d_exact(double ax, double ay, double bx, double by, double cx,
                                        double cy);
[[nodiscard]] StagedSign orient3d_exact(const Point& a, const Point& b, const Point& c,
                                        const Point& d);

/// The rational stage alone: the reference of the tests.
[[nodiscard]] int orient2d_rational(double ax, double ay, double bx, double by, double cx,
                                    double cy);
[[nodiscard]] int orient3d_rational(const Point& a, const Point& b, const Point& c, const Point& d);
[[nodiscard]] int in_circle_rational(double ax, double ay, double bx, double by, double cx,
                                     double cy, double dx, double dy);

}  // namespace detail

/// The filter alone: the sign, or 0 where it cannot tell.
[[nodiscard]] inline int orient2d_filter(double ax, double ay, double bx, double by, double cx,
                                         double cy) {
  const double left = (ax - cx) * (by - cy);
  const double right = (ay - cy) * (bx - cx);
  const double det = left - right;
  const double bound = detail::kOrient2dErrorFactor * (std::fabs(left) + std::fabs(right)) +
                       detail::kOrient2dUnderflow;
  return static_cast<int>(det > bound) - static_cast<int>(-det > bound);
}

[[nodiscard]] inline StagedSign orient2d_staged(double ax, double ay, double bx, double by,
                                                double cx, double cy) {
  const int sign = orient2d_filter(ax, ay, bx, by, cx, cy);
  if (sign != 0) return {sign, PredicateStage::filter};
  return detail::orient2d_exact(ax, ay, bx, by, cx, cy);
}

/// Sign of twice the signed area of (a, b, c) in the plane: +1 if they run counter-clockwise, 0 if
/// they lie on one line.
[[nodiscard]] inline int orient2d(double ax, double ay, double bx, double by, double cx,
                                  double cy) {
  return orient2d_staged(ax, ay, bx, by, cx, cy).sign;
}

[[nodiscard]] inline StagedSign orient3d_staged(const Point& a, const Point& b, const Point& c,
                                                const Point& d) {
  const double bx = b.x() - a.x(), by = b.y() - a.y(), bz = b.z() - a.z();
  const double cx = c.x() - a.x(), cy = c.y() - a.y(), cz = c.z() - a.z();
  const double dx = d.x() - a.x(), dy = d.y() - a.y(), dz = d.z() - a.z();

  const double cxdy = cx * dy, cydx = cy * dx;
  const double dxby = dx * by, dybx = dy * bx;
  const double bxcy = bx * cy, bycx = by * cx;
  const double det = bz * (cxdy - cydx) + cz * (dxby - dybx) + dz * (bxcy - bycx);
  const double abs_bz = std::fabs(bz), abs_cz = std::fabs(cz), abs_dz = std::fabs(dz);
  const double permanent = (std::fabs(cxdy) + std::fabs(cydx)) * abs_bz +
                           (std::fabs(dxby) + std::fabs(dybx)) * abs_cz +
                           (std::fabs(bxcy) + std::fabs(bycx)) * abs_dz;
  const double bound = detail::kOrient3dErrorFactor * permanent + detail::kOrient3dUnderflow;
  if (abs_bz + abs_cz + abs_dz < detail::kOrient3dLargest) {
    if (det > bound) return {1, PredicateStage::filter};
    if (-det > bound) return {-1, PredicateStage::filter};
  }
  // A difference is computed as zero only if it is zero.
  if ((bz == 0 && cz == 0 && dz == 0) || (bx == 0 && cx == 0 && dx == 0) ||
      (by == 0 && cy == 0 && dy == 0)) {
    return {0, PredicateStage::zero_column};
  }
  return detail::orient3d_exact(a, b, c, d);
}

/// Sign of six times the signed volume of the tetrahedron (a, b, c, d): that of
/// det(b - a, c - a, d - a). +1 if d lies on the side to which the normal of (a, b, c) points,
/// 0 if the four lie in one plane.
[[nodiscard]] inline int orient3d(const Point& a, const Point& b, const Point& c, const Point& d) {
  return orient3d_staged(a, b, c, d).sign;
}

[[nodiscard]] StagedSign in_circle_staged(double ax, double ay, double bx, double by, double cx,
                                          double cy, double dx, double dy);

/// For a, b, c counter-clockwise: +1 if d lies inside their circle, 0 on it, -1 outside. For a, b,
/// c clockwise the sign is flipped.
[[nodiscard]] inline int in_circle(double ax, double ay, double bx, double by, double cx, double cy,
                                   double dx, double dy) {
  return in_circle_staged(ax, ay, bx, by, cx, cy, dx, dy).sign;
}

/// Do the three points lie on one line (or coincide)? Exact.
[[nodiscard]] bool is_collinear(const Point& a, const Point& b, const Point& c);

}  // namespace aguja
