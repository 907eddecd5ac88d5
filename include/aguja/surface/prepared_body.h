#pragma once
/// \file
/// Bodies on their way from what a file says to triangles: healed, sewn, divided; and what was
/// found and done on the way.

#include <memory>

#include "aguja/surface/heal.h"
#include "aguja/surface/sew.h"
#include "aguja/surface/tessellate.h"

namespace aguja {

struct PrepareOptions {
  /// How far apart edges may lie that are sewn; 0: none are. Left out: what the file states as its
  /// uncertainty, or a part of the model's size.
  std::optional<double> sew = {};
  int sew_steps = 1;
  /// What is healed before, by the same tolerance.
  std::vector<Healing> heal = safe_healings();
  /// Close missing faces whose rim is flat within the same tolerance by a plane.
  bool close_planes = false;
  TessellationOptions tessellation = {};
};

/// The tolerance that bodies of a model are sewn by, and why.
struct SewTolerance {
  double value = 0;
  std::string why;
  /// Edges up to this length are short, whatever sewing needs; `value` if left out. Longer ones are
  /// merged only where more edges are sewn then.
  std::optional<double> short_edge = {};
};
[[nodiscard]] SewTolerance sew_tolerance_for(const SurfaceModel& model,
                                             const PrepareOptions& options);

/// A face that is missing from the facets.
struct LostFace {
  EntityNumber entity = 0;
  std::optional<std::uint32_t> face = {};  ///< of the prepared body; none: it could not be read
};

/// A body as it was prepared. Immutable once made: parts and states share it.
struct PreparedBody {
  /// What a step made it of; none: it is as it was read.
  std::shared_ptr<const PreparedBody> before = nullptr;
  Body body;      ///< healed and sewn
  BodyMaps maps;  ///< what became of the vertices, edges and faces of the file's body
  std::vector<Healed> healed, not_healed;
  SewReport sewing;
  /// Faces that in the file face against most of those with which they hang together, rising.
  std::vector<std::uint32_t> turned;
  std::vector<ClosedPlane> closed;    ///< missing faces that were closed by planes
  SewTolerance tolerance;             ///< it was healed and sewn by
  std::optional<double> uncertainty;  ///< what its file states, in the body's unit
  std::vector<FaceTrouble> troubles;  ///< faces that could not be divided properly
  std::vector<FaceFit> fits;          ///< by face
  std::vector<FaceSizes> sizes;       ///< by face, as its facets are turned
  std::vector<std::uint32_t> facets;  ///< by face, how many; empty before it is divided
  std::vector<LostFace> lost;         ///< unless the facets close without them
  double chord = 0;                   ///< no facet was meant to be farther from its face
  double finest = 0;  ///< what faces were divided by whose facets would cross others
  [[nodiscard]] bool was_sewn() const {
    return !closed.empty() || sewing.joined > 0 || !sewing.turned.empty();
  }
  /// How far anything may be off before it is told of.
  [[nodiscard]] double limit() const;
};
using PreparedBodyPtr = std::shared_ptr<const PreparedBody>;

/// Heals, and sews what is not shared; it has no facets yet.
///
/// Errors   ArgumentError (values out of range), Cancelled.
[[nodiscard]] PreparedBody prepare_body(const Body& body, const SewTolerance& tolerance,
                                        const PrepareOptions& options = {},
                                        Progress* progress = nullptr);

/// The facets of a body, within `chord` of its faces (see `tessellate`); what was found on the way
/// goes into it. Which side is out is not looked at.
///
/// Errors   ArgumentError (values out of range), Cancelled.
[[nodiscard]] Mesh divide(PreparedBody& body, double chord, const TessellationOptions& options = {},
                          Progress* progress = nullptr);

/// Notes in the body which of its faces stand in the file against most of those with which they
/// hang together by edges. `oriented`: by face, was it turned over after all that `prepare_body` did?
void note_turned(PreparedBody& body, const std::vector<bool>& oriented);

/// Sizes of the surfaces themselves, up to the curves of their edges, and of the facets made of them.
struct SurfaceSizes {
  double area = 0, volume = 0;  ///< the volume signed; it means something if they close
  /// How far the surfaces' own may be from that.
  double area_within = 0, volume_within = 0;
  double area_of_facets = 0, volume_of_facets = 0;
  /// Of the volume; it means something where that does.
  Point centroid = Point::Zero();
  /// About the centroid: the integral of r r^T.
  Eigen::Matrix3d second_moment = Eigen::Matrix3d::Zero();
  /// The integral of |r|^2 I - r r^T, about the centroid.
  [[nodiscard]] Eigen::Matrix3d inertia() const {
    return second_moment.trace() * Eigen::Matrix3d::Identity() - second_moment;
  }

  SurfaceSizes& add(const SurfaceSizes& more, const Placement& at);
};
/// By quadrature over the faces (see `FaceSizes`), where that could be done: what it and a coarser
/// rule disagree by is how far it may be off. Where it could not, sizes are those of the facets, the
/// volume within their area times the chord height and the area within a tenth, which is an
/// estimate. What the file itself gives as facets is exact. `mesh` has a patch per face, by its
/// number.
[[nodiscard]] SurfaceSizes surface_sizes(const PreparedBody& body, const Mesh& mesh);

/// Distances that should be none: of vertices from the ends of their edges, of edges from the
/// surfaces of their faces, of what sewing joined. In the bodies' unit.
struct ToleranceStatistics {
  double least = 0, mean = 0, largest = 0;
  Point at = Point::Zero();
  EntityNumber entity = 0;  ///< where the largest is
  std::size_t count = 0;
};
struct BodyTolerances {
  ToleranceStatistics vertices, edges, faces;
};
[[nodiscard]] BodyTolerances measure_tolerances(std::span<const PreparedBodyPtr> bodies);

/// Faces whose facets could not be brought within the chord height of them.
struct CoarseFaces {
  std::size_t count = 0;
  /// No facet of any body was found farther from its face (see `FaceFit`); the bodies' unit.
  double within = 0;
};
[[nodiscard]] CoarseFaces coarse_faces(std::span<const PreparedBodyPtr> bodies);

/// Numbers of bodies.
struct SurfaceCounts {
  std::size_t faces = 0, edges = 0, vertices = 0;
  std::size_t edges_used_once = 0, edges_used_twice = 0, edges_used_more = 0;
  std::size_t shells = 0, closed_shells = 0;
};
[[nodiscard]] SurfaceCounts count_surfaces(std::span<const PreparedBodyPtr> bodies);

}  // namespace aguja
