#pragma once
// Triangles and bodies that meet in every way there is.

#include <cstdint>

#include "aguja/mesh/mesh.h"

namespace aguja::test {

/// A few loose triangles, most of them on a coarse grid: on each other in part or as copies, layers of
/// one plane, through one line or one vertex, needles; far off, tiny, or neither.
[[nodiscard]] Mesh crossing_triangles(std::uint64_t seed);

/// Box from low to high, outward, with diagonals chosen by seed.
[[nodiscard]] Mesh box_between(const Point& low, const Point& high, std::uint64_t seed = 0);

/// A tetrahedron with outward triangles; its corners must not lie in one plane.
[[nodiscard]] Mesh tetrahedron(const std::array<Point, 4>& corner);

}  // namespace aguja::test
