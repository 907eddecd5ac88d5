// nonmanifold-vertex: vertices where fans meet in nothing but a point. Where every fan is open the
// vertex is a symptom: filling or joining the rims that pass there closes it.

#include <unordered_map>

#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {

void check_nonmanifold_vertices(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  if (a.pinched.empty()) return;
  std::unordered_map<std::uint32_t, std::size_t> naked_at;
  for (std::size_t i = 0; i < a.rims.size(); ++i) {
    const Rim rim = a.rims[i];
    for (const EdgeId e : rim.edges) {
      ++naked_at[a.edges.edge(e).low.value];
      ++naked_at[a.edges.edge(e).high.value];
    }
  }
  std::unordered_map<std::uint32_t, std::vector<TriangleId>> star;
  std::vector<bool> is_pinched(a.welded.points().size());
  for (const PinchedVertex& p : a.pinched) is_pinched[p.vertex.value] = true;
  for (std::size_t t = 0; t < a.welded.triangles().size(); ++t) {
    if (has_equal_corners(a.welded.triangles()[t])) continue;
    for (const VertexId v : a.welded.triangles()[t].corner) {
      if (is_pinched[v.value]) star[v.value].push_back({static_cast<std::uint32_t>(t)});
    }
  }
  for (const PinchedVertex& p : a.pinched) {
    const auto naked = naked_at.find(p.vertex.value);
    if (naked != naked_at.end() && naked->second >= 2 * p.fans) continue;
    Finding finding;
    finding.kind = FindingKind::nonmanifold_vertex;
    finding.count = 1;
    finding.measure = static_cast<double>(p.fans);
    finding.place = a.welded.point(p.vertex);
    finding.box.extend(finding.place);
    const Point point = finding.place;
    sink.add(std::move(finding), {&point, 1}, std::move(star[p.vertex.value]));
  }
}

}  // namespace aguja
