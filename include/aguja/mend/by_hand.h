#pragma once
/// \file
/// What people do by hand. These steps are carried out as told, whatever comes of it; whoever calls
/// them looks at the result (`harm_of` tells what got worse).

#include <array>
#include <span>
#include <string>
#include <vector>

#include "aguja/base/error.h"
#include "aguja/geometry/placement.h"
#include "aguja/mend/change.h"
#include "aguja/mesh/edge_table.h"

namespace aguja {

/// Errors of all: ArgumentError, naming what does not exist.

/// Vertices go where they are told; movement counts against the budget's record, not against its
/// limit.
struct VertexMove {
  VertexId vertex;
  Point to;
};
[[nodiscard]] Change move_vertices(const Mesh& mesh, std::span<const VertexMove> moves,
                                   const Budget& budget = {});

/// The vertices become one at `to`; triangles that lose their area by it go.
[[nodiscard]] Change join_vertices(const Mesh& mesh, std::span<const VertexId> vertices,
                                   const Point& to, const Budget& budget = {});

/// A triangle on three vertices.
[[nodiscard]] Change add_triangle(const Mesh& mesh, const std::array<VertexId, 3>& corners,
                                  const Budget& budget = {});

/// Two triangles between two naked edges, each given by its ends; they face as the neighbours do.
[[nodiscard]] Change bridge_edges(const Mesh& mesh, const std::array<VertexId, 2>& first,
                                  const std::array<VertexId, 2>& second, const Budget& budget = {});
/// The same, where the edges of the mesh are known.
[[nodiscard]] Change bridge_edges(const Mesh& mesh, const EdgeTable& edges,
                                  const std::array<VertexId, 2>& first,
                                  const std::array<VertexId, 2>& second, const Budget& budget = {});

/// A copy of the triangles, moved by `map`; turned over where it mirrors, so that outward stays
/// outward. Where copies of vertices fall exactly on vertices, they are these.
[[nodiscard]] Change copy_patch(const Mesh& mesh, std::span<const TriangleId> triangles,
                                const Placement& map, const Budget& budget = {});

/// The far side of a wall: a copy of the triangles, each vertex moved by `distance` against the
/// normals around it (so that every plane there is `distance` away, for up to three planes), facing
/// the other way.
[[nodiscard]] Change copy_at_offset(const Mesh& mesh, std::span<const TriangleId> triangles,
                                    double distance, const Budget& budget = {});

/// The map that takes `from` to `to`.
[[nodiscard]] Placement moving(const Point& from, const Point& to);
/// The map that mirrors at the plane through a point.
[[nodiscard]] Placement mirroring(const Point& through, const Vector& normal);

/// Some triangles taken out to be worked on by themselves, and how to put them back.
struct TakenOut {
  Mesh mesh;                          ///< these triangles alone
  std::vector<TriangleId> triangles;  ///< by triangle of `mesh`: its number before
  Mesh rest;                          ///< all others
  std::vector<TriangleId> rest_triangles;
  // By vertex before: its number in either; kNoIndex where it is not there.
  std::vector<VertexId> vertex_in_mesh, vertex_in_rest;
};
[[nodiscard]] TakenOut take_out(const Mesh& mesh, std::span<const TriangleId> triangles);
/// `changed` (made from `taken.mesh`) and the rest as one mesh again, equal points welded.
[[nodiscard]] Change put_back(const TakenOut& taken, const Change& changed,
                              const Budget& budget = {});

}  // namespace aguja
