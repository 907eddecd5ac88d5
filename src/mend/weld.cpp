#include "aguja/mend/weld.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <set>

#include "aguja/geometry/box_tree.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "mend/edge_operations.h"

namespace aguja {

Change weld(const Mesh& mesh, const Budget& budget) {
  Change first = distinct_points(mesh);
  Mesh& distinct = first.mesh;
  Change change;
  change.done = mesh.points.size() - distinct.points.size();
  change.vertex_now = std::move(first.vertex_now);
  Mesh& out = change.mesh;
  out.points = std::move(distinct.points);
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
  const VertexStars stars(first.mesh.triangles, first.mesh.points.size());
  std::vector<Refusal> refused;
  std::size_t done = 0;
  // The first join of two rims is always a pinch, which the next ones close: what is left of them
  // at the end is undone.
  std::set<std::uint32_t> pinching, left_pinched;
  Change second;
  // A vertex is joined once: a triangle moves as far as that of its corners which moves farthest,
  // not as far as all of them together.
  const auto spent_at = [&](VertexId v) {
    double spent = 0;
    for (const TriangleId t : stars.at(v)) spent = std::max(spent, first.spent[t.value]);
    return spent;
  };
  std::map<std::array<double, 3>, double> moved;  // by the place of joined vertices
  do {
    pinching.insert(left_pinched.begin(), left_pinched.end());
    second = run_operations(
        first.mesh, {2 * budget.distance, {}},
        [&](EditableMesh& edited, const std::vector<bool>& banned) {
          refused.clear();
          moved.clear();
          left_pinched.clear();
          done = 0;
          std::vector<bool> taken(first.mesh.points.size());
          std::vector<std::pair<std::uint32_t, VertexId>> joined;
          for (std::uint32_t i = 0; i < pairs.size(); ++i) {
            const auto& [distance, a, b] = pairs[i];
            if (taken[a.value] || taken[b.value]) continue;
            const Point middle = 0.5 * (edited.point(a) + edited.point(b));
            std::optional<RefusalReason> reason;
            if (i < banned.size() && banned[i]) reason = RefusalReason::crossing;
            if (pinching.contains(i)) reason = RefusalReason::pinch;
            const double needed = 0.5 * distance + std::max(spent_at(a), spent_at(b));
            if (needed > budget.distance) {
              refused.push_back(beyond_budget(middle, needed));
              continue;
            }
            const VertexId to = edited.add_point(middle);
            const Replacement r = contraction(edited, a, b, to);
            if (!reason) reason = edited.examine(r, std::numeric_limits<double>::infinity(), true);
            if (reason) {
              refused.push_back({*reason, middle, {}});
              continue;
            }
            edited.apply_unexamined(r, i);
            moved[{middle.x(), middle.y(), middle.z()}] = 0.5 * distance;
            taken[a.value] = taken[b.value] = true;
            joined.emplace_back(i, to);
            ++done;
          }
          for (const auto& [i, v] : joined) {
            if (edited.fans_at(v) > 1) left_pinched.insert(i);
          }
        },
        [](std::uint32_t) {});
  } while (!left_pinched.empty());
  for (std::uint32_t t = 0; t < second.mesh.triangles.size(); ++t) {
    double farthest = 0;
    for (const VertexId v : second.mesh.triangles[t].corner) {
      const Point& p = second.mesh.point(v);
      const auto at = moved.find({p.x(), p.y(), p.z()});
      if (at != moved.end()) farthest = std::max(farthest, at->second);
    }
    second.spent[t] = first.spent[second.parent[t].value] + farthest;
  }
  second.done = first.done + done;
  second.refused = std::move(refused);
  return composed(first, std::move(second));
}

}  // namespace aguja
