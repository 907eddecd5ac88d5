#include "mend/near_skins.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <span>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/geometry/distance.h"
#include "aguja/mesh/components.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/solid/mass_properties.h"
#include "base/disjoint_sets.h"
#include "base/mixed_bits.h"
#include "mesh/snap_together.h"

namespace aguja {
namespace {

// By vertices, all of it: most meshes do.
bool hangs_together(const Mesh& mesh) {
  if (mesh.triangles.empty()) return true;
  DisjointSets sets(mesh.points.size());
  constexpr std::size_t kUniteGrain = std::size_t{1} << 14;
  parallel_ranges(mesh.triangles.size(), kUniteGrain, [&](Range r) {
    for (std::size_t t = r.begin; t < r.end; ++t) {
      const Triangle& v = mesh.triangles[t];
      sets.unite(v[0].value, v[1].value);
      sets.unite(v[1].value, v[2].value);
    }
  });
  const std::uint32_t first = sets.find(mesh.triangles[0][0].value);
  return std::all_of(mesh.triangles.begin(), mesh.triangles.end(),
                     [&](const Triangle& t) { return sets.find(t[0].value) == first; });
}

// Whether every edge is used as often one way as the other: by a sum that is zero then, and else is
// not but once in 2^64.
bool is_balanced(const Mesh& mesh) {
  std::atomic<std::uint64_t> sum = 0;
  constexpr std::size_t kSumGrain = std::size_t{1} << 14;
  parallel_ranges(mesh.triangles.size(), kSumGrain, [&](Range r) {
    std::uint64_t own = 0;
    for (std::size_t t = r.begin; t < r.end; ++t) {
      const Triangle& v = mesh.triangles[t];
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint64_t from = v[k].value, to = v[(k + 1) % 3].value;
        if (from < to) own += mixed(from << 32 | to);
        if (to < from) own -= mixed(to << 32 | from);
      }
    }
    sum += own;
  });
  return sum == 0;
}

// By component: its volume's sign; 0 where it is open.
std::vector<int> volume_signs(const Mesh& mesh, const EdgeTable& edges,
                              const Components& components) {
  std::vector<double> volume(components.count, 0);
  std::vector<bool> is_open(components.count, false);
  const Point origin = box_of(mesh).center();
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    if (!components.has({t})) continue;
    const Triangle& v = mesh.triangles[t];
    const Vector a = mesh.point(v[0]) - origin, b = mesh.point(v[1]) - origin,
                 c = mesh.point(v[2]) - origin;
    volume[components.shell_of[t].value] += a.dot(b.cross(c));
  }
  for (std::uint32_t e = 0; e < edges.size(); ++e) {
    if (edges.is_balanced({e})) continue;
    is_open[components.shell_of[edges.uses({e})[0].triangle().value].value] = true;
  }
  std::vector<int> signs(components.count);
  for (std::size_t s = 0; s < signs.size(); ++s) {
    signs[s] = is_open[s] ? 0 : volume[s] > 0 ? 1 : -1;
  }
  return signs;
}

// Triangles with a naked edge.
std::vector<TriangleId> triangles_at_rims(const EdgeTable& edges) {
  std::vector<TriangleId> triangles;
  for (std::uint32_t e = 0; e < edges.size(); ++e) {
    if (edges.is_naked({e})) triangles.push_back(edges.uses({e})[0].triangle());
  }
  std::sort(triangles.begin(), triangles.end());
  triangles.erase(std::unique(triangles.begin(), triangles.end()), triangles.end());
  return triangles;
}

