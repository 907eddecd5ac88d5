#pragma once
/// \file
/// What became of the triangles and vertices of a mesh when another was made of it.

#include <compare>
#include <span>
#include <vector>

#include "aguja/mesh/mesh.h"

namespace aguja {

/// A parent beside the first of a triangle that has several.
struct FurtherParent {
  TriangleId triangle;
  TriangleId parent;
  friend auto operator<=>(const FurtherParent&, const FurtherParent&) = default;
};

struct MeshMaps {
  /// By triangle after: the one before that it is, is part of, or stands for; kNoIndex where
  /// surface was added. Of several the one that gives it its patch.
  std::vector<TriangleId> parent;
  /// The others of those that have several (a flipped edge, copies that became one); sorted, each
  /// once.
  std::vector<FurtherParent> further_parents;
  /// By vertex before: what it is after, itself or the one that it was merged into; kNoIndex if it
  /// is gone.
  std::vector<VertexId> vertex_now;
  /// The mesh after begins with the one before, triangle for triangle and vertex for vertex, and
  /// the others were added. Who does not say so may have done no more either.
  bool only_adds = false;
};

/// By vertex: itself.
[[nodiscard]] std::vector<VertexId> unchanged_vertices(const Mesh& mesh);

/// All parents of a triangle, the first one first; empty where surface was added.
[[nodiscard]] std::vector<TriangleId> parents_of(const MeshMaps& maps, TriangleId triangle);

/// `second` starts where `first` ends: from before the first to after the second.
/// Cost     O(n), and O(k log k) for k triangles with several parents.
[[nodiscard]] MeshMaps composed_maps(const MeshMaps& first, const MeshMaps& second);

/// By triangle before: those after that it is a parent of, rising.
/// Cost     O(n); nothing where the maps only add.
class ChildrenOf {
 public:
  ChildrenOf(const MeshMaps& maps, std::size_t triangles_before);
  [[nodiscard]] std::vector<TriangleId> of(TriangleId before) const {
    if (only_adds_) return {before};
    const auto begin = children_.begin();
    return {begin + static_cast<std::ptrdiff_t>(first_[before.value]),
            begin + static_cast<std::ptrdiff_t>(first_[before.value + 1])};
  }

 private:
  bool only_adds_;
  std::vector<std::size_t> first_;
  std::vector<TriangleId> children_;
};

}  // namespace aguja
