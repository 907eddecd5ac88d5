#pragma once
/// \file
/// Where something is put: the one type for places, moves, turns, mirrors and scales.

#include <Eigen/LU>

#include "aguja/geometry/box.h"
#include "aguja/geometry/point.h"

namespace aguja {

/// The affine map p -> linear p + shift.
struct Placement {
  Eigen::Matrix3d linear = Eigen::Matrix3d::Identity();
  Vector shift = Vector::Zero();

  [[nodiscard]] Point operator()(const Point& p) const { return linear * p + shift; }
  /// First `inner`, then this.
  [[nodiscard]] Placement operator*(const Placement& inner) const {
    return {linear * inner.linear, linear * inner.shift + shift};
  }
  [[nodiscard]] bool is_identity() const;
  /// Finite, and it flattens nothing: the determinant is not 0, even where its factors would
  /// overflow or underflow by themselves.
  [[nodiscard]] bool is_regular() const;
  /// It turns right-handed into left-handed.
  [[nodiscard]] bool mirrors() const { return linear.determinant() < 0; }
  /// The cube root of how volumes grow: how lengths do, if they do so evenly.
  [[nodiscard]] double scale() const;
  /// Lengths and angles stay as they are, to within a few roundings (`kRigidError`).
  [[nodiscard]] bool is_rigid() const;
  friend bool operator==(const Placement& a, const Placement& b) {
    return a.linear == b.linear && a.shift == b.shift;
  }
};

/// Directions written to 13 digits are off by a few units in the last of them; columns of a
/// placement that come that near to orthonormal are taken for a turn.
inline constexpr double kRigidError = 1e-12;

[[nodiscard]] Placement moved_by(const Vector& shift);
[[nodiscard]] Placement scaled_by(double factor);
[[nodiscard]] Placement scaled_by(const Vector& factors);
/// About the origin. `axis` is a unit vector.
[[nodiscard]] Placement turned_by(const Vector& axis, double angle_rad);

/// The box of the corners as they are placed: it holds all that the box held.
[[nodiscard]] Box placed(const Box& box, const Placement& at);

}  // namespace aguja
