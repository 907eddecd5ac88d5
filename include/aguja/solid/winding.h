#pragma once
/// \file
/// Winding numbers of points about closed sets of triangles, exactly.

#include <optional>
#include <span>
#include <vector>

#include "aguja/mesh/weld.h"

namespace aguja {

/// How often the triangles of `selection` wind around each query point: 0 outside, 1 inside a body
/// that faces outward, -1 inside one that faces inward. Empty where the point lies on a triangle.
/// The edges of the selection must be balanced (used equally often both ways).
///
/// Decides  Exactly: signed hits of a ray along x; where the ray meets an edge or a vertex the
///          point is thought moved by an infinitely small amount in y and z (symbolically).
/// Cost     O(n log q + hits) for n triangles, q points. Parallel.
/// Source   Edelsbrunner, Mücke: Simulation of Simplicity, ACM TOG 9(1), 1990 (the symbolic move).
[[nodiscard]] std::vector<std::optional<int>> winding_numbers(const Welded& mesh,
                                                              std::span<const TriangleId> selection,
                                                              std::span<const Point> queries);

}  // namespace aguja
