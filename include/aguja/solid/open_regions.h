#pragma once
/// \file
/// Where the material is if a surface is open or contradicts itself, so that winding numbers of
/// cells say nothing: by generalized winding numbers, region by region, with a margin.

#include <vector>

#include "aguja/base/array.h"
#include "aguja/mesh/arrangement.h"
#include "aguja/solid/winding_cells.h"

namespace aguja {

/// Pieces of an arrangement that hang together by edges with two pieces that run opposite ways along
/// them, and of the same number of triangles.
struct OpenRegion {
  bool remains = true;
  /// It has something to do with others along an edge. What has not stays as it is.
  bool is_judged = false;
  /// It has not, lies within material, and has more of it inside: a body in a body.
  bool is_nested = false;
  /// How many more triangles face as its pieces do than the other way.
  int layers = 1;
  /// The mean of the generalized winding number in front and behind: of the boundary of material 1/2,
  /// inside 1 and more, outside 0. Mean over the region.
  double winding = 0.5;
  /// How clear the answer is: 1 not to be shaken, 0 a guess. Where it is below `kClearMargin`
  /// nobody should rely on it.
  double margin = 1;
  double area = 0;  ///< model units squared
  Point place = Point::Zero();
};

struct OpenRegions {
  Array<std::uint32_t> of_piece;
  std::vector<OpenRegion> regions;
};

/// A region remains if the surface winds around what is behind it, and not around what is in front:
/// if its mean winding number is nearer to 1/2 than to what is of both sides alike. The surface must
/// be oriented; see `orient`.
///
/// Decides  In floating point: `margin` says how clearly. Of closed surfaces what the cells say.
/// Cost     O(n log n), and 64 winding numbers at most for each region. Parallel.
/// Source   Jacobson, Kavan, Sorkine: Robust Inside-Outside Segmentation using Generalized Winding
///          Numbers, ACM TOG 32(4), 2013 (per cell; ours by the mean of both sides of a region, as
///          cells of an open surface run into each other).
[[nodiscard]] OpenRegions judge_open_regions(const Arrangement& arrangement,
                                             const WindingCells& cells);

}  // namespace aguja
