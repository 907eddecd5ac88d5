#pragma once
// The naked edges of a body, as the rim of its facets shows them.

#include <optional>
#include <set>
#include <span>
#include <vector>

#include "aguja/geometry/placement.h"
#include "aguja/surface/prepared_body.h"
#include "geometry/circles.h"

namespace aguja {

/// Refers to the body.
class BodyRim {
 public:
  /// `to_mesh` from the body's coordinates.
  BodyRim(const PreparedBody& body, const Placement& to_mesh);

  /// The edge that one side of a facet of the face is a piece of, if only that face uses it, once.
  /// Ends in the mesh's coordinates.
  [[nodiscard]] std::optional<std::uint32_t> edge_of_side(std::uint32_t face, const Point& a,
                                                          const Point& b) const;
  /// Is the place, in the mesh's coordinates, that vertex of the body?
  [[nodiscard]] bool is_vertex(const Point& p, std::uint32_t vertex) const;
  [[nodiscard]] Point to_body(const Point& p) const { return from_mesh_(p); }
  [[nodiscard]] double size() const { return size_; }
  /// What is no farther from a surface lies on it; in the body's unit.
  [[nodiscard]] double tolerance() const { return tolerance_; }

 private:
  const PreparedBody& prepared_;
  Placement from_mesh_;
  std::vector<std::uint32_t> uses_;  // by edge
  double size_, tolerance_;
};

/// A surface that fills may go on, with what finding places on it takes.
class FillSurface {
 public:
  explicit FillSurface(SurfacePtr surface) : surface_(std::move(surface)), foot_(*surface_) {}
  [[nodiscard]] const SurfacePtr& surface() const { return surface_; }
  [[nodiscard]] double off(const Point& p) const {
    return (surface_->point(foot_.of(p)) - p).norm();
  }
  [[nodiscard]] Vector normal_at(const Point& p) const;
  /// The farthest that some places of the edge are off.
  [[nodiscard]] double off(const BodyEdge& edge) const;

 private:
  SurfacePtr surface_;
  SurfaceFoot foot_;
};

/// What goes past the circles among these edges of a body: the torus or sphere that rounds between the
/// faces at two about one axis, tangent to both, the cone by the two, the torus that bends from one to
/// another, the cylinder of one. Whether the other edges lie on it is for the caller to see. A rounding and
/// a chamfer may have the same edges: what the body has more of comes first. `faces`: those at the edges.
[[nodiscard]] std::vector<SurfacePtr> round_surfaces(const Body& body,
                                                     const std::set<std::uint32_t>& edges,
                                                     const std::set<std::uint32_t>& faces,
                                                     double tolerance);
/// The same of loops of a mesh, but for roundings.
[[nodiscard]] std::vector<SurfacePtr> round_surfaces(std::span<const RimCircle> circles,
                                                     double tolerance);

}  // namespace aguja
