#include "aguja/geometry/predicates.h"

#include <initializer_list>

#include <gmpxx.h>

#include "geometry/expansion.h"

namespace aguja {
namespace {

using detail::difference;
using detail::product;

// With every non-zero coordinate in this window the terms of the expansions below stay away from
// both ends of the exponent range: a difference is at least ulp(2^-280) = 2^-332, a product of
// three at least 2^-996 with its error term above 2^-1074; and at most (2^301)^3 x 6 < 2^1023.
constexpr double kSafeLow = 0x1p-280;
constexpr double kSafeHigh = 0x1p300;

bool is_safe(double x) {
  const double magnitude = std::fabs(x);
  return x == 0 || (magnitude >= kSafeLow && magnitude <= kSafeHigh);
}

bool are_safe(std::initializer_list<double> values) {
  for (const double value : values) {
    if (!is_safe(value)) return false;
  }
  return true;
}

bool is_safe(const Point& p) { return is_safe(p.x()) && is_safe(p.y()) && is_safe(p.z()); }

}  // namespace

namespace detail {

int orient2d_rational(double ax, double ay, double bx, double by, double cx, double cy) {
  const mpq_class x(cx), y(cy);
  const mpq_class det =
      (mpq_class(ax) - x) * (mpq_class(by) - y) - (mpq_class(ay) - y) * (mpq_class(bx) - x);
  return sgn(det);
}

int orient3d_rational(const Point& a, const Point& b, const Point& c, const Point& d) {
  mpq_class m[3][3];
  const Point* const others[3] = {&b, &c, &d};
  for (int row = 0; row < 3; ++row) {
    for (int axis = 0; axis < 3; ++axis) {
      m[row][axis] = mpq_class((*others[row])[axis]) - mpq_class(a[axis]);
    }
  }
  const mpq_class det = m[0][0] * (m[1][1] * m[2][2] - m[1][2] * m[2][1]) -
                        m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0]) +
                        m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0]);
  return sgn(det);
}

StagedSign orient2d_exact(double ax, double ay, double bx, double by, double cx, double cy) {
  if ((ax == cx && bx == cx) || (ay == cy && by == cy)) return {0, PredicateStage::zero_column};
  if (!are_safe({ax, ay, bx, by, cx, cy})) {
    return {orient2d_rational(ax, ay, bx, by, cx, cy), PredicateStage::rational};
  }
  const auto det =
      difference(ax, cx) * difference(by, cy) - difference(ay, cy) * difference(bx, cx);
  return {det.sign(), PredicateStage::expansion};
}

StagedSign orient3d_exact(const Point& a, const Point& b, const Point& c, const Point& d) {
  if (!is_safe(a) || !is_safe(b) || !is_safe(c) || !is_safe(d)) {
    return {orient3d_rational(a, b, c, d), PredicateStage::rational};
  }
  const auto bx = difference(b.x(), a.x()), by = difference(b.y(), a.y()),
             bz = difference(b.z(), a.z());
  const auto cx = difference(c.x(), a.x()), cy = difference(c.y(), a.y()),
             cz = difference(c.z(), a.z());
  const auto dx = difference(d.x(), a.x()), dy = difference(d.y(), a.y()),
             dz = difference(d.z(), a.z());
  const auto det = (cx * dy - cy * dx) * bz + (dx * by - dy * bx) * cz + (bx * cy - by * cx) * dz;
  return {det.sign(), PredicateStage::expansion};
}

int in_circle_rational(double ax, double ay, double bx, double by, double cx, double cy, double dx,
                       double dy) {
  const mpq_class x(dx), y(dy);
  const mpq_class pax = ax - x, pay = ay - y, pbx = bx - x, pby = by - y, pcx = cx - x,
                  pcy = cy - y;
  const mpq_class det = (pax * pax + pay * pay) * (pbx * pcy - pby * pcx) +
                        (pbx * pbx + pby * pby) * (pcx * pay - pcy * pax) +
                        (pcx * pcx + pcy * pcy) * (pax * pby - pay * pbx);
  return sgn(det);
}

}  // namespace detail

StagedSign in_circle_staged(double ax, double ay, double bx, double by, double cx, double cy,
                            double dx, double dy) {
  const double adx = ax - dx, ady = ay - dy, bdx = bx - dx, bdy = by - dy, cdx = cx - dx,
               cdy = cy - dy;
  const double bc1 = bdx * cdy, bc2 = cdx * bdy, ca1 = cdx * ady, ca2 = adx * cdy, ab1 = adx * bdy,
               ab2 = bdx * ady;
  const double a_lift = adx * adx + ady * ady;
  const double b_lift = bdx * bdx + bdy * bdy;
  const double c_lift = cdx * cdx + cdy * cdy;
  const double det = a_lift * (bc1 - bc2) + b_lift * (ca1 - ca2) + c_lift * (ab1 - ab2);
  const double permanent = (std::fabs(bc1) + std::fabs(bc2)) * a_lift +
                           (std::fabs(ca1) + std::fabs(ca2)) * b_lift +
                           (std::fabs(ab1) + std::fabs(ab2)) * c_lift;
  // In this window neither the filter nor the expansions lose anything to underflow or overflow:
  // four factors between 2^-252 (an ulp of 2^-200) and 2^201, with error terms 2^-53 below.
  constexpr double kLow = 0x1p-200;
  constexpr double kHigh = 0x1p200;
  for (const double v : {ax, ay, bx, by, cx, cy, dx, dy}) {
    if (v != 0 && !(std::fabs(v) >= kLow && std::fabs(v) <= kHigh)) {
      return {detail::in_circle_rational(ax, ay, bx, by, cx, cy, dx, dy), PredicateStage::rational};
    }
  }
  const double bound = detail::kInCircleErrorFactor * permanent;
  if (det > bound) return {1, PredicateStage::filter};
  if (-det > bound) return {-1, PredicateStage::filter};

  const auto pax = difference(ax, dx), pay = difference(ay, dy), pbx = difference(bx, dx),
             pby = difference(by, dy), pcx = difference(cx, dx), pcy = difference(cy, dy);
  const auto exact = product(pbx * pcy - pby * pcx, pax * pax + pay * pay) +
                     product(pcx * pay - pcy * pax, pbx * pbx + pby * pby) +
                     product(pax * pby - pay * pbx, pcx * pcx + pcy * pcy);
  return {exact.sign(), PredicateStage::expansion};
}

bool is_collinear(const Point& a, const Point& b, const Point& c) {
  return orient2d(a.x(), a.y(), b.x(), b.y(), c.x(), c.y()) == 0 &&
         orient2d(a.y(), a.z(), b.y(), b.z(), c.y(), c.z()) == 0 &&
         orient2d(a.z(), a.x(), b.z(), b.x(), c.z(), c.x()) == 0;
}

}  // namespace aguja
