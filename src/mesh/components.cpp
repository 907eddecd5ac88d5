#include "aguja/mesh/components.h"

#include <vector>

#include "aguja/base/parallel.h"
#include "aguja/mesh/weld.h"
#include "base/disjoint_sets.h"

namespace aguja {
namespace {

bool joins(const EdgeTable& edges, EdgeId e, Joining joining) {
  if (joining == Joining::any_edge) return true;
  if (edges.use_count(e) != 2) return false;
  return joining == Joining::manifold_edge || !edges.is_winding_conflict(e);
}

}  // namespace

Components find_components(std::span<const Triangle> triangles, const EdgeTable& edges,
                           Joining joining) {
  constexpr std::size_t kGrain = DisjointSets::kGrain;
  DisjointSets sets(triangles.size());
  parallel_ranges(edges.size(), kGrain, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      const EdgeId e{static_cast<std::uint32_t>(i)};
      if (!joins(edges, e, joining)) continue;
      const auto uses = edges.uses(e);
      const std::uint32_t first = uses[0].triangle().value;
      for (const EdgeUse use : uses.subspan(1)) sets.unite(first, use.triangle().value);
    }
  });

  Components components;
  components.shell_of.resize(triangles.size());
  // Roots first, so that each piece knows how many lie before it; then everybody asks its root.
  const auto roots = parallel_map(triangles.size(), kGrain, [&](Range r) {
    std::size_t count = 0;
    for (std::size_t t = r.begin; t < r.end; ++t) {
      const auto id = static_cast<std::uint32_t>(t);
      count += sets.find(id) == id && !has_equal_corners(triangles[t]);
    }
    return count;
  });
  std::vector<std::size_t> before(roots.size() + 1, 0);
  for (std::size_t p = 0; p < roots.size(); ++p) before[p + 1] = before[p] + roots[p];
  components.count = before.back();
  parallel_tasks(roots.size(), [&](std::size_t p) {
    auto next = static_cast<std::uint32_t>(before[p]);
    const std::size_t end = std::min(triangles.size(), (p + 1) * kGrain);
    for (std::size_t t = p * kGrain; t < end; ++t) {
      const auto id = static_cast<std::uint32_t>(t);
      const bool is_root = sets.find(id) == id;
      if (!is_root) continue;
      components.shell_of[t] = {has_equal_corners(triangles[t]) ? kNoIndex : next++};
    }
  });
  parallel_ranges(triangles.size(), kGrain, [&](Range r) {
    for (std::size_t t = r.begin; t < r.end; ++t) {
      const std::uint32_t root = sets.find(static_cast<std::uint32_t>(t));
      if (root != t) components.shell_of[t] = components.shell_of[root];
    }
  });
  return components;
}

}  // namespace aguja
