// nonmanifold-edge: edges with three or more triangles, in connected groups.

#include "inspect/check.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

std::size_t count_flaps(const PartView& view, const std::vector<EdgeId>& group) {
  const Anatomy& a = view.anatomy;
  std::vector<VertexId> vertices;
  for (const EdgeId e : group) {
    vertices.push_back(a.edges.edge(e).low);
    vertices.push_back(a.edges.edge(e).high);
  }
  std::sort(vertices.begin(), vertices.end());
  std::size_t flaps = 0;
  for (std::size_t i = 0; i < a.rims.size(); ++i) {
    flaps += view.causes.is_flap_border(a.rims[i]) &&
             std::binary_search(vertices.begin(), vertices.end(), a.rims[i].vertices.front());
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
  for (const auto& group : groups) {
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
    if (const std::size_t flaps = groups.size() > 1000 ? 0 : count_flaps(view, group)) {
      finding.detail += ", " + std::to_string(flaps) + (flaps == 1 ? " flap" : " flaps");
    }
    sink.add(std::move(finding), points, std::move(triangles));
  }
}

}  // namespace aguja
