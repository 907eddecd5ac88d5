#include "aguja/mend/by_hand.h"

#include <algorithm>
#include <map>
#include <set>

#include "aguja/mend/weld.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "geometry/small_matrix.h"
#include "mend/editable_mesh.h"

namespace aguja {
namespace {

void check(const Mesh& mesh, VertexId v) {
  if (v.value >= mesh.points.size()) {
    throw ArgumentError("there is no vertex " + std::to_string(v.value));
  }
}
void check(const Mesh& mesh, std::span<const TriangleId> triangles) {
  for (const TriangleId t : triangles) {
    if (t.value >= mesh.triangles.size()) {
      throw ArgumentError("there is no triangle " + std::to_string(t.value));
    }
  }
}

// Triangles between vertices that are there.
Change with_triangles(const Mesh& mesh, std::span<const Triangle> triangles, const Budget& budget) {
  const std::vector<PatchId> patches(mesh.patch_of.empty() ? 0 : triangles.size(), PatchId{0});
  Change change = adding(mesh, {}, triangles, patches, budget);
  change.done = triangles.size();
  return change;
}

void append(Change& change, const Triangle& t, PatchId patch) {
  change.mesh.triangles.push_back(t);
  if (!change.mesh.patch_of.empty()) change.mesh.patch_of.push_back(patch);
  change.parent.push_back({kNoIndex});
  change.spent.push_back(0);
  ++change.done;
}

}  // namespace

Change move_vertices(const Mesh& mesh, std::span<const VertexMove> moves, const Budget& budget) {
  Change change = unchanged(mesh, budget);
  std::map<VertexId, double> moved;
  for (const auto& [v, to] : moves) {
    check(mesh, v);
    moved[v] = (to - mesh.point(v)).norm();
    change.mesh.points[v.value] = to;
    ++change.done;
  }
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    double farthest = 0;
    for (const VertexId v : mesh.triangles[t].corner) {
      if (const auto at = moved.find(v); at != moved.end())
        farthest = std::max(farthest, at->second);
    }
    change.spent[t] += farthest;
  }
  change.mesh.points_are_distinct = false;
  return change;
}

Change join_vertices(const Mesh& mesh, std::span<const VertexId> vertices, const Point& to,
                     const Budget& budget) {
  if (vertices.size() < 2) throw ArgumentError("join: two vertices at least are needed");
  std::vector<VertexMove> moves;
  for (const VertexId v : vertices) moves.push_back({v, to});
  const Change moved = move_vertices(mesh, moves, budget);
  Change joined = weld(moved.mesh, {budget.distance, moved.spent});
  joined.done = vertices.size();
  return composed(moved, std::move(joined));
}

Change add_triangle(const Mesh& mesh, const std::array<VertexId, 3>& corners,
                    const Budget& budget) {
  for (const VertexId v : corners) check(mesh, v);
  if (has_equal_corners({{corners[0], corners[1], corners[2]}})) {
    throw ArgumentError("add: a triangle needs three different vertices");
  }
  const Triangle added{{corners[0], corners[1], corners[2]}};
  return with_triangles(mesh, std::span(&added, 1), budget);
}

Change bridge_edges(const Mesh& mesh, const std::array<VertexId, 2>& first,
                    const std::array<VertexId, 2>& second, const Budget& budget) {
  return bridge_edges(mesh, EdgeTable(mesh.triangles, mesh.points.size()), first, second, budget);
}

