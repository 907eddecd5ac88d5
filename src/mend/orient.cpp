#include "aguja/mend/orient.h"

#include <algorithm>
#include <string>

#include "base/short_text.h"

namespace aguja {

Change orient(const Mesh& mesh, const OrientOptions& options, const Budget& budget,
              Progress* progress) {
  Orientation found = find_orientation(mesh, options, progress);
  Change change = unchanged(mesh, budget);
  apply(found, change.mesh);
  change.done = found.count;
  change.methods = std::move(found.methods);
  for (const Orientation::Undecided& u : found.undecided) {
    change.refused.push_back({RefusalReason::undecided, u.place,
                              "the winding numbers are " + short_text(u.winding) + " on average"});
  }
  return change;
}

Change turn(const Mesh& mesh, std::span<const TriangleId> triangles, const Budget& budget) {
  Change change = unchanged(mesh, budget);
  for (const TriangleId t : triangles) {
    if (t.value >= mesh.triangles.size()) {
      throw ArgumentError("turn: there is no triangle " + std::to_string(t.value));
    }
    std::swap(change.mesh.triangles[t.value][1], change.mesh.triangles[t.value][2]);
    ++change.done;
  }
  return change;
}

}  // namespace aguja
