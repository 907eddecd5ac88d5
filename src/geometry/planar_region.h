#pragma once
// What closed ways enclose in the plane, as triangles.

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "aguja/geometry/planar_triangulation.h"

namespace aguja {

struct PlanarRegion {
  std::vector<std::array<std::uint32_t, 3>> triangles;  // in the order of the triangulation's
  std::vector<PlanarEdge> constrained;                  // as the triangulation's
  std::vector<std::size_t> refused;                     // edges that cross earlier ones
};

// The constrained triangles to which ways from outside cross the border an odd number of times. Edges
// that the border runs along there and back are none of it. Points that coincide with an earlier one
// of the border are that.
//
// Cost     That of the triangulation, and O(n log n).
[[nodiscard]] PlanarRegion triangulate_region(std::span<const PlanarPoint> points,
                                              std::span<const PlanarEdge> border);

}  // namespace aguja