// Triangles that lie on each other and belong together: of different closed bodies, or where open
// surfaces overlap like shingles, a lesser part of each on the other.
class SkinPairs {
 public:
  SkinPairs(const Mesh& mesh, const EdgeTable& edges, const Components& components,
            const std::vector<int>& sign, double reach, std::span<const TriangleId> about)
      : mesh_(mesh), components_(components), sign_(sign), wanted_(mesh.triangles.size(), false) {
    // Both ways, so that all that is near a triangle stands together.
    std::vector<std::uint32_t> set_of(mesh.triangles.size());
    for (std::size_t t = 0; t < set_of.size(); ++t) set_of[t] = components.shell_of[t].value;
    const std::vector<TriangleId> at_rims = triangles_at_rims(edges);
    const NearSeeds seeds{at_rims, edges};
    for (const NearTriangles& pair : find_near_triangles(mesh, reach, set_of, &seeds)) {
      near_.push_back(pair);
      near_.push_back({pair.second, pair.first, pair.area, pair.sine, pair.middle});
    }
    std::sort(near_.begin(), near_.end(), by_number);
    find_doubled();
    std::vector<bool> is_about(mesh.triangles.size(), about.empty());
    for (const TriangleId t : about) is_about[t.value] = true;
    for (const NearTriangles& pair : near_) {
      if (!is_about[pair.first.value] && !is_about[pair.second.value]) continue;
      if (pair.second < pair.first || !belong_together(pair) || is_something_between(pair))
        continue;
      accepted_.push_back(pair);
      wanted_[pair.first.value] = wanted_[pair.second.value] = true;
    }
  }
  [[nodiscard]] bool empty() const { return accepted_.empty(); }
  [[nodiscard]] const std::vector<bool>& wanted() const { return wanted_; }
  [[nodiscard]] bool has(TriangleId a, TriangleId b) const {
    return std::binary_search(accepted_.begin(), accepted_.end(),
                              NearTriangles{std::min(a, b), std::max(a, b)}, by_number);
  }

 private:
  static bool by_number(const NearTriangles& a, const NearTriangles& b) {
    return a.first != b.first ? a.first < b.first : a.second < b.second;
  }
  [[nodiscard]] std::span<const NearTriangles> near(TriangleId t) const {
    const auto begin =
        std::lower_bound(near_.begin(), near_.end(), NearTriangles{t, {0}}, by_number);
    auto end = begin;
    while (end != near_.end() && end->first == t) ++end;
    return {begin, end};
  }
  // Open ones that lie on others with much of their area: a copy, or one side of a thin wall.
  void find_doubled() {
    if (near_.empty()) return;
    constexpr double kMuch = 0.5;
    std::vector<double> area(components_.count, 0), near_area(components_.count, 0);
    for (std::uint32_t t = 0; t < mesh_.triangles.size(); ++t) {
      if (!components_.has({t})) continue;
      const Triangle& v = mesh_.triangles[t];
      area[components_.shell_of[t].value] += 0.5 * (mesh_.point(v[1]) - mesh_.point(v[0]))
                                                       .cross(mesh_.point(v[2]) - mesh_.point(v[0]))
                                                       .norm();
    }
    for (const NearTriangles& pair : near_) {
      if (!components_.has(pair.first) || !components_.has(pair.second)) continue;
      if (facing_of(mesh_, pair.first, pair.second) != Facing::same) continue;
      near_area[components_.shell_of[pair.first.value].value] += pair.area;
    }
    is_doubled_.resize(components_.count);
    for (std::size_t s = 0; s < area.size(); ++s) {
      is_doubled_[s] = sign_[s] == 0 && near_area[s] > kMuch * area[s];
    }
  }
  [[nodiscard]] bool belong_together(const NearTriangles& pair) const {
    if (!components_.has(pair.first) || !components_.has(pair.second)) return false;
    const std::uint32_t a = components_.shell_of[pair.first.value].value;
    const std::uint32_t b = components_.shell_of[pair.second.value].value;
    if (sign_[a] == 0 || sign_[b] == 0) {
      return !is_doubled_[a] && !is_doubled_[b] &&
             facing_of(mesh_, pair.first, pair.second) == Facing::same;
    }
    if (a == b || pair.sine > kParallelPlanes) return false;
    return (sign_[a] > 0 && sign_[b] > 0) ||
           facing_of(mesh_, pair.first, pair.second) != Facing::away;
  }
  // Some other triangle lies along both, nearer to the first than the second does.
  [[nodiscard]] bool is_something_between(const NearTriangles& pair) const {
    const double far = height(pair.first, pair.second);
    const std::span<const NearTriangles> of_second = near(pair.second);
    for (const NearTriangles& other : near(pair.first)) {
      if (other.second == pair.second) continue;
      const double h =
          far > 0 ? height(pair.first, other.second) : -height(pair.first, other.second);
      if (!(h >= 0 && h < std::fabs(far))) continue;
      if (std::binary_search(of_second.begin(), of_second.end(),
                             NearTriangles{pair.second, other.second}, by_number)) {
        return true;
      }
    }
    return false;
  }
  // Of the middle of a triangle over the plane of another.
  [[nodiscard]] double height(TriangleId over, TriangleId t) const {
    const auto point = [&](TriangleId of, std::size_t k) -> const Point& {
      return mesh_.point(mesh_.triangle(of)[k]);
    };
    const Vector normal =
        (point(over, 1) - point(over, 0)).cross(point(over, 2) - point(over, 0)).stableNormalized();
    const Point middle = (point(t, 0) + point(t, 1) + point(t, 2)) / 3;
    return normal.dot(middle - point(over, 0));
  }

