#pragma once
// What nearly meets is made to meet in vertices.

#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/mesh.h"
#include "aguja/mesh/mesh_maps.h"

namespace aguja {

// May triangles that lie on each other become one surface?
using MayBecomeOne = std::function<bool(TriangleId, TriangleId)>;

struct SnappedMesh {
  Mesh mesh;  // points that are not used any more may be among its points
  MeshMaps maps;
  double moved = 0;  // no point of the surface is farther from where it was
};

// Vertices of the wanted triangles that are nearer to each other than `reach` become one; edges that
// pass such a vertex, or each other, as near get a vertex there, and so do triangles: again, until
// nothing is left that is near. Where two skins lie on each other but for a hair, their triangles
// then have the same corners. Triangles are only divided and their corners moved: what was closed
// stays closed. Points of `mesh` are distinct. Empty where there would be many times as many triangles. What lies on a wanted
// triangle is wanted, too, unless `may_join` says no.
//
// Decides  In floating point: what it makes may cross, fold and vanish, and is for exact code to cut.
// Cost     O(k log k) a pass for k triangles that share a vertex with the wanted ones; passes are few.
[[nodiscard]] std::optional<SnappedMesh> snap_together(const Mesh& mesh,
                                                       const std::vector<bool>& wanted,
                                                       double reach,
                                                       const MayBecomeOne& may_join = {});

// How two triangles that lie on each other face: the same way, or opposite ways, with what is in front
// of both between them, or what is behind both.
enum class Facing { same, towards, away };
[[nodiscard]] Facing facing_of(const Mesh& mesh, TriangleId a, TriangleId b);

struct NearTriangles {
  TriangleId first, second;
  double area = 0;               // that they have in common, seen from the first one's side
  double sine = 0;               // of the angle between their planes
  Point middle = Point::Zero();  // of that area
};

// Sines of the angles up to which facets of two skins of one curved surface differ, and those of planes.
inline constexpr double kParallelFacets = 0.2, kParallelPlanes = 0.02;

// Where to look for pairs within one set: at some triangles, and on across edges as far as there are pairs
// that face the same way.
struct NearSeeds {
  std::span<const TriangleId> triangles;
  const EdgeTable& edges;
};

// All pairs of triangles that lie on each other over an area but for `reach`, parallel as facets, if one of
// them does so with a triangle of another set, or is found from the seeds; sorted, the lower number first.
// `set_of`: by triangle.
//
// Cost     O(n) for a tree, and for what is near of different sets. Parallel.
[[nodiscard]] std::vector<NearTriangles> find_near_triangles(const Mesh& mesh, double reach,
                                                             std::span<const std::uint32_t> set_of,
                                                             const NearSeeds* seeds = nullptr);

}  // namespace aguja
