#include "aguja/mend/change.h"

#include <algorithm>

#include "aguja/mesh/weld.h"

namespace aguja {

namespace {

void keep_triangles(Change& change, const Mesh& mesh, const Budget& budget) {
  change.parent.resize(mesh.triangles.size());
  change.spent.resize(mesh.triangles.size());
  for (std::uint32_t t = 0; t < change.parent.size(); ++t) {
    change.parent[t] = {t};
    change.spent[t] = budget.spent_at({t});
  }
}

void add_to_cut_off(Change& change, const Mesh& mesh, TriangleId t) {
  Triangle piece{};
  for (std::size_t k = 0; k < 3; ++k) {
    piece[k] = {static_cast<std::uint32_t>(change.cut_off.points.size())};
    change.cut_off.points.push_back(mesh.point(mesh.triangle(t)[k]));
  }
  change.cut_off.triangles.push_back(piece);
}

}  // namespace

Change unchanged(const Mesh& mesh, const Budget& budget) {
  Change change;
  change.mesh = mesh;
  keep_triangles(change, mesh, budget);
  change.vertex_now = unchanged_vertices(mesh);
  return change;
}

Change adding(const Mesh& mesh, std::span<const Point> points, std::span<const Triangle> triangles,
              std::span<const PatchId> patches, const Budget& budget) {
  Change change;
  const std::size_t before = mesh.triangles.size();
  Mesh& out = change.mesh;
  out = mesh;
  out.points.append(points);
  out.triangles.append(triangles);
  if (mesh.patch_of.empty() && !patches.empty()) out.patch_of.assign(before, PatchId{0});
  out.patch_of.append(patches);
  out.points_are_distinct = mesh.points_are_distinct && stay_distinct(mesh.points, points);
  change.only_adds = true;
  change.parent.reserve(out.triangles.size());
  change.parent.resize(before);
  for (std::uint32_t t = 0; t < before; ++t) change.parent[t] = {t};
  change.parent.resize(out.triangles.size(), {kNoIndex});
  change.spent.reserve(out.triangles.size());
  change.spent.assign(budget.spent.begin(), budget.spent.end());
  change.spent.resize(out.triangles.size(), 0.0);
  change.vertex_now = unchanged_vertices(mesh);
  return change;
}

std::uint32_t patch_count(const Mesh& mesh) {
  std::uint32_t count = 0;
  static_assert(kNoIndex + 1 == 0);
  for (const PatchId p : mesh.patch_of) count = std::max(count, p.value + 1);
  return count;
}

Mesh with_distinct_points(const Mesh& mesh) {
  if (mesh.points_are_distinct) return mesh;
  return distinct_points(mesh).mesh;
}

Change distinct_points(const Mesh& mesh, const Budget& budget) {
  Change change;
  if (mesh.points_are_distinct) return unchanged(mesh, budget);
  const Welded welded(mesh);
  Mesh& distinct = change.mesh;
  distinct.points.assign(welded.points().begin(), welded.points().end());
  distinct.triangles.assign(welded.triangles().begin(), welded.triangles().end());
  distinct.wires.assign(welded.wires().begin(), welded.wires().end());
  distinct.patch_of = mesh.patch_of;
  distinct.points_are_distinct = true;
  keep_triangles(change, mesh, budget);
  change.vertex_now.resize(mesh.points.size());
  for (std::uint32_t v = 0; v < change.vertex_now.size(); ++v) {
    change.vertex_now[v] = welded.vertex({v});
  }
  return change;
}

void keep_points(Change& change, const std::vector<bool>& keep) {
  Mesh& mesh = change.mesh;
  std::vector<VertexId> now(keep.size(), VertexId{kNoIndex});
  SharedArray<Point> points;
  for (std::size_t v = 0; v < keep.size(); ++v) {
    if (!keep[v]) continue;
    now[v] = {static_cast<std::uint32_t>(points.size())};
    points.push_back(mesh.points[v]);
  }
  if (points.size() == mesh.points.size()) return;
  mesh.points = std::move(points);
  for (Triangle& t : mesh.triangles) {
    for (VertexId& v : t.corner) v = now[v.value];
  }
  for (Wire& w : mesh.wires) {
    for (VertexId& v : w) v = now[v.value];
  }
  for (VertexId& v : change.vertex_now) {
    if (v.value != kNoIndex) v = now[v.value];
  }
}

Change composed(const Change& first, Change second) {
  MeshMaps maps = composed_maps(first, second);
  std::vector<bool> is_left;
  for (const TriangleId p : maps.parent) {
    if (p.value == kNoIndex) continue;
    if (p.value >= is_left.size()) is_left.resize(p.value + std::size_t{1}, false);
    is_left[p.value] = true;
  }
  std::vector<TriangleId> dropped = first.dropped;
  for (const TriangleId t : second.dropped) {
    const TriangleId parent = first.parent[t.value];
    if (parent.value == kNoIndex) continue;
    // A piece of a triangle of which others are left.
    if (parent.value < is_left.size() && is_left[parent.value]) {
      add_to_cut_off(second, first.mesh, t);
    } else {
      dropped.push_back(parent);
    }
  }
  std::sort(dropped.begin(), dropped.end());
  dropped.erase(std::unique(dropped.begin(), dropped.end()), dropped.end());
  second.dropped = std::move(dropped);
  const auto shift = static_cast<std::uint32_t>(second.cut_off.points.size());
  for (const Point& p : first.cut_off.points) second.cut_off.points.push_back(p);
  for (Triangle t : first.cut_off.triangles) {
    for (VertexId& v : t.corner) v.value += shift;
    second.cut_off.triangles.push_back(t);
  }
  second.copied_area += first.copied_area;
  second.rests_on_estimates |= first.rests_on_estimates;
  std::vector<std::string> names = first.new_patches;
  names.insert(names.end(), second.new_patches.begin(), second.new_patches.end());
  second.new_patches = std::move(names);
  static_cast<MeshMaps&>(second) = std::move(maps);
  return second;
}

}  // namespace aguja
