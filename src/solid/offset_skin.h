#pragma once
// The skin of an oriented surface moved in front of it, as it comes: it may fold over.

#include <vector>

#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/mesh.h"

namespace aguja {

struct OffsetSkin {
  std::vector<Point> points;        // numbered on from those of the mesh
  std::vector<Triangle> triangles;  // of the skin, facing as the surface
  std::vector<TriangleId> over;     // by triangle of the skin: one that it lies over
  std::vector<Triangle> walls;      // between the surface's rims and the skin's
};

// Each vertex goes where the planes around it meet once they are moved by `distance`, if that is no
// farther than `limit` times the distance and all of them are kept; else its triangles are taken in
// groups, each with a vertex of its own, with bevels between. Every edge of the surface has at most
// two triangles, which run opposite ways along it.
//
// Cost     O(n log d). Parallel.
[[nodiscard]] OffsetSkin offset_skin(const Mesh& mesh, const EdgeTable& edges, double distance,
                                     double limit);

}  // namespace aguja
