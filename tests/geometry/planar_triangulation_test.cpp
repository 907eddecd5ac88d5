#include "aguja/geometry/planar_triangulation.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/geometry/predicates.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace planar_triangulation_test {

using test::Random;

int turn(const PlanarPoint& a, const PlanarPoint& b, const PlanarPoint& c) {
  return orient2d(a.x(), a.y(), b.x(), b.y(), c.x(), c.y());
}

struct Case {
  std::vector<PlanarPoint> points;
  std::vector<PlanarEdge> constraints;
};

// By flips or by division, every second one.
std::size_t divided_from(std::uint64_t seed) { return seed % 2 == 0 ? 0 : kDividedFrom; }

// Grids (every circle holds four points, everything is collinear), nudged grids, random points;
// copies of points; constraints between any two.
Case random_case(std::uint64_t seed) {
  Random random(seed);
  Case c;
  const auto n = 3 + random.index(40);
  const auto grid = 2 + random.index(6);
  const bool on_grid = random.chance(0.6);
  const bool nudged = random.chance(0.3);
  const double shift = random.chance(0.3) ? 1e6 : 0;
  const double scale = random.chance(0.2) ? 1e-9 : 1;
  for (std::size_t i = 0; i < n; ++i) {
    PlanarPoint p{on_grid ? static_cast<double>(random.index(grid)) : random.unit(),
                  on_grid ? static_cast<double>(random.index(grid)) : random.unit()};
    p = (p + PlanarPoint::Constant(shift)) * scale;
    if (nudged && random.chance(0.3)) p.x() = std::nextafter(p.x(), 1e300);
    if (random.chance(0.05) && i > 0) p = c.points[random.index(i)];
    c.points.push_back(p);
  }
  const auto edges = random.index(12);
  for (std::size_t i = 0; i < edges; ++i) {
    c.constraints.push_back(
        {static_cast<std::uint32_t>(random.index(n)), static_cast<std::uint32_t>(random.index(n))});
  }
  return c;
}

using EdgeMap = std::map<PlanarEdge, std::vector<std::uint32_t>>;  // to the corners opposite of it

EdgeMap edges_of(const PlanarTriangulation& t) {
  EdgeMap edges;
  for (const auto& f : t.triangles) {
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint32_t a = f[(k + 1) % 3], b = f[(k + 2) % 3];
      edges[{std::min(a, b), std::max(a, b)}].push_back(f[k]);
    }
  }
  return edges;
}

// Twice the area of the convex hull, by Andrew's chains.
double hull_area(std::vector<PlanarPoint> p) {
  std::sort(p.begin(), p.end(), [](const PlanarPoint& a, const PlanarPoint& b) {
    return a.x() != b.x() ? a.x() < b.x() : a.y() < b.y();
  });
  std::vector<PlanarPoint> hull;
  for (int pass = 0; pass < 2; ++pass) {
    const std::size_t base = hull.size();
    for (const PlanarPoint& q : p) {
      while (hull.size() >= base + 2 && turn(hull[hull.size() - 2], hull.back(), q) <= 0)
        hull.pop_back();
      hull.push_back(q);
    }
    hull.pop_back();
    std::reverse(p.begin(), p.end());
  }
  double area = 0;
  for (std::size_t i = 0; i < hull.size(); ++i) {
    const PlanarPoint a = hull[i] - hull[0], b = hull[(i + 1) % hull.size()] - hull[0];
    area += a.x() * b.y() - a.y() * b.x();
  }
  return area;
}

TEST(PlanarTriangulation, CoversTheHullWithUprightTriangles) {
  std::size_t triangles = 0;
  for (std::uint64_t seed = 1; seed <= 3000; ++seed) {
    const Case c = random_case(seed);
    const PlanarTriangulation t = triangulate(c.points, c.constraints, divided_from(seed));
    double area = 0;
    for (const auto& f : t.triangles) {
      ASSERT_GT(turn(c.points[f[0]], c.points[f[1]], c.points[f[2]]), 0) << "seed " << seed;
      const PlanarPoint a = c.points[f[1]] - c.points[f[0]], b = c.points[f[2]] - c.points[f[0]];
      area += a.x() * b.y() - a.y() * b.x();
    }
    const double hull = hull_area(c.points);
    ASSERT_NEAR(area, hull, 1e-9 * (hull + 1e-18)) << "seed " << seed;
    for (const auto& [edge, corners] : edges_of(t)) ASSERT_LE(corners.size(), 2u);
    triangles += t.triangles.size();
  }
  EXPECT_GT(triangles, 30000u);
}

TEST(PlanarTriangulation, UsesEveryPointOnce) {
  for (std::uint64_t seed = 1; seed <= 500; ++seed) {
    const Case c = random_case(seed);
    const PlanarTriangulation t = triangulate(c.points, {}, divided_from(seed));
    if (t.triangles.empty()) continue;
    std::set<std::pair<double, double>> places, used;
    std::set<std::uint32_t> ids;
    for (const PlanarPoint& p : c.points) places.emplace(p.x(), p.y());
    for (const auto& f : t.triangles) {
      for (const std::uint32_t v : f) {
        ids.insert(v);
        used.emplace(c.points[v].x(), c.points[v].y());
      }
    }
    EXPECT_EQ(used, places) << "seed " << seed;
    EXPECT_EQ(ids.size(), places.size()) << "seed " << seed;
  }
}

