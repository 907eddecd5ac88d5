#pragma once
/// \file
/// Collapsing: triangles without area, slivers, and edges that are too short go, and their
/// neighbours close over them.

#include <span>

#include "aguja/base/progress.h"
#include "aguja/mend/change.h"

namespace aguja {

struct CollapseOptions {
  /// Edges that are shorter may be pinched to a point although no triangle there is bad; model
  /// units.
  double short_edge = 0;
};

/// For each of the triangles, the first of these that does no harm and leaves better triangles:
/// its shortest edge is merged into one of its ends or its middle; its longest edge is flipped to
/// the opposite corner; a neighbour that stands in the way is flipped first.
///
/// Promises  Within the budget, measured both ways for each operation; no edge gets more than two
///           triangles or becomes naked, no triangle loses its area or is turned over, no vertex is
///           pinched, no triangles cross that did not; what would is left, and told in `refused`.
/// Cost      O(k) for k triangles, and a search for crossings of what changed per round.
/// Errors    ArgumentError (the mesh has equal points: see `with_distinct_points`; a triangle that
///           does not exist), Cancelled.
/// Source    Checks as for edge contraction in Dey, Edelsbrunner, Guha, Nekhayev: Topology
///           Preserving Edge Contraction, Publications de l'Institut Mathématique 66, 1999; caps
///           and needles as in Botsch, Kobbelt: A Robust Procedure to Eliminate Degenerate Faces
///           from Triangle Meshes, VMV 2001.
[[nodiscard]] Change collapse(const Mesh& mesh, std::span<const TriangleId> triangles,
                              const CollapseOptions& options = {}, const Budget& budget = {},
                              Progress* progress = nullptr);

/// Joins one of the two vertices to the other, or both to a place between, whichever moves the
/// surface least within the budget. The same promises.
[[nodiscard]] Change collapse_edge(const Mesh& mesh, VertexId a, VertexId b,
                                   const Budget& budget = {});

}  // namespace aguja
