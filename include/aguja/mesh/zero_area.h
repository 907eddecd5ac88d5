#pragma once
/// \file
/// Triangles without area, decided exactly.

#include <string_view>
#include <vector>

#include "aguja/mesh/weld.h"

namespace aguja {

/// How a triangle came to have no area.
enum class ZeroAreaShape {
  point,   ///< all three corners are the same point
  needle,  ///< two corners are the same point
  cap,     ///< three different points on one line
};
[[nodiscard]] std::string_view slug(ZeroAreaShape shape);

struct ZeroAreaTriangle {
  TriangleId triangle;
  ZeroAreaShape shape;
};

/// All triangles of exactly zero area, rising. Decides by exact predicates on the given doubles: a
/// triangle that is merely very thin is not among them.
/// Cost     O(n), a few ns per triangle. Parallel.
[[nodiscard]] std::vector<ZeroAreaTriangle> find_zero_area(const Welded& mesh);

}  // namespace aguja