TEST(PlanarTriangulation, IsDelaunayButForConstraints) {
  std::size_t tested = 0;
  for (std::uint64_t seed = 1; seed <= 2000; ++seed) {
    const Case c = random_case(seed);
    const PlanarTriangulation t = triangulate(c.points, c.constraints, divided_from(seed));
    const std::set<PlanarEdge> fixed(t.constrained.begin(), t.constrained.end());
    for (const auto& [edge, corners] : edges_of(t)) {
      if (corners.size() != 2 || fixed.contains(edge)) continue;
      PlanarPoint a = c.points[edge[0]], b = c.points[edge[1]];
      const PlanarPoint p = c.points[corners[0]], q = c.points[corners[1]];
      if (turn(a, b, p) < 0) std::swap(a, b);
      ASSERT_LE(in_circle(a.x(), a.y(), b.x(), b.y(), p.x(), p.y(), q.x(), q.y()), 0)
          << "seed " << seed;
      ++tested;
    }
  }
  EXPECT_GT(tested, 20000u);
}

// The constraint as a chain of edges of the triangulation, found by walking over points on it.
bool is_chained(const Case& c, const PlanarEdge& constraint, const std::set<PlanarEdge>& edges) {
  const PlanarPoint a = c.points[constraint[0]], b = c.points[constraint[1]];
  std::vector<std::uint32_t> on;
  for (std::uint32_t v = 0; v < c.points.size(); ++v) {
    const PlanarPoint& p = c.points[v];
    const bool within = std::min(a.x(), b.x()) <= p.x() && p.x() <= std::max(a.x(), b.x()) &&
                        std::min(a.y(), b.y()) <= p.y() && p.y() <= std::max(a.y(), b.y());
    if (!within || turn(a, b, p) != 0) continue;
    const bool copy =
        std::any_of(on.begin(), on.end(), [&](std::uint32_t u) { return c.points[u] == p; });
    if (!copy) on.push_back(v);
  }
  std::sort(on.begin(), on.end(), [&](std::uint32_t u, std::uint32_t v) {
    const PlanarPoint &p = c.points[u], &q = c.points[v];
    return p.x() != q.x() ? p.x() < q.x() : p.y() < q.y();
  });
  for (std::size_t i = 1; i < on.size(); ++i) {
    if (!edges.contains({std::min(on[i - 1], on[i]), std::max(on[i - 1], on[i])})) return false;
  }
  return true;
}

bool cross(const Case& c, const PlanarEdge& e, const PlanarEdge& f) {
  const PlanarPoint a = c.points[e[0]], b = c.points[e[1]], p = c.points[f[0]], q = c.points[f[1]];
  return turn(a, b, p) * turn(a, b, q) < 0 && turn(p, q, a) * turn(p, q, b) < 0;
}

TEST(PlanarTriangulation, HoldsEveryConstraintThatCrossesNoEarlierOne) {
  std::size_t held = 0, refused = 0;
  for (std::uint64_t seed = 1; seed <= 3000; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Case c = random_case(seed);
    const PlanarTriangulation t = triangulate(c.points, c.constraints, divided_from(seed));
    if (t.triangles.empty()) continue;
    const std::set<PlanarEdge> fixed(t.constrained.begin(), t.constrained.end());
    const EdgeMap edges = edges_of(t);
    for (const PlanarEdge& e : fixed) ASSERT_TRUE(edges.contains(e));
    std::vector<PlanarEdge> kept;
    for (std::size_t i = 0; i < c.constraints.size(); ++i) {
      const bool is_refused = std::find(t.refused.begin(), t.refused.end(), i) != t.refused.end();
      const PlanarEdge& e = c.constraints[i];
      const bool crosses = std::any_of(kept.begin(), kept.end(),
                                       [&](const PlanarEdge& k) { return cross(c, e, k); });
      if (!is_refused) {
        ASSERT_TRUE(is_chained(c, e, fixed));
        kept.push_back(e);
        ++held;
      } else {
        // Two constraints may also cross where the one passes a point of the other's chain; then
        // they share that point, and neither is refused.
        ASSERT_TRUE(crosses);
        ++refused;
      }
      if (crosses && !is_refused) {
        // Only through a point that lies on both.
        const bool through_point = std::any_of(
            c.points.begin(), c.points.end(),
            [&](const PlanarPoint& p) { return turn(c.points[e[0]], c.points[e[1]], p) == 0; });
        ASSERT_TRUE(through_point);
      }
    }
  }
  EXPECT_GT(held, 5000u);
  EXPECT_GT(refused, 500u);
}

TEST(PlanarTriangulation, OfALineIsEmpty) {
  const std::vector<PlanarPoint> line = {{0, 0}, {1, 1}, {2, 2}, {3, 3}};
  EXPECT_TRUE(triangulate(line).triangles.empty());
  EXPECT_TRUE(triangulate(line, {}, 0).triangles.empty());
  EXPECT_TRUE(triangulate({}).triangles.empty());
  EXPECT_TRUE(triangulate({}, {}, 0).triangles.empty());
  EXPECT_THROW(static_cast<void>(triangulate(line, std::vector<PlanarEdge>{{0, 4}})),
               ArgumentError);
}

TEST(PlanarTriangulation, TakesALargeGrid) {
  std::vector<PlanarPoint> grid;
  for (int i = 0; i < 100; ++i) {
    for (int j = 0; j < 100; ++j) grid.emplace_back(i, j);
  }
  const PlanarTriangulation t = triangulate(grid, std::vector<PlanarEdge>{{0, 9999}, {99, 9900}});
  EXPECT_EQ(t.triangles.size(), 2u * 99 * 99);
  EXPECT_EQ(t.refused.size(), 1u);  // the diagonals meet between points
  EXPECT_EQ(t.constrained.size(), 99u);
}

}  // namespace planar_triangulation_test
}  // namespace aguja
