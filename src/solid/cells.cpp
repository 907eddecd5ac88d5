#include "aguja/solid/cells.h"

#include <algorithm>

#include <Eigen/Geometry>

#include "aguja/geometry/predicates.h"
#include "base/disjoint_sets.h"
#include "solid/cell_sides.h"

namespace aguja {
namespace {

// Are the corners b and c, seen along a line of direction d, on the same side of it? Called for
// points in one plane with the line: a projection along some axis tells, exactly.
bool same_side_in_plane(const Point& low, const Point& high, const Point& b, const Point& c) {
  for (int axis = 0; axis < 3; ++axis) {
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    const int of_b = orient2d(low[u], low[v], high[u], high[v], b[u], b[v]);
    const int of_c = orient2d(low[u], low[v], high[u], high[v], c[u], c[v]);
    if (of_b != 0 || of_c != 0) return of_b == of_c;
  }
  return true;
}

}  // namespace

std::vector<EdgeUse> uses_by_angle(std::span<const Point> points,
                                   std::span<const Triangle> triangles, const Edge& edge,
                                   std::span<const EdgeUse> uses) {
  const Point& low = points[edge.low.value];
  const Point& high = points[edge.high.value];
  const auto apex = [&](EdgeUse use) -> const Point& {
    return points[triangles[use.triangle().value][(use.corner() + 2) % 3].value];
  };
  const Point& first = apex(uses[0]);
  // +1: x is reached from y by turning counter-clockwise by less than half a turn.
  const auto turn = [&](const Point& y, const Point& x) { return orient3d(low, high, y, x); };
  // 0: on the first; 1: in the first half turn; 2: opposite; 3: in the second half.
  const auto quarter = [&](const Point& x) {
    const int t = turn(first, x);
    if (t != 0) return t > 0 ? 1 : 3;
    return same_side_in_plane(low, high, first, x) ? 0 : 2;
  };
  std::vector<std::pair<int, EdgeUse>> order;
  for (const EdgeUse use : uses) order.emplace_back(quarter(apex(use)), use);
  std::sort(order.begin() + 1, order.end(), [&](const auto& a, const auto& b) {
    if (a.first != b.first) return a.first < b.first;
    const int t = turn(apex(a.second), apex(b.second));
    return t != 0 ? t > 0 : a.second < b.second;
  });
  std::vector<EdgeUse> sorted;
  for (const auto& [q, use] : order) sorted.push_back(use);
  return sorted;
}

Cells find_cells(std::span<const Point> points, std::span<const Triangle> triangles,
                 const EdgeTable& edges, const SurfacePiece& piece) {
  DisjointSets sets(2 * piece.triangles.size());
  std::vector<EdgeUse> by_angle;
  for (const EdgeId e : piece.edges) {
    std::span<const EdgeUse> uses = edges.uses(e);
    if (uses.size() > 2) {
      by_angle = uses_by_angle(points, triangles, edges.edge(e), uses);
      uses = by_angle;
    }
    join_sides_around(
        uses, [&](TriangleId t) { return piece.place[t.value]; },
        [&](std::uint32_t a, std::uint32_t b) { sets.unite(a, b); });
  }
  Cells result;
  result.of_side.assign(2 * piece.triangles.size(), kNoIndex);
  std::vector<std::uint32_t> number(2 * piece.triangles.size(), kNoIndex);
  Box box;
  for (const TriangleId t : piece.triangles) {
    for (const VertexId v : triangles[t.value].corner) box.extend(points[v.value]);
  }
  const Point origin = box.center();
  for (std::uint32_t i = 0; i < piece.triangles.size(); ++i) {
    const TriangleId t = piece.triangles[i];
    const Triangle& triangle = triangles[t.value];
    const Vector a = points[triangle[0].value] - origin, b = points[triangle[1].value] - origin,
                 c = points[triangle[2].value] - origin;
    const double area = 0.5 * (b - a).cross(c - a).norm();
    const double cone = a.dot(b.cross(c)) / 6;
    for (std::uint32_t s = 0; s < 2; ++s) {
      std::uint32_t& cell = number[sets.find(2 * i + s)];
      if (cell == kNoIndex) {
        cell = static_cast<std::uint32_t>(result.cells.size());
        result.cells.emplace_back();
      }
      result.of_side[2 * i + s] = cell;
      Cell& own = result.cells[cell];
      own.volume += s == 0 ? -cone : cone;
      (s == 0 ? own.at_front : own.at_back) += area;
    }
  }
  return result;
}

}  // namespace aguja