  const Mesh& mesh_;
  const Components& components_;
  const std::vector<int>& sign_;
  std::vector<NearTriangles> near_;      // both ways, sorted
  std::vector<NearTriangles> accepted_;  // the lower number first, sorted
  std::vector<bool> wanted_;
  std::vector<bool> is_doubled_;  // by component
};

// How far corners are from the triangles that they are of, and vertices from where they were.
std::vector<double> movements(const Mesh& before, const SnappedMesh& after) {
  std::vector<double> moved(after.mesh.triangles.size(), 0);
  std::vector<double> of_vertex(after.mesh.points.size(), 0);
  for (std::uint32_t v = 0; v < before.points.size(); ++v) {
    const VertexId now = after.maps.vertex_now[v];
    if (now.value == kNoIndex) continue;
    of_vertex[now.value] =
        std::max(of_vertex[now.value], (after.mesh.point(now) - before.points[v]).norm());
  }
  for (std::uint32_t t = 0; t < moved.size(); ++t) {
    const Triangle& parent = before.triangle(after.maps.parent[t]);
    for (const VertexId v : after.mesh.triangles[t].corner) {
      const Point& p = after.mesh.point(v);
      const Point on = closest_point(p, before.point(parent[0]), before.point(parent[1]),
                                     before.point(parent[2]));
      moved[t] = std::max({moved[t], of_vertex[v.value], (p - on).norm()});
    }
  }
  return moved;
}

}  // namespace

std::optional<Change> with_near_skins_joined(const Mesh& mesh, const Budget& budget,
                                             std::span<const TriangleId> about) {
  if (!(budget.distance > 0)) return std::nullopt;
  if (hangs_together(mesh) && is_balanced(mesh)) return std::nullopt;
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  const Components components = find_components(mesh.triangles, edges);
  const std::vector<int> sign = volume_signs(mesh, edges, components);
  constexpr int kTries = 3;
  double reach = budget.distance;
  for (int i = 0; i < kTries; ++i, reach /= 2) {
    const SkinPairs pairs(mesh, edges, components, sign, reach, about);
    if (pairs.empty()) return std::nullopt;
    std::optional<SnappedMesh> snapped = snap_together(
        mesh, pairs.wanted(), reach, [&](TriangleId a, TriangleId b) { return pairs.has(a, b); });
    if (!snapped) continue;
    const std::vector<double> moved = movements(mesh, *snapped);
    Change change;
    static_cast<MeshMaps&>(change) = std::move(snapped->maps);
    change.mesh = std::move(snapped->mesh);
    double most = 0;
    bool has_moved = false;
    for (std::size_t t = 0; t < moved.size(); ++t) {
      change.spent.push_back(budget.spent_at(change.parent[t]) + moved[t]);
      if (moved[t] == 0) continue;
      has_moved = true;
      most = std::max(most, change.spent.back());
    }
    if (!has_moved) return std::nullopt;
    if (most > budget.distance) continue;
    change.done = 1;
    change.methods.emplace_back("skins a hair apart brought onto each other");
    return change;
  }
  return std::nullopt;
}

}  // namespace aguja
