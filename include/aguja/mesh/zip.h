#pragma once
/// \file
/// Joining paired stretches of rim: vertices that meet become one, the others are put into the edge
/// that they face. This is the bare operation; `mend/stitch.h` checks what it does.

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "aguja/mesh/rim_pairing.h"

namespace aguja {

/// Where a vertex is put into a naked edge (by its number in `RimPairing::naked`).
struct Insertion {
  std::uint32_t naked;
  double at;  ///< 0..1 along the edge
  VertexId vertex;
};

/// Vertices that become one, and where they go into facing edges.
struct Knot {
  std::vector<VertexId> members;  ///< rising, at least one
  std::vector<Insertion> insertions;
  Point place = Point::Zero();  ///< where all of it meets
};

struct ZipPlan {
  std::vector<Knot> knots;  ///< by lowest member; each with two members or one insertion at least
};

struct ZipOptions {
  /// Where vertices that earlier zips moved came from: (vertex, point), sorted by vertex; others
  /// are where they came from. A knot's place stays within the tolerance of all of them.
  std::span<const std::pair<VertexId, Point>> origins = {};
  /// Where the ends of naked edges came from, as their triangle had them: by naked edge; empty if
  /// nothing moved yet.
  std::span<const std::array<Point, 2>> edge_origins = {};
  /// Vertices that must stay as they are, rising.
  std::span<const VertexId> banned = {};
  bool round_to_float = false;  ///< places are float coordinates
};

/// Knots from pairs no wider than `tolerance`, narrowest first. A vertex joins the facing vertex if
/// that is the nearest thing along the rim, else it goes into the facing edge; vertices that an
/// edge of the mesh joins never become one, and no member's point (nor the place on an edge that a
/// vertex goes into) is farther than `tolerance` from its knot's place.
/// Cost     O(k log k) for k naked edges.
[[nodiscard]] ZipPlan plan_zip(const Welded& mesh, const EdgeTable& edges,
                               const RimPairing& pairing, double tolerance,
                               const ZipOptions& options = {});

/// A place on the outline of a triangle: on the side that begins at `corner`, 0 <= at < 1 along it.
struct CornerSource {
  std::uint8_t corner;
  double at;
};

struct Zipped {
  Mesh mesh;
  std::vector<VertexId> new_vertex;    ///< by vertex of the welded input
  std::vector<TriangleId> parent;      ///< by new triangle: the one it is or is part of
  std::vector<std::uint32_t> knot_of;  ///< by new vertex; kNoIndex if it is as it was
  std::vector<TriangleId> changed;     ///< new triangles with a knot among their corners, rising
  /// By changed triangle: where its corners lie on its parent.
  std::vector<std::array<CornerSource, 3>> sources;
  std::vector<std::uint32_t> insertions_of;  ///< by knot: at how many places it divided an edge
  std::size_t inserted = 0;                  ///< the sum of these
};

/// The mesh with the plan carried out. Points are those of the welded mesh without the members that
/// went into others; triangles keep their order, divided ones in the place of their parent, patches
/// and wires are kept.
/// Cost     O(n)
[[nodiscard]] Zipped apply_zip(const Welded& mesh, std::span<const PatchId> patch_of,
                               const RimPairing& pairing, const ZipPlan& plan);

}  // namespace aguja
