// Numbers by triangle against closed forms and the slow way.

#include "aguja/solid/fields.h"

#include <gtest/gtest.h>

#include <cmath>

#include "aguja/base/error.h"
#include "aguja/geometry/box_tree.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace fields_test {

TEST(Fields, AspectIsLongestSideByHeight) {
  Model model = test::model_of(
      test::mesh_of({{0, 0, 0}, {1, 0, 0}, {0.5, std::sqrt(0.75), 0}, {10, 0, 0}, {5, 0, 0}},
                    {{0, 1, 2}, {0, 3, 2}, {0, 4, 3}}));
  const auto values = aspect_field(model).values;
  EXPECT_NEAR(values[0], 2 / std::sqrt(3.0), 1e-6);
  EXPECT_NEAR(values[1], 10 / std::sqrt(0.75), 1e-5);
  EXPECT_TRUE(std::isnan(values[2]));
}

TEST(Fields, ThicknessIsStraightThroughTheMaterial) {
  for (const float v : thickness_field(test::model_of(test::cube({1, 2, 3}, 20))).values) {
    EXPECT_NEAR(v, 20, 1e-4);
  }
  // A hollow ball: the wall from both sides.
  const Mesh hollow = test::joined(test::sphere(60, 30), test::turned(test::sphere(60, 24)));
  for (const float v : thickness_field(test::model_of(hollow)).values) EXPECT_NEAR(v, 6, 0.2);
  // Nothing lies behind a sheet.
  const Mesh sheet = test::mesh_of({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, {{0, 1, 2}});
  EXPECT_TRUE(std::isnan(thickness_field(test::model_of(sheet)).values[0]));
}

TEST(Fields, DeviationIsTheDistanceToTheOther) {
  const Model ball = test::model_of(test::sphere(40, 30));
  for (const float v : deviation_field(ball, ball).values) EXPECT_LE(v, 1e-12);
  const Model larger = test::model_of(test::sphere(40, 31));
  for (const float v : deviation_field(ball, larger).values) EXPECT_NEAR(v, 1, 0.1);
  EXPECT_THROW(static_cast<void>(deviation_field(ball, Model{})), ArgumentError);
}

TEST(BoxTree, FindsTheFirstHitOfARay) {
  test::Random random(11);
  const auto number = [&] { return 2 * random.unit() - 1; };
  for (int round = 0; round < 30; ++round) {
    std::vector<Box> boxes;
    Array<FloatBox> rough;
    for (int i = 0; i < 200; ++i) {
      Box box;
      const Point at(number(), number(), number());
      box.extend(at);
      box.extend(at + 0.1 * Vector{random.unit(), random.unit(), random.unit()});
      boxes.push_back(box);
      rough.push_back(FloatBox(box));
    }
    const BoxTree tree(std::move(rough));
    for (int ray = 0; ray < 40; ++ray) {
      const Point from(2 * number(), 2 * number(), 2 * number());
      Vector to(number(), number(), number());
      if (ray % 4 == 0) to = Vector(0, 0, ray % 8 == 0 ? 1 : -1);
      // A disc in the middle of each box, across the ray.
      const auto along = [&](std::uint32_t i) {
        const Point middle = boxes[i].center();
        const double t = (middle - from).dot(to) / to.squaredNorm();
        return t > 0 && (from + t * to - middle).norm() <
                            0.3 * (boxes[i].high - boxes[i].low).minCoeff()
                   ? t
                   : -1.0;
      };
      double least = -1;
      for (std::uint32_t i = 0; i < boxes.size(); ++i) {
        const double t = along(i);
        if (t >= 0 && (least < 0 || t < least)) least = t;
      }
      const auto hit = tree.first_hit(from, to, along);
      EXPECT_EQ(hit ? hit->along : -1.0, least);
    }
  }
}

}  // namespace fields_test
}  // namespace aguja
