#include "aguja/solid/offset.h"

#include <cmath>
#include <numbers>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/offset_model.h"
#include "tests/support/crossing_soups.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"
#include "tests/support/stop_after.h"

namespace aguja {
namespace offset_test {

using test::box_between;
using test::is_solid;
using test::joined;
using test::volume_of;

constexpr OffsetSide kSides[] = {OffsetSide::in, OffsetSide::out, OffsetSide::both};

// What lies in front of and behind the surface.
std::array<double, 2> reaches(OffsetSide side, double t) {
  return {side == OffsetSide::in    ? 0.0
          : side == OffsetSide::out ? t
                                    : t / 2,
          side == OffsetSide::out  ? 0.0
          : side == OffsetSide::in ? t
                                   : t / 2};
}

TEST(Offset, BoxesAreHollowedExactly) {
  const Mesh box = test::grid_box(3, {4, 6, 10});
  for (const OffsetSide side : kSides) {
    const double t = 0.5;
    const auto [out, in] = reaches(side, t);
    const OffsetResult wall = offset_surface(box, t, {.side = side});
    ASSERT_EQ(wall.problem, "");
    EXPECT_TRUE(is_solid(wall.mesh));
    const auto volume = [](double d) { return (4 + 2 * d) * (6 + 2 * d) * (10 + 2 * d); };
    EXPECT_NEAR(volume_of(wall.mesh), volume(out) - volume(-in), 1e-9);
    EXPECT_NEAR(wall.thickness.least, t, 1e-12);
    EXPECT_NEAR(wall.thickness.kept, 1, 1e-12);
    EXPECT_TRUE(wall.thin.empty());
    // Corners of a box are mitred: as far off as its space diagonal.
    if (side == OffsetSide::out) {
      EXPECT_NEAR(wall.thickness.largest, std::sqrt(3) * t, 1e-12);
    }
  }
}

TEST(Offset, SkinsGrowAndShrink) {
  const Mesh box = test::grid_box(2, {4, 6, 10});
  const OffsetResult larger = offset_surface(box, 1, {.side = OffsetSide::out, .whole = true});
  EXPECT_TRUE(is_solid(larger.mesh));
  EXPECT_NEAR(volume_of(larger.mesh), 6 * 8 * 12, 1e-9);
  const OffsetResult smaller = offset_surface(box, 1, {.side = OffsetSide::in, .whole = true});
  EXPECT_TRUE(is_solid(smaller.mesh));
  EXPECT_NEAR(volume_of(smaller.mesh), 2 * 4 * 8, 1e-9);
  const OffsetResult nothing = offset_surface(box, 3, {.side = OffsetSide::in, .whole = true});
  EXPECT_NE(nothing.problem.find("nothing is left"), std::string::npos);
  // No room for a cavity: it stays as it was.
  const OffsetResult full = offset_surface(box, 3);
  ASSERT_EQ(full.problem, "");
  EXPECT_EQ(test::facets(full.mesh), test::facets(box));
}

TEST(Offset, SheetsGetAThickness) {
  // A fold of two strips, at all angles.
  for (const double degrees : {0.0, 30.0, 90.0, 120.0, 150.0, -60.0, -110.0}) {
    SCOPED_TRACE(degrees);
    const double turn = degrees / 180 * std::numbers::pi;
    const Point end(10 + 10 * std::cos(turn), 0, 10 * std::sin(turn));
    const Mesh fold =
        test::mesh_of({{0, 0, 0}, {10, 0, 0}, end, {0, 5, 0}, {10, 5, 0}, end + Vector(0, 5, 0)},
                      {{0, 1, 4}, {0, 4, 3}, {1, 2, 5}, {1, 5, 4}});
    for (const OffsetSide side : kSides) {
      const double t = 0.4;
      const OffsetResult wall = offset_surface(fold, t, {.side = side});
      ASSERT_EQ(wall.problem, "");
      EXPECT_TRUE(is_solid(wall.mesh));
      EXPECT_EQ(certify(test::model_of(wall.mesh)).shells.size(), 1u);
      const double exact = wall.mesh.triangles.empty() ? 0 : 2 * 10 * 5 * t;
      // The corner's mitre counts once, or is missing.
      EXPECT_NEAR(volume_of(wall.mesh), exact, 5 * 4 * t * t);
      if (std::abs(degrees) < 100) {
        EXPECT_GT(wall.thickness.least, 0.999 * t);
      }
    }
  }
}

TEST(Offset, SpheresAndToriHaveTheThicknessAsked) {
  const Mesh sphere = test::sphere(40, 10);
  const Mesh torus = test::torus(60, 30, 10, 3);
  for (const Mesh* mesh : {&sphere, &torus}) {
    for (const OffsetSide side : kSides) {
      const double t = 1;
      const OffsetResult wall = offset_surface(*mesh, t, {.side = side});
      ASSERT_EQ(wall.problem, "");
      EXPECT_TRUE(is_solid(wall.mesh));
      EXPECT_GT(wall.thickness.least, 0.98 * t);
      EXPECT_LT(wall.thickness.largest, 1.03 * t);
      EXPECT_NEAR(wall.thickness.mean, t, 0.01 * t);
      // The surface itself is there, triangle for triangle.
      if (side == OffsetSide::both) continue;
      std::size_t kept = 0;
      for (const TriangleId p : wall.parent) kept += p.value != kNoIndex ? 1 : 0;
      EXPECT_EQ(kept, mesh->triangles.size());
    }
  }
}

// Skins that are turned inside out in two directions wind forward again: they are no surfaces.
TEST(Offset, WhatIsThinInTwoDirectionsIsFilledOrGone) {
  const Mesh bar = box_between({0, 0, 0}, {8, 8, 100});
  for (const double t : {3.0, 4.5, 20.0, 30.0, 70.0}) {
    SCOPED_TRACE(t);
    const OffsetResult wall = offset_surface(bar, t);
    ASSERT_EQ(wall.problem, "");
    const double inner = t < 4 ? (8 - 2 * t) * (8 - 2 * t) * (100 - 2 * t) : 0;
    EXPECT_NEAR(volume_of(wall.mesh), 6400 - inner, 1e-9);
    const OffsetResult smaller = offset_surface(bar, t, {.side = OffsetSide::in, .whole = true});
    EXPECT_EQ(smaller.problem.empty(), t < 4);
    // A bore of the same size in a block: the block grows, and the bore goes.
    const Mesh bored = joined(box_between({-90, -90, -90}, {190, 190, 190}), test::turned(bar));
    const OffsetResult larger = offset_surface(bored, t, {.side = OffsetSide::out, .whole = true});
    ASSERT_EQ(larger.problem, "");
    EXPECT_NEAR(volume_of(larger.mesh), std::pow(280 + 2 * t, 3) - inner, 1e-6);
  }
}

// Where it is curved more tightly than it is thick, the skin folds over, and is cut.
TEST(Offset, WhatFoldsOverIsCut) {
  // A slot narrower than twice the step closes.
  const Mesh slotted = test::extruded(
      {{0, 0, 0}, {5, 0, 0}, {5, 4, 0}, {3, 4, 0}, {3, 1, 0}, {2, 1, 0}, {2, 4, 0}, {0, 4, 0}}, 6);
  const OffsetResult wide = offset_surface(slotted, 0.4, {.side = OffsetSide::out, .whole = true});
  EXPECT_TRUE(is_solid(wide.mesh));
  EXPECT_NEAR(volume_of(wide.mesh), (5.8 * 4.8 - 0.2 * 3) * 6.8, 1e-9);
  const OffsetResult closed =
      offset_surface(slotted, 0.6, {.side = OffsetSide::out, .whole = true});
  ASSERT_EQ(closed.problem, "");
  EXPECT_TRUE(is_solid(closed.mesh));
  EXPECT_NEAR(volume_of(closed.mesh), 6.2 * 5.2 * 7.2, 1e-9);
  // A wall thinner than twice the step has no room inside: hollow there, solid here.
  const OffsetResult hollow =
      offset_surface(joined(slotted, box_between({10, 0, 0}, {11, 9, 9})), 0.6);
  ASSERT_EQ(hollow.problem, "");
  EXPECT_NEAR(volume_of(hollow.mesh), (5 * 4 - 3) * 6 + 81 - 2 * 0.8 * 2.8 * 4.8, 1);
  // A half pipe, thickened inward to more than its radius.
  const Mesh pipe = test::without(test::cylinder(40, 6, 2, 12), [](const Point& p) {
    return p.y() < -0.2 || p.z() < 0.01 || p.z() > 11.99;
  });
  for (const double t : {0.5, 1.5, 3.0}) {
    const OffsetResult wall = offset_surface(pipe, t);
    ASSERT_EQ(wall.problem, "");
    EXPECT_TRUE(find_crossings(Welded(wall.mesh)).empty());
    EXPECT_GT(volume_of(wall.mesh), 0);
  }
}

TEST(Offset, PatchesTellSurfaceSkinAndRim) {
  Mesh sheet =
      test::without(test::grid_box(4, {4, 4, 4}, true), [](const Point& p) { return p.z() > 3.9; });
  const std::uint32_t patches = 5;  // the last one is gone
  const OffsetResult wall = offset_surface(sheet, 0.2);
  ASSERT_EQ(wall.problem, "");
  EXPECT_EQ(wall.patches, patches);
  EXPECT_TRUE(is_solid(wall.mesh));
  std::vector<double> area(2 * patches + 1, 0);
  for (std::uint32_t t = 0; t < wall.parent.size(); ++t) {
    const Triangle& v = wall.mesh.triangles[t];
    const Point& a = wall.mesh.point(v[0]);
    const std::uint32_t patch = wall.mesh.patch_of[t].value;
    area.at(patch) += 0.5 * (wall.mesh.point(v[1]) - a).cross(wall.mesh.point(v[2]) - a).norm();
    EXPECT_EQ(wall.parent[t].value != kNoIndex, patch < patches);
  }
  EXPECT_NEAR(area[2 * patches], 4 * 4 - 3.6 * 3.6, 1e-9);  // the rim
  double inside = 0;
  for (std::uint32_t p = patches; p < 2 * patches; ++p) inside += area[p];
  EXPECT_NEAR(inside, 4 * 3.6 * 3.8 + 3.6 * 3.6, 1e-9);
}

TEST(Offset, WallsOfAllPartsTogetherCountByArea) {
  std::vector<PartWall> walls(3);
  walls[0].thickness = {.asked = 1, .least = 0.9, .mean = 1, .largest = 1.2, .kept = 1, .area = 30};
  walls[1].thickness = {.asked = 1, .least = 0.5, .mean = 2, .largest = 3, .kept = 0.6, .area = 10};
  const WallThickness all = total(walls);
  EXPECT_NEAR(all.mean, 1.25, 1e-12);
  EXPECT_NEAR(all.kept, 0.9, 1e-12);
  EXPECT_EQ(all.least, 0.5);
  EXPECT_EQ(all.largest, 3);
}

TEST(Offset, SaysWhyNothingIsMade) {
  const Mesh sheet = test::mesh_of({{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0.5, 0.5, 1}},
                                   {{0, 1, 2}, {0, 2, 3}, {0, 2, 4}});
  EXPECT_NE(offset_surface(sheet, 0.1).problem.find("three triangles"), std::string::npos);
  const Mesh against =
      test::mesh_of({{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}}, {{0, 1, 2}, {0, 3, 2}});
  EXPECT_NE(offset_surface(against, 0.1).problem.find("orient"), std::string::npos);
  EXPECT_THROW((void)offset_surface(sheet, 0), ArgumentError);
  EXPECT_THROW((void)offset_surface(sheet, 1, {.mitre_limit = 1}), ArgumentError);
}

TEST(Offset, CanBeStopped) {
  const Mesh torus = test::torus(24, 12, 5, 2);
  int stopped = 0;
  bool ended = false;
  for (int calls = 0; calls < 10000 && !ended; calls += 1 + calls / 4) {
    test::StopAfter progress(calls);
    try {
      (void)offset_surface(torus, 0.5, {}, &progress);
      ended = true;
    } catch (const Cancelled&) {
      ++stopped;
    }
  }
  EXPECT_GT(stopped, 2);
  EXPECT_TRUE(ended);
}

}  // namespace offset_test
}  // namespace aguja
