#include "aguja/mesh/mesh_maps.h"

#include <algorithm>

namespace aguja {

std::vector<VertexId> unchanged_vertices(const Mesh& mesh) {
  std::vector<VertexId> now(mesh.points.size());
  for (std::uint32_t v = 0; v < now.size(); ++v) now[v] = {v};
  return now;
}

std::vector<TriangleId> parents_of(const MeshMaps& maps, TriangleId triangle) {
  std::vector<TriangleId> parents;
  if (maps.parent[triangle.value].value != kNoIndex) {
    parents.push_back(maps.parent[triangle.value]);
  }
  auto at = std::lower_bound(maps.further_parents.begin(), maps.further_parents.end(),
                             FurtherParent{triangle, {0}});
  for (; at != maps.further_parents.end() && at->triangle == triangle; ++at) {
    parents.push_back(at->parent);
  }
  return parents;
}

ChildrenOf::ChildrenOf(const MeshMaps& maps, std::size_t triangles_before)
    : only_adds_(maps.only_adds) {
  if (only_adds_) return;
  first_.resize(triangles_before + 1);
  const auto for_each = [&](const auto& visit) {
    auto further = maps.further_parents.begin();
    for (std::uint32_t t = 0; t < maps.parent.size(); ++t) {
      if (maps.parent[t].value != kNoIndex) visit(maps.parent[t].value, TriangleId{t});
      for (; further != maps.further_parents.end() && further->triangle.value == t; ++further) {
        visit(further->parent.value, TriangleId{t});
      }
    }
  };
  for_each([&](std::uint32_t parent, TriangleId) { ++first_[parent + 1ULL]; });
  for (std::size_t i = 1; i < first_.size(); ++i) first_[i] += first_[i - 1];
  children_.resize(first_.back());
  std::vector<std::size_t> next(first_.begin(), first_.end());
  for_each([&](std::uint32_t parent, TriangleId t) { children_[next[parent]++] = t; });
}

MeshMaps composed_maps(const MeshMaps& first, const MeshMaps& second) {
  MeshMaps out;
  out.only_adds = first.only_adds && second.only_adds;
  out.parent = second.parent;
  for (TriangleId& p : out.parent) {
    if (p.value != kNoIndex) p = first.parent[p.value];
  }
  if (!first.further_parents.empty() || !second.further_parents.empty()) {
    std::vector<bool> has_several(first.parent.size());
    for (const FurtherParent& f : first.further_parents) has_several[f.triangle.value] = true;
    auto own = second.further_parents.begin();
    for (std::uint32_t t = 0; t < second.parent.size(); ++t) {
      bool asks = second.parent[t].value != kNoIndex && has_several[second.parent[t].value];
      for (; own != second.further_parents.end() && own->triangle.value == t; ++own) asks = true;
      if (!asks || out.parent[t].value == kNoIndex) continue;
      std::vector<TriangleId> all;
      for (const TriangleId middle : parents_of(second, {t})) {
        for (const TriangleId p : parents_of(first, middle)) all.push_back(p);
      }
      std::sort(all.begin() + 1, all.end());
      for (std::size_t i = 1; i < all.size(); ++i) {
        if (all[i] != all[0] && (i == 1 || all[i] != all[i - 1])) {
          out.further_parents.push_back({{t}, all[i]});
        }
      }
    }
  }
  out.vertex_now = first.vertex_now;
  for (VertexId& v : out.vertex_now) {
    if (v.value != kNoIndex) v = second.vertex_now[v.value];
  }
  return out;
}

}  // namespace aguja
