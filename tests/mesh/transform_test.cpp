#include "aguja/mesh/transform.h"

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/solid/measure.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace {

TEST(Transform, AMirrorKeepsOutwardOutward) {
  Model model = test::model_of(test::sphere(8));
  const double volume = measure_parts(model)[0].mass.volume;
  transform(model, Eigen::Affine3d(Eigen::Scaling(-1.0, 1.0, 1.0)));
  EXPECT_NEAR(measure_parts(model)[0].mass.volume, volume, 1e-12);
}

TEST(Transform, TheIdentityChangesNothing) {
  Model model = test::model_of(test::cube());
  model.parts[0].mesh.points_are_distinct = true;
  model.parts[0].facets.normals.assign(12, Vector(0, 0, 1));
  transform(model, Eigen::Affine3d::Identity());
  EXPECT_TRUE(model.parts[0].mesh.points_are_distinct);
  EXPECT_EQ(model.parts[0].facets.normals.size(), 12u);
}

TEST(Transform, UnitsKeepTheSize) {
  Model model = test::model_of(test::cube({0, 0, 0}, 25.4));
  convert_unit(model, LengthUnit::inch);
  EXPECT_EQ(model.unit, LengthUnit::inch);
  EXPECT_NEAR(box_of(model).high.x(), 1.0, 1e-15);
  EXPECT_FALSE(model.unit_assumed);
}

TEST(Transform, RefusesWhatWouldFlattenOrOverflowAndChangesNothing) {
  Model model = test::model_of(test::cube({0, 0, 0}, 1e300));
  const Point before = model.parts[0].mesh.points[7];
  EXPECT_THROW(transform(model, Eigen::Affine3d(Eigen::Scaling(1.0, 0.0, 1.0))), ArgumentError);
  EXPECT_THROW(transform(model, Eigen::Affine3d(Eigen::Scaling(1e100))), ArgumentError);
  EXPECT_EQ(model.parts[0].mesh.points[7], before);
}

}  // namespace
}  // namespace aguja
