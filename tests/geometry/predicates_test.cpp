#include "aguja/geometry/predicates.h"

#include <array>
#include <limits>
#include <vector>

#include <map>

#include <cmath>

#include <gtest/gtest.h>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace predicates_test {

using test::Random;

// Kinds of coordinates that occur, and some that hopefully do not.
double coordinate(Random& random, std::size_t kind) {
  switch (kind) {
    case 0:
      return random.between(-1, 1);
    case 1:
      return static_cast<double>(random.index(5)) - 2;  // grid: mostly degenerate
    case 2:
      return 1e6 + static_cast<double>(random.index(4)) * 0x1p-20;  // far from the origin
    case 3:
      return 0.5 + static_cast<double>(random.index(3)) * 0x1p-53;  // one ulp apart
    case 4:
      return std::ldexp(random.between(-1, 1), static_cast<int>(random.index(1900)) - 950);
    case 5:
      return static_cast<double>(random.index(5)) * std::numeric_limits<double>::denorm_min();
    case 6:
      return static_cast<double>(static_cast<float>(random.between(-100, 100)));
    default:
      return (random.chance(0.5) ? 1 : -1) * 1e300 * random.unit();
  }
}
constexpr std::size_t kKinds = 8;

Point point(Random& random, std::size_t kind) {
  return {coordinate(random, kind), coordinate(random, kind), coordinate(random, kind)};
}

// Four points that are often nearly, and often exactly, in one plane.
std::array<Point, 4> four_points(Random& random) {
  const std::size_t kind = random.index(kKinds);
  std::array<Point, 4> p;
  for (Point& q : p) q = point(random, kind);
  if (random.chance(0.4)) {
    const double s = random.unit(), t = random.unit();
    const Point q = p[0] + s * (p[1] - p[0]) + t * (p[2] - p[0]);
    if (q.allFinite()) p[3] = q;
  }
  if (random.chance(0.2)) p[3] = p[random.index(3)];
  if (random.chance(0.2)) {
    const auto axis = static_cast<Eigen::Index>(random.index(3));
    for (Point& q : p) q[axis] = p[0][axis];
  }
  if (random.chance(0.2)) {
    double& x = p[3][static_cast<Eigen::Index>(random.index(3))];
    x = std::nextafter(x, random.chance(0.5) ? 1e308 : -1e308);
  }
  return p;
}

TEST(Orient3d, AgreesWithRationalArithmetic) {
  std::array<int, 3> signs{};
  for (std::uint64_t seed = 1; seed <= 20000; ++seed) {
    Random random(seed);
    const auto [a, b, c, d] = four_points(random);
    const int sign = orient3d(a, b, c, d);
    ASSERT_EQ(sign, detail::orient3d_rational(a, b, c, d)) << "seed " << seed;
    ++signs.at(static_cast<std::size_t>(sign + 1));
  }
  for (const int count : signs) EXPECT_GE(count, 2000);
}

TEST(Orient2d, AgreesWithRationalArithmetic) {
  std::array<int, 3> signs{};
  for (std::uint64_t seed = 1; seed <= 20000; ++seed) {
    Random random(seed);
    const auto [a, b, c, d] = four_points(random);
    const Point p = random.chance(0.3) ? Point(0.5 * a + 0.5 * b) : c;
    const int sign = orient2d(a.x(), a.y(), b.x(), b.y(), p.x(), p.y());
    ASSERT_EQ(sign, detail::orient2d_rational(a.x(), a.y(), b.x(), b.y(), p.x(), p.y()))
        << "seed " << seed;
    ++signs.at(static_cast<std::size_t>(sign + 1));
  }
  for (const int count : signs) EXPECT_GE(count, 2000);
}

TEST(Orient3d, FlipsItsSignWhenTwoPointsAreSwapped) {
  for (std::uint64_t seed = 1; seed <= 3000; ++seed) {
    Random random(seed);
    const auto [a, b, c, d] = four_points(random);
    const int sign = orient3d(a, b, c, d);
    ASSERT_EQ(orient3d(b, a, c, d), -sign) << "seed " << seed;
    ASSERT_EQ(orient3d(a, c, b, d), -sign) << "seed " << seed;
    ASSERT_EQ(orient3d(a, b, d, c), -sign) << "seed " << seed;
    ASSERT_EQ(orient3d(b, c, a, d), sign) << "seed " << seed;
  }
}

