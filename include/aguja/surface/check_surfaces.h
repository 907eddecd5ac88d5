#pragma once
/// \file
/// What is wrong with a surface model itself, in the terms of its source.

#include "aguja/inspect/inspect.h"
#include "aguja/surface/prepare.h"

namespace aguja {

/// Distances that should be none: of vertices from the ends of their edges, of edges from the
/// surfaces of their faces, of what sewing joined. Model units.
struct ToleranceStatistics {
  double least = 0, mean = 0, largest = 0;
  Point at = Point::Zero();
  EntityNumber entity = 0;  ///< where the largest is
  std::size_t count = 0;
};
struct BodyTolerances {
  ToleranceStatistics vertices, edges, faces;
};
[[nodiscard]] BodyTolerances measure_tolerances(const PreparedSurfaces& surfaces);

/// Numbers of a surface model, over all bodies.
struct SurfaceCounts {
  std::size_t faces = 0, edges = 0, vertices = 0;
  std::size_t edges_used_once = 0, edges_used_twice = 0, edges_used_more = 0;
  std::size_t shells = 0, closed_shells = 0;
};
[[nodiscard]] SurfaceCounts count_surfaces(const SurfaceModel& model);

/// Open and crossing loops, edges and vertices off their surfaces and curves, unshared edges, faces
/// that disagree, singular and creased surfaces. Each with its face and entity.
[[nodiscard]] std::vector<GivenFinding> check_surfaces(const PreparedSurfaces& surfaces,
                                                       const Model& mesh);

/// A finding of the mesh that has no face yet gets that of one of its triangles, and its entity.
/// `part` counts the parts that `prepare` made, `mesh` is that part's.
void name_face(Finding& finding, const PreparedSurfaces& surfaces, std::size_t part,
               const Mesh& mesh, TriangleId triangle);

}  // namespace aguja
