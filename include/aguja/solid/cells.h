#pragma once
/// \file
/// The cells into which a surface with non-manifold edges divides space.

#include <cstdint>
#include <span>
#include <vector>

#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/ids.h"
#include "aguja/mesh/mesh.h"

namespace aguja {

/// One region that the surface bounds, as seen from it.
struct Cell {
  double volume = 0;    ///< negative: this is the outside of its component
  double at_back = 0;   ///< area of the triangles that have the cell behind them: it is material
  double at_front = 0;  ///< area of those that have it in front: it is empty
};

/// Some triangles of a surface, all edges that they have, which no others have, and by triangle of
/// the surface its place among them.
struct SurfacePiece {
  std::span<const TriangleId> triangles;
  std::span<const EdgeId> edges;
  std::span<const std::uint32_t> place;
};

struct Cells {
  /// By side of each triangle of the piece (2 i for the front of the i-th, to which its normal
  /// points, 2 i + 1 for its back) the cell there.
  std::vector<std::uint32_t> of_side;
  std::vector<Cell> cells;
};

/// Walks from side to side of the triangles of a piece over their edges: at an edge with two of them
/// as they continue each other, at one with more in the order of their angles, at a naked one from
/// a triangle's front to its back. Cells of components that are nested are not joined.
///
/// Decides  The order around an edge exactly; triangles that lie on each other there are taken in
///          the order of their numbers (an overlap, which must be mended first).
/// Units    Volumes and areas in model units, floating point.
/// Cost     O(n + k log k) for n triangles of the piece and k uses of its non-manifold edges.
[[nodiscard]] Cells find_cells(std::span<const Point> points, std::span<const Triangle> triangles,
                               const EdgeTable& edges, const SurfacePiece& piece);

/// The uses of an edge in counter-clockwise order, seen with the edge pointing to the viewer from
/// its low to its high vertex; the first use stays first. Exact.
[[nodiscard]] std::vector<EdgeUse> uses_by_angle(std::span<const Point> points,
                                                 std::span<const Triangle> triangles,
                                                 const Edge& edge, std::span<const EdgeUse> uses);

}  // namespace aguja
