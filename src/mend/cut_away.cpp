#include "aguja/mend/cut_away.h"

#include <algorithm>

namespace aguja {
namespace {

CutResult result_of(const Mesh& mesh, const Cutter& cutter, bool comes_apart,
                    const CutOptions& options, Progress* progress) {
  if (cutter.is_plane()) {
    const CutPlane& plane = std::get<CutPlane>(cutter.by);
    return comes_apart ? cut_by_plane(mesh, plane, options, progress)
                       : divide_by_plane(mesh, plane, options, progress);
  }
  const Mesh& body = std::get<Mesh>(cutter.by);
  return comes_apart ? cut_by_body(mesh, body, options, progress)
                     : divide_by_body(mesh, body, options, progress);
}

// By triangle before: is anything left of it?
std::vector<bool> parents_left(const MeshMaps& side, std::size_t count) {
  std::vector<bool> is_left(count, false);
  for (const TriangleId p : side.parent) {
    if (p.value != kNoIndex) is_left[p.value] = true;
  }
  return is_left;
}

void list_what_is_given_up(const Mesh& mesh, const CutSide& gone, Change& change) {
  const std::vector<bool> is_left = parents_left(change, mesh.triangles.size());
  for (std::uint32_t t = 0; t < is_left.size(); ++t) {
    if (!is_left[t]) change.dropped.push_back({t});
  }
  for (std::size_t t = 0; t < gone.parent.size(); ++t) {
    const TriangleId parent = gone.parent[t];
    if (parent.value == kNoIndex || !is_left[parent.value]) continue;
    Triangle piece{};
    for (std::size_t k = 0; k < 3; ++k) {
      piece[k] = {static_cast<std::uint32_t>(change.cut_off.points.size())};
      change.cut_off.points.push_back(gone.mesh.point(gone.mesh.triangles[t][k]));
    }
    change.cut_off.triangles.push_back(piece);
  }
}

}  // namespace

Change cut_away(const Mesh& mesh, const Cutter& cutter, KeptSides keep, const CutOptions& options,
                const Budget& budget, Progress* progress) {
  const bool comes_apart = keep != KeptSides::both;
  CutOptions own = options;
  own.on_within = std::max(own.on_within, cutter.on_within);
  CutResult cut = result_of(mesh, cutter, comes_apart, own, progress);
  Change change = unchanged(mesh, budget);
  if (!cut.problem.empty()) {
    change.refused.push_back({RefusalReason::does_not_apply, cut.place, cut.problem});
    return change;
  }
  const std::size_t kept = keep == KeptSides::second ? 1 : 0;
  CutSide& side = cut.sides[kept];
  const bool is_whole = side.mesh.triangles.size() == mesh.triangles.size() &&
                        cut.sides[1 - kept].mesh.triangles.empty();
  if (is_whole) return change;
  if (comes_apart && side.mesh.triangles.empty()) {
    change.refused.push_back({RefusalReason::does_not_apply, box_of(mesh).center(),
                              "all of the part lies on the side that is cut away"});
    return change;
  }
  change = {};
  static_cast<MeshMaps&>(change) = std::move(static_cast<MeshMaps&>(side));
  change.mesh = std::move(side.mesh);
  bool has_cap = false;
  for (const TriangleId p : change.parent) {
    has_cap |= p.value == kNoIndex;
    change.spent.push_back(p.value == kNoIndex ? 0 : budget.spent_at(p));
  }
  if (has_cap) change.new_patches.emplace_back("cut");
  if (comes_apart) list_what_is_given_up(mesh, cut.sides[1 - kept], change);
  change.done = 1;
  change.methods.push_back(comes_apart ? "cut by " + cutter.name : "divided by " + cutter.name);
  return change;
}

}  // namespace aguja
