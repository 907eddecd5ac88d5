// zero-area: triangles of exactly no area, in groups that share vertices.

#include <array>

#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {

void check_zero_area(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  const auto groups =
      connected_groups(a.zero_area, [&](const ZeroAreaTriangle& z, const auto& add) {
        for (const VertexId v : a.welded.triangle(z.triangle).corner) add(v.value);
      });
  for (const auto& group : groups) {
    Finding finding;
    finding.kind = FindingKind::zero_area;
    finding.count = group.size();
    std::vector<Point> points;
    std::vector<TriangleId> triangles;
    std::array<std::size_t, 3> by_shape{};
    double longest = -1;
    for (const ZeroAreaTriangle& z : group) {
      append_points(a, z.triangle, points);
      triangles.push_back(z.triangle);
      ++by_shape[static_cast<std::size_t>(z.shape)];
      const Point* const p = points.data() + points.size() - 3;
      const double side = std::max(
          {(p[0] - p[1]).stableNorm(), (p[1] - p[2]).stableNorm(), (p[2] - p[0]).stableNorm()});
      if (side > longest) {
        longest = side;
        finding.place = (p[0] + p[1] + p[2]) / 3.0;
      }
    }
    finding.measure = longest;
    finding.box = box_of(points);
    for (const ZeroAreaShape shape :
         {ZeroAreaShape::cap, ZeroAreaShape::needle, ZeroAreaShape::point}) {
      const std::size_t n = by_shape[static_cast<std::size_t>(shape)];
      if (n == 0) continue;
      if (!finding.detail.empty()) finding.detail += ", ";
      finding.detail += (n == 1 ? "" : std::to_string(n) + " x ") + std::string(slug(shape));
    }
    sink.add(std::move(finding), points, std::move(triangles));
  }
}

}  // namespace aguja
