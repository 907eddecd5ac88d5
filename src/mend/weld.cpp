#include "aguja/mend/weld.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "aguja/geometry/box_tree.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "mend/compose.h"
#include "mend/edge_operations.h"

namespace aguja {

Change weld(const Mesh& mesh, const Budget& budget) {
  Change change;
  const Mesh distinct = with_distinct_points(mesh);
  change.done = mesh.points.size() - distinct.points.size();
  Mesh& out = change.mesh;
  out.points = distinct.points;
  out.points_are_distinct = true;
  for (const Wire& w : distinct.wires) {
    if (w[0] != w[1]) out.wires.push_back(w);
  }
  for (std::uint32_t t = 0; t < distinct.triangles.size(); ++t) {
    if (has_equal_corners(distinct.triangles[t])) {
      ++change.done;
      continue;
    }
    out.triangles.push_back(distinct.triangles[t]);
    if (!mesh.patch_of.empty()) out.patch_of.push_back(mesh.patch_of[t]);
    change.parent.push_back({t});
    change.spent.push_back(budget.spent_at({t}));
  }
  return change;
}

namespace {

struct NearPair {
  double distance;
  VertexId a, b;
};

// Vertices of naked edges within the tolerance of each other that no edge joins.
std::vector<NearPair> near_pairs(const Mesh& mesh, double tolerance,
                                 std::span<const TriangleId> only) {
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  std::vector<bool> wanted(mesh.triangles.size(), only.empty());
  for (const TriangleId t : only) wanted[t.value] = true;
  std::vector<VertexId> vertices;
  for (const EdgeId e : select_edges(edges, [&](EdgeId id) { return edges.is_naked(id); })) {
    if (!wanted[edges.uses(e)[0].triangle().value]) continue;
    vertices.push_back(edges.edge(e).low);
    vertices.push_back(edges.edge(e).high);
  }
  std::sort(vertices.begin(), vertices.end());
  vertices.erase(std::unique(vertices.begin(), vertices.end()), vertices.end());
  Array<FloatBox> boxes;
  for (const VertexId v : vertices) {
    const Point low = mesh.point(v).array() - tolerance, high = mesh.point(v).array() + tolerance;
    boxes.push_back(FloatBox(Box{low, high}));
  }
  const Array<FloatBox> kept = boxes;
  const BoxTree tree(std::move(boxes));
  std::vector<NearPair> pairs;
  for (std::uint32_t i = 0; i < vertices.size(); ++i) {
    tree.for_each_meeting(kept[i], [&](std::uint32_t j) {
      if (j <= i) return;
      const double d = (mesh.point(vertices[i]) - mesh.point(vertices[j])).norm();
      if (d > tolerance || edges.find(vertices[i], vertices[j])) return;
      pairs.push_back({d, vertices[i], vertices[j]});
    });
  }
  std::sort(pairs.begin(), pairs.end(), [](const NearPair& x, const NearPair& y) {
    return std::tuple(x.distance, x.a, x.b) < std::tuple(y.distance, y.a, y.b);
  });
  return pairs;
}

}  // namespace

Change weld_rims(const Mesh& mesh, double tolerance, std::span<const TriangleId> only,
                 const Budget& budget) {
  if (!(tolerance >= 0) || !std::isfinite(tolerance)) {
    throw ArgumentError("weld: the tolerance must be a finite length of 0 or more");
  }
  Change first = weld(mesh, budget);
  std::vector<TriangleId> wanted;
  std::vector<bool> is_wanted(mesh.triangles.size(), only.empty());
  for (const TriangleId t : only) is_wanted[t.value] = true;
  for (std::uint32_t t = 0; t < first.parent.size(); ++t) {
    if (is_wanted[first.parent[t].value]) wanted.push_back({t});
  }
  const std::vector<NearPair> pairs = near_pairs(first.mesh, tolerance, wanted);
  if (pairs.empty()) return first;
  std::vector<Refusal> refused;
  std::size_t done = 0;
  Change second = run_operations(
      first.mesh, {budget.distance, first.spent},
      [&](EditableMesh& edited, const std::vector<bool>& banned) {
        refused.clear();
        done = 0;
        std::vector<bool> taken(first.mesh.points.size());
        for (std::uint32_t i = 0; i < pairs.size(); ++i) {
          const auto& [distance, a, b] = pairs[i];
          if (taken[a.value] || taken[b.value]) continue;
          const Point middle = 0.5 * (edited.point(a) + edited.point(b));
          if (i < banned.size() && banned[i]) {
            refused.push_back({RefusalReason::crossing, middle, {}});
            continue;
          }
          const Replacement r = contraction(edited, a, b, edited.add_point(middle));
          if (const auto reason = edited.examine(r, std::numeric_limits<double>::infinity())) {
            refused.push_back({*reason, middle, {}});
            continue;
          }
          edited.apply(r, i);
          taken[a.value] = taken[b.value] = true;
          ++done;
        }
      },
      [](std::uint32_t) {});
  second.done = first.done + done;
  second.refused = std::move(refused);
  return composed(first, std::move(second));
}

}  // namespace aguja
