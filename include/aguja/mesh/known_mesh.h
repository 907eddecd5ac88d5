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

namespace aguja {

/// The boxes of the triangles of a mesh, in one tree or in a few that share no triangle.
class TriangleTrees {
 public:
  TriangleTrees() = default;
  /// The first tree holds the first triangles.
  explicit TriangleTrees(BoxTree tree);
  /// Those of `before`, and one of the triangles that come after theirs. Small ones become one, so
  /// that there are O(log n) of them.
  TriangleTrees(const TriangleTrees& before, const Mesh& mesh);

  /// `visit(triangle)` for every triangle whose box meets `box`.
  template <class Visit>
  void for_each_meeting(const FloatBox& box, const Visit& visit) const {
    for (const Piece& piece : pieces_) {
      piece.tree->for_each_meeting(
          box, [&](std::uint32_t item) { visit(TriangleId{piece.first + item}); });
    }
  }

 private:
  struct Piece {
    std::uint32_t first;
    std::shared_ptr<const BoxTree> tree;
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
  /// The mesh begins with that of `before`, triangle for triangle and vertex for vertex. What was
  /// worked out of that is known from the start: made anew is only what the others touch.
  /// Cost     Copies of edges and stars; of trees and crossings, what the others take.
  KnownMesh(const Mesh& mesh, std::shared_ptr<const void> owner, const KnownMesh& before);

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

 private:
  void check() const;

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
};

using KnownMeshPtr = std::shared_ptr<const KnownMesh>;

/// The pairs of `find_crossings` that triangles would be in that are added to a mesh, and points
/// with them, which are numbered on; all points are distinct then.
/// Cost     O(k log n) for k of them and what is near them, and what `trees` takes.
[[nodiscard]] std::vector<TrianglePair> find_crossings_of_added(
    const KnownMesh& mesh, std::span<const Point> points, std::span<const Triangle> triangles);

}  // namespace aguja
