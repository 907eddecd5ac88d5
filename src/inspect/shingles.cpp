#include "inspect/shingles.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <optional>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/distance.h"
#include "base/disjoint_sets.h"
#include "mesh/snap_together.h"

namespace aguja {
namespace {

// Of its length; what is next to the ends of a seam lies beside both rims.
constexpr double kMostOfRim = 0.9;
constexpr double kSameWay = 0.9;  // least cosine between normals
// Least cosine between what a point is off by and the normal there: what goes on beside it lies in the
// surface, not over it.
constexpr double kOver = 0.7;
constexpr double kInPlace = 1e-6;  // of an edge; nearer than that has no direction
constexpr double kHair = 0.02;     // of the rim's size: what is farther is no hair for it
constexpr std::array<double, 3> kPlacesOnEdge = {1.0 / 6, 0.5, 5.0 / 6};

class ShingleSearch {
 public:
  ShingleSearch(const JoinedSurface& surface, double reach)
      : surface_(surface), reach_(reach), is_on_rim_(surface.points().size(), false) {
    Box box;
    for (std::size_t i = 0; i < surface.rims().size(); ++i) {
      for (const VertexId v : surface.rims()[i].vertices) {
        is_on_rim_[v.value] = true;
        box.extend(surface.points()[v.value]);
      }
    }
    box.low.array() -= reach;
    box.high.array() += reach;
    const FloatBox near(box);
    Array<FloatBox> boxes;
    for (std::uint32_t t = 0; t < surface.triangles().size(); ++t) {
      Box own;
      for (const Point& p : corners_of(t)) own.extend(p);
      const FloatBox b(own);
      if (!b.meets(near)) continue;
      boxes.push_back(b);
      number_.push_back(t);
    }
    tree_ = BoxTree(std::move(boxes));
  }

  // How far the rim lies from what it lies along, if it does.
  [[nodiscard]] std::optional<double> apart(const Rim& rim) const {
    const double all = length(rim, surface_.points());
    const double reach = std::min(reach_, kHair * box_of(rim, surface_.points()).diagonal());
    double beside = 0, far = 0;
    for (std::size_t i = 0; i < rim.edges.size(); ++i) {
      const Point &from = surface_.points()[rim.vertices[i].value],
                  &to = surface_.points()[rim.vertices[i + 1].value];
      const double share = (to - from).norm() / static_cast<double>(kPlacesOnEdge.size());
      const std::uint32_t own = surface_.edges().uses(rim.edges[i])[0].triangle().value;
      for (const double s : kPlacesOnEdge) {
        if (const auto d = distance_at(from + s * (to - from), own, reach, kInPlace * share)) {
          far = std::max(far, *d);
        } else if ((beside += share) > (1 - kMostOfRim) * all) {
          return std::nullopt;
        }
      }
    }
    return far;
  }

 private:
  [[nodiscard]] TriangleCorners corners_of(std::uint32_t t) const {
    const Triangle& v = surface_.triangles()[t];
    return {surface_.points()[v[0].value], surface_.points()[v[1].value],
            surface_.points()[v[2].value]};
  }
  static Vector normal_of(const TriangleCorners& c) {
    return (c[1] - c[0]).cross(c[2] - c[0]).stableNormalized();
  }
  // From the inside of a surface other than the triangle's.
  [[nodiscard]] std::optional<double> distance_at(const Point& p, std::uint32_t own, double reach,
                                                  double in_place) const {
    Box box;
    box.extend(p);
    box.low.array() -= reach;
    box.high.array() += reach;
    const Vector normal = normal_of(corners_of(own));
    std::optional<double> least;
    tree_.for_each_meeting(FloatBox(box), [&](std::uint32_t item) {
      const std::uint32_t t = number_[item];
      if (t == own) return;
      const TriangleCorners c = corners_of(t);
      const Vector there = normal_of(c);
      if (!(normal.dot(there) > kSameWay)) return;
      const Point q = closest_point(p, c[0], c[1], c[2]);
      const double d = (p - q).norm();
      if (d > reach || (least && d >= *least)) return;
      if (d > in_place && std::fabs((p - q).dot(there)) < kOver * d) return;
      if (is_at_rim(q, t, d)) return;
      least = d;
    });
    return least;
  }
  // Not farther from a rim than that.
  [[nodiscard]] bool is_at_rim(const Point& q, std::uint32_t t, double far) const {
    const Triangle& v = surface_.triangles()[t];
    for (std::size_t k = 0; k < 3; ++k) {
      if (!is_on_rim_[v[k].value]) continue;
      const Point& a = surface_.points()[v[k].value];
      if ((q - a).norm() <= far) return true;
      const auto e = surface_.edges().find(v[k], v[(k + 1) % 3]);
      if (!e || !surface_.edges().is_naked(*e)) continue;
      const Point& b = surface_.points()[v[(k + 1) % 3].value];
      if ((closest_point(q, a, b, b) - q).norm() <= far) return true;
    }
    return false;
  }

