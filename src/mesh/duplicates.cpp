#include "aguja/mesh/duplicates.h"

#include <algorithm>

#include "aguja/base/parallel.h"

namespace aguja {
namespace {

struct Candidate {
  VertexId opposite_vertex;
  EdgeUse use;
};

VertexId opposite(std::span<const Triangle> triangles, EdgeUse use) {
  return triangles[use.triangle().value][(use.corner() + 2) % 3];
}

DuplicateGroup group_of(std::span<const Candidate> run) {
  DuplicateGroup group;
  // Uses are sorted by triangle, so the first one is the lowest.
  for (const Candidate& c : run) {
    auto& side = c.use.forward() == run.front().use.forward() ? group.same : group.opposite;
    side.push_back(c.use.triangle());
  }
  return group;
}

}  // namespace

std::vector<DuplicateGroup> find_duplicates(std::span<const Triangle> triangles,
                                            const EdgeTable& edges) {
  return parallel_collect<DuplicateGroup>(
      edges.size(), std::size_t{1} << 14, [&](Range r, std::vector<DuplicateGroup>& out) {
        std::vector<Candidate> candidates;
        for (std::size_t i = r.begin; i < r.end; ++i) {
          const EdgeId e{static_cast<std::uint32_t>(i)};
          const auto uses = edges.uses(e);
          if (uses.size() < 2) continue;
          // Each group is seen from the edge between its two lowest vertices only.
          candidates.clear();
          for (const EdgeUse use : uses) {
            const VertexId v = opposite(triangles, use);
            if (v > edges.edge(e).high) candidates.push_back({v, use});
          }
          if (candidates.size() < 2) continue;
          std::stable_sort(candidates.begin(), candidates.end(),
                           [](const Candidate& a, const Candidate& b) {
                             return a.opposite_vertex < b.opposite_vertex;
                           });
          for (std::size_t begin = 0; begin < candidates.size();) {
            std::size_t end = begin + 1;
            while (end < candidates.size() &&
                   candidates[end].opposite_vertex == candidates[begin].opposite_vertex) {
              ++end;
            }
            if (end - begin > 1) {
              out.push_back(group_of(std::span(candidates).subspan(begin, end - begin)));
            }
            begin = end;
          }
        }
      });
}

std::size_t count_surplus(std::span<const DuplicateGroup> groups) {
  std::size_t count = 0;
  for (const DuplicateGroup& group : groups) count += group.surplus();
  return count;
}

}  // namespace aguja
