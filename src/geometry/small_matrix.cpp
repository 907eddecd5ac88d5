#include "geometry/small_matrix.h"

#include <algorithm>
#include <cmath>

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>

namespace aguja {

SmallColumn solve(const SmallMatrix& symmetric, const SmallColumn& right) {
  return symmetric.ldlt().solve(right);
}

PrincipalAxes principal_axes(const SmallMatrix& symmetric) {
  const Eigen::SelfAdjointEigenSolver<SmallMatrix> solver(symmetric);
  return {solver.eigenvalues(), solver.eigenvectors()};
}

LeastStep least_step(std::span<const Vector> rows, std::span<const double> right,
                     double threshold) {
  LeastStep out;
  if (rows.empty()) return out;
  Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
  Vector b = Vector::Zero();
  for (std::size_t i = 0; i < rows.size(); ++i) {
    normal += rows[i] * rows[i].transpose();
    b += right[i] * rows[i];
  }
  const PrincipalAxes axes = principal_axes(normal);
  const auto singular = [&](Eigen::Index k) { return std::sqrt(std::max(0.0, axes.values[k])); };
  const auto count = static_cast<Eigen::Index>(std::min<std::size_t>(rows.size(), 3));
  out.least_singular = singular(3 - count);
  for (Eigen::Index k = 0; k < 3; ++k) {
    if (singular(k) <= threshold * singular(2) || axes.values[k] <= 0) continue;
    const Vector axis = axes.vectors.col(k);
    out.step += axis * (axis.dot(b) / axes.values[k]);
  }
  return out;
}

}  // namespace aguja
