// winding-conflict: one finding per region of triangles that face against their surroundings.

#include <map>

#include "inspect/check.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

// Regions of triangles that agree with each other, within components that have conflicts.
class Regions {
 public:
  explicit Regions(const Anatomy& a) : region_(a.welded.triangles().size()) {
    std::iota(region_.begin(), region_.end(), 0u);
    for (std::size_t i = 0; i < a.edges.size(); ++i) {
      const EdgeId e{static_cast<std::uint32_t>(i)};
      const auto uses = a.edges.uses(e);
      if (uses.size() != 2 || uses[0].forward() == uses[1].forward()) continue;
      const std::uint32_t x = root(uses[0].triangle().value);
      const std::uint32_t y = root(uses[1].triangle().value);
      region_[std::max(x, y)] = std::min(x, y);
    }
    area_.resize(region_.size());
    for (std::uint32_t t = 0; t < region_.size(); ++t) {
      if (!has_equal_corners(a.welded.triangles()[t])) area_[root(t)] += area_of(a, {t});
    }
  }

  std::uint32_t root(std::uint32_t t) {
    while (region_[t] != t) t = region_[t] = region_[region_[t]];
    return t;
  }
  // Of two regions that meet at a conflict the smaller one is taken to be turned over.
  std::uint32_t turned(EdgeId e, const EdgeTable& edges) {
    const std::uint32_t x = root(edges.uses(e)[0].triangle().value);
    const std::uint32_t y = root(edges.uses(e)[1].triangle().value);
    if (area_[x] != area_[y]) return area_[x] < area_[y] ? x : y;
    return std::max(x, y);
  }
  double area(std::uint32_t region) const { return area_[region]; }

 private:
  std::vector<std::uint32_t> region_;
  std::vector<double> area_;
};

}  // namespace

void check_winding(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  if (a.edge_counts.winding_conflicts == 0) return;
  const auto conflicts = select_edges(a.edges, [&](EdgeId e) {
    return a.edges.is_winding_conflict(e) && view.causes.real_uses(e) == 2 &&
           !view.causes.is_stray(view.causes.shell_of(e));
  });
  Regions regions(a);
  std::map<std::uint32_t, std::vector<EdgeId>> by_region;
  for (const EdgeId e : conflicts) by_region[regions.turned(e, a.edges)].push_back(e);
  std::map<std::uint32_t, std::vector<TriangleId>> triangles;
  for (std::uint32_t t = 0; t < a.welded.triangles().size(); ++t) {
    const auto at = by_region.find(regions.root(t));
    if (at != by_region.end()) triangles[at->first].push_back({t});
  }

  for (const auto& [region, edges] : by_region) {
    Finding finding;
    finding.kind = FindingKind::winding_conflict;
    finding.count = edges.size();
    std::vector<Point> points;
    for (const EdgeId e : edges) {
      finding.measure += edge_length(a, e);
      append_points(a, e, points);
    }
    Vector sum = Vector::Zero();
    double total = 0;
    for (const TriangleId t : triangles[region]) {
      const double area = area_of(a, t);
      sum += area * (centroid_of(a, t) - points[0]);
      total += area;
      for (const VertexId v : a.welded.triangle(t).corner) finding.box.extend(a.welded.point(v));
    }
    finding.place = total > 0 ? Point(points[0] + sum / total) : points[0];
    const std::size_t n = triangles[region].size();
    finding.detail = "around " + std::to_string(n) + (n == 1 ? " triangle" : " triangles") +
                     " turned against the rest";
    sink.add(std::move(finding), points, std::move(triangles[region]));
  }
}

}  // namespace aguja
