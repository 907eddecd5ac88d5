#pragma once
/// \file
/// A mesh with what is costly to know of it.

#include <memory>
#include <mutex>
#include <optional>
#include <vector>

#include "aguja/geometry/box_tree.h"
#include "aguja/mesh/crossings.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/fans.h"
#include "aguja/mesh/mesh_maps.h"
#include "aguja/mesh/patches.h"

namespace aguja {

/// The boxes of the triangles of a mesh, in a few trees that share no triangle.
class TriangleTrees {
 public:
  TriangleTrees() = default;
  /// Its items are the triangles.
  explicit TriangleTrees(BoxTree tree);
  /// Those of `before`, as they are numbered now (by triangle before; kNoIndex for one that is gone;
  /// empty: as they were), and one of `others` of the mesh. Small ones become one, so that there are
  /// O(log n) of them, and so does what is left of those of which most is gone.
  TriangleTrees(const TriangleTrees& before, std::span<const TriangleId> now, const Mesh& mesh,
                std::vector<TriangleId> others);

  /// `visit(triangle)` for every triangle whose box meets `box`.
  template <class Visit>
  void for_each_meeting(const FloatBox& box, const Visit& visit) const {
    for (const Piece& piece : pieces_) {
      piece.tree->for_each_meeting(box, [&](std::uint32_t item) {
        const TriangleId t = piece.triangle(item);
        if (t.value != kNoIndex) visit(t);
      });
    }
  }

 private:
  struct Piece {
    std::shared_ptr<const BoxTree> tree;
    std::shared_ptr<const std::vector<TriangleId>> triangles;  // by item; null: its number
    std::size_t left;                                          // items that are not gone

    [[nodiscard]] TriangleId triangle(std::uint32_t item) const {
      return triangles ? (*triangles)[item] : TriangleId{item};
    }
  };
  std::vector<Piece> pieces_;
};

/// What is worked out of a mesh with distinct points, each when it is first asked for, once.
///
/// Memory    That of what was asked for (bytes a triangle: 26 for edges, 12 for stars, 44 for
///           trees).
/// Threads   May be asked by several at a time.
class KnownMesh {
 public:
  /// The mesh must outlive this object, or be held by `owner`.
  explicit KnownMesh(const Mesh& mesh, std::shared_ptr<const void> owner = {})
      : mesh_(mesh), owner_(std::move(owner)) {}
  /// The mesh was made of that of `before`. What was worked out of that and is still true is known
  /// from the start: trees and crossings of triangles that stayed where they were (unless most
  /// moved), and all of it where the maps only add.
  /// Cost     A pass over the mesh, or copies of edges and stars; and for trees and crossings what
  ///          the other triangles take.
  KnownMesh(const Mesh& mesh, std::shared_ptr<const void> owner, const KnownMesh& before,
            const MeshMaps& maps);

  [[nodiscard]] const Mesh& mesh() const { return mesh_; }
  /// Errors of this and the others: ArgumentError as `EdgeTable`, or if points are not distinct.
  [[nodiscard]] const EdgeTable& edges() const;
  [[nodiscard]] const EdgeCounts& edge_counts() const;
  [[nodiscard]] std::span<const EdgeId> naked_edges() const;  ///< rising
  [[nodiscard]] const VertexStars& stars() const;
  [[nodiscard]] const Box& box() const;  ///< of all points
  [[nodiscard]] const TriangleTrees& trees() const;
  /// At most kMostCrossings. Errors: Cancelled, too.
  [[nodiscard]] const SomeCrossings& crossings(Progress* progress = nullptr) const;
  /// Of this mesh and those that it was made of.
  [[nodiscard]] PatchMemory* patch_memory() const { return patch_memory_.get(); }

 private:
  void check() const;
  void take_on_edges(const KnownMesh& before);
  void take_on_crossings(const KnownMesh& before, const MeshMaps& maps);

  const Mesh& mesh_;
  std::shared_ptr<const void> owner_;
  mutable std::mutex mutex_;           // of the small ones
  mutable std::mutex crossing_mutex_;  // of trees and crossings, which are searched for long
  mutable std::optional<EdgeTable> edges_;
  mutable std::optional<EdgeCounts> counts_;
  mutable std::optional<std::vector<EdgeId>> naked_;
  mutable std::optional<VertexStars> stars_;
  mutable std::optional<Box> box_;
  mutable std::optional<TriangleTrees> trees_;
  mutable std::optional<SomeCrossings> crossings_;
  std::shared_ptr<PatchMemory> patch_memory_ = std::make_shared<PatchMemory>();
};

using KnownMeshPtr = std::shared_ptr<const KnownMesh>;

/// The pairs of `find_crossings` that triangles would be in that are added to a mesh, and points
/// with them, which are numbered on; all points are distinct then.
/// Cost     O(k log n) for k of them and what is near them, and what `trees` takes.
[[nodiscard]] std::vector<TrianglePair> find_crossings_of_added(
    const KnownMesh& mesh, std::span<const Point> points, std::span<const Triangle> triangles);

}  // namespace aguja
