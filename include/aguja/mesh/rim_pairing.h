#pragma once
/// \file
/// Which naked edges face each other: the two sides of cracks and gaps.

#include <vector>

#include "aguja/mesh/components.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"

namespace aguja {

/// A naked edge as its triangle runs along it.
struct NakedEdge {
  EdgeId edge;
  VertexId from, to;
  VertexId apex;  ///< the triangle's other corner
  TriangleId triangle;
  ShellId component;
};

/// A piece of a side of a rim: a naked edge (by its number in `RimPairing::naked`) between two
/// places, 0 at its start and 1 at its end, `begin` < `end`.
struct RimPiece {
  std::uint32_t naked;
  double begin;
  double end;
};

/// Two pieces that face each other. `width_begin` is the distance at the begin of `first`.
struct FacingPair {
  RimPiece first;
  RimPiece second;
  double width_begin;
  double width_end;
  /// Both triangles run the same way: one of the two sides is turned over. Else the begin of
  /// `first` faces the end of `second`.
  bool same_way;

  [[nodiscard]] double width() const { return 0.5 * (width_begin + width_end); }
  [[nodiscard]] double largest_width() const { return std::max(width_begin, width_end); }
};

struct RimPairing {
  std::vector<NakedEdge> naked;   ///< by edge
  std::vector<FacingPair> pairs;  ///< narrowest first
  /// The narrowest distance between stretches of rim that face each other but are no pair: the two
  /// sides of a thin wall or strip. Infinite if there are none within reach.
  double narrowest_feature;
};

/// Pairs stretches of rim over their length, the narrowest first; what is paired is taken. Rejected
/// are neighbours along the rim (but for the last edges of a slit), pieces that do not run along
/// each other (60 degrees), the two sides of a strip of triangles, and pieces whose triangles lie
/// back to back as the two faces of a thin wall do (15 degrees), unless they coincide.
///
/// Units    `reach` in model units, >= 0: pieces farther apart are not paired.
/// Cost     O(k log k) for k naked edges, whatever their lengths and directions: where hundreds lie
///          within three times the nearest distance, or about one vertex, each is held against some
///          of them only. Parallel; the same for any number of threads.
/// Source   The idea of pairing stretches instead of points: Guéziec, Taubin, Lazarus, Horn:
///          Cutting and Stitching, IEEE TVCG 7(2), 2001. Ours pairs pieces of edges, each by its own
///          width.
[[nodiscard]] RimPairing pair_rims(const Welded& mesh, const EdgeTable& edges,
                                   const Components& components, double reach);

/// A vertex joins the vertex that it faces if that is no farther along the rim than this part of
/// the shorter edge; farther, it hangs: it is put into the edge.
inline constexpr double kMergeFraction = 0.4;

/// A run of pairs that follow each other along both rims: a crack or a gap as a whole.
struct Stretch {
  std::vector<std::uint32_t> pairs;  ///< into `RimPairing::pairs`
  double length = 0;
  double least_width = 0;
  double median_width = 0;  ///< by length
  double largest_width = 0;
  std::size_t hanging = 0;  ///< vertices that face the inside of an edge
  Point place = Point::Zero();
  Box box;
};
[[nodiscard]] std::vector<Stretch> stretches_of(const Welded& mesh, const RimPairing& pairing);

}  // namespace aguja
