#pragma once
// Turning over joined patches so that all face the same way.

#include <vector>

#include "aguja/mesh/edge_table.h"

namespace aguja {

/// Turns triangles over, in whole regions, where neighbours run the same way along a joined edge
/// and there is exactly one way (up to turning everything) to make all agree. A closed component in
/// nobody's box is turned outward, any other keeps the direction of the larger part of its area.
/// `joined`: by edge, was it made by joining two naked ones? Components with other conflicts stay.
/// Returns the number of triangles turned over.
std::size_t make_agree(Mesh& mesh, const EdgeTable& edges, const std::vector<bool>& joined);

}  // namespace aguja
