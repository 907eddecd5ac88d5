#include "aguja/solid/winding_field.h"

#include <cmath>
#include <numbers>
#include <numeric>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/model/transform.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace winding_field_test {

using test::Random;

std::vector<TriangleId> all_of(const Mesh& mesh) {
  std::vector<TriangleId> all(mesh.triangles.size());
  for (std::uint32_t t = 0; t < all.size(); ++t) all[t] = {t};
  return all;
}

// By an arc tangent each.
double plain_winding(const Point& a, const Point& b, const Point& c, const Point& q) {
  const Vector x = a - q, y = b - q, z = c - q;
  const double det = x.dot(y.cross(z));
  if (det == 0) return 0;
  const double nx = x.norm(), ny = y.norm(), nz = z.norm();
  return std::atan2(det, nx * ny * nz + x.dot(y) * nz + y.dot(z) * nx + z.dot(x) * ny) /
         (2 * std::numbers::pi);
}

double direct(const Mesh& mesh, std::span<const TriangleId> selection, const Point& q) {
  double sum = 0;
  for (const TriangleId t : selection) {
    const Triangle& c = mesh.triangles[t.value];
    sum += plain_winding(mesh.point(c[0]), mesh.point(c[1]), mesh.point(c[2]), q);
  }
  return sum;
}

TEST(WindingField, OfATriangleIsItsShareOfTheSphere) {
  // An octant seen from the origin, from behind.
  const Point x(1, 0, 0), y(0, 1, 0), z(0, 0, 1), o(0, 0, 0);
  EXPECT_NEAR(winding_of_triangle(x, y, z, o), 0.125, 1e-15);
  EXPECT_NEAR(winding_of_triangle(y, x, z, o), -0.125, 1e-15);
  EXPECT_EQ(winding_of_triangle(x, y, o, Point(0.2, 0.2, 0)), 0);
}

TEST(WindingSum, IsTheSumOfItsTrianglesHoweverOftenItGoesRound) {
  double most = 0;
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    // Flat ones close to the point are seen under nearly half a sphere each; in all scales.
    const double flat = std::pow(10, random.between(-12, 0));
    const double scale = std::pow(10, random.between(-60, 60));
    const bool one_way = random.unit() < 0.5;
    const auto corner = [&] {
      return Point(scale * Point(random.between(-1, 1), random.between(-1, 1),
                                 (one_way ? 1 : random.between(-1, 1)) * flat));
    };
    const Point q = Point::Zero();
    WindingSum sum;
    double expected = 0;
    for (int i = 0; i < 2000; ++i) {
      const Point a = corner(), b = corner(), c = corner();
      const bool turned =
          one_way ? a.cross(b).z() + b.cross(c).z() + c.cross(a).z() < 0 : random.unit() < 0.5;
      sum.add(a, b, c, q, turned);
      expected += turned ? -plain_winding(a, b, c, q) : plain_winding(a, b, c, q);
    }
    EXPECT_NEAR(sum.value(), expected, 1e-9);
    most = std::max(most, std::fabs(expected));
  }
  EXPECT_GT(most, 100);
}

TEST(WindingField, IsOneInsideAndNothingOutsideAndAHalfOnAClosedSurface) {
  Random random(3);
  for (const double far : {0.0, 1e5}) {
    const Point center(far, -far, far);
    const Mesh ball = test::sphere(40, 2.0, center);
    const WindingField field(ball.points, ball.triangles, all_of(ball));
    for (int i = 0; i < 500; ++i) {
      const Vector d{random.between(-1, 1), random.between(-1, 1), random.between(-1, 1)};
      if (d.norm() < 0.01) continue;
      EXPECT_NEAR(field.at(center + 1.9 * random.unit() * d.normalized()), 1, 0.01);
      EXPECT_NEAR(field.at(center + (2.05 + 3 * random.unit()) * d.normalized()), 0, 0.01);
    }
    for (const TriangleId t : all_of(ball)) EXPECT_NEAR(field.at_middle(t), 0.5, 0.03);
  }
}

TEST(WindingField, AgreesWithTheSumOverAllTrianglesOnTornMeshes) {
  int worth_it = 0;
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    const Mesh mesh = test::damaged_mesh(seed);
    std::vector<TriangleId> some;
    for (const TriangleId t : all_of(mesh)) {
      if (random.chance(0.8)) some.push_back(t);
    }
    const WindingField field(mesh.points, mesh.triangles, some);
    const Box box = box_of(mesh);
    for (int i = 0; i < 100; ++i) {
      const Vector u{random.unit(), random.unit(), random.unit()};
      const Point q = box.low + 1.5 * u.cwiseProduct(box.high - box.low);
      const double expected = direct(mesh, some, q);
      EXPECT_NEAR(field.at(q), expected, 0.01);
      worth_it += std::abs(expected) > 0.05;
    }
  }
  EXPECT_GE(worth_it, 400);
}

TEST(WindingField, TakesTrianglesTurnedOver) {
  const Mesh ball = test::sphere(12);
  const std::vector<bool> turned(ball.triangles.size(), true);
  EXPECT_NEAR(WindingField(ball.points, ball.triangles, all_of(ball), turned).at({0.1, 0.2, 0}), -1,
              0.01);
}

// On closed surfaces far less is near than may be; of needles across a ball nearly all is.
TEST(WindingField, GivesUpWhereTooMuchIsNear) {
  const Mesh ball = test::sphere(60);
  const WindingField field(ball.points, ball.triangles, all_of(ball));
  for (const TriangleId t : all_of(ball)) {
    ASSERT_EQ(field.at_middle(t, WindingField::kMostNear / 4), field.at_middle(t));
  }
  Random random(7);
  Mesh needles;
  for (std::uint32_t i = 0; i < 5000; ++i) {
    for (int end = -1; end <= 1; ++end) {
      const double z = random.between(-1, 1), turn = 6.283 * random.unit(),
                   r = std::sqrt(1 - z * z);
      const Point on(r * std::cos(turn), r * std::sin(turn), z);
      needles.points.push_back(end < 1 ? on : needles.points.back() + 1e-3 * on);
    }
    needles.triangles.push_back({{VertexId{3 * i}, VertexId{3 * i + 1}, VertexId{3 * i + 2}}});
  }
  const WindingField of_needles(needles.points, needles.triangles, all_of(needles));
  std::size_t unknown = 0;
  for (const TriangleId t : all_of(needles)) {
    const auto found = of_needles.at_middle(t, WindingField::kMostNear);
    if (!found) {
      ++unknown;
    } else {
      ASSERT_EQ(*found, of_needles.at_middle(t));
    }
  }
  EXPECT_GT(unknown, needles.triangles.size() / 2);
}

TEST(WindingField, OfNothingIsZero) {
  const Mesh ball = test::sphere(4);
  EXPECT_EQ(WindingField(ball.points, ball.triangles, {}).at({0, 0, 0}), 0);
}

}  // namespace winding_field_test
}  // namespace aguja
