#include "aguja/model/model.h"

#include <gtest/gtest.h>

#include "aguja/solid/anatomy.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace model_test {

Model two_parts() {
  Model model = test::model_of(test::cube(), "left");
  PartDraft right;
  right.name = "right";
  right.mesh = test::cube({5, 0, 0});
  right.patch_names = {"top", "rest"};
  right.mesh.patch_of.assign(12, PatchId{1});
  right.mesh.patch_of[0] = {0};
  model.parts.emplace_back(std::move(right));
  return model;
}

TEST(AsOne, KeepsPointsAndTrianglesInOrderAndPartsAsPatches) {
  const Model model = two_parts();
  const Model one = as_one(model);
  ASSERT_EQ(one.parts.size(), 1u);
  const Part& body = one.parts[0];
  EXPECT_EQ(body.mesh().points.size(), 16u);
  ASSERT_EQ(body.mesh().triangles.size(), 24u);
  EXPECT_EQ(body.mesh().triangles[12][0].value, model.parts[1].mesh().triangles[0][0].value + 8);
  EXPECT_EQ(body.patch_names(), (std::vector<std::string>{"left", "right/top", "right/rest"}));
  EXPECT_EQ(body.mesh().patch_of[0].value, 0u);
  EXPECT_EQ(body.mesh().patch_of[12].value, 1u);
  EXPECT_EQ(body.mesh().patch_of[13].value, 2u);
}

TEST(AsOne, PartsThatAreOneModelBecomeConnected) {
  // A cube that came as one part per side.
  const Mesh whole = test::cube();
  Model sides;
  for (std::size_t t = 0; t < whole.triangles.size(); t += 2) {
    Mesh side;
    side.points = whole.points;
    side.triangles.assign(whole.triangles.begin() + static_cast<std::ptrdiff_t>(t),
                          whole.triangles.begin() + static_cast<std::ptrdiff_t>(t + 2));
    sides.parts.emplace_back("side", side);
  }
  EXPECT_EQ(Anatomy(sides.parts[0].mesh()).counts().naked_edges, 4u);
  const Model one = as_one(sides);
  EXPECT_EQ(Anatomy(one.parts[0].mesh()).counts().naked_edges, 0u);
}

TEST(AsOne, LeavesASinglePartAlone) {
  const Model one = as_one(test::model_of(test::cube(), "only"));
  EXPECT_EQ(one.parts[0].name, "only");
  EXPECT_TRUE(one.parts[0].mesh().patch_of.empty());
}

}  // namespace model_test
}  // namespace aguja
