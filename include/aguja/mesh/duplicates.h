#pragma once
/// \file
/// Triangles that have the same three vertices.

#include <vector>

#include "aguja/mesh/edge_table.h"

namespace aguja {

/// Two or more triangles with the same three vertices.
struct DuplicateGroup {
  std::vector<TriangleId> same;      ///< facing as the lowest-numbered one does; rising
  std::vector<TriangleId> opposite;  ///< facing the other way; rising
  /// Copies beyond the first, whichever way they face.
  [[nodiscard]] std::size_t surplus() const { return same.size() + opposite.size() - 1; }
};

/// All groups, by lowest edge. Triangles with two equal corners have no three vertices and are left
/// out.
/// Cost     O(n). Parallel.
[[nodiscard]] std::vector<DuplicateGroup> find_duplicates(std::span<const Triangle> triangles,
                                                          const EdgeTable& edges);

/// Sum of `surplus` over all groups.
[[nodiscard]] std::size_t count_surplus(std::span<const DuplicateGroup> groups);

}  // namespace aguja
