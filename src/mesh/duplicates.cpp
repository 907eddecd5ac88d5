#include "aguja/mesh/duplicates.h"

#include <algorithm>
#include <numeric>

#include "aguja/base/parallel.h"
#include "aguja/mesh/weld.h"

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

std::vector<DuplicateGroup> find_duplicates(std::span<const Triangle> triangles,
                                            std::size_t vertex_count) {
  // The corners above the lowest one, in order, and whether they run around that way.
  struct Upper {
    std::uint32_t middle, highest, triangle;
    bool is_even;
    auto operator<=>(const Upper&) const = default;
  };
  const auto lowest_corner = [&](std::size_t t) {
    const Triangle& v = triangles[t];
    return v[0] < v[1] ? (v[0] < v[2] ? 0U : 2U) : (v[1] < v[2] ? 1U : 2U);
  };
  Array<std::uint32_t> end(vertex_count + 1);
  std::fill(end.begin(), end.end(), 0);
  for (std::size_t t = 0; t < triangles.size(); ++t) {
    if (!has_equal_corners(triangles[t])) ++end[triangles[t][lowest_corner(t)].value + 1ULL];
  }
  std::partial_sum(end.begin(), end.end(), end.begin());
  Array<Upper> upper(end.back());
  for (std::uint32_t t = 0; t < triangles.size(); ++t) {
    if (has_equal_corners(triangles[t])) continue;
    const std::size_t k = lowest_corner(t);
    const std::uint32_t a = triangles[t][(k + 1) % 3].value, b = triangles[t][(k + 2) % 3].value;
    upper[end[triangles[t][k].value]++] = {std::min(a, b), std::max(a, b), t, a < b};
  }
  // The ends have moved on to where the next begin.
  return parallel_collect<DuplicateGroup>(
      vertex_count, std::size_t{1} << 14, [&](Range r, std::vector<DuplicateGroup>& out) {
        for (std::size_t v = r.begin; v < r.end; ++v) {
          const std::size_t first = v == 0 ? 0 : end[v - 1];
          const auto own = std::span(upper).subspan(first, end[v] - first);
          std::sort(own.begin(), own.end());
          for (std::size_t i = 1; i < own.size(); ++i) {
            const Upper &one = own[i - 1], &next = own[i];
            if (one.middle != next.middle || one.highest != next.highest) continue;
            const bool goes_on =
                i >= 2 && own[i - 2].middle == one.middle && own[i - 2].highest == one.highest;
            if (!goes_on) out.push_back({{TriangleId{one.triangle}}, {}});
            DuplicateGroup& group = out.back();
            const TriangleId front = group.same.front();
            const bool front_is_even =
                triangles[front.value][(lowest_corner(front.value) + 1) % 3].value == one.middle;
            (next.is_even == front_is_even ? group.same : group.opposite)
                .push_back({next.triangle});
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
