#pragma once
// What nearly meets is made to meet in vertices.

#include <optional>
#include <vector>

#include "aguja/mesh/mesh.h"
#include "aguja/mesh/mesh_maps.h"

namespace aguja {

struct SnappedMesh {
  Mesh mesh;  // points that are not used any more may be among its points
  MeshMaps maps;
  double moved = 0;  // no point of the surface is farther from where it was
};

// Vertices of the wanted triangles that are nearer to each other than `reach` become one; edges that
// pass such a vertex, or each other, as near get a vertex there, and so do triangles: again, until
// nothing is left that is near. Where two skins lie on each other but for a hair, their triangles
// then have the same corners. Triangles are only divided and their corners moved: what was closed
// stays closed. Points of `mesh` are distinct. Empty where there would be many times as many triangles.
//
// Decides  In floating point: what it makes may cross, fold and vanish, and is for exact code to cut.
// Cost     O(k log k) a pass for k triangles that share a vertex with the wanted ones; passes are few.
[[nodiscard]] std::optional<SnappedMesh> snap_together(const Mesh& mesh,
                                                       const std::vector<bool>& wanted,
                                                       double reach);

}  // namespace aguja
