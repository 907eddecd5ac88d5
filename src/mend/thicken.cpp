#include "aguja/mend/thicken.h"

#include "base/short_text.h"

namespace aguja {

Change thicken(const Mesh& mesh, double thickness, const OffsetOptions& options,
               const Budget& budget, Progress* progress) {
  OffsetResult wall = offset_surface(mesh, thickness, options, progress);
  Change change = unchanged(mesh, budget);
  if (!wall.problem.empty()) {
    change.refused.push_back({RefusalReason::does_not_apply, wall.place, wall.problem});
    return change;
  }
  change = {};
  static_cast<MeshMaps&>(change) = std::move(static_cast<MeshMaps&>(wall));
  change.mesh = std::move(wall.mesh);
  std::vector<bool> is_left(mesh.triangles.size(), false);
  for (const TriangleId p : change.parent) {
    const bool is_added = p.value == kNoIndex;
    change.spent.push_back(is_added ? 0 : budget.spent_at(p));
    if (!is_added) is_left[p.value] = true;
  }
  for (std::uint32_t t = 0; t < is_left.size(); ++t) {
    if (!is_left[t]) change.dropped.push_back({t});
  }
  change.new_patches.assign(wall.patches, "offset");
  change.new_patches.emplace_back("rim");
  change.done = 1;
  change.methods.push_back(
      "walls of " + short_text(wall.thickness.least) + " to " + short_text(wall.thickness.largest) +
      (wall.thin_places == 0 ? std::string()
                             : ", too thin at " + std::to_string(wall.thin_places) +
                                   (wall.thin_places == 1 ? " place" : " places")));
  return change;
}

}  // namespace aguja
