#include "aguja/mend/refit.h"

#include <algorithm>
#include <set>

#include "aguja/mend/drop.h"

namespace aguja {

Change refit(const Mesh& mesh, std::span<const TriangleId> triangles, const FillOptions& options,
             const Budget& budget, Progress* progress) {
  const Mesh distinct = with_distinct_points(mesh);
  if (triangles.empty()) return unchanged(distinct, budget);
  const auto refuse = [&](Refusal refusal) {
    Change nothing = unchanged(distinct, budget);
    nothing.refused.push_back(std::move(refusal));
    return nothing;
  };
  const Change without = drop_triangles(distinct, triangles, {.may_bare = true}, budget);
  // Loops that are new: those along edges of the triangles that went.
  const EdgeTable edges_before(distinct.triangles, distinct.points.size());
  const EdgeTable edges(without.mesh.triangles, without.mesh.points.size());
  std::set<TriangleId> gone(triangles.begin(), triangles.end());
  const auto place = [&](TriangleId t) { return distinct.point(distinct.triangle(t)[0]); };
  std::set<TriangleId> beside;  // triangles that are left, on edges that were bared
  for (const TriangleId t : gone) {
    const Triangle& tri = distinct.triangle(t);
    for (std::size_t c = 0; c < 3; ++c) {
      const auto e = edges_before.find(tri[c], tri[(c + 1) % 3]);
      if (!e) continue;
      for (const EdgeUse use : edges_before.uses(*e)) {
        if (!gone.contains(use.triangle())) beside.insert(use.triangle());
      }
    }
  }
  if (beside.empty()) {
    return refuse({RefusalReason::does_not_apply, place(triangles[0]), "nothing is around it"});
  }
  std::vector<bool> is_beside(without.mesh.triangles.size());
  for (std::size_t t = 0; t < is_beside.size(); ++t) {
    is_beside[t] = beside.contains(without.parent[t]);
  }
  const Loops found = find_loops(without.mesh.points, without.mesh.triangles, edges);
  std::vector<Loop> loops;
  for (const Loop& loop : found.loops) {
    bool near = false;
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const auto e = edges.find(loop[i], loop[(i + 1) % loop.size()]);
      near |= e && is_beside[edges.uses(*e)[0].triangle().value];
    }
    if (near) loops.push_back(loop);
  }
  if (loops.empty()) {
    return refuse({RefusalReason::not_a_loop, place(triangles[0]), "its border is no closed loop"});
  }
  std::vector<Opening> openings = with_islands(without.mesh.points, loops, options.tolerance);
  // Two loops that bound one band: the patch ran around.
  if (openings.size() == 2 && openings[0].loops.size() == 1 && openings[1].loops.size() == 1 &&
      options.method == FillMethod::ruled) {
    openings = {{{openings[0].loops[0], openings[1].loops[0]}}};
  }
  Change filled = fill(without.mesh, openings, options, {budget.distance, without.spent}, progress);
  if (!filled.refused.empty()) return refuse(filled.refused[0]);
  // Numbered on from what was there, though the last patches may be those that went.
  const std::uint32_t more = patch_count(distinct) - patch_count(without.mesh);
  for (std::size_t t = 0; more > 0 && t < filled.mesh.triangles.size(); ++t) {
    if (filled.parent[t].value == kNoIndex) filled.mesh.patch_of[t].value += more;
  }
  filled.done = gone.size();
  return composed(without, std::move(filled));
}

}  // namespace aguja
