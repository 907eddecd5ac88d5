#pragma once
/// \file
/// A mesh with what is costly to know of it.

#include <memory>
#include <mutex>
#include <optional>

#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/fans.h"

namespace aguja {

/// What is worked out of a mesh with distinct points, each when it is first asked for, once.
///
/// Memory    That of what was asked for (26 bytes a triangle for edges, 12 for stars).
/// Threads   May be asked by several at a time.
class KnownMesh {
 public:
  /// The mesh must outlive this object, or be held by `owner`.
  explicit KnownMesh(const Mesh& mesh, std::shared_ptr<const void> owner = {})
      : mesh_(mesh), owner_(std::move(owner)) {}

  [[nodiscard]] const Mesh& mesh() const { return mesh_; }
  /// Errors of this and the next two: ArgumentError as `EdgeTable`, or if points are not distinct.
  [[nodiscard]] const EdgeTable& edges() const;
  [[nodiscard]] const EdgeCounts& edge_counts() const;
  [[nodiscard]] const VertexStars& stars() const;

 private:
  const Mesh& mesh_;
  std::shared_ptr<const void> owner_;
  mutable std::mutex mutex_;
  mutable std::optional<EdgeTable> edges_;
  mutable std::optional<EdgeCounts> counts_;
  mutable std::optional<VertexStars> stars_;
};

}  // namespace aguja
