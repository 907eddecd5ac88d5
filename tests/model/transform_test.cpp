#include "aguja/model/transform.h"

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/solid/measure.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace transform_test {

TEST(Transform, AMirrorKeepsOutwardOutward) {
  Model model = test::model_of(test::sphere(8));
  const double volume = measure_parts(model)[0].mass.volume;
  transform(model, scaled_by(Vector(-1, 1, 1)));
  EXPECT_NEAR(measure_parts(model)[0].mass.volume, volume, 1e-12);
}

TEST(Transform, TheIdentityChangesNothing) {
  Model model = test::model_of(test::cube());
  PartDraft draft(model.parts[0]);
  draft.mesh.points_are_distinct = true;
  draft.facets.normals.assign(12, Vector(0, 0, 1));
  model.parts[0] = std::move(draft);
  transform(model, {});
  EXPECT_TRUE(model.parts[0].mesh().points_are_distinct);
  EXPECT_EQ(model.parts[0].facets().normals.size(), 12u);
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
  const Point before = model.parts[0].mesh().points[7];
  EXPECT_THROW(transform(model, scaled_by(Vector(1, 0, 1))), ArgumentError);
  EXPECT_THROW(transform(model, scaled_by(1e100)), ArgumentError);
  EXPECT_EQ(model.parts[0].mesh().points[7], before);
}

}  // namespace transform_test
}  // namespace aguja
