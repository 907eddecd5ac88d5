#pragma once
/// \file
/// Surface that a change gives up, so that nothing large goes by itself.

#include <vector>

#include "aguja/mend/change.h"
#include "aguja/mesh/known_mesh.h"

namespace aguja {

/// Triangles whose surface is given up and of which no copy is left, whichever way it faces. Rising.
/// Cost     O(n log k) for k dropped ones.
[[nodiscard]] std::vector<TriangleId> given_up(const Mesh& before, const Change& change);

/// Those of `goes` (rising) that are a whole closed shell which encloses volume: every edge of it has
/// as many uses one way as the other, none of them by another triangle.
/// Cost     O(k log n), and what the edges cost when they are first asked for.
[[nodiscard]] std::vector<TriangleId> closed_shells_among(const KnownMesh& before,
                                                          std::span<const TriangleId> goes);

/// Area, one copy of triangles on the same three vertices. `left_out`, by triangle, may be empty.
/// Cost: O(n log n).
[[nodiscard]] double area_without_copies(const Mesh& mesh, const std::vector<bool>& left_out = {});
[[nodiscard]] double area_of_triangles(const Mesh& mesh, std::span<const TriangleId> triangles);

}  // namespace aguja
