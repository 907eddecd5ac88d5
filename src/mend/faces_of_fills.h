#pragma once
// Surface that a fill added to a body's facets, as faces of the body.

#include <optional>
#include <vector>

#include "aguja/geometry/placement.h"
#include "aguja/mend/change.h"
#include "aguja/surface/edit_body.h"

namespace aguja {

struct FillFaces {
  std::vector<BodyVertex> vertices;  ///< new ones, and new edges
  std::vector<BodyEdge> edges;
  std::vector<NewFace> faces;
  std::vector<std::uint32_t> fill_of_face;  ///< by face
  std::vector<TriangleId> triangles;        ///< that were added, rising
  std::vector<std::uint32_t> face_of;       ///< by these: of `faces`
};

struct FillScope {
  const Mesh& mesh;  ///< with the fills; distinct points
  /// By triangle: of which fill it is, from 0; kNoIndex: of none.
  const std::vector<std::uint32_t>& fill_of;
  const std::vector<PatchId>& patch_of;  ///< by triangle; what is of no fill is a facet of a face
  const PreparedBody& body;              ///< without them; what is dropped is dropped
  Placement to_mesh;
  std::uint32_t first_patch = 0;  ///< of the body's face 0
  SurfacePtr surface = nullptr;   ///< that they are known to lie on; none: see `faces_of_fills`
};

/// Each fill becomes one face, or a few that meet in edges: on the surfaces of the faces around it where
/// these go on, else on a plane, or on the cylinder or cone past two circles of its rim. Edges around it are those of the body, each whole. None where the body
/// has no such edges there, or its triangles lie on no such surface.
///
/// Cost     O(n) for n triangles; for each fill, searches for nearest points at its triangles.
[[nodiscard]] std::optional<FillFaces> faces_of_fills(const FillScope& scope);

}  // namespace aguja
