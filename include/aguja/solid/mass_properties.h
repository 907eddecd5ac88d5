#pragma once
/// \file
/// Volume, area, centroid and inertia of triangle meshes.

#include <Eigen/Core>

#include "aguja/geometry/placement.h"
#include "aguja/mesh/weld.h"

namespace aguja {

/// Of a region enclosed by triangles, at density 1. With coordinates in millimetres: mm3, mm2, mm,
/// mm5. Volume and moments mean something only if every edge is used equally often both ways;
/// the area always does.
struct MassProperties {
  double volume = 0;  ///< signed: negative if the triangles face inward
  double area = 0;
  Point centroid = Point::Zero();  ///< of the volume; the box's centre if the volume is zero
  /// About the centroid, axes parallel to the coordinate axes; the integral of
  /// (|r|^2 I - r r^T), so products of inertia stand off the diagonal with a minus sign.
  Eigen::Matrix3d inertia = Eigen::Matrix3d::Zero();
};

/// Of the region moved or turned, or mirrored with its triangles turned over: `at` keeps lengths
/// and angles.
[[nodiscard]] MassProperties placed(const MassProperties& region, const Placement& at);

/// Properties of several regions as one body.
[[nodiscard]] MassProperties combine(std::span<const MassProperties> regions);

/// Sums over some triangles from which properties are made; sums of disjoint sets add up.
/// Kept relative to a reference point and scaled by a power of two, so that models far from the
/// origin, and tiny or huge ones, lose nothing.
class MassSums {
 public:
  /// `box` holds all the triangles that will be added.
  explicit MassSums(const Box& box);

  void add(const Point& a, const Point& b, const Point& c);
  /// Both must have been made for the same box.
  void add(const MassSums& other);
  [[nodiscard]] MassProperties properties() const;
  /// Sign of the enclosed volume: -1 or +1 if rounding cannot have changed it, else 0.
  [[nodiscard]] int certain_sign() const;

 private:
  Point reference_;
  int exponent_ = 0;                        // coordinates are multiplied by 2^-exponent,
  double half_scale_ = 1, rest_scale_ = 1;  // in two steps
  std::size_t triangles_ = 0;
  double volume6_ = 0;
  double magnitude6_ = 0;  // at least the sum of the absolute products behind volume6_
  double area2_ = 0;
  Vector first_ = Vector::Zero();
  Eigen::Matrix3d second_ = Eigen::Matrix3d::Zero();
};

/// Box of the triangles named in `selection`. Parallel.
[[nodiscard]] Box box_of(const Welded& mesh, std::span<const TriangleId> selection);

/// Of the triangles named in `selection`, whose box is `box`.
/// Cost     O(n), about 20 ns per triangle; parallel, in pieces of fixed size: the same bits for
///          any number of threads.
/// Accuracy A relative error of about 1e-13 in volume and area for compact bodies.
/// Source   Closed forms for the moments of a tetrahedron.
[[nodiscard]] MassSums mass_sums(const Welded& mesh, std::span<const TriangleId> selection,
                                 const Box& box);

/// Sign of the enclosed volume, exactly: the filter above, then rational arithmetic.
/// The edges of the selection must be balanced.
[[nodiscard]] int volume_sign(const Welded& mesh, std::span<const TriangleId> selection,
                              const MassSums& sums);

}  // namespace aguja
