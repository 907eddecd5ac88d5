#include "aguja/mend/given_up.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <unordered_map>

#include <Eigen/Geometry>

#include "aguja/mesh/triangle_places.h"
#include "aguja/mesh/weld.h"
#include "base/disjoint_sets.h"
#include "mend/editable_mesh.h"

namespace aguja {
namespace {

TriangleCorners corners_given_up(const Mesh& mesh, TriangleId t) {
  const Triangle& c = mesh.triangle(t);
  return {mesh.point(c[0]), mesh.point(c[1]), mesh.point(c[2])};
}

}  // namespace

std::vector<TriangleId> given_up(const Mesh& before, const Change& change) {
  if (change.dropped.empty()) return {};
  const auto dropped = [&](std::size_t i) { return corners_given_up(before, change.dropped[i]); };
  const TrianglePlaces places(change.dropped.size(), dropped);
  Box box;
  for (std::size_t i = 0; i < change.dropped.size(); ++i) box.extend(box_of(dropped(i)));
  std::vector<bool> is_left(change.dropped.size());
  for (std::uint32_t t = 0; t < change.mesh.triangles.size(); ++t) {
    const TriangleCorners own = corners_given_up(change.mesh, {t});
    if (!box.contains(own[0])) continue;
    if (const auto at = places.find(own)) is_left[*at] = true;
  }
  std::vector<TriangleId> goes;
  for (std::size_t i = 0; i < change.dropped.size(); ++i) {
    if (!is_left[*places.find(dropped(i))]) goes.push_back(change.dropped[i]);
  }
  return goes;
}

std::vector<TriangleId> closed_shells_among(const KnownMesh& before,
                                            std::span<const TriangleId> goes) {
  const Mesh& mesh = before.mesh();
  const auto number = [&](TriangleId t) -> std::optional<std::uint32_t> {
    const auto at = std::lower_bound(goes.begin(), goes.end(), t);
    if (at == goes.end() || *at != t) return std::nullopt;
    return static_cast<std::uint32_t>(at - goes.begin());
  };
  if (goes.empty()) return {};
  const EdgeTable& edges = before.edges();
  DisjointSets sets(goes.size());
  std::vector<bool> is_open(goes.size());
  for (std::uint32_t i = 0; i < goes.size(); ++i) {
    const Triangle& t = mesh.triangle(goes[i]);
    for (std::size_t c = 0; c < 3; ++c) {
      const auto e = edges.find(t[c], t[(c + 1) % 3]);
      if (!e) continue;
      std::ptrdiff_t balance = 0;
      for (const EdgeUse use : edges.uses(*e)) {
        const auto other = number(use.triangle());
        balance += use.forward() ? 1 : -1;
        if (other) {
          sets.unite(i, *other);
        } else {
          is_open[i] = true;
        }
      }
      if (balance != 0) is_open[i] = true;
    }
  }
  struct Group {
    bool is_open = false;
    double volume = 0, area = 0;
    std::optional<Point> origin;
  };
  std::unordered_map<std::uint32_t, Group> groups;
  for (std::uint32_t i = 0; i < goes.size(); ++i) {
    Group& own = groups[sets.find(i)];
    own.is_open = own.is_open || is_open[i];
    const TriangleCorners c = corners_given_up(mesh, goes[i]);
    if (!own.origin) own.origin = c[0];
    own.volume += (c[0] - *own.origin).dot((c[1] - *own.origin).cross(c[2] - *own.origin)) / 6;
    own.area += area_of(c);
  }
  // Less than this, against a ball of that area, is rounding of the sum.
  constexpr double kNoVolume = 1e-12;
  std::vector<TriangleId> closed;
  for (std::uint32_t i = 0; i < goes.size(); ++i) {
    const Group& own = groups[sets.find(i)];
    if (own.is_open || std::fabs(own.volume) <= kNoVolume * std::pow(own.area, 1.5)) continue;
    closed.push_back(goes[i]);
  }
  return closed;
}

double area_without_copies(const Mesh& mesh, const std::vector<bool>& left_out) {
  std::vector<std::array<std::uint32_t, 3>> corners;
  corners.reserve(mesh.triangles.size());
  const Welded welded(mesh);
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    if (!left_out.empty() && left_out[t]) continue;
    const Triangle& c = welded.triangle({t});
    std::array<std::uint32_t, 3> own = {c[0].value, c[1].value, c[2].value};
    std::sort(own.begin(), own.end());
    corners.push_back(own);
  }
  std::sort(corners.begin(), corners.end());
  corners.erase(std::unique(corners.begin(), corners.end()), corners.end());
  double sum = 0;
  for (const auto& c : corners) {
    sum += area_of(
        TriangleCorners{welded.points()[c[0]], welded.points()[c[1]], welded.points()[c[2]]});
  }
  return sum;
}

double area_of_triangles(const Mesh& mesh, std::span<const TriangleId> triangles) {
  double sum = 0;
  for (const TriangleId t : triangles) sum += area_of(corners_given_up(mesh, t));
  return sum;
}

}  // namespace aguja
