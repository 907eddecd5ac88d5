#pragma once
// Closed shapes that are known in closed form, and ways to spoil them.

#include <functional>

#include "aguja/mesh/mesh.h"
#include "aguja/model/model.h"

namespace aguja::test {

/// A box from the origin, each side a grid of `steps` x `steps` x 2 triangles, outward. Distinct
/// points; with `patches` each side is one.
[[nodiscard]] Mesh grid_box(int steps, const Vector& extent, bool patches = false);

/// A torus about z: `around` x `across` quads, outward.
[[nodiscard]] Mesh torus(int around, int across, double major, double minor);

/// A closed cylinder about z from 0 to `height`, with caps fanned about their centre: `rows` of
/// `around` quads.
[[nodiscard]] Mesh cylinder(int around, int rows, double radius, double height);

/// Without the triangles whose centroid is in there; points that lose all go.
[[nodiscard]] Mesh without(const Mesh& mesh, const std::function<bool(const Point&)>& is_in);

/// Divides edge c of triangle t at a part of its length: beside the point (needle) or on a line
/// with it (cap). The neighbour is divided, too, so that the surface stays closed.
void split_edge(Mesh& mesh, std::uint32_t t, std::size_t c, double at, const Vector& off);

[[nodiscard]] double volume_of(const Mesh& mesh);
[[nodiscard]] std::size_t naked_edges(const Mesh& mesh);
[[nodiscard]] bool is_solid(const Mesh& mesh);
/// Points of the triangles' corners, sorted, for comparing surfaces.
[[nodiscard]] std::vector<std::array<double, 9>> facets(const Mesh& mesh);

}  // namespace aguja::test
