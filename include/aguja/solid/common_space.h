#pragma once
/// \file
/// The space that two bodies both fill, without cutting their triangles.

#include <optional>
#include <vector>

#include "aguja/geometry/box_tree.h"
#include "aguja/mesh/weld.h"

namespace aguja {

/// A mesh that is held against others. The mesh must outlive it.
struct SearchedMesh {
  explicit SearchedMesh(const Mesh& mesh);
  Welded welded;
  BoxTree tree;  ///< of triangles
  Box box;
  double area = 0;
  double volume = 0;  ///< if it is closed

  [[nodiscard]] const Point& corner(std::uint32_t triangle, std::size_t i) const {
    return welded.point(welded.triangle({triangle})[i]);
  }
};

/// How much of a surface lies in the material of another body.
struct SurfaceInside {
  double area = 0;
  /// Points of it that lie in the other's material: vertices, middles of what edges have inside,
  /// middles of triangles that are wholly inside.
  std::vector<Point> samples;
};

struct CommonSpace {
  /// Of the first's surface in the second's material, and the other way; empty where the other is
  /// no solid.
  std::optional<SurfaceInside> first, second;
  std::optional<double> volume;  ///< that both fill, if both are solids
};

/// How deep the samples lie below the surface of `other`; 0 if there are none.
/// Cost     O(log n) for each, parallel.
[[nodiscard]] double depth_of(const SurfaceInside& inside, const SearchedMesh& other);

/// What two surfaces have in each other; whoever is said to be a solid must be one.
///
/// Decides  Exactly which edge passes through which triangle and which vertex lies in which body:
///          surfaces that touch, share faces, edges or vertices are told apart by thinking the
///          second moved by an infinitely small amount in x, a smaller one in y and z. What only
///          touches has a common volume of zero within rounding.
/// Measures By Green's theorem over each triangle: a sum over its edges and over the lines in which
///          it meets triangles of the other; rounding is about 1e-15 of the sizes involved.
/// Cost     O((n + k) log n) for n triangles within the other's box and k pairs of boxes that meet;
///          parallel.
/// Source   Franklin: Polygon properties calculated from the vertex neighborhoods, SoCG 1987
///          (measures as sums over incidences); Edelsbrunner, Mücke: Simulation of Simplicity, ACM
///          TOG 9(1), 1990 (the symbolic move).
[[nodiscard]] CommonSpace common_space(const SearchedMesh& first, bool first_is_solid,
                                       const SearchedMesh& second, bool second_is_solid);

}  // namespace aguja
