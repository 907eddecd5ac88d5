#pragma once
/// \file
/// From a surface model as read to triangles: healed, sewn, divided, turned outward.

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

/// How far areas and volumes of the mesh may lie from those of the surfaces.
struct SizeErrors {
  double area = 0;
  double volume = 0;
};
/// The volume by the area of curved faces times the chord height, which no facet is farther from
/// its face than (those of planes lie in them), and by its square times the length of curved edges.
/// The area by the angles d between facets of one face, as a facet's area times 1 / cos d - 1,
/// which is two to twelve times what is lost on spheres and cylinders; and by two thirds of chord
/// height times length along curved edges, on both sides. Angles beyond 60 degrees count as 60:
/// there it is an estimate. `instance_of_part`: whose triangles the parts of the mesh are.
[[nodiscard]] SizeErrors size_errors(const SurfaceModel& model, const Model& mesh,
                                     std::span<const std::size_t> instance_of_part, double chord);

/// A surface model, ready to be looked at as a mesh.
struct PreparedSurfaces {
  SurfaceModel model;               ///< healed and sewn
  std::vector<HealResult> healing;  ///< by body, without the bodies
  std::vector<SewResult> sewing;    ///< by body, without the bodies
  std::vector<ClosedPlane> closed;  ///< `face` counts within its body
  double sew_tolerance = 0;
  std::string sew_why;
  TessellatedModel tessellated;  ///< without its model
  SizeErrors errors;
  std::vector<std::size_t> instance_of_part;
};

/// `mesh` gets the triangles: a part per instance that has any.
struct Prepared {
  Model mesh;
  PreparedSurfaces surfaces;
};

/// Heals, sews what is not shared, tessellates, and turns shells that sewing closed outward (those
/// around cavities inward).
///
/// Errors   ArgumentError (values out of range), Cancelled.
[[nodiscard]] Prepared prepare(SurfaceModel model, const PrepareOptions& options = {},
                               Progress* progress = nullptr);

/// The tolerance that `prepare` sews by, and why.
struct SewTolerance {
  double value = 0;
  std::string why;
};
[[nodiscard]] SewTolerance sew_tolerance_for(const SurfaceModel& model,
                                             const PrepareOptions& options);

}  // namespace aguja
