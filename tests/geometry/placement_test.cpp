#include "aguja/geometry/placement.h"

#include <cmath>
#include <limits>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace placement_test {

TEST(Placement, FollowsAnotherAsItsProductSays) {
  test::Random random(1);
  for (int i = 0; i < 200; ++i) {
    const Vector axis = Vector(random.unit(), random.unit(), 0.1).normalized();
    const Placement a = moved_by(Vector(random.unit(), 2, 3)) * turned_by(axis, random.unit());
    const Placement b = scaled_by(random.between(0.5, 2)) * moved_by(Vector(1, random.unit(), 0));
    const Point p(random.unit(), random.unit(), random.unit());
    EXPECT_LT(((a * b)(p)-a(b(p))).norm(), 1e-14);
    EXPECT_TRUE(a.is_rigid());
    EXPECT_FALSE(b.is_rigid() && std::fabs(b.scale() - 1) > 1e-9);
    EXPECT_NEAR((a * b).scale(), b.scale(), 1e-14);
  }
}

TEST(Placement, KnowsWhatItDoesToShapes) {
  EXPECT_TRUE(Placement{}.is_identity());
  EXPECT_TRUE(scaled_by(Vector(1, -1, 1)).mirrors());
  EXPECT_TRUE(scaled_by(Vector(1, -1, 1)).is_rigid());
  EXPECT_FALSE(scaled_by(Vector(1, 0, 1)).is_regular());
  EXPECT_FALSE(scaled_by(std::numeric_limits<double>::quiet_NaN()).is_regular());
  EXPECT_FALSE(moved_by(Vector(HUGE_VAL, 0, 0)).is_regular());
  // Its determinant would underflow, or overflow, by itself.
  EXPECT_TRUE(scaled_by(1e-150).is_regular());
  EXPECT_TRUE(scaled_by(1e150).is_regular());
}

TEST(Placement, BoxesHoldWhatTheyHeld) {
  test::Random random(2);
  for (int i = 0; i < 200; ++i) {
    Box box;
    for (int k = 0; k < 2; ++k) box.extend(Point(random.unit(), random.unit(), random.unit()));
    const Placement at = turned_by(Vector(0, 0.6, 0.8), random.between(0, 6));
    Box out = placed(box, at);
    out.low.array() -= 1e-14;
    out.high.array() += 1e-14;
    const Point inside = box.low + random.unit() * (box.high - box.low);
    EXPECT_TRUE(out.contains(at(inside)));
  }
  EXPECT_TRUE(placed(Box{}, moved_by(Vector(1, 0, 0))).is_empty());
}

}  // namespace placement_test
}  // namespace aguja
