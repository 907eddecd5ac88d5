#include "aguja/geometry/placement.h"

#include <cmath>

#include <Eigen/Geometry>

namespace aguja {

bool Placement::is_identity() const {
  return linear == Eigen::Matrix3d::Identity() && shift == Vector::Zero();
}

bool Placement::is_regular() const {
  if (!linear.allFinite() || !shift.allFinite()) return false;
  const double largest = linear.cwiseAbs().maxCoeff();
  return largest > 0 && Eigen::Matrix3d(linear / largest).determinant() != 0;
}

double Placement::scale() const { return std::cbrt(std::fabs(linear.determinant())); }

bool Placement::is_rigid() const {
  return linear.allFinite() &&
         (linear.transpose() * linear - Eigen::Matrix3d::Identity()).cwiseAbs().maxCoeff() <=
             kRigidError;
}

Placement moved_by(const Vector& shift) { return {Eigen::Matrix3d::Identity(), shift}; }
Placement scaled_by(double factor) { return scaled_by(Vector::Constant(factor)); }
Placement scaled_by(const Vector& factors) {
  return {Eigen::Matrix3d(factors.asDiagonal()), Vector::Zero()};
}
Placement turned_by(const Vector& axis, double angle_rad) {
  return {Eigen::AngleAxisd(angle_rad, axis).toRotationMatrix(), Vector::Zero()};
}

Box placed(const Box& box, const Placement& at) {
  if (box.is_empty() || at.is_identity()) return box;
  Box out;
  for (int corner = 0; corner < 8; ++corner) {
    out.extend(at({(corner & 1) != 0 ? box.high.x() : box.low.x(),
                   (corner & 2) != 0 ? box.high.y() : box.low.y(),
                   (corner & 4) != 0 ? box.high.z() : box.low.z()}));
  }
  return out;
}

}  // namespace aguja
