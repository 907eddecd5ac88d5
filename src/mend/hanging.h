#pragma once
// Vertices of rims that lie on the inside of a naked edge.

#include <optional>

#include "aguja/mend/change.h"
#include "aguja/mesh/known_mesh.h"

namespace aguja {

/// Divides naked edges, with their triangles, at vertices of rims that lie within `tolerance` of
/// their inside, so that rims which touch become rims that meet in a vertex. This may leave more
/// naked edges: it belongs to filling what they bound. Nothing if there are none.
[[nodiscard]] std::optional<Change> divide_at_hanging_vertices(const KnownMesh& mesh,
                                                               double tolerance,
                                                               const Budget& budget);

}  // namespace aguja
