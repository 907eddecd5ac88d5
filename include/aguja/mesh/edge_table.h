#pragma once
/// \file
/// All edges of a mesh and which triangles use them, in which direction.

#include <cstdint>
#include <optional>
#include <span>

#include "aguja/base/array.h"
#include "aguja/mesh/mesh.h"

namespace aguja {

/// An edge joins two different vertices, the lower number first.
struct Edge {
  VertexId low;
  VertexId high;
  friend bool operator==(const Edge&, const Edge&) = default;
};

/// One side of one triangle on an edge.
class EdgeUse {
 public:
  EdgeUse() = default;
  EdgeUse(TriangleId triangle, unsigned corner, bool forward)
      : bits_(((triangle.value * 3 + corner) << 1) | (forward ? 0u : 1u)) {}

  [[nodiscard]] TriangleId triangle() const { return {(bits_ >> 1) / 3}; }
  /// The side runs from this corner (0..2) of the triangle to the next.
  [[nodiscard]] unsigned corner() const { return (bits_ >> 1) % 3; }
  /// Does the side run from the edge's low vertex to its high one?
  [[nodiscard]] bool forward() const { return (bits_ & 1u) == 0; }
  friend auto operator<=>(EdgeUse, EdgeUse) = default;

 private:
  std::uint32_t bits_;
};

/// Immutable table of edges, sorted by (low, high); the uses of an edge by triangle. Triangles with
/// two equal corners are in no edge.
///
/// Promises
///  1. Every side of every other triangle is in exactly one use.
///  2. The same table for any number of threads.
/// Cost     O(n log d), d the largest number of edges at one vertex; 26 bytes per triangle of a
///          closed mesh, and as much again while it is built.
/// Errors   ArgumentError if there are more than kMostTriangles or a corner is not a vertex.
class EdgeTable {
 public:
  EdgeTable(std::span<const Triangle> triangles, std::size_t vertex_count);
  /// The same table, made of that of the first `first_new` triangles, whose vertices kept their
  /// numbers.
  /// Cost     Copies of the arrays, and O(k log k) for k new triangles.
  EdgeTable(const EdgeTable& before, std::span<const Triangle> triangles, std::size_t first_new,
            std::size_t vertex_count);

  [[nodiscard]] std::size_t size() const { return edges_.size(); }
  [[nodiscard]] const Edge& edge(EdgeId e) const { return edges_[e.value]; }
  [[nodiscard]] std::span<const Edge> edges() const { return edges_; }
  [[nodiscard]] std::span<const EdgeUse> uses(EdgeId e) const {
    return {uses_.data() + first_use_[e.value], uses_.data() + first_use_[e.value + 1]};
  }
  [[nodiscard]] std::size_t use_count(EdgeId e) const {
    return first_use_[e.value + 1] - first_use_[e.value];
  }
  /// The edge between two vertices, in any order. O(log d).
  [[nodiscard]] std::optional<EdgeId> find(VertexId a, VertexId b) const;

  [[nodiscard]] bool is_naked(EdgeId e) const { return use_count(e) == 1; }
  [[nodiscard]] bool is_nonmanifold(EdgeId e) const { return use_count(e) > 2; }
  /// Exactly two uses, both the same way.
  [[nodiscard]] bool is_winding_conflict(EdgeId e) const {
    const auto u = uses(e);
    return u.size() == 2 && u[0].forward() == u[1].forward();
  }
  /// Used equally often both ways.
  [[nodiscard]] bool is_balanced(EdgeId e) const;

 private:
  Array<Edge> edges_;
  Array<std::uint32_t> first_use_;   // by edge, and one more
  Array<std::uint32_t> first_edge_;  // by low vertex, and one more
  Array<EdgeUse> uses_;
};

/// What the edges of a mesh add up to.
struct EdgeCounts {
  std::size_t edges = 0;
  std::size_t naked = 0;
  std::size_t nonmanifold = 0;
  std::size_t winding_conflicts = 0;
  std::size_t unbalanced = 0;  ///< not used equally often both ways; naked ones included
};
[[nodiscard]] EdgeCounts count_edges(const EdgeTable& table);

/// Ids of all edges for which `wanted(EdgeId)` holds, rising. Parallel.
template <class Wanted>
[[nodiscard]] std::vector<EdgeId> select_edges(const EdgeTable& table, const Wanted& wanted);

}  // namespace aguja

#include "aguja/base/parallel.h"

namespace aguja {

template <class Wanted>
std::vector<EdgeId> select_edges(const EdgeTable& table, const Wanted& wanted) {
  return parallel_collect<EdgeId>(table.size(), std::size_t{1} << 15,
                                  [&](Range r, std::vector<EdgeId>& out) {
                                    for (std::size_t i = r.begin; i < r.end; ++i) {
                                      const EdgeId e{static_cast<std::uint32_t>(i)};
                                      if (wanted(e)) out.push_back(e);
                                    }
                                  });
}

}  // namespace aguja
