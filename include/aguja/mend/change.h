#pragma once
/// \file
/// What a remedy made of a mesh. All remedies take a mesh and give one of these: the mesh that they
/// were given stays as it was.

#include <span>
#include <string>
#include <vector>

#include "aguja/mend/refusal.h"
#include "aguja/mesh/mesh_maps.h"

namespace aguja {

/// How far anything may move. It bounds the distance between the surface as it was read and as it
/// will be, both ways, over all changes that a mesh goes through.
struct Budget {
  double distance = 0;  ///< model units, >= 0
  /// By triangle: how much of it earlier changes have used there; empty: nothing yet.
  std::span<const double> spent = {};

  [[nodiscard]] double spent_at(TriangleId t) const { return spent.empty() ? 0 : spent[t.value]; }
};

/// A changed mesh and how it came about. Everything is by triangle of the new mesh unless it says
/// otherwise.
struct Change : MeshMaps {
  Mesh mesh;
  /// No more than this lies between it and the surface as it was read, both ways; 0 where surface
  /// was added.
  std::vector<double> spent;
  /// Triangles of the mesh before whose surface is given up, rising.
  std::vector<TriangleId> dropped;
  /// Beside these: parts of triangles that are cut, whose surface is given up.
  Mesh cut_off;
  /// Of the area of `cut_off`, that which lay on what is left.
  double copied_area = 0;
  /// What is given up was told by estimates: `RemedyInfo::keeps_material` does not hold for it.
  bool rests_on_estimates = false;
  /// Names of the patches that were added; they are numbered on from those of the mesh before.
  std::vector<std::string> new_patches;
  std::size_t done = 0;  ///< how many things were mended: joins, openings, triangles, ...
  std::vector<std::string> methods;  ///< how, in words; each once
  std::vector<Refusal> refused;
};

/// The change that changes nothing.
[[nodiscard]] Change unchanged(const Mesh& mesh, const Budget& budget = {});

/// The change that puts points, numbered on, and triangles at the end of the mesh. `patches`: of the
/// new triangles; empty where the mesh has none and is to have none. If it has none and they are
/// given, all that is there becomes patch 0.
[[nodiscard]] Change adding(const Mesh& mesh, std::span<const Point> points,
                            std::span<const Triangle> triangles, std::span<const PatchId> patches,
                            const Budget& budget = {});

/// Leaves out points of the changed mesh that are not to be kept; no triangle or wire uses them.
void keep_points(Change& change, const std::vector<bool>& keep);

/// `second` was made from the mesh of `first`: the change from before `first` to after `second`.
/// What was done and refused is that of `second`.
[[nodiscard]] Change composed(const Change& first, Change second);

/// One more than the largest patch number in use; 0 if the mesh has no patches.
[[nodiscard]] std::uint32_t patch_count(const Mesh& mesh);

/// A copy in which equal points are one vertex (`Welded`), also those that no triangle or wire uses,
/// for who edits it; triangles keep their numbers.
[[nodiscard]] Mesh with_distinct_points(const Mesh& mesh);
/// The same, with what became of vertices.
[[nodiscard]] Change distinct_points(const Mesh& mesh, const Budget& budget = {});

}  // namespace aguja
