#include "aguja/mend/given_up.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <unordered_map>

#include <Eigen/Geometry>

#include "aguja/mesh/weld.h"
#include "base/disjoint_sets.h"
#include "mend/editable_mesh.h"

namespace aguja {
namespace {

using SortedCorners = std::array<Point, 3>;

SortedCorners sorted_corners(const Mesh& mesh, const Triangle& t) {
  SortedCorners c = {mesh.point(t[0]), mesh.point(t[1]), mesh.point(t[2])};
  std::sort(c.begin(), c.end(), lexicographically_less);
  return c;
}

bool comes_before(const SortedCorners& a, const SortedCorners& b) {
  return std::lexicographical_compare(a.begin(), a.end(), b.begin(), b.end(),
                                      lexicographically_less);
}

TriangleCorners corners_given_up(const Mesh& mesh, TriangleId t) {
  const Triangle& c = mesh.triangle(t);
  return {mesh.point(c[0]), mesh.point(c[1]), mesh.point(c[2])};
}

}  // namespace

std::vector<TriangleId> given_up(const Mesh& before, const Change& change) {
  if (change.dropped.empty()) return {};
  std::vector<SortedCorners> places;
  places.reserve(change.dropped.size());
  for (const TriangleId t : change.dropped) {
    places.push_back(sorted_corners(before, before.triangle(t)));
  }
  std::sort(places.begin(), places.end(), comes_before);
  std::vector<bool> is_left(places.size());
  for (const Triangle& t : change.mesh.triangles) {
    const SortedCorners own = sorted_corners(change.mesh, t);
    auto at = std::lower_bound(places.begin(), places.end(), own, comes_before);
    for (; at != places.end() && *at == own; ++at) {
      is_left[static_cast<std::size_t>(at - places.begin())] = true;
    }
  }
  std::vector<TriangleId> goes;
  for (const TriangleId t : change.dropped) {
    const SortedCorners own = sorted_corners(before, before.triangle(t));
    const auto at = std::lower_bound(places.begin(), places.end(), own, comes_before);
    if (!is_left[static_cast<std::size_t>(at - places.begin())]) goes.push_back(t);
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
  struct Shell {
    bool is_open = false;
    double volume = 0, area = 0;
    std::optional<Point> origin;
  };
  std::unordered_map<std::uint32_t, Shell> shells;
  for (std::uint32_t i = 0; i < goes.size(); ++i) {
    Shell& own = shells[sets.find(i)];
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
    const Shell& own = shells[sets.find(i)];
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
