// opening, sheet-border: rims of naked edges that no other finding explains.

#include <cmath>

#include "inspect/check.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

double det(const Vector& a, const Vector& b, const Vector& c) {
  return a.x() * (b.y() * c.z() - b.z() * c.y()) - a.y() * (b.x() * c.z() - b.z() * c.x()) +
         a.z() * (b.x() * c.y() - b.y() * c.x());
}

// The mean of the rim's edges, weighted by length.
Point center_of(const Rim& rim, std::span<const Point> points) {
  Vector sum = Vector::Zero();
  double total = 0;
  const Point& origin = points[rim.vertices[0].value];
  for (std::size_t i = 1; i < rim.vertices.size(); ++i) {
    const Point& a = points[rim.vertices[i - 1].value];
    const Point& b = points[rim.vertices[i].value];
    const double step = (b - a).norm();
    sum += step * (0.5 * ((a - origin) + (b - origin)));
    total += step;
  }
  return total > 0 ? Point(origin + sum / total) : origin;
}

// Volume that the shells enclose once every rim is capped by a fan about its centre. Winding
// conflicts make it meaningless; the caller asks for them.
std::vector<double> capped_volumes(const Anatomy& a, const Causes& causes) {
  std::vector<double> volume(a.shells.size());
  for (std::size_t s = 0; s < volume.size(); ++s) volume[s] = a.shells[s].mass.volume;
  for (std::size_t i = 0; i < a.rims.size(); ++i) {
    const Rim rim = a.rims[i];
    const ShellId shell = causes.shell_of(rim.edges[0]);
    const Point reference = a.shells[shell.value].box.center();
    const Vector apex = center_of(rim, a.welded.points()) - reference;
    for (const EdgeId e : rim.edges) {
      const Vector low = a.welded.point(a.edges.edge(e).low) - reference;
      const Vector high = a.welded.point(a.edges.edge(e).high) - reference;
      const double sign = a.edges.uses(e)[0].forward() ? 1 : -1;
      volume[shell.value] += sign * det(high, low, apex) / 6;
    }
  }
  return volume;
}

}  // namespace

void check_rims(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  if (a.rims.size() == 0) return;
  const std::vector<double> volume = capped_volumes(a, view.causes);
  for (std::size_t i = 0; i < a.rims.size(); ++i) {
    const Rim rim = a.rims[i];
    if (view.causes.is_explained(rim)) continue;
    const Shell& shell = a.shells[view.causes.shell_of(rim.edges[0]).value];
    const double thin = view.limits.sheet_fraction * shell.mass.area * shell.box.diagonal();
    const bool is_sheet =
        shell.oriented && std::fabs(volume[view.causes.shell_of(rim.edges[0]).value]) < thin;

    Finding finding;
    finding.kind = is_sheet ? FindingKind::sheet_border : FindingKind::opening;
    finding.count = rim.edges.size();
    finding.measure = length(rim, a.welded.points());
    finding.place = center_of(rim, a.welded.points());
    finding.box = box_of(rim, a.welded.points());
    finding.detail = rim.is_loop() ? "closed loop" : "open run between branching vertices";
    std::vector<Point> points;
    std::vector<TriangleId> triangles;
    for (const EdgeId e : rim.edges) {
      append_points(a, e, points);
      triangles.push_back(a.edges.uses(e)[0].triangle());
    }
    sink.add(std::move(finding), points, std::move(triangles));
  }
}

}  // namespace aguja
