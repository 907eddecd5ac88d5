#pragma once
// Vertices of rims that lie on the inside of a naked edge.

#include "aguja/mend/change.h"

namespace aguja {

/// Divides naked edges, with their triangles, at vertices of rims that lie within `tolerance` of
/// their inside, so that rims which touch become rims that meet in a vertex. This may leave more
/// naked edges: it belongs to filling what they bound.
[[nodiscard]] Change divide_at_hanging_vertices(const Mesh& mesh, double tolerance,
                                                const Budget& budget);

}  // namespace aguja
