#pragma once
// Sides of triangles that look at the same space.

#include <cstdint>
#include <span>

#include "aguja/mesh/edge_table.h"

namespace aguja {

// The side of the `place`-th triangle (2 i its front, to which its normal points, 2 i + 1 its back)
// that looks counter-clockwise about the edge of a use of it, or clockwise.
[[nodiscard]] inline std::uint32_t side_about(EdgeUse use, std::uint32_t place,
                                              bool counter_clockwise) {
  return 2 * place + (use.forward() == counter_clockwise ? 0U : 1U);
}

// `join(side, side)` for those that look at each other around an edge. `uses`: in counter-clockwise
// order, seen with the edge pointing to the viewer; `place(triangle)`: its number among those that
// have sides. At a naked edge both sides of its triangle do.
template <class Place, class Join>
void join_sides_around(std::span<const EdgeUse> uses, const Place& place, const Join& join) {
  for (std::size_t k = 0; k < uses.size(); ++k) {
    const EdgeUse next = uses[(k + 1) % uses.size()];
    join(side_about(uses[k], place(uses[k].triangle()), true),
         side_about(next, place(next.triangle()), false));
  }
}

}  // namespace aguja