Change bridge_edges(const Mesh& mesh, const EdgeTable& edges, const std::array<VertexId, 2>& first,
                    const std::array<VertexId, 2>& second, const Budget& budget) {
  // As a triangle that is added will run along the edge.
  const auto directed = [&](std::array<VertexId, 2> ends) {
    for (const VertexId v : ends) check(mesh, v);
    const auto e = edges.find(ends[0], ends[1]);
    if (!e || !edges.is_naked(*e)) {
      throw ArgumentError("bridge: there is no naked edge between vertices " +
                          std::to_string(ends[0].value) + " and " + std::to_string(ends[1].value));
    }
    const EdgeUse use = edges.uses(*e)[0];
    const Triangle& t = mesh.triangle(use.triangle());
    return std::array<VertexId, 2>{t[(use.corner() + 1) % 3], t[use.corner()]};
  };
  const auto [a, b] = directed(first);
  const auto [c, d] = directed(second);
  if (a == c || b == d) throw ArgumentError("bridge: the edges face the same way");
  // The quad a, b, c, d along its shorter diagonal; edges that share a vertex need one triangle.
  if (b == c || a == d) {
    const Triangle one = b == c ? Triangle{{a, b, d}} : Triangle{{a, b, c}};
    return with_triangles(mesh, std::span(&one, 1), budget);
  }
  const bool along_ac =
      (mesh.point(a) - mesh.point(c)).norm() <= (mesh.point(b) - mesh.point(d)).norm();
  const Triangle two[] = {along_ac ? Triangle{{a, b, c}} : Triangle{{a, b, d}},
                          along_ac ? Triangle{{a, c, d}} : Triangle{{b, c, d}}};
  return with_triangles(mesh, two, budget);
}

namespace {

Change with_copy(const Mesh& mesh, std::span<const TriangleId> triangles,
                 const std::map<VertexId, Point>& points, bool turn, const Budget& budget) {
  Change change = unchanged(mesh, budget);
  std::map<VertexId, VertexId> number;
  for (const auto& [v, p] : points) {
    number[v] = {static_cast<std::uint32_t>(change.mesh.points.size())};
    change.mesh.points.push_back(p);
  }
  for (const TriangleId id : triangles) {
    Triangle t = mesh.triangle(id);
    for (VertexId& v : t.corner) v = number.at(v);
    if (turn) std::swap(t[1], t[2]);
    append(change, t, mesh.patch_of.empty() ? PatchId{0} : mesh.patch_of[id.value]);
  }
  change.mesh.points_are_distinct = false;
  Change welded = weld(change.mesh, {budget.distance, change.spent});
  welded.done = triangles.size();
  return composed(change, std::move(welded));
}

}  // namespace

Change copy_patch(const Mesh& mesh, std::span<const TriangleId> triangles, const Placement& map,
                  const Budget& budget) {
  check(mesh, triangles);
  std::map<VertexId, Point> points;
  for (const TriangleId t : triangles) {
    for (const VertexId v : mesh.triangle(t).corner) points[v] = map(mesh.point(v));
  }
  return with_copy(mesh, triangles, points, map.mirrors(), budget);
}

Change copy_at_offset(const Mesh& mesh, std::span<const TriangleId> triangles, double distance,
                      const Budget& budget) {
  check(mesh, triangles);
  std::map<VertexId, std::vector<Vector>> normals;
  for (const TriangleId id : triangles) {
    const Triangle& t = mesh.triangle(id);
    const Vector n = unit_normal({mesh.point(t[0]), mesh.point(t[1]), mesh.point(t[2])});
    if (!(n.norm() > 0)) continue;
    for (const VertexId v : t.corner) normals[v].push_back(n);
  }
  std::map<VertexId, Point> points;
  for (const TriangleId id : triangles) {
    for (const VertexId v : mesh.triangle(id).corner) {
      // The shift of least length that puts every plane around it at the distance.
      const std::vector<Vector>& own = normals[v];
      Vector shift = Vector::Zero();
      if (!own.empty()) {
        // Normals that differ by the facets of a smooth surface only count as one.
        constexpr double kOneNormal = 0.05;  // singular values
        shift = least_step(own, std::vector<double>(own.size(), -distance), kOneNormal).step;
      }
      points[v] = mesh.point(v) + shift;
    }
  }
  return with_copy(mesh, triangles, points, true, budget);
}

Placement moving(const Point& from, const Point& to) { return moved_by(to - from); }
Placement mirroring(const Point& through, const Vector& normal) {
  const Vector n = normal.normalized();
  const Placement mirror{Eigen::Matrix3d::Identity() - 2 * n * n.transpose(), Vector::Zero()};
  return moved_by(through) * mirror * moved_by(-through);
}

