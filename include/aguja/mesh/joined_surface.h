#pragma once
/// \file
/// A surface with its cracks thought joined: what is asked of it is asked once, for all checks.

#include <optional>
#include <span>

#include "aguja/mesh/rim_survey.h"
#include "aguja/mesh/rims.h"

namespace aguja {

/// The joined mesh of a survey with its topology, or the mesh as it is if it has no cracks. Refers
/// to what it is made of.
/// Cost     That of an edge table if there are cracks; else nothing.
class JoinedSurface {
 public:
  JoinedSurface(const Welded& mesh, const EdgeTable& edges, const Components& components,
                const Rims& rims, const RimSurvey& survey);
  JoinedSurface(const JoinedSurface&) = delete;
  JoinedSurface& operator=(const JoinedSurface&) = delete;

  [[nodiscard]] bool has_cracks() const { return survey_.joined != nullptr; }
  [[nodiscard]] std::span<const Point> points() const { return points_; }
  [[nodiscard]] std::span<const Triangle> triangles() const { return triangles_; }
  [[nodiscard]] const EdgeTable& edges() const { return *edges_; }
  [[nodiscard]] const Components& components() const { return *components_; }
  [[nodiscard]] const Rims& rims() const { return *rims_; }
  /// The triangle of the mesh as read that this one is, or is part of.
  [[nodiscard]] TriangleId parent(TriangleId t) const {
    return has_cracks() ? survey_.joined->parent[t.value] : t;
  }

 private:
  const RimSurvey& survey_;
  std::span<const Point> points_;
  std::span<const Triangle> triangles_;
  const EdgeTable* edges_;
  const Components* components_;
  const Rims* rims_;
  std::optional<EdgeTable> own_edges_;
  std::optional<Components> own_components_;
  std::optional<Rims> own_rims_;
};

}  // namespace aguja
