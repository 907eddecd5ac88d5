// wire-edge: lines of the file that are the edge of no triangle, in connected groups.

#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {

void check_wire_edges(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  std::vector<Wire> wires;
  for (const Wire& w : a.welded.wires()) {
    if (w[0] != w[1] && !a.edges.find(w[0], w[1])) wires.push_back(w);
  }
  const auto groups = connected_groups(wires, [](const Wire& w, const auto& add) {
    add(w[0].value);
    add(w[1].value);
  });
  for (const auto& group : groups) {
    Finding finding;
    finding.kind = FindingKind::wire_edge;
    finding.count = group.size();
    std::vector<Point> points;
    Vector sum = Vector::Zero();
    for (const Wire& w : group) {
      points.push_back(a.welded.point(w[0]));
      points.push_back(a.welded.point(w[1]));
      const double length = (points.back() - points[points.size() - 2]).stableNorm();
      finding.measure += length;
      sum += length * 0.5 * (points.back() + points[points.size() - 2]);
    }
    finding.box = box_of(points);
    finding.place = finding.measure > 0 ? Point(sum / finding.measure) : points[0];
    sink.add(std::move(finding), points);
  }
}

}  // namespace aguja
