#include "aguja/mend/change.h"

#include <algorithm>

#include "aguja/mesh/weld.h"

namespace aguja {

Change unchanged(const Mesh& mesh, const Budget& budget) {
  Change change;
  change.mesh = mesh;
  change.parent.resize(mesh.triangles.size());
  change.spent.resize(mesh.triangles.size());
  for (std::uint32_t t = 0; t < change.parent.size(); ++t) {
    change.parent[t] = {t};
    change.spent[t] = budget.spent_at({t});
  }
  return change;
}

std::uint32_t patch_count(const Mesh& mesh) {
  std::uint32_t count = 0;
  for (const PatchId p : mesh.patch_of) {
    if (p.value != kNoIndex) count = std::max(count, p.value + 1);
  }
  return count;
}

Mesh with_distinct_points(const Mesh& mesh) {
  if (mesh.points_are_distinct) return mesh;
  const Welded welded(mesh);
  Mesh distinct;
  distinct.points.assign(welded.points().begin(), welded.points().end());
  distinct.triangles.assign(welded.triangles().begin(), welded.triangles().end());
  distinct.wires.assign(welded.wires().begin(), welded.wires().end());
  distinct.patch_of = mesh.patch_of;
  distinct.points_are_distinct = true;
  return distinct;
}

}  // namespace aguja
