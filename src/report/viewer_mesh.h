#pragma once
// A model as the page shows it: small numbers that compress well, and fewer triangles if there are
// more than a browser turns smoothly.

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "aguja/mesh/patches.h"
#include "aguja/model/model.h"

namespace aguja {

struct ViewerMesh {
  /// Positions are `low + step * whole number`: fine enough for any screen.
  Point low = Point::Zero();
  double step = 0;
  std::vector<std::uint32_t> positions;  ///< all x, then all y, then all z; zigzag differences
  std::vector<std::uint32_t> corners;    ///< each as how far below the next new vertex it is
  std::vector<std::uint32_t> patch_of;   ///< by triangle; parts have patches of their own
  std::vector<std::uint32_t> source;     ///< by triangle: its number in the model, rising
  /// Pairs of vertices.
  std::vector<std::uint32_t> naked;
  std::vector<std::uint32_t> borders;  ///< between patches
  std::vector<std::size_t> part_ends;  ///< by part: one past its last triangle here
  bool reduced = false;
};

/// `patches`: by part; empty: what the file brings.
/// At most about `most` triangles, but all of those marked in `keep` (by triangle of the model) and
/// all on naked edges, where they are.
/// Source   Rossignac, Borrel: Multi-Resolution 3D Approximations for Rendering Complex Scenes,
///          1993 (vertices of one grid cell become one).
[[nodiscard]] ViewerMesh viewer_mesh(const Model& model, std::span<const Patches> patches,
                                     const std::vector<bool>& keep, std::size_t most);

/// Bytes of the numbers (all lowest bytes, then all second ones, ...), compressed by zlib, as
/// base64.
[[nodiscard]] std::string packed(std::span<const std::uint32_t> numbers);

}  // namespace aguja
