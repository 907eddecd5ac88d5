#pragma once
/// \file
/// Openings as loops of vertices, ready to be filled.

#include <vector>

#include "aguja/mend/refusal.h"
#include "aguja/mesh/known_mesh.h"

namespace aguja {

/// A closed loop of naked edges, each vertex once, running the way in which the triangles that fill
/// it will run along it: against those that are there.
using Loop = std::vector<VertexId>;

/// One or more loops that one piece of missing surface lies between: two for a ring, an outer one
/// and islands for a face with holes.
struct Opening {
  std::vector<Loop> loops;
};

struct Loops {
  std::vector<Loop> loops;       ///< by lowest vertex, which comes first
  std::vector<Refusal> refused;  ///< naked edges that form no loop: neighbours facing opposite ways
};

/// All loops of naked edges. Where several meet in a vertex they are told apart by the fans there:
/// a loop leaves by another fan than it came by, and no loop passes through a vertex twice.
/// Cost     O(k log k) for k naked edges.
[[nodiscard]] Loops find_loops(std::span<const Point> points, std::span<const Triangle> triangles,
                               const EdgeTable& edges);
/// The same, where the naked edges are known.
[[nodiscard]] Loops find_loops(const KnownMesh& mesh);

/// The directed area of a loop: its direction is the normal of its best plane.
[[nodiscard]] Vector area_vector(std::span<const Point> points, const Loop& loop);
[[nodiscard]] double length(std::span<const Point> points, const Loop& loop);

/// Loops as openings: loops that lie in one plane within `tolerance`, one inside the other and
/// running opposite ways, are islands of one opening; all others are openings by themselves.
[[nodiscard]] std::vector<Opening> with_islands(std::span<const Point> points,
                                                std::vector<Loop> loops, double tolerance);

}  // namespace aguja
