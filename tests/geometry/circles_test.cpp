// Circles through points, and bends between them.

#include "geometry/circles.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/surface/curve.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace circles_test {

using test::Random;

Vector random_direction(Random& r) {
  Vector d = Vector::Zero();
  while (d.norm() < 0.1) {
    for (int k = 0; k < 3; ++k) d[k] = r.between(-1, 1);
  }
  return d.normalized();
}

TEST(RimCircles, AreFoundThroughTheirVertices) {
  for (std::uint64_t seed = 0; seed < 200; ++seed) {
    Random r(seed);
    const Vector n = random_direction(r);
    const Point center = 10 * random_direction(r);
    const double radius = r.between(0.01, 20);
    const Frame frame = Frame::from(center, n, n.unitOrthogonal());
    const std::size_t count = 6 + r.index(60);
    std::vector<Point> loop;
    for (std::size_t i = 0; i < count; ++i) {
      const double a = 2 * std::numbers::pi * (static_cast<double>(i) + 0.4 * r.unit()) /
                       static_cast<double>(count);
      loop.push_back(frame.at(radius * std::cos(a), radius * std::sin(a)));
    }
    const auto circle = circle_through(loop, n);
    ASSERT_TRUE(circle) << seed;
    EXPECT_LT((circle->center - center).norm(), 1e-9 * radius + 1e-12);
    EXPECT_NEAR(circle->radius, radius, 1e-9 * radius + 1e-12);
    EXPECT_NEAR(circle->normal.dot(n), 1, 1e-9);
    loop[r.index(count)] += 1e-3 * radius * random_direction(r);
    // What moves along the circle stays on it.
    const bool is_off = std::any_of(loop.begin(), loop.end(), [&](const Point& p) {
      const Point q = frame.of(p);
      return std::fabs(q.z()) > 2e-4 * radius ||
             std::fabs(std::hypot(q.x(), q.y()) - radius) > 2e-4 * radius;
    });
    if (is_off) {
      EXPECT_FALSE(circle_through(loop, n)) << seed;
    }
  }
}

// Long narrow rims are near to circles so large that everything is.
TEST(RimCircles, AreNotSeenInNarrowRims) {
  for (const double width : {1e-2, 1e-4, 1e-8}) {
    std::vector<Point> loop;
    for (int i = 0; i < 12; ++i) loop.emplace_back(i, 0, 0);
    for (int i = 11; i >= 0; --i) loop.emplace_back(i + 0.3, width, 0);
    EXPECT_FALSE(circle_through(loop, Vector::UnitZ())) << width;
  }
}

TEST(TubeBends, AreThoseOfTheTorusBetweenTwoOfItsCircles) {
  for (std::uint64_t seed = 0; seed < 300; ++seed) {
    Random r(seed);
    const Vector axis = random_direction(r);
    const Frame frame = Frame::from(10 * random_direction(r), axis, axis.unitOrthogonal());
    const double minor = r.between(0.1, 2), major = minor * r.between(1.01, 9);
    const double turn = r.between(0.05, 3.0);
    const auto at = [&](double angle, double side) {
      RimCircle c;
      const Vector out = std::cos(angle) * frame.x + std::sin(angle) * frame.y;
      c.center = frame.origin + major * out;
      c.normal = side * frame.z.cross(out);  // into the bend
      c.radius = minor;
      return c;
    };
    const RimCircle a = at(0, 1), b = at(turn, -1);
    const auto bend = bend_between(a, b);
    ASSERT_TRUE(bend) << seed;
    EXPECT_NEAR(bend->radius, major, 1e-8 * major);
    EXPECT_LT((bend->center - frame.origin).norm(), 1e-7 * major);
    EXPECT_NEAR(std::fabs(bend->axis.dot(axis)), 1, 1e-9);
    RimCircle aside = b;
    aside.center += 0.1 * minor * axis;
    EXPECT_FALSE(bend_between(a, aside));
    RimCircle farther = b;
    farther.center += 0.1 * major * b.normal;
    EXPECT_FALSE(bend_between(a, farther));
    RimCircle other = b;
    other.radius *= 1.05;
    EXPECT_FALSE(bend_between(a, other));
    // Away from each other nothing bends.
    RimCircle back = b;
    back.normal = -b.normal;
    EXPECT_FALSE(bend_between(a, back));
  }
}

}  // namespace circles_test
}  // namespace aguja
