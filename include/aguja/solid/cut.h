#pragma once
/// \file
/// Models cut into pieces: by a plane, or by what lies within a closed body.

#include <array>
#include <limits>
#include <span>
#include <string>

#include "aguja/base/progress.h"
#include "aguja/mesh/mesh_maps.h"
#include "aguja/mesh/plane_split.h"
#include "aguja/solid/material_boundary.h"
#include "aguja/solid/plane_section.h"

namespace aguja {

struct CutOptions {
  /// The pieces of a closed surface are closed again where they were cut.
  bool capped = true;
  /// Vertices no farther from the plane than this are on it. Model units.
  double on_within = 0;
  /// Where the pieces would not be clean else, vertices up to this far from the plane are on it, and
  /// what lies on each other but for this is brought together. Model units.
  double most_moved = std::numeric_limits<double>::infinity();
  /// Coordinates that are made are floats.
  bool to_float = false;
};

/// One side of a cut: what became of the mesh there, and the caps, which are one patch, numbered on.
struct CutSide : MeshMaps {
  Mesh mesh;  ///< without triangles if nothing lies there
};

struct CutResult {
  /// Below the plane and above it; or inside the body and outside it.
  std::array<CutSide, 2> sides;
  /// Of a plane only.
  PlaneSection section;
  std::string problem;          ///< why nothing was made; empty if something was
  Point place = Point::Zero();  ///< of the problem
  RoundingReport rounding;
  double off_plane = 0;  ///< no corner of a cap is farther from the plane, model units
};

/// Triangles that the plane does not pass through stay as they are, in their order. Faces that lie
/// in the plane stay with the material behind them.
///
/// Promises
///  1. Nothing moves but points that are made, by rounding. Each vertex is judged once: below, on
///     the plane or above; a section through a closed surface is closed.
///  2. Capped: every edge on the plane is used as often one way as the other. Neither side crosses
///     itself where it was cut, verified exactly, or there is a `problem` and no mesh.
///  3. The same for any number of threads.
/// Cost     O(n); the triangulation of the section, and the search for crossings of what was made.
/// Errors   As `split_by_plane`; Cancelled.
[[nodiscard]] CutResult cut_by_plane(const Mesh& mesh, const CutPlane& plane,
                                     const CutOptions& options = {}, Progress* progress = nullptr);

/// What lies inside a closed body and what does not. `body` faces outward.
///
/// Promises  As `boundary_of`.
/// Cost      As `boundary_of`, twice.
/// Errors    Cancelled.
[[nodiscard]] CutResult cut_by_body(const Mesh& mesh, const Mesh& body,
                                    const CutOptions& options = {}, Progress* progress = nullptr);

/// The surface divided where it would be cut, and left in one piece: the first side. Nothing is
/// capped, and no section made.
/// Promises, cost, errors  As of cuts that are left open.
[[nodiscard]] CutResult divide_by_plane(const Mesh& mesh, const CutPlane& plane,
                                        const CutOptions& options = {},
                                        Progress* progress = nullptr);
[[nodiscard]] CutResult divide_by_body(const Mesh& mesh, const Mesh& body,
                                       const CutOptions& options = {},
                                       Progress* progress = nullptr);

/// The box as a body of twelve triangles.
[[nodiscard]] Mesh body_of(const Box& box);
/// What a closed outline passes over on its way both ways along a direction through all of `reach`.
/// Errors   ArgumentError (fewer than three points, an outline that crosses itself as seen along the
///          direction, a direction that is 0).
[[nodiscard]] Mesh swept_outline(std::span<const Point> outline, const Vector& direction,
                                 const Box& reach);

}  // namespace aguja
