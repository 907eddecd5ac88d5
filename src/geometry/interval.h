#pragma once
// Enclosure arithmetic without changing the rounding mode: every result is widened by more than the
// rounding of the operation. NaN ends (from infinities) compare false, so that nothing is decided.

#include <algorithm>
#include <cmath>
#include <optional>

#include "aguja/geometry/constructed_point.h"

namespace aguja::detail {

// An operation is off by half an ulp at most; x 2^-52 is at least an ulp, and the last term covers
// what is subnormal.
inline double widened_down(double x) { return x - std::fabs(x) * 0x1p-52 - 0x1p-1074; }
inline double widened_up(double x) { return x + std::fabs(x) * 0x1p-52 + 0x1p-1074; }

inline Enclosure exactly(double x) { return {x, x}; }

inline Enclosure operator+(const Enclosure& a, const Enclosure& b) {
  return {widened_down(a.low + b.low), widened_up(a.high + b.high)};
}
inline Enclosure operator-(const Enclosure& a, const Enclosure& b) {
  return {widened_down(a.low - b.high), widened_up(a.high - b.low)};
}
inline Enclosure operator*(const Enclosure& a, const Enclosure& b) {
  const double p = a.low * b.low, q = a.low * b.high, r = a.high * b.low, s = a.high * b.high;
  // A NaN must not get lost in the comparisons.
  if (std::isnan(p) || std::isnan(q) || std::isnan(r) || std::isnan(s)) {
    return {-HUGE_VAL, HUGE_VAL};
  }
  return {widened_down(std::min({p, q, r, s})), widened_up(std::max({p, q, r, s}))};
}

/// Empty if the interval does not tell.
inline std::optional<int> sign_of(const Enclosure& a) {
  if (a.low > 0) return 1;
  if (a.high < 0) return -1;
  if (a.low == 0 && a.high == 0) return 0;
  return std::nullopt;
}

}  // namespace aguja::detail
