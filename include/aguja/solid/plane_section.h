#pragma once
/// \file
/// Sections: what a plane and a surface have in common.

#include <array>
#include <span>
#include <vector>

#include <Eigen/Core>

#include "aguja/mesh/mesh.h"
#include "aguja/mesh/plane_split.h"

namespace aguja {

struct SectionOutline {
  std::vector<Point> points;  ///< in order; of a closed one the first is not there again
  bool is_closed = false;
  double length = 0;
  /// Of a closed one, model units squared: positive around material, negative around a hole.
  double area = 0;
};

/// Of a body: the region of the plane that is material.
struct PlaneSection {
  CutPlane plane;
  std::vector<SectionOutline> outlines;  ///< the longest first; closed ones have material on the
                                         ///< left, seen against the normal
  double area = 0;                       ///< of the closed ones together
  double length = 0;                     ///< of all outlines
  Point centroid = Point::Zero();        ///< of the area; without one, of the lines
  /// About the centroid, the integral of r r^T over the area: its diagonal are the second moments
  /// along the coordinate axes, and those of the plane its eigenvalues but the one that is 0. Model
  /// units to the fourth power.
  Eigen::Matrix3d second_moments = Eigen::Matrix3d::Zero();

  /// Some outline has ends, so that there is no area.
  [[nodiscard]] bool is_open() const;
  /// The second moments about the two main axes through the centroid in the plane, the smaller one
  /// first.
  [[nodiscard]] std::array<double, 2> main_moments() const;
};

/// Puts directed edges, from the first to the second vertex, together to outlines. Where several
/// meet in a vertex, those stay together that bound the same material.
/// Cost     O(k log k).
[[nodiscard]] PlaneSection section_of(std::span<const Point> points, std::span<const Wire> edges,
                                      const CutPlane& plane);

}  // namespace aguja
