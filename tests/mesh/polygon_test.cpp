#include "aguja/mesh/polygon.h"

#include <algorithm>
#include <numbers>

#include <gtest/gtest.h>

#include "aguja/geometry/predicates.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace polygon_test {

struct Divided {
  SharedArray<Triangle> triangles;
  std::size_t defeated;
};

Divided divide(const std::vector<Point>& points) {
  std::vector<VertexId> corners;
  for (std::uint32_t i = 0; i < points.size(); ++i) corners.push_back({i});
  Divided result;
  append_fan(result.triangles, corners);
  const FannedPolygon polygon{0, corners.size()};
  result.defeated = divide_polygons(points, result.triangles, {&polygon, 1});
  return result;
}

double signed_area(const std::vector<Point>& p, const Triangle& t) {
  const Point &a = p[t[0].value], &b = p[t[1].value], &c = p[t[2].value];
  return 0.5 * ((b - a).x() * (c - a).y() - (b - a).y() * (c - a).x());
}

// Triangles that all turn left and whose areas sum to the polygon's cannot overlap.
void expect_exact_division(const std::vector<Point>& points) {
  const Divided result = divide(points);
  ASSERT_EQ(result.triangles.size(), points.size() - 2);
  ASSERT_EQ(result.defeated, 0u);
  double polygon = 0, sum = 0;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const Point &a = points[i], &b = points[(i + 1) % points.size()];
    polygon += 0.5 * (a.x() * b.y() - a.y() * b.x());
  }
  for (const Triangle& t : result.triangles) {
    ASSERT_GE(signed_area(points, t), 0);
    sum += signed_area(points, t);
  }
  ASSERT_NEAR(sum, polygon, 1e-9);
}

TEST(Polygon, AConvexOneKeepsItsFan) {
  const std::vector<Point> square = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}};
  const Divided result = divide(square);
  EXPECT_EQ(result.triangles[0], (Triangle{{{0}, {1}, {2}}}));
  EXPECT_EQ(result.triangles[1], (Triangle{{{0}, {2}, {3}}}));
}

TEST(Polygon, AConcaveQuadIsCutAtItsReflexCorner) {
  // An arrow head whose reflex corner is corner 2: the fan about corner 1 or 3 would leave it.
  expect_exact_division({{0, 0, 0}, {4, -3, 0}, {1, 0, 0}, {4, 3, 0}});
  expect_exact_division({{4, -3, 0}, {1, 0, 0}, {4, 3, 0}, {0, 0, 0}});
}

TEST(Polygon, CornersInLineGetTrianglesWithArea) {
  const std::vector<Point> points = {{0, 0, 0}, {1, 0, 0}, {2, 0, 0}, {2, 2, 0}, {0, 2, 0}};
  expect_exact_division(points);
  for (const Triangle& t : divide(points).triangles) EXPECT_GT(signed_area(points, t), 0);
}

TEST(Polygon, RandomStarShapesAreDividedExactly) {
  std::size_t concave = 0;
  for (std::uint64_t seed = 1; seed <= 500; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    test::Random random(seed);
    const std::size_t n = 4 + random.index(40);
    std::vector<Point> points;
    for (std::size_t i = 0; i < n; ++i) {
      const double angle = 2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(n);
      const double radius = random.between(0.2, 1);
      points.emplace_back(radius * std::cos(angle), radius * std::sin(angle), 0);
    }
    std::rotate(points.begin(), points.begin() + static_cast<std::ptrdiff_t>(random.index(n)),
                points.end());
    concave += divide(points).triangles[0][0].value != 0;
    expect_exact_division(points);
    if (testing::Test::HasFailure()) return;
  }
  EXPECT_GE(concave, 100u);
}

