#pragma once
/// \file
/// Points and vectors: three doubles.

#include <Eigen/Core>

namespace aguja {

using Point = Eigen::Vector3d;
using Vector = Eigen::Vector3d;

}  // namespace aguja
