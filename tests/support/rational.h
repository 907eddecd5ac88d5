#pragma once
// Points in plain rational numbers: what exact code is held against.

#include <array>

#include <gmpxx.h>

#include "aguja/geometry/point.h"

namespace aguja::test {

using RationalPoint = std::array<mpq_class, 3>;

inline RationalPoint rational(const Point& p) {
  return {mpq_class(p.x()), mpq_class(p.y()), mpq_class(p.z())};
}
inline RationalPoint minus(const RationalPoint& a, const RationalPoint& b) {
  return {a[0] - b[0], a[1] - b[1], a[2] - b[2]};
}
/// a + t d
inline RationalPoint along(const RationalPoint& a, const RationalPoint& d, const mpq_class& t) {
  return {a[0] + d[0] * t, a[1] + d[1] * t, a[2] + d[2] * t};
}
inline mpq_class dot(const RationalPoint& a, const RationalPoint& b) {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}
inline RationalPoint cross(const RationalPoint& a, const RationalPoint& b) {
  return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}

}  // namespace aguja::test
