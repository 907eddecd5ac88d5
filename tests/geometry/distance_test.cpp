#include "aguja/geometry/distance.h"

#include <algorithm>
#include <cmath>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace distance_test {

using test::Random;

Point random_point(Random& random) { return {random.unit(), random.unit(), random.unit()}; }
TriangleCorners random_triangle(Random& random) {
  return {random_point(random), random_point(random), random_point(random)};
}
Point inside(const TriangleCorners& t, double a, double b) {
  if (a + b > 1) a = 1 - a, b = 1 - b;
  return t[0] + a * (t[1] - t[0]) + b * (t[2] - t[0]);
}
double nearest(const Point& p, std::span<const TriangleCorners> to) {
  double least = HUGE_VAL;
  for (const auto& [a, b, c] : to) {
    least = std::min(least, (closest_point(p, a, b, c) - p).norm());
  }
  return least;
}
// Over a grid on each triangle: never more than the true distance.
double sampled(std::span<const TriangleCorners> from, std::span<const TriangleCorners> to) {
  constexpr int kSteps = 24;
  double farthest = 0;
  for (const TriangleCorners& t : from) {
    for (int i = 0; i <= kSteps; ++i) {
      for (int j = 0; j <= kSteps - i; ++j) {
        farthest =
            std::max(farthest, nearest(inside(t, double(i) / kSteps, double(j) / kSteps), to));
      }
    }
  }
  return farthest;
}

TEST(ClosestPoint, IsNotFartherThanAnyPlaceOnTheTriangle) {
  Random random(1);
  for (int i = 0; i < 2000; ++i) {
    TriangleCorners t = random_triangle(random);
    if (i % 10 == 0) t[2] = t[0] + random.unit() * (t[1] - t[0]);  // no area
    if (i % 50 == 0) t[1] = t[2] = t[0];
    const Point p = 3 * random_point(random) - Point(1, 1, 1);
    const Point foot = closest_point(p, t[0], t[1], t[2]);
    for (int k = 0; k < 40; ++k) {
      ASSERT_LE((foot - p).norm(), (inside(t, random.unit(), random.unit()) - p).norm() + 1e-12);
    }
  }
}

TEST(DistanceWithin, BoundsWhatSamplesFind) {
  Random random(2);
  int bounded = 0, beyond = 0;
  for (int i = 0; i < 400; ++i) {
    std::vector<TriangleCorners> from, to;
    for (int k = 0; k < 2; ++k) from.push_back(random_triangle(random));
    for (int k = 0; k < 3; ++k) to.push_back(random_triangle(random));
    const double found = sampled(from, to);
    const double limit = found * random.between(0.5, 2);
    const auto bound = distance_within(from, to, limit);
    if (found > limit) {
      EXPECT_FALSE(bound.has_value());
      ++beyond;
    }
    if (!bound) continue;
    EXPECT_LE(*bound, limit);
    EXPECT_GE(*bound, found - 1e-12);
    ++bounded;
  }
  EXPECT_GE(bounded, 100);
  EXPECT_GE(beyond, 80);
}

// A triangle against its own pieces, moved off along its normal.
TEST(DistanceWithin, IsNearlyTheDistanceOfWhatLiesAlongIt) {
  Random random(3);
  for (int i = 0; i < 300; ++i) {
    const TriangleCorners t = random_triangle(random);
    const Vector normal = (t[1] - t[0]).cross(t[2] - t[0]);
    if (normal.norm() < 0.05) continue;
    const double off = random.between(1e-4, 1e-2);
    const Vector shift = off * normal.normalized();
    const Point middle = inside(t, 0.3, 0.3);
    std::vector<TriangleCorners> pieces;
    for (std::size_t c = 0; c < 3; ++c) {
      pieces.push_back({t[c] + shift, t[(c + 1) % 3] + shift, middle + shift});
    }
    const auto bound = distance_within(std::span(&t, 1), pieces, 2 * off);
    ASSERT_TRUE(bound.has_value());
    EXPECT_GE(*bound, off * (1 - 1e-9));
    EXPECT_FALSE(distance_within(std::span(&t, 1), pieces, 0.99 * off).has_value());
    // What faces away is no part of the same surface.
    EXPECT_TRUE(distance_within_facing(std::span(&t, 1), pieces, 2 * off).has_value());
    for (TriangleCorners& p : pieces) std::swap(p[0], p[1]);
    EXPECT_FALSE(distance_within_facing(std::span(&t, 1), pieces, 2 * off).has_value());
    EXPECT_TRUE(distance_within(std::span(&t, 1), pieces, 2 * off).has_value());
  }
}

}  // namespace distance_test
}  // namespace aguja
