// nonmanifold-edge: edges with three or more triangles, in connected groups.

#include <unordered_map>

#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

// By group: how many flaps hang on its edges.
std::vector<std::size_t> count_flaps(const PartView& view,
                                     const std::vector<std::vector<EdgeId>>& groups) {
  const Anatomy& a = view.anatomy;
  std::unordered_map<std::uint32_t, std::size_t> group_at;  // by vertex
  for (std::size_t g = 0; g < groups.size(); ++g) {
    for (const EdgeId e : groups[g]) {
      group_at[a.edges.edge(e).low.value] = g;
      group_at[a.edges.edge(e).high.value] = g;
    }
  }
  std::vector<std::size_t> flaps(groups.size(), 0);
  for (std::size_t i = 0; i < a.rims.size(); ++i) {
    if (!view.causes.is_flap_border(a.rims[i])) continue;
    const auto at = group_at.find(a.rims[i].vertices.front().value);
    if (at != group_at.end()) ++flaps[at->second];
  }
  return flaps;
}

}  // namespace

void check_nonmanifold_edges(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  if (a.edge_counts.nonmanifold == 0) return;
  const auto edges = select_edges(a.edges, [&](EdgeId e) {
    return view.causes.is_nonmanifold(e) && !view.causes.is_stray(view.causes.shell_of(e));
  });
  const auto groups = connected_groups(edges, [&](EdgeId e, const auto& add) {
    add(a.edges.edge(e).low.value);
    add(a.edges.edge(e).high.value);
  });
  const std::vector<std::size_t> flaps = count_flaps(view, groups);
  for (std::size_t g = 0; g < groups.size(); ++g) {
    const std::vector<EdgeId>& group = groups[g];
    Finding finding;
    finding.kind = FindingKind::nonmanifold_edge;
    finding.count = group.size();
    std::vector<Point> points;
    std::vector<TriangleId> triangles;
    std::size_t most = 0;
    double longest = -1;
    for (const EdgeId e : group) {
      const double length = edge_length(a, e);
      finding.measure += length;
      append_points(a, e, points);
      if (length > longest) {
        longest = length;
        finding.place = 0.5 * (points.back() + points[points.size() - 2]);
      }
      for (const EdgeUse use : a.edges.uses(e)) triangles.push_back(use.triangle());
      most = std::max(most, a.edges.use_count(e));
    }
    finding.box = box_of(points);
    finding.detail = "up to " + std::to_string(most) + " triangles on an edge";
    if (flaps[g] > 0) {
      finding.detail += ", " + std::to_string(flaps[g]) + (flaps[g] == 1 ? " flap" : " flaps");
    }
    sink.add(std::move(finding), points, std::move(triangles));
  }
}

}  // namespace aguja