TakenOut take_out(const Mesh& mesh, std::span<const TriangleId> triangles) {
  check(mesh, triangles);
  std::vector<bool> wanted(mesh.triangles.size());
  for (const TriangleId t : triangles) wanted[t.value] = true;
  Change taken, rest;
  TakenOut out;
  for (Change* c : {&taken, &rest}) {
    c->mesh.points = mesh.points;
    c->mesh.points_are_distinct = mesh.points_are_distinct;
    c->vertex_now = unchanged_vertices(mesh);
  }
  rest.mesh.wires = mesh.wires;
  for (std::uint32_t t = 0; t < wanted.size(); ++t) {
    Mesh& to = wanted[t] ? taken.mesh : rest.mesh;
    to.triangles.push_back(mesh.triangles[t]);
    if (!mesh.patch_of.empty()) to.patch_of.push_back(mesh.patch_of[t]);
    (wanted[t] ? out.triangles : out.rest_triangles).push_back({t});
  }
  // Only points of its own, so that it is a mesh like any other; what nothing used stays behind.
  const std::vector<bool> used_before = used_points(mesh);
  std::vector<bool> keep = used_points(rest.mesh);
  for (std::size_t v = 0; v < keep.size(); ++v) keep[v] = keep[v] || !used_before[v];
  keep_points(rest, keep);
  keep_points(taken, points_of_triangles(taken.mesh));
  out.mesh = std::move(taken.mesh);
  out.vertex_in_mesh = std::move(taken.vertex_now);
  out.rest = std::move(rest.mesh);
  out.vertex_in_rest = std::move(rest.vertex_now);
  return out;
}

Change put_back(const TakenOut& taken, const Change& changed, const Budget& budget) {
  Change change;
  Mesh& out = change.mesh;
  out = taken.rest;
  const auto shift = static_cast<std::uint32_t>(out.points.size());
  out.points.insert(out.points.end(), changed.mesh.points.begin(), changed.mesh.points.end());
  for (std::size_t t = 0; t < taken.rest.triangles.size(); ++t) {
    change.parent.push_back(taken.rest_triangles[t]);
    change.spent.push_back(budget.spent_at(taken.rest_triangles[t]));
  }
  change.vertex_now = taken.vertex_in_rest;
  for (std::size_t v = 0; v < change.vertex_now.size(); ++v) {
    VertexId& now = change.vertex_now[v];
    const VertexId own = taken.vertex_in_mesh[v];
    if (now.value != kNoIndex || own.value == kNoIndex) continue;
    if (const VertexId after = changed.vertex_now[own.value]; after.value != kNoIndex) {
      now = {after.value + shift};
    }
  }
  const bool patches = !taken.rest.patch_of.empty() || !changed.mesh.patch_of.empty();
  if (patches && out.patch_of.empty()) out.patch_of.assign(out.triangles.size(), PatchId{0});
  for (std::size_t t = 0; t < changed.mesh.triangles.size(); ++t) {
    Triangle own = changed.mesh.triangles[t];
    for (VertexId& v : own.corner) v.value += shift;
    out.triangles.push_back(own);
    if (patches) {
      out.patch_of.push_back(changed.mesh.patch_of.empty() ? PatchId{0} : changed.mesh.patch_of[t]);
    }
    const TriangleId parent = changed.parent[t];
    change.parent.push_back(parent.value == kNoIndex ? parent : taken.triangles[parent.value]);
    change.spent.push_back(changed.spent[t]);
  }
  const auto first = static_cast<std::uint32_t>(taken.rest.triangles.size());
  for (const FurtherParent& f : changed.further_parents) {
    change.further_parents.push_back({{f.triangle.value + first}, taken.triangles[f.parent.value]});
  }
  std::sort(change.further_parents.begin(), change.further_parents.end());
  for (Wire w : changed.mesh.wires) {
    for (VertexId& v : w) v.value += shift;
    out.wires.push_back(w);
  }
  for (const TriangleId t : changed.dropped) change.dropped.push_back(taken.triangles[t.value]);
  std::sort(change.dropped.begin(), change.dropped.end());
  out.points_are_distinct = false;
  Change welded = weld(out, {budget.distance, change.spent});
  welded.done = changed.done;
  welded.methods = changed.methods;
  welded.refused = changed.refused;
  change.new_patches = changed.new_patches;
  return composed(change, std::move(welded));
}

}  // namespace aguja
