#include "inspect/patch_borders.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

namespace aguja {
namespace {

constexpr double kCornerCosine = 0.766;  // of 40 degrees

struct AtVertex {
  std::vector<std::uint32_t> edges;
  bool corner = false;
};

}  // namespace

PatchBorders find_borders(const Anatomy& a, const Patches& patches) {
  PatchBorders borders;
  borders.length_of.resize(patches.patches.size());
  borders.box_of.resize(patches.patches.size());
  const auto patch_at = [&](EdgeUse use) { return patches.patch_of[use.triangle().value].value; };
  for (const EdgeId e : select_edges(a.edges, [&](EdgeId id) {
         const auto uses = a.edges.uses(id);
         return uses.size() != 2 || patch_at(uses[0]) != patch_at(uses[1]);
       })) {
    const auto uses = a.edges.uses(e);
    const Edge& edge = a.edges.edge(e);
    const double length = (a.welded.point(edge.low) - a.welded.point(edge.high)).stableNorm();
    borders.edges.push_back(
        {e, patch_at(uses[0]), uses.size() == 2 ? patch_at(uses[1]) : kNoIndex, length});
    for (const EdgeUse use : uses) {
      if (patch_at(use) == kNoIndex) continue;
      borders.length_of[patch_at(use)] += length;
      borders.box_of[patch_at(use)].extend(a.welded.point(edge.low));
      borders.box_of[patch_at(use)].extend(a.welded.point(edge.high));
    }
  }

  std::unordered_map<std::uint32_t, AtVertex> at;
  for (std::uint32_t i = 0; i < borders.edges.size(); ++i) {
    at[a.edges.edge(borders.edges[i].edge).low.value].edges.push_back(i);
    at[a.edges.edge(borders.edges[i].edge).high.value].edges.push_back(i);
  }
  const auto other_end = [&](std::uint32_t i, std::uint32_t v) {
    const Edge& e = a.edges.edge(borders.edges[i].edge);
    return e.low.value == v ? e.high.value : e.low.value;
  };
  for (auto& [v, here] : at) {
    if (here.edges.size() != 2) {
      here.corner = true;
      continue;
    }
    const Point& p = a.welded.point({v});
    const Vector in = p - a.welded.point({other_end(here.edges[0], v)});
    const Vector out = a.welded.point({other_end(here.edges[1], v)}) - p;
    here.corner = in.dot(out) < kCornerCosine * in.norm() * out.norm();
  }
  std::vector<bool> used(borders.edges.size());
  // From a vertex along an edge until a corner, or around to the first edge.
  const auto walk = [&](std::uint32_t first, std::uint32_t from) {
    BorderChain chain;
    std::uint32_t i = first;
    std::uint32_t v = from;
    while (!used[i]) {
      used[i] = true;
      chain.edges.push_back(i);
      chain.length += borders.edges[i].length;
      v = other_end(i, v);
      const AtVertex& here = at[v];
      if (here.corner) return chain;
      i = here.edges[0] == i ? here.edges[1] : here.edges[0];
    }
    chain.loop = true;
    return chain;
  };
  // Corners in the order of edges, so that the order of chains is that of the file.
  for (std::uint32_t i = 0; i < borders.edges.size(); ++i) {
    const Edge& e = a.edges.edge(borders.edges[i].edge);
    for (const VertexId v : {e.low, e.high}) {
      if (!used[i] && at[v.value].corner) borders.chains.push_back(walk(i, v.value));
    }
  }
  for (std::uint32_t i = 0; i < borders.edges.size(); ++i) {
    if (!used[i]) {
      borders.chains.push_back(walk(i, a.edges.edge(borders.edges[i].edge).low.value));
    }
  }
  return borders;
}

std::optional<double> strip_width(double area, double border) {
  const double half = 0.5 * border;
  const double root = half * half - 4 * area;
  if (root < 0 || half <= 0) return std::nullopt;
  // The small solution of w (half - w) = area, without cancellation.
  return 2 * area / (half + std::sqrt(root));
}

}  // namespace aguja
