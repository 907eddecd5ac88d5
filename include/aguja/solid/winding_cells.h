#pragma once
/// \file
/// The cells of an arrangement, and how often bodies wind around each, exactly.

#include <cstdint>
#include <span>
#include <vector>

#include "aguja/base/array.h"
#include "aguja/mesh/arrangement.h"
#include "aguja/mesh/edge_table.h"

namespace aguja {

/// A region of space as the pieces see it that hang together by edges. A region with other pieces in
/// it, which it does not touch along an edge, is a cell of each of them: the same winding numbers.
struct WindingCells {
  std::size_t labels = 1;
  /// By side of each piece (2 i for the front of the i-th, to which its normal points, 2 i + 1 for
  /// its back) the cell there.
  Array<std::uint32_t> of_side;
  /// By cell and label (cell * labels + label): how often the triangles of that label wind around it.
  Array<std::int32_t> winding;
  /// By cell, of the pieces that see it: negative for the outside of them.
  Array<double> volume;
  /// By cell: where pieces that hang together see it. Cells of one set follow each other.
  Array<std::uint32_t> set_of;
  /// By set of pieces: some edge is not used as often one way as the other.
  std::vector<bool> is_open;
  /// By set and label (set * labels + label): the triangles of that label in it bound nothing. Of
  /// them the cells of the set have the winding numbers of what is around it.
  std::vector<bool> label_is_open;
  /// By set: the cell around it.
  std::vector<std::uint32_t> outer;
  /// The edges of the pieces, whose points are vertices.
  Array<Triangle> pieces;
  EdgeTable edges{{}, 0};

  [[nodiscard]] std::size_t count() const { return volume.size(); }
  [[nodiscard]] std::uint32_t front(std::size_t piece) const { return of_side[2 * piece]; }
  [[nodiscard]] std::uint32_t back(std::size_t piece) const { return of_side[2 * piece + 1]; }
  [[nodiscard]] std::span<const std::int32_t> of(std::uint32_t cell) const {
    return {winding.data() + std::size_t{cell} * labels, labels};
  }
};

/// `label_of`: by triangle of the mesh, below `labels`; empty: all have 0.
///
/// Decides  Exactly: around an edge by angles; within a set of pieces by walking through them; from
///          what is around it by a ray from a point of it.
/// Units    Volumes in model units, floating point.
/// Cost     O(n log n), and n x labels for the winding numbers.
/// Errors   ArgumentError (a label that is not below `labels`, or not one for each triangle).
/// Source   Zhou, Grinspun, Zorin, Jacobson: Mesh Arrangements for Solid Geometry, ACM TOG 35(4),
///          2016 (cells and winding numbers); Edelsbrunner, Mücke: Simulation of Simplicity, ACM TOG
///          9(1), 1990 (the ray).
[[nodiscard]] WindingCells find_winding_cells(const Welded& mesh, const Arrangement& arrangement,
                                              std::span<const std::uint32_t> label_of = {},
                                              std::size_t labels = 1);

}  // namespace aguja
