#include "geometry/planar_region.h"

#include <algorithm>
#include <limits>
#include <tuple>

namespace aguja {
namespace {

constexpr std::uint32_t kNoTriangle = std::numeric_limits<std::uint32_t>::max();

std::uint64_t unordered_key(std::uint32_t a, std::uint32_t b) {
  return std::uint64_t{std::min(a, b)} << 32 | std::max(a, b);
}

// By point: the first of the border's that lies there. Of the others it says nothing.
std::vector<std::uint32_t> first_in_place(std::span<const PlanarPoint> points,
                                          std::span<const PlanarEdge> border) {
  std::vector<std::uint32_t> order;
  for (const PlanarEdge& e : border) order.insert(order.end(), e.begin(), e.end());
  std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    return std::tuple(points[a].x(), points[a].y(), a) <
           std::tuple(points[b].x(), points[b].y(), b);
  });
  std::vector<std::uint32_t> first(points.size());
  for (std::size_t k = 0; k < order.size(); ++k) {
    const bool again = k > 0 && points[order[k]] == points[order[k - 1]];
    first[order[k]] = again ? first[order[k - 1]] : order[k];
  }
  return first;
}

// Edges of the triangulation at which the region is left or entered, in order.
std::vector<std::uint64_t> crossed_edges(std::span<const PlanarPoint> points,
                                         std::span<const PlanarEdge> border,
                                         const PlanarTriangulation& all) {
  const std::vector<std::uint32_t> first = first_in_place(points, border);
  std::vector<std::uint64_t> runs;
  for (const PlanarEdge& e : border) {
    const std::uint32_t a = first[e[0]], b = first[e[1]];
    if (a != b) runs.push_back(unordered_key(a, b));
  }
  std::sort(runs.begin(), runs.end());
  std::vector<std::uint64_t> even, crossed;
  for (std::size_t begin = 0, end = 0; begin < runs.size(); begin = end) {
    while (end < runs.size() && runs[end] == runs[begin]) ++end;
    if ((end - begin) % 2 == 0) even.push_back(runs[begin]);
  }
  // Pieces of longer edges are in no runs.
  for (const PlanarEdge& e : all.constrained) {
    const std::uint64_t k = unordered_key(e[0], e[1]);
    if (!std::binary_search(even.begin(), even.end(), k)) crossed.push_back(k);
  }
  std::sort(crossed.begin(), crossed.end());
  return crossed;
}

}  // namespace

PlanarRegion triangulate_region(std::span<const PlanarPoint> points,
                                std::span<const PlanarEdge> border) {
  PlanarTriangulation all = triangulate(points, border);
  const std::vector<std::uint64_t> crossed = crossed_edges(points, border, all);
  struct Side {
    std::uint64_t edge;
    std::uint32_t triangle, corner;
    auto operator<=>(const Side&) const = default;
  };
  std::vector<Side> sides;
  sides.reserve(3 * all.triangles.size());
  for (std::uint32_t t = 0; t < all.triangles.size(); ++t) {
    const auto& v = all.triangles[t];
    for (std::uint32_t c = 0; c < 3; ++c)
      sides.push_back({unordered_key(v[c], v[(c + 1) % 3]), t, c});
  }
  std::sort(sides.begin(), sides.end());
  // Across each side: a triangle, and whether the border is crossed; from the hull's inward.
  std::vector<std::array<std::uint32_t, 3>> beside(all.triangles.size(),
                                                   {kNoTriangle, kNoTriangle, kNoTriangle});
  std::vector<std::array<bool, 3>> crosses(all.triangles.size());
  std::vector<std::int8_t> inside(all.triangles.size(), -1);
  std::vector<std::uint32_t> pending;
  for (std::size_t k = 0; k < sides.size(); ++k) {
    const Side& s = sides[k];
    const bool is_crossed = std::binary_search(crossed.begin(), crossed.end(), s.edge);
    crosses[s.triangle][s.corner] = is_crossed;
    if (k + 1 < sides.size() && sides[k + 1].edge == s.edge) {
      const Side& other = sides[++k];
      crosses[other.triangle][other.corner] = is_crossed;
      beside[s.triangle][s.corner] = other.triangle;
      beside[other.triangle][other.corner] = s.triangle;
    } else if (inside[s.triangle] < 0) {
      inside[s.triangle] = is_crossed ? 1 : 0;
      pending.push_back(s.triangle);
    }
  }
  while (!pending.empty()) {
    const std::uint32_t t = pending.back();
    pending.pop_back();
    for (std::size_t c = 0; c < 3; ++c) {
      const std::uint32_t other = beside[t][c];
      if (other == kNoTriangle || inside[other] >= 0) continue;
      inside[other] = static_cast<std::int8_t>(crosses[t][c] ? 1 - inside[t] : inside[t]);
      pending.push_back(other);
    }
  }
  PlanarRegion region;
  for (std::size_t t = 0; t < inside.size(); ++t) {
    if (inside[t] == 1) region.triangles.push_back(all.triangles[t]);
  }
  region.constrained = std::move(all.constrained);
  region.refused = std::move(all.refused);
  return region;
}

}  // namespace aguja
