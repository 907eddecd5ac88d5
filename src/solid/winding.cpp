#include "aguja/solid/winding.h"

#include <algorithm>
#include <numeric>

#include "aguja/base/parallel.h"
#include "aguja/geometry/predicates.h"

namespace aguja {
namespace {

// Side of q on the directed line a-b in the y-z plane, q moved by (e, e^2), e infinitely small;
// 0 only if a and b coincide there.
int moved_side(const Point& a, const Point& b, const Point& q) {
  const int sign = orient2d(a.y(), a.z(), b.y(), b.z(), q.y(), q.z());
  if (sign != 0) return sign;
  if (a.z() != b.z()) return a.z() < b.z() ? -1 : 1;
  if (a.y() != b.y()) return a.y() < b.y() ? 1 : -1;
  return 0;
}

struct Hit {
  std::size_t query;
  int sign;  // 0: the query point lies on the triangle
};

// The ray from q along +x against one triangle: nothing, or a hit.
std::optional<int> hit(const Point& a, const Point& b, const Point& c, const Point& q) {
  const int turn = moved_side(a, b, q);
  if (turn == 0 || moved_side(b, c, q) != turn || moved_side(c, a, q) != turn) return std::nullopt;
  // Seen along x the moved point is inside the triangle; `turn` is also the sign of the x component
  // of its normal. The ray leaves a body through triangles whose normal points along it.
  const int side = orient3d(a, b, c, q);
  if (side == 0) return 0;
  const bool ahead = side != turn;
  return ahead ? std::optional<int>(turn) : std::nullopt;
}

// A point on a triangle's rim may be moved off it by the symbolic move, so this is asked first.
bool lies_on(const Point& a, const Point& b, const Point& c, const Point& q) {
  Box box;
  box.extend(a);
  box.extend(b);
  box.extend(c);
  if (!box.contains(q) || orient3d(a, b, c, q) != 0) return false;
  // In the plane: inside its projections along all three axes (a degenerate one excludes nothing).
  for (int axis = 0; axis < 3; ++axis) {
    const int u = (axis + 1) % 3;
    const int v = (axis + 2) % 3;
    const int s = orient2d(a[u], a[v], b[u], b[v], q[u], q[v]);
    const int t = orient2d(b[u], b[v], c[u], c[v], q[u], q[v]);
    const int w = orient2d(c[u], c[v], a[u], a[v], q[u], q[v]);
    if (std::max({s, t, w}) > 0 && std::min({s, t, w}) < 0) return false;
  }
  return true;
}

}  // namespace

std::vector<std::optional<int>> winding_numbers(const Welded& mesh,
                                                std::span<const TriangleId> selection,
                                                std::span<const Point> queries) {
  std::vector<std::size_t> by_y(queries.size());
  std::iota(by_y.begin(), by_y.end(), std::size_t{0});
  std::sort(by_y.begin(), by_y.end(),
            [&](std::size_t i, std::size_t j) { return queries[i].y() < queries[j].y(); });

  const auto hits =
      parallel_collect<Hit>(selection.size(), 4096, [&](Range r, std::vector<Hit>& out) {
        for (std::size_t i = r.begin; i < r.end; ++i) {
          const Triangle& t = mesh.triangle(selection[i]);
          const Point& a = mesh.point(t[0]);
          const Point& b = mesh.point(t[1]);
          const Point& c = mesh.point(t[2]);
          const auto [y_low, y_high] = std::minmax({a.y(), b.y(), c.y()});
          const auto [z_low, z_high] = std::minmax({a.z(), b.z(), c.z()});
          const double x_high = std::max({a.x(), b.x(), c.x()});
          auto at = std::lower_bound(by_y.begin(), by_y.end(), y_low,
                                     [&](std::size_t k, double y) { return queries[k].y() < y; });
          for (; at != by_y.end() && queries[*at].y() <= y_high; ++at) {
            const Point& q = queries[*at];
            if (q.z() < z_low || q.z() > z_high || q.x() > x_high) continue;
            if (lies_on(a, b, c, q)) {
              out.push_back({*at, 0});
            } else if (const auto sign = hit(a, b, c, q)) {
              out.push_back({*at, *sign});
            }
          }
        }
      });

  std::vector<std::optional<int>> winding(queries.size(), 0);
  for (const Hit& h : hits) {
    if (h.sign == 0) winding[h.query].reset();
  }
  for (const Hit& h : hits) {
    if (winding[h.query]) *winding[h.query] += h.sign;
  }
  return winding;
}

}  // namespace aguja
