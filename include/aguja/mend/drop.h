#pragma once
/// \file
/// Dropping: triangles, lines and points that should not be there.

#include <span>
#include <vector>

#include "aguja/base/error.h"
#include "aguja/mend/change.h"

namespace aguja {

struct DropOptions {
  /// Edges may be bared: openings are made on purpose. Else what would leave more naked edges than
  /// there were is refused as a whole.
  bool may_bare = false;
};

/// The mesh without these triangles. Their surface is given up: it counts as area removed, not as
/// movement.
/// Cost     An edge table before and after.
/// Errors   ArgumentError (a triangle that does not exist).
[[nodiscard]] Change drop_triangles(const Mesh& mesh, std::span<const TriangleId> triangles,
                                    const DropOptions& options = {}, const Budget& budget = {});
[[nodiscard]] Change drop_wires(const Mesh& mesh, const Budget& budget = {});
/// Points that no triangle or line uses.
[[nodiscard]] Change drop_unused_points(const Mesh& mesh, const Budget& budget = {});

/// Copies of triangles that face the same way as another: all but the first of each. Rising.
[[nodiscard]] std::vector<TriangleId> surplus_copies(const Mesh& mesh);
/// Triangles on the same vertices that face opposite ways: all of them, but for one where their
/// neighbours need it to close, and for the one that faces outward where a closed shell is there
/// twice. Rising.
[[nodiscard]] std::vector<TriangleId> back_to_back_pairs(const Mesh& mesh);
/// Regions that end on non-manifold edges on one side and nowhere on the other, the lesser ones of
/// their components. Rising.
[[nodiscard]] std::vector<TriangleId> flaps(const Mesh& mesh);
/// Triangles that hang by one edge, along which they run as their neighbour does: fins on a rim.
/// Those that are no fins but turned over `orient` turns back first. Rising.
[[nodiscard]] std::vector<TriangleId> hanging_triangles(const Mesh& mesh);
/// All triangles of the components that these belong to. Rising.
[[nodiscard]] std::vector<TriangleId> whole_components(const Mesh& mesh,
                                                       std::span<const TriangleId> triangles);

}  // namespace aguja
