#include "aguja/mend/cut_away.h"

#include <algorithm>

#include <gtest/gtest.h>

#include "aguja/solid/measure.h"
#include "tests/support/crossing_soups.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace cut_away_test {

double area_of(const Mesh& mesh) { return measure_parts(test::model_of(mesh))[0].mass.area; }

Cutter plane_cutter(const Point& through, const Vector& normal) {
  return {"a plane", CutPlane{through, normal}, 0};
}
Cutter box_cutter(const Point& low, const Point& high) {
  Box box;
  box.extend(low);
  box.extend(high);
  return {"a box", body_of(box), 0};
}

TEST(CutAway, ListsAllThatIsGivenUp) {
  const Mesh mesh = test::torus(32, 16, 9, 3);
  for (const Cutter& cutter :
       {plane_cutter({1, 0, 0.5}, {1, 2, 0.3}), box_cutter({0.5, -20, -1}, {20, 20, 5})}) {
    for (const KeptSides keep : {KeptSides::first, KeptSides::second}) {
      const Change change = cut_away(mesh, cutter, keep);
      ASSERT_TRUE(change.refused.empty());
      EXPECT_TRUE(test::is_solid(change.mesh));
      ASSERT_EQ(change.new_patches.size(), 1u);
      double gone = area_of(change.cut_off), cap = 0;
      Mesh dropped = mesh;
      dropped.triangles = {};
      for (const TriangleId t : change.dropped) dropped.triangles.push_back(mesh.triangle(t));
      gone += area_of(dropped);
      Mesh caps = change.mesh;
      caps.triangles = {};
      caps.patch_of = {};
      for (std::uint32_t t = 0; t < change.parent.size(); ++t) {
        if (change.parent[t].value != kNoIndex) continue;
        EXPECT_EQ(change.mesh.patch_of[t].value, 1u);
        caps.triangles.push_back(change.mesh.triangle({t}));
      }
      cap = area_of(caps);
      EXPECT_GT(cap, 1);
      EXPECT_NEAR(area_of(change.mesh) - cap + gone, area_of(mesh), 1e-9);
    }
  }
}

TEST(CutAway, KeepingBothDividesAndNothingElse) {
  const Mesh mesh = test::torus(32, 16, 9, 3);
  const auto before = test::facets(mesh);
  for (const Cutter& cutter :
       {plane_cutter({1, 0, 0.5}, {1, 2, 0.3}), box_cutter({0.5, -20, -1}, {20, 20, 5})}) {
    const Change change = cut_away(mesh, cutter, KeptSides::both);
    ASSERT_TRUE(change.refused.empty());
    EXPECT_TRUE(change.new_patches.empty());
    EXPECT_TRUE(change.dropped.empty());
    EXPECT_TRUE(test::is_solid(change.mesh));
    EXPECT_NEAR(test::volume_of(change.mesh), test::volume_of(mesh), 1e-9);
    // What lies on one side as a whole is as it was.
    std::size_t same = 0;
    std::vector<std::size_t> children(mesh.triangles.size(), 0);
    for (const TriangleId p : change.parent) ++children[p.value];
    const auto after = test::facets(change.mesh);
    std::vector<std::array<double, 9>> common;
    std::set_intersection(before.begin(), before.end(), after.begin(), after.end(),
                          std::back_inserter(common));
    for (const std::size_t n : children) same += n == 1 ? 1 : 0;
    EXPECT_EQ(common.size(), same);
    EXPECT_GT(same, mesh.triangles.size() / 2);
    EXPECT_LT(same, mesh.triangles.size());
  }
}

TEST(CutAway, RefusesWhatWouldBeAGuessAndLeavesTheMesh) {
  const Mesh mesh = test::torus(32, 16, 9, 3);
  const Mesh open = test::without(mesh, [](const Point& p) { return p.y() > 4; });
  const Cutter across = plane_cutter({0, 3.9, 0}, {0.05, 1, 0});
  const Change refused = cut_away(open, across, KeptSides::first);
  ASSERT_EQ(refused.refused.size(), 1u);
  EXPECT_EQ(refused.mesh.triangles.size(), open.triangles.size());
  EXPECT_TRUE(cut_away(open, across, KeptSides::first, {.capped = false}).refused.empty());
  // All of it is there, or nothing.
  const Cutter beside = plane_cutter({20, 0, 0}, {1, 0, 0});
  EXPECT_EQ(cut_away(mesh, beside, KeptSides::first).done, 0u);
  EXPECT_TRUE(cut_away(mesh, beside, KeptSides::first).refused.empty());
  EXPECT_EQ(cut_away(mesh, beside, KeptSides::second).refused.size(), 1u);
}

}  // namespace cut_away_test
}  // namespace aguja
