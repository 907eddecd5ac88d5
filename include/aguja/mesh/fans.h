#pragma once
/// \file
/// Fans: the triangles around a vertex that hang together by edges at that vertex.

#include <vector>

#include "aguja/mesh/mesh.h"

namespace aguja {

/// The triangles at each vertex, as flat arrays. Triangles with two equal corners are left out.
class VertexStars {
 public:
  VertexStars(std::span<const Triangle> triangles, std::size_t vertex_count);
  /// The same, made of those of the first `first_new` triangles, whose vertices kept their numbers.
  /// Cost     Copies of the arrays, and O(k log k) for k new triangles.
  VertexStars(const VertexStars& before, std::span<const Triangle> triangles, std::size_t first_new,
              std::size_t vertex_count);

  /// Rising.
  [[nodiscard]] std::span<const TriangleId> at(VertexId v) const {
    const std::uint32_t begin = v.value == 0 ? 0 : end_[v.value - 1];
    return {triangles_.data() + begin, triangles_.data() + end_[v.value]};
  }
  [[nodiscard]] std::size_t vertex_count() const { return end_.size(); }

 private:
  Array<std::uint32_t> end_;
  Array<TriangleId> triangles_;
};

/// A vertex at which more than one fan meets.
struct PinchedVertex {
  VertexId vertex;
  std::size_t fans;
};

/// All vertices with more than one fan, rising.
/// Cost     O(n log d) in all, d the most triangles at one vertex. Parallel.
[[nodiscard]] std::vector<PinchedVertex> find_pinched_vertices(std::span<const Triangle> triangles,
                                                               const VertexStars& stars);

}  // namespace aguja