  const JoinedSurface& surface_;
  double reach_;
  std::vector<bool> is_on_rim_;        // by point
  std::vector<std::uint32_t> number_;  // of what is in the tree
  BoxTree tree_;
};

}  // namespace

std::vector<Shingle> find_shingles(const JoinedSurface& surface, double reach) {
  const std::size_t count = surface.rims().size();
  if (count == 0 || surface.triangles().empty()) return {};
  const ShingleSearch search(surface, reach);
  std::vector<std::optional<double>> apart(count);
  parallel_ranges(count, 1, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) apart[i] = search.apart(surface.rims()[i]);
  });
  double farthest = 0;
  std::vector<TriangleId> seeds;
  for (std::size_t i = 0; i < count; ++i) {
    if (!apart[i]) continue;
    farthest = std::max(farthest, *apart[i]);
    for (const EdgeId e : surface.rims()[i].edges) {
      seeds.push_back(surface.edges().uses(e)[0].triangle());
    }
  }
  if (seeds.empty()) return {};

  // What lies on each other hangs together.
  constexpr double kOnEachOther = 1e-3;  // of the reach, where nothing is apart
  Mesh mesh;
  mesh.points.assign(surface.points().begin(), surface.points().end());
  mesh.triangles.assign(surface.triangles().begin(), surface.triangles().end());
  const std::vector<std::uint32_t> one_set(mesh.triangles.size(), 0);
  const NearSeeds from{seeds, surface.edges()};
  std::vector<NearTriangles> pairs =
      find_near_triangles(mesh, std::max(farthest, kOnEachOther * reach), one_set, &from);
  std::erase_if(pairs, [&](const NearTriangles& pair) {
    return facing_of(mesh, pair.first, pair.second) != Facing::same;
  });
  DisjointSets sets(mesh.triangles.size());
  for (const NearTriangles& pair : pairs) sets.unite(pair.first.value, pair.second.value);
  std::vector<std::uint32_t> root_of_rim(count, kNoIndex);
  for (std::size_t i = 0; i < count; ++i) {
    if (!apart[i]) continue;
    for (const EdgeId e : surface.rims()[i].edges) {
      const std::uint32_t t = surface.edges().uses(e)[0].triangle().value;
      if (root_of_rim[i] != kNoIndex) sets.unite(root_of_rim[i], t);
      root_of_rim[i] = t;
    }
  }
  std::map<std::uint32_t, Shingle> by_root;
  for (std::size_t i = 0; i < count; ++i) {
    if (!apart[i]) continue;
    Shingle& shingle = by_root[sets.find(root_of_rim[i])];
    shingle.rims.push_back(static_cast<std::uint32_t>(i));
    shingle.apart = std::max(shingle.apart, *apart[i]);
  }
  for (const NearTriangles& pair : pairs) {
    const auto at = by_root.find(sets.find(pair.first.value));
    if (at == by_root.end()) continue;
    at->second.area += pair.area;
    at->second.middle += pair.area * pair.middle;
    at->second.triangles.push_back(pair.first);
    at->second.triangles.push_back(pair.second);
  }
  std::vector<Shingle> shingles;
  for (auto& [root, shingle] : by_root) {
    if (shingle.area > 0) {
      shingle.middle /= shingle.area;
    } else {
      shingle.middle = center_of(surface.rims()[shingle.rims[0]], surface.points());
    }
    std::sort(shingle.triangles.begin(), shingle.triangles.end());
    shingle.triangles.erase(std::unique(shingle.triangles.begin(), shingle.triangles.end()),
                            shingle.triangles.end());
    shingles.push_back(std::move(shingle));
  }
  std::sort(shingles.begin(), shingles.end(),
            [](const Shingle& a, const Shingle& b) { return a.rims[0] < b.rims[0]; });
  return shingles;
}

}  // namespace aguja
