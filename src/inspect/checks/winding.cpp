// winding-conflict: one finding per connected stretch of triangles that face against their
// surroundings.

#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

// Regions of triangles that agree with each other.
class Regions {
 public:
  explicit Regions(const Anatomy& a)
      : edges_(a.edges),
        regions_(find_components(a.welded.triangles(), a.edges, Joining::agreeing_edge)),
        area_(regions_.count, 0.0) {
    for (std::uint32_t t = 0; t < regions_.shell_of.size(); ++t) {
      if (regions_.has({t})) area_[of({t})] += area_of(a, {t});
    }
  }

  [[nodiscard]] std::size_t count() const { return area_.size(); }
  /// kNoIndex for triangles with two equal corners.
  [[nodiscard]] std::uint32_t of(TriangleId t) const { return regions_.shell_of[t.value].value; }
  /// Of two regions that meet at a conflict the smaller one is taken to be turned over.
  [[nodiscard]] std::uint32_t turned(EdgeId e) const {
    const std::uint32_t x = of(edges_.uses(e)[0].triangle());
    const std::uint32_t y = of(edges_.uses(e)[1].triangle());
    if (area_[x] != area_[y]) return area_[x] < area_[y] ? x : y;
    return std::max(x, y);
  }

 private:
  const EdgeTable& edges_;
  Components regions_;
  std::vector<double> area_;  // by region
};

}  // namespace

void check_winding(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  if (a.edge_counts.winding_conflicts == 0) return;
  const auto conflicts = select_edges(a.edges, [&](EdgeId e) {
    return a.edges.is_winding_conflict(e) && view.causes.real_uses(e) == 2 &&
           !view.causes.is_stray(view.causes.shell_of(e));
  });
  const Regions regions(a);
  // Conflicts belong together if they meet, or bound the same region (a band has two borders).
  constexpr std::uint64_t kRegion = std::uint64_t{1} << 32;
  const auto groups = connected_groups(conflicts, [&](EdgeId e, const auto& add) {
    add(a.edges.edge(e).low.value);
    add(a.edges.edge(e).high.value);
    add(kRegion | regions.turned(e));
  });
  std::vector<std::uint32_t> group_of(regions.count(), kNoIndex);  // by region
  for (std::uint32_t g = 0; g < groups.size(); ++g) {
    for (const EdgeId e : groups[g]) group_of[regions.turned(e)] = g;
  }
  std::vector<std::vector<TriangleId>> triangles(groups.size());
  for (std::uint32_t t = 0; t < a.welded.triangles().size(); ++t) {
    const std::uint32_t region = regions.of({t});
    if (region == kNoIndex || group_of[region] == kNoIndex) continue;
    triangles[group_of[region]].push_back({t});
  }

  for (std::size_t g = 0; g < groups.size(); ++g) {
    Finding finding;
    finding.kind = FindingKind::winding_conflict;
    finding.count = groups[g].size();
    std::vector<Point> points;
    for (const EdgeId e : groups[g]) {
      finding.measure += edge_length(a, e);
      append_points(a, e, points);
    }
    Vector sum = Vector::Zero();
    double total = 0;
    for (const TriangleId t : triangles[g]) {
      const double area = area_of(a, t);
      sum += area * (centroid_of(a, t) - points[0]);
      total += area;
      for (const VertexId v : a.welded.triangle(t).corner) finding.box.extend(a.welded.point(v));
    }
    finding.place = total > 0 ? Point(points[0] + sum / total) : points[0];
    const std::size_t n = triangles[g].size();
    finding.detail = "around " + std::to_string(n) + (n == 1 ? " triangle" : " triangles") +
                     " turned against the rest";
    sink.add(std::move(finding), points, std::move(triangles[g]));
  }
}

}  // namespace aguja
