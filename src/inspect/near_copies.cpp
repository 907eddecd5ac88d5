#include "inspect/near_copies.h"

#include <algorithm>
#include <atomic>
#include <cmath>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
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
  const auto facet = [&](std::size_t t) {
    const Triangle& own = triangles[t];
    return TriangleCorners{points[own[0].value], points[own[1].value], points[own[2].value]};
  };
  const auto facet_area = [&](std::size_t t) {
    const TriangleCorners c = facet(t);
    return 0.5 * (c[1] - c[0]).cross(c[2] - c[0]).norm();
  };
  // How far others are from a triangle, by a place at its middle and one towards each corner;
  // infinite if beyond reach.
  const auto distance_of = [&](std::size_t t) {
    const std::size_t own = body_of(t);
    const TriangleCorners corners = facet(t);
    const Point middle = (corners[0] + corners[1] + corners[2]) / 3;
    double far = 0;
    for (std::size_t k = 0; k < 4; ++k) {
      const Point p = k == 3 ? middle : Point(0.5 * (middle + corners[k]));
      const auto squared = [&](std::uint32_t other) {
        const std::size_t body = body_of(other);
        if (body == own || body >= material.bodies.size()) return kInfinity;
        const TriangleCorners o = facet(other);
        return (closest_point(p, o[0], o[1], o[2]) - p).squaredNorm();
      };
      const std::uint32_t nearest = tree.nearest(p, reach * reach, squared, kMostCopyNodes);
      if (nearest == BoxTree::kNone) return kInfinity;
      far = std::max(far, std::sqrt(squared(nearest)));
    }
    return far;
  };
  // Where too much is beyond reach already, nobody asks for the rest.
  std::vector<std::atomic<double>> beyond(material.bodies.size());
  std::vector<double> distance(triangles.size(), kInfinity);
  parallel_ranges(triangles.size(), std::size_t{1} << 8, [&](Range r) {
    for (std::size_t t = r.begin; t < r.end; ++t) {
      const std::size_t own = body_of(t);
      if (own >= is_candidate.size() || !is_candidate[own]) continue;
      if (beyond[own] > 2 * (1 - kNearlyAll) * material.bodies[own].area) continue;
      distance[t] = distance_of(t);
      if (distance[t] == kInfinity) beyond[own] += facet_area(t);
    }
  });
  std::vector<double> near_area(material.bodies.size()), farthest(near_area);
  for (std::size_t t = 0; t < triangles.size(); ++t) {
    if (distance[t] == kInfinity) continue;
    near_area[body_of(t)] += facet_area(t);
    farthest[body_of(t)] = std::max(farthest[body_of(t)], distance[t]);
  }
  for (std::size_t b = 0; b < apart.size(); ++b) {
    if (is_candidate[b] && near_area[b] >= kNearlyAll * material.bodies[b].area) {
      apart[b] = farthest[b];
    }
  }
  return apart;
}

}  // namespace aguja
