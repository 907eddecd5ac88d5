#pragma once
// Small dense systems, solved in one place: each size of its own would be compiled anew.

#include <span>

#include "aguja/geometry/point.h"

namespace aguja {

/// Up to 7 x 7, without allocation.
using SmallMatrix = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, 0, 7, 7>;
using SmallColumn = Eigen::Matrix<double, Eigen::Dynamic, 1, 0, 7, 1>;

/// `symmetric` * x = `right`; not finite where it has no solution.
[[nodiscard]] SmallColumn solve(const SmallMatrix& symmetric, const SmallColumn& right);

/// Eigenvalues, rising, and the unit eigenvectors as columns.
struct PrincipalAxes {
  SmallColumn values;
  SmallMatrix vectors;
};
[[nodiscard]] PrincipalAxes principal_axes(const SmallMatrix& symmetric);

/// The shortest x with `rows[i]`.x = `right[i]`, in the sense of least squares. Directions whose
/// singular value is below `threshold` times the largest are left alone.
struct LeastStep {
  Vector step = Vector::Zero();
  double least_singular = 0;  ///< of as many as there are rows, three at most
};
[[nodiscard]] LeastStep least_step(std::span<const Vector> rows, std::span<const double> right,
                                   double threshold);

}  // namespace aguja
