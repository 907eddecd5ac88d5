#include "inspect/near_copies.h"

#include <algorithm>
#include <cmath>

#include <Eigen/Geometry>

#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/distance.h"
#include "base/numbers.h"

namespace aguja {
namespace {

constexpr double kLesser = 0.45;              // of all area
constexpr double kNearlyAll = 0.95;           // of its own
constexpr std::size_t kMostCopyNodes = 1024;  // of a search where nearly all are near

Box box_of_triangle(const JoinedSurface& surface, const Triangle& t) {
  Box box;
  for (const VertexId v : t.corner) box.extend(surface.points()[v.value]);
  return box;
}

}  // namespace

std::vector<std::optional<double>> find_near_copies(const JoinedSurface& surface,
                                                    const Material& material, double reach) {
  std::vector<std::optional<double>> apart(material.bodies.size());
  double area = 0;
  for (const MaterialBody& body : material.bodies) area += body.area;
  std::vector<bool> is_candidate(material.bodies.size());
  bool any = false;
  for (std::size_t b = 0; b < is_candidate.size(); ++b) {
    const MaterialBody& body = material.bodies[b];
    is_candidate[b] = !body.closed && body.area > 0 && body.area < kLesser * area;
    any = any || is_candidate[b];
  }
  if (!any || material.bodies.size() < 2) return apart;

  const auto triangles = surface.triangles();
  const auto points = surface.points();
  const auto body_of = [&](std::size_t t) -> std::size_t {
    const TriangleId id{static_cast<std::uint32_t>(t)};
    return surface.components().has(id) ? surface.components().shell_of[t].value
                                        : material.bodies.size();
  };
  Array<FloatBox> boxes;
  boxes.reserve(triangles.size());
  for (const Triangle& t : triangles) boxes.push_back(FloatBox(box_of_triangle(surface, t)));
  const BoxTree tree(std::move(boxes));
  // A place at the middle of each triangle, and one towards each corner.
  std::vector<double> near_area(material.bodies.size()), missed(near_area), farthest(near_area);
  for (std::uint32_t t = 0; t < triangles.size(); ++t) {
    const std::size_t own = body_of(t);
    if (own >= is_candidate.size() || !is_candidate[own]) continue;
    const TriangleCorners corners = {points[triangles[t][0].value], points[triangles[t][1].value],
                                     points[triangles[t][2].value]};
    const Point middle = (corners[0] + corners[1] + corners[2]) / 3;
    const double own_area = 0.5 * (corners[1] - corners[0]).cross(corners[2] - corners[0]).norm();
    bool is_near = missed[own] <= (1 - kNearlyAll) * material.bodies[own].area;
    double far = 0;
    for (std::size_t k = 0; k < 4 && is_near; ++k) {
      const Point p = k == 3 ? middle : Point(0.5 * (middle + corners[k]));
      const auto squared = [&](std::uint32_t other) {
        const std::size_t body = body_of(other);
        if (body == own || body >= material.bodies.size()) return kInfinity;
        const Triangle& o = triangles[other];
        return (closest_point(p, points[o[0].value], points[o[1].value], points[o[2].value]) - p)
            .squaredNorm();
      };
      const std::uint32_t nearest = tree.nearest(p, reach * reach, squared, kMostCopyNodes);
      is_near = nearest != BoxTree::kNone;
      if (is_near) far = std::max(far, std::sqrt(squared(nearest)));
    }
    (is_near ? near_area : missed)[own] += own_area;
    if (is_near) farthest[own] = std::max(farthest[own], far);
  }
  for (std::size_t b = 0; b < apart.size(); ++b) {
    if (is_candidate[b] && near_area[b] >= kNearlyAll * material.bodies[b].area) {
      apart[b] = farthest[b];
    }
  }
  return apart;
}

}  // namespace aguja
