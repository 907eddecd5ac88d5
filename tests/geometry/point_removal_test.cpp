#include "geometry/point_removal.h"

#include <algorithm>
#include <set>

#include <gtest/gtest.h>

#include "aguja/geometry/predicates.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace point_removal_test {

using test::Random;
using Triangles = std::vector<std::array<std::uint32_t, 3>>;

std::set<std::array<std::uint32_t, 3>> as_set(const Triangles& triangles) {
  std::set<std::array<std::uint32_t, 3>> out;
  for (std::array<std::uint32_t, 3> t : triangles) {
    std::rotate(t.begin(), std::min_element(t.begin(), t.end()), t.end());
    out.insert(t);
  }
  return out;
}

double twice_area(const std::vector<PlanarPoint>& points, const Triangles& triangles) {
  double sum = 0;
  for (const auto& t : triangles) {
    const PlanarPoint &a = points[t[0]], &b = points[t[1]], &c = points[t[2]];
    sum += (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
  }
  return sum;
}

TEST(PointRemoval, LeavesTheTriangulationOfTheOthers) {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    // What is left comes first, and holds the hull.
    std::vector<PlanarPoint> points = {{-1, -1}, {2, -1.1}, {2.2, 2}, {-1.3, 2.1}};
    const std::size_t kept = points.size() + random.index(30);
    const std::size_t all = kept + 1 + random.index(60);
    while (points.size() < all) points.emplace_back(random.unit(), random.unit());
    Triangles triangles = triangulate(points).triangles;
    PointRemoval removal(points, triangles);
    for (std::size_t i = all; i-- > kept;) {
      const auto divided = removal.remove(static_cast<std::uint32_t>(i));
      EXPECT_FALSE(divided.empty());
    }
    removal.sweep();
    points.resize(kept);
    EXPECT_EQ(as_set(triangles), as_set(triangulate(points).triangles));
  }
}

// Everything in line and on circles.
TEST(PointRemoval, KeepsTheBorderAndTurnsNothingOver) {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    const std::size_t n = 3 + random.index(6);
    std::vector<PlanarPoint> points;
    for (std::size_t i = 0; i < n * n; ++i) {
      points.emplace_back(static_cast<double>(i % n), static_cast<double>(i / n));
    }
    Triangles triangles = triangulate(points).triangles;
    const double area = twice_area(points, triangles);
    PointRemoval removal(points, triangles);
    std::size_t removed = 0;
    for (std::size_t k = 0; k < 2 * points.size(); ++k) {
      const auto v = static_cast<std::uint32_t>(random.index(points.size()));
      const bool is_inside = v % n > 0 && v % n < n - 1 && v / n > 0 && v / n < n - 1;
      const bool is_there = std::any_of(triangles.begin(), triangles.end(), [v](const auto& t) {
        return !PointRemoval::is_gone(t) && std::find(t.begin(), t.end(), v) != t.end();
      });
      const auto divided = removal.remove(v);
      EXPECT_EQ(!divided.empty(), is_inside && is_there);
      removed += divided.empty() ? 0 : 1;
      for (const std::uint32_t t : divided) {
        const PlanarPoint &a = points[triangles[t][0]], &b = points[triangles[t][1]],
                          &c = points[triangles[t][2]];
        EXPECT_GT(orient2d(a.x(), a.y(), b.x(), b.y(), c.x(), c.y()), 0);
      }
    }
    removal.sweep();
    EXPECT_EQ(triangles.size(), 2 * (n - 1) * (n - 1) - 2 * removed);
    EXPECT_EQ(twice_area(points, triangles), area);
  }
}

}  // namespace point_removal_test
}  // namespace aguja
