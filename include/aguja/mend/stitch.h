#pragma once
/// \file
/// Stitching: naked edges that only need joining are joined.

#include <span>
#include <vector>

#include "aguja/base/progress.h"
#include "aguja/base/stage_times.h"
#include "aguja/mend/change.h"
#include "aguja/model/model.h"

namespace aguja {

struct StitchOptions {
  /// The tolerance grows to its full value in this many steps, >= 1: what closes at a small one is
  /// out of the way at a large one.
  int steps = 1;
  /// Turn over triangles where joined patches disagree in direction and the joins leave one answer.
  bool orient = true;
  /// Joined vertices get float coordinates: for files that hold no others.
  bool round_to_float = false;
  /// Only naked edges of these triangles are joined; empty: all.
  std::span<const TriangleId> only = {};
};

/// A rim that is left.
struct OpenRim {
  Point place;
  Box box;
  double length = 0;
  std::size_t edges = 0;
  bool is_loop = false;
};

struct StitchResult {
  Mesh mesh;
  /// By point of the input; kNoIndex for points that nothing uses, where points had to be welded.
  std::vector<VertexId> new_vertex;
  std::vector<TriangleId> parent;  ///< by triangle: the one of the input that it is or is part of
  std::vector<double> moved;       ///< by triangle: how far its corners are from where they were
  std::size_t naked_before = 0;
  std::size_t naked_after = 0;  ///< never above naked_before
  std::size_t joined = 0;       ///< edges that two naked edges, or pieces of them, became
  std::size_t inserted = 0;     ///< places at which an edge was divided by a vertex put into it
  std::size_t turned_over = 0;  ///< triangles that now face the other way
  double largest_movement = 0;  ///< model units; never above the tolerance
  Point largest_movement_at = Point::Zero();
  std::vector<Refusal> refused;
  std::vector<OpenRim> still_open;  ///< longest first
};

/// Joins stretches of rim that lie within `tolerance` of each other. `mesh` is not changed.
///
/// Promises, each held by a test of that name in tests/mend/stitch_test.cpp:
///  1. MovesNothingFartherThanTheTolerance: every point of the new surface lies within it of the
///     old one, and the other way round.
///  2. NeverAddsNakedOrNonmanifoldEdges, NeverTurnsATriangleOver and NeverMakesTrianglesCross: a
///     join that would is left open and put into `refused`.
///  3. LeavesInnerVerticesAlone: only vertices of naked edges move.
///  4. GivesTheSameBytesForAnyNumberOfThreads.
/// Not promised: that a second run finds nothing.
///
/// Units    Model units. `tolerance` is finite and >= 0.
/// Cost     A few passes over the mesh, O(k log k) for k naked edges, and a search for crossings of
///          the triangles that moved: about 200 bytes per triangle.
/// Errors   ArgumentError (a value out of range), Cancelled. Geometry never throws.
/// Source   Guéziec, Taubin, Lazarus, Horn: Cutting and Stitching, IEEE TVCG 7(2), 2001. Ours
///          differs: stretches are paired over their length, narrowest first, and every join is
///          checked.
[[nodiscard]] StitchResult stitch(const Mesh& mesh, double tolerance,
                                  const StitchOptions& options = {}, StageTimes* times = nullptr,
                                  Progress* progress = nullptr);

/// The same as a change, its movement added to what was spent before.
[[nodiscard]] Change as_change(StitchResult result, const Budget& budget = {});

/// A model stitched part by part.
struct StitchedModel {
  Model model;
  StitchResult total;  ///< of all parts; without a mesh
};

/// As above, each part by itself: separate parts are never joined (see `as_one`).
[[nodiscard]] StitchedModel stitch(Model model, double tolerance, const StitchOptions& options = {},
                                   StageTimes* times = nullptr, Progress* progress = nullptr);

}  // namespace aguja
