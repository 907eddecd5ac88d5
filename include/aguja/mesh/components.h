#pragma once
/// \file
/// Components: sets of triangles that hang together by shared edges, all or only some of them.

#include "aguja/base/array.h"
#include "aguja/mesh/edge_table.h"

namespace aguja {

struct Components {
  /// By triangle; kNoIndex for triangles with two equal corners, which are in no component.
  /// Components are numbered by their lowest triangle.
  Array<ShellId> shell_of;
  std::size_t count = 0;

  [[nodiscard]] bool has(TriangleId t) const { return shell_of[t.value].value != kNoIndex; }
};

/// Which edges hold triangles together.
enum class Joining {
  any_edge,       ///< all: the sets are components
  manifold_edge,  ///< with exactly two triangles: a flap is apart from what it stands on
  agreeing_edge,  ///< with exactly two triangles that run opposite ways along it
};

/// Cost     O(n α(n)), 4 bytes per triangle. Parallel; the same for any number of threads.
[[nodiscard]] Components find_components(std::span<const Triangle> triangles,
                                         const EdgeTable& edges,
                                         Joining joining = Joining::any_edge);

}  // namespace aguja
