#pragma once
/// \file
/// Points and vectors: three doubles.

#include <Eigen/Core>

namespace aguja {

using Point = Eigen::Vector3d;
using Vector = Eigen::Vector3d;

/// The nearest point with float coordinates (infinite where the range of float ends).
[[nodiscard]] Point rounded_to_float(const Point& p);

}  // namespace aguja