TEST(Orient3d, SeesTheSideToWhichTheNormalPoints) {
  const Point o(0, 0, 0), x(1, 0, 0), y(0, 1, 0);
  EXPECT_EQ(orient3d(o, x, y, {0, 0, 1}), 1);
  EXPECT_EQ(orient3d(o, x, y, {0, 0, -1}), -1);
  EXPECT_EQ(orient3d(o, x, y, {7, 9, 0}), 0);
}

TEST(Orient3d, EachStageAnswersWhereItShould) {
  const auto stage = [](const Point& a, const Point& b, const Point& c, const Point& d) {
    return orient3d_staged(a, b, c, d).stage;
  };
  EXPECT_EQ(stage({0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}), PredicateStage::filter);
  EXPECT_EQ(stage({0, 0, 5}, {1, 0, 5}, {0, 1, 5}, {3, 4, 5}), PredicateStage::zero_column);
  EXPECT_EQ(stage({0, 0, 0}, {1, 0, 1}, {0, 1, 1}, {0.1, 0.2, 0.1 + 0.2}),
            PredicateStage::expansion);
  const double tiny = 0x1p-500;
  EXPECT_EQ(stage({0, 0, 0}, {tiny, 0, tiny}, {0, tiny, tiny}, {tiny, tiny, 2 * tiny}),
            PredicateStage::rational);
}

TEST(Orient2d, EachStageAnswersWhereItShould) {
  EXPECT_EQ(orient2d_staged(0, 0, 1, 0, 0, 1).stage, PredicateStage::filter);
  EXPECT_EQ(orient2d_staged(0, 5, 1, 5, 3, 5).stage, PredicateStage::zero_column);
  EXPECT_EQ(orient2d_staged(0.1, 0.1, 0.2, 0.2, 0.3, 0.3).stage, PredicateStage::expansion);
  EXPECT_EQ(orient2d_staged(0, 0, 0x1p-600, 0x1p-600, 0x1p-599, 0x1p-599).stage,
            PredicateStage::rational);
}

TEST(RoundedToFloat, RoundsEachCoordinateByItself) {
  for (int axis = 0; axis < 3; ++axis) {
    Point p(0.5, 0.25, 2);
    EXPECT_EQ(rounded_to_float(p), p);
    p[axis] = 0.1;
    EXPECT_EQ(rounded_to_float(p)[axis], 0x1.99999ap-4) << axis;
  }
  EXPECT_EQ(
      rounded_to_float({1e300, -1e300, -0.0}),
      Point(std::numeric_limits<double>::infinity(), -std::numeric_limits<double>::infinity(), 0));
}

TEST(Collinear, TellsAThinTriangleFromALine) {
  const Point a(0, 0, 0), b(3, 6, 9);
  EXPECT_TRUE(is_collinear(a, b, {1, 2, 3}));
  EXPECT_FALSE(is_collinear(a, b, {1, 2, std::nextafter(3.0, 4.0)}));
  EXPECT_TRUE(is_collinear(a, a, b));
  EXPECT_FALSE(is_collinear({0, 0, 0}, {5e-324, 0, 0}, {0, 5e-324, 0}));
  EXPECT_FALSE(is_collinear({0, 0, 0}, {1e308, 0, 0}, {-1e308, 5e-324, 0}));
}

TEST(InCircle, AgreesWithRationalArithmetic) {
  std::map<PredicateStage, int> stages;
  int zeros = 0;
  for (std::uint64_t seed = 1; seed <= 20000; ++seed) {
    test::Random random(seed);
    constexpr double kScales[] = {1, 1e-9, 1e9, 0x1p-300, 0x1p250, 1e-310};
    const double scale = kScales[random.index(6)];
    const bool grid = random.chance(0.5);
    double v[8];
    for (double& x : v) {
      x = (grid ? static_cast<double>(random.index(5)) : random.unit()) * scale;
      if (random.chance(0.1)) x = std::nextafter(x, 1e300);
    }
    const StagedSign s = in_circle_staged(v[0], v[1], v[2], v[3], v[4], v[5], v[6], v[7]);
    ASSERT_EQ(s.sign, detail::in_circle_rational(v[0], v[1], v[2], v[3], v[4], v[5], v[6], v[7]))
        << "seed " << seed;
    ASSERT_EQ(in_circle(v[2], v[3], v[0], v[1], v[4], v[5], v[6], v[7]), -s.sign);
    ++stages[s.stage];
    zeros += s.sign == 0;
  }
  EXPECT_GT(zeros, 1000);
  for (const PredicateStage stage :
       {PredicateStage::filter, PredicateStage::expansion, PredicateStage::rational}) {
    EXPECT_GT(stages[stage], 500) << static_cast<int>(stage);
  }
}

}  // namespace predicates_test
}  // namespace aguja
