// duplicate-triangle, back-to-back: surplus triangles on the same three vertices, in groups that
// share an edge.

#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

void report(const PartView& view, FindingSink& sink, FindingKind kind,
            const std::vector<DuplicateGroup>& groups) {
  const Anatomy& a = view.anatomy;
  const auto clusters = connected_groups(groups, [&](const DuplicateGroup& g, const auto& add) {
    const Triangle& t = a.welded.triangle(g.same[0]);
    for (std::size_t c = 0; c < 3; ++c) {
      if (const auto e = a.edges.find(t[c], t[(c + 1) % 3])) add(e->value);
    }
  });
  for (const auto& cluster : clusters) {
    Finding finding;
    finding.kind = kind;
    std::vector<Point> points;
    std::vector<TriangleId> triangles;
    Vector sum = Vector::Zero();
    for (const DuplicateGroup& g : cluster) {
      const double area = area_of(a, g.same[0]);
      finding.count += g.surplus();
      finding.measure += static_cast<double>(g.surplus()) * area;
      sum += centroid_of(a, g.same[0]);
      for (const auto* side : {&g.same, &g.opposite}) {
        for (const TriangleId t : *side) {
          triangles.push_back(t);
          append_points(a, t, points);
        }
      }
    }
    finding.place = sum / static_cast<double>(cluster.size());
    finding.box = box_of(points);
    sink.add(std::move(finding), points, std::move(triangles));
  }
}

}  // namespace

void check_duplicates(const PartView& view, FindingSink& sink) {
  std::vector<DuplicateGroup> facing_same;
  std::vector<DuplicateGroup> facing_opposite;
  for (const DuplicateGroup& g : view.anatomy.duplicates) {
    (g.opposite.empty() ? facing_same : facing_opposite).push_back(g);
  }
  report(view, sink, FindingKind::duplicate_triangle, facing_same);
  report(view, sink, FindingKind::back_to_back, facing_opposite);
}

}  // namespace aguja