TEST(Polygon, KeepsItsDirectionInAnyPlane) {
  // The same arrow head, facing down and standing upright.
  const std::vector<Point> down = {{4, 3, 0}, {1, 0, 0}, {4, -3, 0}, {0, 0, 0}};
  for (const Triangle& t : divide(down).triangles) EXPECT_LT(signed_area(down, t), 0);
  const std::vector<Point> upright = {{0, 4, -3}, {0, 1, 0}, {0, 4, 3}, {0, 0, 0}};
  for (const Triangle& t : divide(upright).triangles) {
    const Point &a = upright[t[0].value], &b = upright[t[1].value], &c = upright[t[2].value];
    EXPECT_GT(orient2d(a.y(), a.z(), b.y(), b.z(), c.y(), c.z()), 0);
  }
}

// Band along a spiral, there and back; a comb; a triangle with nearly all corners in line.
TEST(Polygon, ManyCornersAreDividedExactly) {
  for (const std::size_t n : {300U, 2000U, 20000U}) {
    std::vector<Point> spiral, comb = {{static_cast<double>(n), -1, 0}}, line = {{1, -0.5, 0}};
    for (std::size_t i = 0; i < n; ++i) {
      const bool back = i < n / 2;
      const double along = static_cast<double>(back ? n / 2 - 1 - i : i - n / 2) / 50;
      const double radius = 1 + along / (2 * std::numbers::pi) + (back ? 0.0 : 0.4);
      spiral.emplace_back(radius * std::cos(along), radius * std::sin(along), 0);
    }
    for (std::size_t i = n; i-- > 0;)
      comb.emplace_back(static_cast<double>(i), i % 2 == 0 ? 0.0 : 10.0, 0);
    comb.emplace_back(-1, -1, 0);
    for (std::size_t i = n; i-- > 0;) {
      line.emplace_back(static_cast<double>(i) / static_cast<double>(n), 0, 0);
    }
    for (std::vector<Point>* points : {&spiral, &comb, &line}) {
      double size = 0;
      for (const Point& p : *points) size = std::max(size, p.norm());
      for (Point& p : *points) p /= size;
      expect_exact_division(*points);
    }
  }
}

// A hole on a bridge that is gone along there and back.
TEST(Polygon, ManyCornersAboutAHole) {
  constexpr std::size_t kAround = 400;
  std::vector<Point> points;
  const auto add = [&](std::size_t i, double radius, double way) {
    const double angle = way * 2 * std::numbers::pi * static_cast<double>(i) / kAround;
    points.emplace_back(radius * std::cos(angle), radius * std::sin(angle), 0);
  };
  for (std::size_t i = 0; i <= kAround; ++i) add(i % kAround, 2, 1);
  for (std::size_t i = 0; i <= kAround; ++i) add(i % kAround, 1, -1);
  expect_exact_division(points);
}

TEST(Polygon, ManyCornersThatCrossAreCountedAndStay) {
  std::vector<Point> points;
  constexpr std::size_t kCorners = 5000;
  for (std::size_t i = 0; i < kCorners; ++i) {
    const double angle = 2 * std::numbers::pi * static_cast<double>(i) / kCorners;
    const double radius = i % 2 == 0 ? 1 : 0.4;
    points.emplace_back(radius * std::cos(angle), radius * std::sin(angle), 0);
  }
  std::swap(points[1000], points[3000]);
  const Divided result = divide(points);
  EXPECT_EQ(result.defeated, 1u);
  EXPECT_EQ(result.triangles.size(), kCorners - 2);
}

TEST(Polygon, OneThatCrossesItselfIsCountedAndKeepsItsTriangles) {
  const Divided result = divide({{0, 0, 0}, {4, 4, 0}, {4, 0, 0}, {0, 4, 0}, {-1, 2, 0}});
  EXPECT_EQ(result.triangles.size(), 3u);
  for (const Triangle& t : result.triangles) {
    for (const VertexId v : t.corner) EXPECT_LT(v.value, 5u);
  }
}

}  // namespace polygon_test
}  // namespace aguja
