#pragma once
// Faces of a body whose facets a step changed without changing what they stand for.

#include <optional>
#include <span>
#include <vector>

#include "aguja/mesh/edge_table.h"
#include "aguja/model/shape.h"
#include "aguja/surface/edit_body.h"

namespace aguja {

/// A mesh whose patches stand for the faces of a body.
struct FacetedBody {
  const Mesh& mesh;
  const EdgeTable& edges;  ///< of the mesh
  const SurfaceOrigin& origin;
  const Body&
      before;  ///< the body before the step: what it shared and does no longer is a border now
};

/// What stands for these faces now (rising): triangles within twice the chord height of them, that end
/// in their edges, each longer than the chord height with some side along it, and beyond that what the
/// body has there. None where that does not hold: a longer edge went, or a part of a face.
///
/// Cost     For each face, searches for nearest points from its facets, and from the sides on its border
///          on its edges.
[[nodiscard]] std::optional<std::vector<OtherFacets>> other_facets(
    const FacetedBody& body, std::span<const std::uint32_t> faces);

}  // namespace aguja
