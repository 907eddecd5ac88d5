// sliver-triangle, folded-triangle: triangles that are there, but hardly.

#include <array>
#include <cmath>
#include <map>
#include <numbers>
#include <unordered_set>

#include <Eigen/Geometry>

#include "base/numbers.h"
#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

Vector normal_of(const Anatomy& a, TriangleId t) {
  const Triangle& c = a.welded.triangle(t);
  return (a.welded.point(c[1]) - a.welded.point(c[0]))
      .cross(a.welded.point(c[2]) - a.welded.point(c[0]));
}

double aspect_of(const Anatomy& a, TriangleId t) {
  const Triangle& c = a.welded.triangle(t);
  double longest = 0;
  for (std::size_t k = 0; k < 3; ++k) {
    longest =
        std::max(longest, (a.welded.point(c[(k + 1) % 3]) - a.welded.point(c[k])).squaredNorm());
  }
  return longest / normal_of(a, t).norm();
}

struct Ranked {
  TriangleId triangle;
  double value;
};

void report(const PartView& view, FindingSink& sink, FindingKind kind, double limit,
            const std::vector<Ranked>& list, bool largest_is_worst) {
  const Anatomy& a = view.anatomy;
  const auto groups = connected_groups(list, [&](const Ranked& r, const auto& key) {
    for (const VertexId v : a.welded.triangle(r.triangle).corner) key(v.value);
  });
  for (const auto& group : groups) {
    Finding finding;
    finding.kind = kind;
    finding.count = group.size();
    finding.limit = limit;
    std::vector<Point> points;
    std::vector<TriangleId> triangles;
    bool first = true;
    for (const Ranked& r : group) {
      append_points(a, r.triangle, points);
      triangles.push_back(r.triangle);
      if (first || (largest_is_worst ? r.value > finding.measure : r.value < finding.measure)) {
        finding.measure = r.value;
        finding.place = centroid_of(a, r.triangle);
      }
      first = false;
    }
    finding.box = box_of(points);
    finding.waits_for.assign(info(kind).waits_for.begin(), info(kind).waits_for.end());
    sink.add(std::move(finding), points, std::move(triangles));
  }
}

// Triangles of which something else is told that explains their shape.
std::unordered_set<std::uint32_t> explained(const PartView& view) {
  const Anatomy& a = view.anatomy;
  std::unordered_set<std::uint32_t> set;
  for (const ZeroAreaTriangle& z : a.zero_area) set.insert(z.triangle.value);
  for (const TrianglePair& p : a.crossings) {
    set.insert(p.first.value);
    set.insert(p.second.value);
  }
  for (const DuplicateGroup& g : a.duplicates) {
    for (const auto* side : {&g.same, &g.opposite}) {
      for (const TriangleId t : *side) set.insert(t.value);
    }
  }
  return set;
}

}  // namespace

void check_slivers(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  const double limit = view.limits[Limit::sliver_triangle];
  std::unordered_set<std::uint32_t> flat;
  for (const ZeroAreaTriangle& z : a.zero_area) flat.insert(z.triangle.value);
  auto slivers = parallel_collect<Ranked>(a.welded.triangles().size(), 1 << 13,
                                          [&](Range r, std::vector<Ranked>& out) {
                                            for (std::size_t i = r.begin; i < r.end; ++i) {
                                              const TriangleId t{static_cast<std::uint32_t>(i)};
                                              if (!a.components.has(t)) continue;
                                              const double aspect = aspect_of(a, t);
                                              if (aspect > limit) out.push_back({t, aspect});
                                            }
                                          });
  std::erase_if(slivers, [&](const Ranked& r) {
    return flat.contains(r.triangle.value) || view.causes.is_surplus(r.triangle) ||
           view.causes.is_stray(a.components.shell_of[r.triangle.value]);
  });
  report(view, sink, FindingKind::sliver_triangle, limit, slivers, true);
}

std::vector<FoldedTriangle> find_folded(const PartView& view) {
  const Anatomy& a = view.anatomy;
  const double cosine = -std::cos(view.limits[Limit::folded_triangle] / kDegreesPerRadian);
  const auto folds = select_edges(a.edges, [&](EdgeId e) {
    const auto uses = a.edges.uses(e);
    if (uses.size() != 2 || uses[0].forward() == uses[1].forward()) return false;
    const Vector n = normal_of(a, uses[0].triangle()), m = normal_of(a, uses[1].triangle());
    const double product = n.norm() * m.norm();
    return product > 0 && n.dot(m) <= cosine * product;
  });
  if (folds.empty()) return {};
  struct Folds {
    int count = 0;
    double least = 180;
  };
  std::map<std::uint32_t, Folds> folded;
  for (const EdgeId e : folds) {
    const auto uses = a.edges.uses(e);
    const Vector n = normal_of(a, uses[0].triangle()), m = normal_of(a, uses[1].triangle());
    const double angle = 180 - kDegreesPerRadian * std::atan2(n.cross(m).norm(), n.dot(m));
    for (const EdgeUse use : uses) {
      Folds& f = folded[use.triangle().value];
      ++f.count;
      f.least = std::min(f.least, angle);
    }
  }
  const auto known = explained(view);
  std::vector<FoldedTriangle> list;
  for (const auto& [t, f] : folded) {
    if (f.count >= 2 && !known.contains(t)) list.push_back({{t}, f.least});
  }
  return list;
}

void check_folded(const PartView& view, FindingSink& sink) {
  std::vector<Ranked> list;
  for (const FoldedTriangle& f : find_folded(view)) list.push_back({f.triangle, f.angle});
  report(view, sink, FindingKind::folded_triangle, view.limits[Limit::folded_triangle], list,
         false);
}

// normal-mismatch: what the file says of facets, against their corners.
void check_stored_normals(const PartView& view, FindingSink& sink) {
  const auto& stored = view.shape.facets.normals;
  const Anatomy& a = view.anatomy;
  if (stored.size() != a.welded.triangles().size()) return;
  const auto against = parallel_collect<TriangleId>(
      stored.size(), 1 << 13, [&](Range r, std::vector<TriangleId>& out) {
        for (std::size_t i = r.begin; i < r.end; ++i) {
          const TriangleId t{static_cast<std::uint32_t>(i)};
          if (stored[i].dot(normal_of(a, t)) < 0) out.push_back(t);
        }
      });
  if (against.empty()) return;
  Finding finding;
  finding.kind = FindingKind::normal_mismatch;
  finding.count = against.size();
  finding.measure = static_cast<double>(against.size());
  std::vector<Point> points;
  for (const TriangleId t : against) append_points(a, t, points);
  finding.box = box_of(points);
  finding.place = centroid_of(a, against.front());
  finding.detail = "of " + std::to_string(stored.size()) + " triangles";
  sink.add(std::move(finding), points, against);
}

}  // namespace aguja
