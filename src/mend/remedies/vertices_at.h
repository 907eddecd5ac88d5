#pragma once
// Vertices that a step by hand names by places.

#include <span>
#include <vector>

#include "aguja/mend/remedy.h"

namespace aguja::remedies {

/// The vertex nearest to each place.
/// Errors: StepError (a mesh without points).
[[nodiscard]] inline std::vector<VertexId> vertices_at(const RemedyInput& in,
                                                       std::span<const Point> places) {
  if (!places.empty() && in.mesh.points.empty()) in.settings.fail("the part has no points");
  std::vector<VertexId> found;
  for (const Point& p : places) {
    std::uint32_t best = 0;
    for (std::uint32_t v = 1; v < in.mesh.points.size(); ++v) {
      if ((in.mesh.points[v] - p).squaredNorm() < (in.mesh.points[best] - p).squaredNorm()) {
        best = v;
      }
    }
    found.push_back({best});
  }
  return found;
}

}  // namespace aguja::remedies
