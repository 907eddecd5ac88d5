#pragma once
// Meshes of any size to measure with.

#include "aguja/model/model.h"

namespace aguja::bench {

/// A closed torus with a wavy surface; about `triangles` triangles, float coordinates.
[[nodiscard]] Model bumpy_torus(std::size_t triangles);
/// The same triangles in random order (fixed seed).
[[nodiscard]] Model shuffled(Model model);

/// A torus pressed flat: long thin triangles, many of them nearly in one plane.
[[nodiscard]] Mesh sliver_torus(std::size_t triangles);
/// A cube whose sides are divided into squares, closed, turned about a skew axis by so many
/// degrees.
[[nodiscard]] Mesh divided_box(std::size_t triangles, double degrees);

/// The bytes that a writer makes of it.
[[nodiscard]] std::string binary_stl(const Model& model);

}  // namespace aguja::bench
