#pragma once
/// \file
/// Points and vectors: three doubles.

#include <Eigen/Core>

namespace aguja {

using Point = Eigen::Vector3d;
using Vector = Eigen::Vector3d;

/// The nearest point with float coordinates (infinite where the range of float ends).
[[nodiscard]] Point rounded_to_float(const Point& p);

/// By x, then y, then z; 0.0 and -0.0 are the same.
[[nodiscard]] inline bool lexicographically_less(const Point& a, const Point& b) {
  if (a.x() != b.x()) return a.x() < b.x();
  if (a.y() != b.y()) return a.y() < b.y();
  return a.z() < b.z();
}

}  // namespace aguja
