#include "aguja/geometry/primitive.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <vector>

#include <Eigen/Geometry>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace primitive_test {

using test::Random;

Vector direction(Random& random) {
  while (true) {
    const Vector v{random.between(-1, 1), random.between(-1, 1), random.between(-1, 1)};
    if (v.norm() > 0.1 && v.norm() < 1) return v.normalized();
  }
}

Primitive any(PrimitiveKind kind, Random& random) {
  Primitive s{kind, Point{random.between(-50, 50), random.between(-50, 50), random.between(-9, 9)},
              direction(random), random.between(1, 10), 0};
  if (kind == PrimitiveKind::cone) s.second = random.between(0.1, 1.2);
  if (kind == PrimitiveKind::torus) s.second = s.radius * random.between(0.1, 0.8);
  return s;
}

// A point near the surface, brought onto it along the normal.
Point on(const Primitive& s, Random& random) {
  Point p = s.origin + 8 * random.unit() * s.axis + 12 * direction(random);
  if (s.kind == PrimitiveKind::cone)
    p = s.origin + random.between(2, 12) * s.axis + direction(random);
  for (int i = 0; i < 60; ++i) p -= s.distance(p) * s.normal(p);
  return p;
}

constexpr PrimitiveKind kAll[] = {PrimitiveKind::plane, PrimitiveKind::cylinder,
                                  PrimitiveKind::cone, PrimitiveKind::sphere, PrimitiveKind::torus};

TEST(Primitive, DistanceGrowsAlongTheNormalAsFastAsOneGoes) {
  for (const PrimitiveKind kind : kAll) {
    Random random(7);
    for (int i = 0; i < 200; ++i) {
      const Primitive s = any(kind, random);
      const Point p = on(s, random);
      ASSERT_NEAR(s.distance(p), 0, 1e-9) << slug(kind);
      const double step = 0.02 * (kind == PrimitiveKind::torus ? s.second : 1.0);
      EXPECT_NEAR(s.distance(p + step * s.normal(p)), step, 1e-8) << slug(kind);
      // Nothing of the surface is nearer: the normal is the gradient.
      const Vector side = s.normal(p).unitOrthogonal();
      EXPECT_NEAR(s.distance(p + 1e-6 * side), 0, 1e-10) << slug(kind);
    }
  }
}

TEST(Primitive, RefiningRecoversWhatThePointsLieOn) {
  for (const PrimitiveKind kind : kAll) {
    Random random(11);
    int recovered = 0;
    for (int i = 0; i < 100; ++i) {
      const Primitive truth = any(kind, random);
      std::vector<Point> points;
      for (int k = 0; k < 60; ++k) points.push_back(on(truth, random));
      Primitive start = truth;
      start.origin += 0.1 * direction(random);
      start.axis = (start.axis + 0.05 * direction(random)).normalized();
      start.radius *= 1.03;
      start.second *= 0.97;
      const auto found = refine(start, points);
      ASSERT_TRUE(found.has_value()) << slug(kind);
      recovered += largest_distance(*found, points) < 1e-7;
    }
    EXPECT_GE(recovered, 97) << slug(kind);
  }
}

TEST(Primitive, GuessesAreNearEnoughToRefineFromASmallPiece) {
  for (const PrimitiveKind kind : {PrimitiveKind::cylinder, PrimitiveKind::cone,
                                   PrimitiveKind::sphere, PrimitiveKind::torus}) {
    Random random(13);
    int recovered = 0;
    for (int i = 0; i < 100; ++i) {
      const Primitive truth = any(kind, random);
      const Point middle = on(truth, random);
      std::vector<Point> points;
      std::vector<Vector> normals;
      for (int k = 0; k < 30; ++k) {
        Point p = middle + 0.3 * direction(random);
        for (int j = 0; j < 60; ++j) p -= truth.distance(p) * truth.normal(p);
        points.push_back(p);
        normals.push_back(truth.normal(p));
      }
      std::optional<Primitive> guess;
      if (kind == PrimitiveKind::sphere) guess = guess_sphere(points);
      if (kind == PrimitiveKind::cylinder) {
        guess = guess_cylinder(points, normals[0].cross(normals[5]));
      }
      if (kind == PrimitiveKind::cone) guess = guess_cone(points, points, normals);
      if (kind == PrimitiveKind::torus) guess = guess_torus(points, points, normals);
      if (!guess) continue;
      const auto found = refine(*guess, points);
      recovered += found && largest_distance(*found, points) < 1e-7;
    }
    EXPECT_GE(recovered, 85) << slug(kind);
  }
}

TEST(Primitive, PointsOnALineHaveNoPlane) {
  EXPECT_FALSE(fit_plane(std::vector<Point>{{0, 0, 0}, {1, 1, 1}}));
  EXPECT_FALSE(fit_plane(std::vector<Point>{{0, 0, 0}, {1, 1, 1}, {3, 3, 3}, {-2, -2, -2}}));
}

}  // namespace primitive_test
}  // namespace aguja
