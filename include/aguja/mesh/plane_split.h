#pragma once
/// \file
/// Triangles divided where a plane passes through them.

#include <cstdint>
#include <vector>

#include "aguja/mesh/mesh.h"
#include "aguja/mesh/mesh_maps.h"

namespace aguja {

/// All points p with normal . (p - through) = 0. What its normal points away from is below it.
struct CutPlane {
  Point through = Point::Zero();
  Vector normal = Vector::UnitZ();  ///< of any length but 0

  /// The axis that it is square to; -1 if it is to none.
  [[nodiscard]] int axis() const;
  /// Signed, positive above; of a plane that is square to an axis its sign is exact.
  [[nodiscard]] double distance(const Point& p) const;
};

struct PlaneSplitOptions {
  /// Vertices no farther from the plane than this are on it. Model units.
  double on_within = 0;
  /// Coordinates that are made are floats.
  bool to_float = false;
};

struct SplitMesh : MeshMaps {
  /// The points of the mesh, each once, then those that were made.
  Mesh mesh;
  std::vector<std::int8_t> side;  ///< by triangle: -1 below the plane, +1 above
  std::vector<bool> on_plane;     ///< by vertex
  double off_plane = 0;           ///< no vertex on the plane is farther from it, model units
  std::size_t made = 0;           ///< how many points were made
  double moved = 0;               ///< no point that was made is farther from its edge, model units
  /// Points that were made fell on each other or on others: to be tried with a larger `on_within`.
  bool fell_together = false;
};

/// No triangle lies on both sides. Those in the plane count as below if they face up, and as above
/// else: they bound what is there. Each vertex is judged once, so that what was closed stays closed.
/// Triangles that are not divided stay as they are, in their order.
///
/// Cost     O(n), and O(k log k) for k triangles that are divided.
/// Errors   ArgumentError (a normal that is 0 or not finite, more triangles than an index holds).
[[nodiscard]] SplitMesh split_by_plane(const Mesh& mesh, const CutPlane& plane,
                                       const PlaneSplitOptions& options = {});

/// What counts as on a plane however exactly that is given: a few roundings of the mesh's largest
/// coordinate, as doubles; as floats where all are floats and the plane is square to no axis.
[[nodiscard]] double rounding_off(const Mesh& mesh, const CutPlane& plane);

}  // namespace aguja
