#pragma once
// The loops of a mesh that findings of kind `opening` are about.

#include <algorithm>
#include <memory>
#include <optional>
#include <set>

#include "aguja/inspect/finding.h"
#include "aguja/mend/fill.h"

namespace aguja {

class FindingOpenings {
 public:
  /// Islands are looked for among so many loops at most.
  static constexpr std::size_t kMostForIslands = 2000;

  /// `mesh` has distinct points and outlives this object.
  FindingOpenings(const Mesh& mesh, double tolerance)
      : mesh_(mesh),
        edges_(mesh.triangles, mesh.points.size()),
        loops_(find_loops(mesh.points, mesh.triangles, edges_)) {
    if (loops_.loops.size() <= kMostForIslands) {
      all_ = with_islands(mesh.points, loops_.loops, tolerance);
    } else {
      for (const Loop& loop : loops_.loops) all_.push_back({{loop}});
    }
  }

  [[nodiscard]] const Mesh& mesh() const { return mesh_; }
  /// Every opening, islands with the loop around them.
  [[nodiscard]] const std::vector<Opening>& all() const { return all_; }
  [[nodiscard]] TriangleId triangle_at(VertexId a, VertexId b) const {
    return edges_.uses(*edges_.find(a, b))[0].triangle();
  }

  /// Loops along which most edges belong to the finding's triangles.
  [[nodiscard]] std::optional<Opening> of(const Finding& finding) const {
    const std::set<TriangleId> own(finding.triangles.begin(), finding.triangles.end());
    std::vector<std::size_t> found;
    for (std::size_t l = 0; l < loops_.loops.size(); ++l) {
      const Loop& loop = loops_.loops[l];
      std::size_t along = 0;
      for (std::size_t i = 0; i < loop.size(); ++i) {
        along += static_cast<std::size_t>(
            own.contains(triangle_at(loop[i], loop[(i + 1) % loop.size()])));
      }
      if (2 * along > loop.size()) found.push_back(l);
    }
    if (found.empty()) return std::nullopt;
    for (const Opening& opening : all_) {
      if (opening.loops.size() > 1 && opening.loops[0] == loops_.loops[found[0]]) return opening;
    }
    Opening opening;
    for (const std::size_t l : found) opening.loops.push_back(loops_.loops[l]);
    return opening;
  }

 private:
  const Mesh& mesh_;
  EdgeTable edges_;
  Loops loops_;
  std::vector<Opening> all_;
};

}  // namespace aguja
