// unused-vertex: points of the file that nothing refers to; one finding per part.

#include "inspect/checks.h"

namespace aguja {

void check_unused_vertices(const PartView& view, FindingSink& sink) {
  const Mesh& mesh = view.shape.mesh;
  const std::vector<bool> used = used_points(mesh);
  std::vector<Point> points;
  for (std::size_t i = 0; i < used.size(); ++i) {
    if (!used[i]) points.push_back(mesh.points[i]);
  }
  if (points.empty()) return;
  Finding finding;
  finding.kind = FindingKind::unused_vertex;
  finding.count = points.size();
  finding.measure = static_cast<double>(points.size());
  finding.place = points[0];
  finding.box = box_of(points);
  sink.add(std::move(finding), points);
}

}  // namespace aguja
