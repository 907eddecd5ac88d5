#include "aguja/mend/thicken.h"

#include <gtest/gtest.h>

#include "aguja/mend/mend.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace thicken_test {

TEST(Thicken, AddsAndMovesNothing) {
  const Mesh sheet = test::without(test::sphere(20, 5), [](const Point& p) { return p.z() > 2; });
  const Change change = thicken(sheet, 0.5, {.side = OffsetSide::out});
  ASSERT_TRUE(change.refused.empty());
  EXPECT_TRUE(test::is_solid(change.mesh));
  EXPECT_TRUE(change.dropped.empty());
  EXPECT_EQ(change.new_patches, (std::vector<std::string>{"offset", "rim"}));
  std::size_t same = 0;
  for (std::uint32_t t = 0; t < change.parent.size(); ++t) {
    EXPECT_EQ(change.spent[t], 0);
    same += change.parent[t].value != kNoIndex ? 1 : 0;
  }
  EXPECT_EQ(same, sheet.triangles.size());
  // Half on each side: nothing of the surface itself is left.
  const Change both = thicken(sheet, 0.5, {.side = OffsetSide::both});
  EXPECT_EQ(both.dropped.size(), sheet.triangles.size());
}

TEST(Thicken, AsAStepItIsUndoneAndRefused) {
  const Mesh sheet = test::without(test::sphere(20, 5), [](const Point& p) { return p.z() > 2; });
  Plan plan;
  plan.tolerance = 0.01;
  Step step;
  step.number = 1;
  step.remedy = remedies::offset;
  step.settings["thickness"] = 0.5;
  plan.steps = {step};
  MendOptions options;
  options.plan = plan;
  const MendResult solid = mend(test::model_of(sheet), options);
  EXPECT_TRUE(test::is_solid(solid.model.parts[0].mesh()));
  ASSERT_EQ(solid.ledger.size(), 1u);
  EXPECT_TRUE(solid.ledger[0].refused.empty());
  // Where neighbours face opposite ways it does nothing.
  Mesh turned = sheet;
  std::swap(turned.triangles[5][0], turned.triangles[5][1]);
  const MendResult refused = mend(test::model_of(turned), options);
  EXPECT_EQ(test::facets(refused.model.parts[0].mesh()), test::facets(turned));
  ASSERT_EQ(refused.ledger[0].refused.size(), 1u);
}

}  // namespace thicken_test
}  // namespace aguja
