#pragma once
/// \file
/// Rims: maximal chains of naked edges.

#include <vector>

#include "aguja/geometry/box.h"
#include "aguja/mesh/edge_table.h"

namespace aguja {

/// A chain of naked edges: a loop, or an open run. Chains pass through vertices with exactly two
/// naked edges and end at all others, so that two holes that meet in a point are two loops.
struct Rim {
  std::span<const EdgeId> edges;
  /// In order, one more than `edges`; first and last are the same vertex if it is a loop. The chain
  /// runs the way in which its first edge's triangle uses that edge.
  std::span<const VertexId> vertices;
  [[nodiscard]] bool is_loop() const { return vertices.front() == vertices.back(); }
};

/// All rims of a mesh, as flat arrays: open runs first, each group by lowest edge.
/// Cost     O(k log k) for k naked edges.
class Rims {
 public:
  explicit Rims(const EdgeTable& table);

  [[nodiscard]] std::size_t size() const { return first_edge_.size() - 1; }
  [[nodiscard]] Rim operator[](std::size_t i) const {
    const std::size_t begin = first_edge_[i];
    const std::size_t count = first_edge_[i + 1] - begin;
    // Each rim before this one has one vertex more than edges.
    return {{edges_.data() + begin, count}, {vertices_.data() + begin + i, count + 1}};
  }

 private:
  std::vector<EdgeId> edges_;
  std::vector<VertexId> vertices_;
  std::vector<std::size_t> first_edge_ = {0};
};

[[nodiscard]] double length(const Rim& rim, std::span<const Point> points);
[[nodiscard]] Box box_of(const Rim& rim, std::span<const Point> points);
/// The mean of the rim's edges, weighted by length.
[[nodiscard]] Point center_of(const Rim& rim, std::span<const Point> points);
/// The point half-way along.
[[nodiscard]] Point middle(const Rim& rim, std::span<const Point> points);

}  // namespace aguja
