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

/// The same, by lowest vertex, where no edges are known.
/// Cost     O(n log d), d the most triangles that have their lowest vertex in common. Parallel in
///          part; 20 bytes per triangle.
[[nodiscard]] std::vector<DuplicateGroup> find_duplicates(std::span<const Triangle> triangles,
                                                          std::size_t vertex_count);

/// Sum of `surplus` over all groups.
[[nodiscard]] std::size_t count_surplus(std::span<const DuplicateGroup> groups);

}  // namespace aguja
