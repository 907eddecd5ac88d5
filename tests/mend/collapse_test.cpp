#include "aguja/mend/collapse.h"

#include <cmath>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/mend/absorb.h"
#include "aguja/solid/deviation.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace collapse_test {

using test::grid_box;
using test::is_solid;
using test::Random;
using test::volume_of;

std::vector<TriangleId> flat_ones(const Mesh& mesh, double least_height) {
  std::vector<TriangleId> bad;
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    const Triangle& tri = mesh.triangles[t];
    double longest = 0;
    for (std::size_t c = 0; c < 3; ++c) {
      longest = std::max(longest, (mesh.point(tri[c]) - mesh.point(tri[(c + 1) % 3])).norm());
    }
    const double area = 0.5 * (mesh.point(tri[1]) - mesh.point(tri[0]))
                                  .cross(mesh.point(tri[2]) - mesh.point(tri[0]))
                                  .norm();
    if (2 * area < least_height * longest) bad.push_back({t});
  }
  return bad;
}

TEST(Collapse, NeedlesAndCapsGoWithinTheBudgetAndTheSolidStaysOne) {
  int mended = 0, cases = 0;
  for (std::uint64_t seed = 1; seed <= 150; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    Mesh mesh = seed % 2 == 0 ? grid_box(4, {1, 1, 1}) : test::sphere(14);
    const double small = std::pow(10.0, random.between(-9, -4));
    for (int i = 0; i < 4; ++i) {
      // Close to an end: two needles. The neighbours get long and thin.
      test::split_edge(mesh, static_cast<std::uint32_t>(random.index(mesh.triangles.size())),
                       random.index(3), random.chance(0.5) ? small * 5 : 1 - small * 5,
                       Vector::Zero());
    }
    mesh.points_are_distinct = true;
    if (!is_solid(mesh)) continue;
    const double budget = 1e-3;
    const auto bad = flat_ones(mesh, 1e-3 * 0.2);
    if (bad.empty()) continue;
    ++cases;
    const Change change = collapse(mesh, bad, {}, {budget, {}});
    EXPECT_TRUE(is_solid(change.mesh));
    const auto there = one_way_deviation(test::model_of(mesh), test::model_of(change.mesh));
    const auto back = one_way_deviation(test::model_of(change.mesh), test::model_of(mesh));
    EXPECT_LE(std::max(there.largest, back.largest), budget);
    double spent = 0;
    for (const double s : change.spent) spent = std::max(spent, s);
    EXPECT_GE(spent * (1 + 1e-9) + 1e-12, std::max(there.largest, back.largest));
    EXPECT_LE(flat_ones(change.mesh, 1e-3 * 0.2).size(), bad.size());
    mended += flat_ones(change.mesh, 1e-3 * 0.2).empty();
  }
  EXPECT_GE(cases, 100) << "the cases are no longer worth it";
  EXPECT_GE(mended, cases * 9 / 10);
}

TEST(Collapse, AZeroAreaCapIsFlippedAwayExactly) {
  // A point on the middle of an edge of one triangle only: the sliver between is on one line.
  Mesh mesh = grid_box(2, {2, 2, 2});
  const Triangle t = mesh.triangles[0];
  const VertexId m{static_cast<std::uint32_t>(mesh.points.size())};
  mesh.points.push_back(0.5 * (mesh.point(t[0]) + mesh.point(t[1])));
  mesh.triangles[0] = {{t[0], m, t[2]}};
  mesh.triangles.push_back({{m, t[1], t[2]}});
  mesh.triangles.push_back({{t[0], t[1], m}});
  ASSERT_FALSE(is_solid(mesh));
  const TriangleId cap{static_cast<std::uint32_t>(mesh.triangles.size() - 1)};
  const Change change = collapse(mesh, std::span(&cap, 1));
  EXPECT_EQ(change.done, 1u);
  EXPECT_TRUE(is_solid(change.mesh));
  EXPECT_EQ(volume_of(change.mesh), 8);
}

TEST(Collapse, WhatIsBeyondTheBudgetIsLeftAndSaidSo) {
  // A tetrahedron so flat that every triangle is bad, and every change moves something.
  Mesh mesh = test::mesh_of({{0, 0, 0}, {1, 0, 0}, {0.5, 1e-3, 0}, {0.5, 5e-4, 1e-3}},
                            {{0, 2, 1}, {0, 1, 3}, {1, 2, 3}, {2, 0, 3}});
  mesh.points_are_distinct = true;
  const auto bad = flat_ones(mesh, 0.01);
  ASSERT_EQ(bad.size(), 4u);
  const Change change = collapse(mesh, bad, {}, {1e-6, {}});
  EXPECT_EQ(test::facets(change.mesh), test::facets(mesh));
  EXPECT_FALSE(change.refused.empty());
}

TEST(Collapse, ARefusalForTheBudgetSaysWhichBudgetWouldDo) {
  const Mesh mesh = with_distinct_points(test::sphere(12));
  int refused = 0;
  for (const Triangle& t : mesh.triangles) {
    const VertexId a = t[0], b = t[1];
    const Change tight = collapse_edge(mesh, a, b, {1e-4, {}});
    if (tight.done > 0 || tight.refused[0].reason != RefusalReason::beyond_budget) continue;
    ++refused;
    const std::string& detail = tight.refused[0].detail;
    ASSERT_TRUE(detail.starts_with("it needs ")) << detail;
    const double needed = std::stod(detail.substr(std::string("it needs ").size()));
    const Change wide = collapse_edge(mesh, a, b, {needed, {}});
    EXPECT_EQ(wide.done, 1u) << needed;
    EXPECT_EQ(collapse_edge(mesh, a, b, {0.5 * needed, {}}).done, 0u) << needed;
  }
  EXPECT_GT(refused, 100);
}

TEST(Collapse, NeverPinchesAThinWall) {
  // A plate far thinner than the budget: contracting its rim would close it.
  const Mesh plate = grid_box(3, {1, 1, 1e-4});
  std::vector<TriangleId> all;
  for (std::uint32_t t = 0; t < plate.triangles.size(); ++t) all.push_back({t});
  const Change change = collapse(plate, all, {.short_edge = 1e-3}, {1e-2, {}});
  EXPECT_TRUE(is_solid(change.mesh));
  EXPECT_GT(volume_of(change.mesh), 0.5e-4);
}

TEST(Collapse, EdgesAreJoinedIfItDoesNoHarm) {
  const Mesh mesh = with_distinct_points(test::sphere(12));
  std::size_t joined = 0;
  for (const Triangle& t : mesh.triangles) {
    const Change change = collapse_edge(mesh, t[0], t[1], {10, {}});
    joined += change.done;
    EXPECT_TRUE(is_solid(change.mesh));
  }
  EXPECT_GT(joined, mesh.triangles.size() / 2);
}

TEST(Collapse, MeshesWithEqualPointsAreRefused) {
  Mesh mesh = grid_box(1, {1, 1, 1});
  mesh.points_are_distinct = false;
  const TriangleId first{0}, none{99};
  EXPECT_THROW(static_cast<void>(collapse(mesh, std::span(&first, 1))), ArgumentError);
  mesh.points_are_distinct = true;
  EXPECT_THROW(static_cast<void>(collapse(mesh, std::span(&none, 1))), ArgumentError);
}

TEST(Absorb, SuperfluousVerticesGoWithoutMovingAnything) {
  const Mesh mesh = grid_box(8, {1, 2, 4});
  const Change change = drop_superfluous_vertices(mesh);
  EXPECT_TRUE(is_solid(change.mesh));
  EXPECT_EQ(volume_of(change.mesh), 8);
  EXPECT_EQ(change.mesh.triangles.size(), 12u);
  for (const double s : change.spent) EXPECT_EQ(s, 0);
  const auto back = one_way_deviation(test::model_of(change.mesh), test::model_of(mesh));
  EXPECT_LE(back.largest, 1e-15);
}

TEST(Absorb, PlanesThatAreOneBecomeOnePatch) {
  Mesh mesh = grid_box(4, {1, 1, 1}, true);
  // The first side in two patches.
  for (std::size_t t = 0; t < 16; ++t) mesh.patch_of[t] = {6};
  const Change change = join_planes(mesh);
  EXPECT_EQ(test::facets(change.mesh), test::facets(mesh));
  EXPECT_EQ(change.mesh.patch_of[0], change.mesh.patch_of[31]);
  EXPECT_NE(change.mesh.patch_of[0], change.mesh.patch_of[32]);
}

TEST(Absorb, ASliverPatchIsContractedIntoItsNeighbours) {
  // A strip of width 1e-4 between two sides of a box, as a patch of its own.
  for (const double width : {1e-3, 1e-4, 1e-6}) {
    std::vector<Point> outline = {
        {0, 0, 0}, {1, 0, 0}, {1, 1 - width, 0}, {1 - width, 1, 0}, {0, 1, 0}};
    Mesh mesh = test::extruded(outline, 1.0);
    mesh = with_distinct_points(mesh);
    std::vector<TriangleId> strip;
    for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
      Point low = mesh.point(mesh.triangles[t][0]);
      for (const VertexId v : mesh.triangles[t].corner) low = low.cwiseMin(mesh.point(v));
      if (low.x() >= 1 - width && low.y() >= 1 - width) strip.push_back({t});
    }
    ASSERT_EQ(strip.size(), 2u);
    const Change change = absorb_patches(mesh, strip, {2 * width, {}});
    EXPECT_TRUE(is_solid(change.mesh)) << width;
    EXPECT_EQ(change.mesh.triangles.size(), 12u) << width;
    EXPECT_NEAR(volume_of(change.mesh), 1, 2 * width);
  }
}

// A plane of three patches side by side, the narrow ones part of what lies beside them: the last becomes
// part of the second, and goes on with it into the first.
TEST(Absorb, WhatBecamePartOfASliverGoesOnWithIt) {
  Mesh mesh;
  const double x[] = {0, 10, 10.1, 10.2};
  for (const double at : x) {
    mesh.points.emplace_back(at, 0, 0);
    mesh.points.emplace_back(at, 5, 0);
  }
  mesh.points_are_distinct = true;
  // Slivers first, so that the outer one is looked at before the inner one.
  std::vector<TriangleId> slivers;
  for (const std::uint32_t strip : {2U, 1U, 0U}) {
    const VertexId a{2 * strip}, b{2 * strip + 2}, c{2 * strip + 3}, d{2 * strip + 1};
    mesh.triangles.push_back({{a, b, c}});
    mesh.triangles.push_back({{a, c, d}});
    for (int i = 0; i < 2; ++i) mesh.patch_of.push_back({strip});
    if (strip == 0) continue;
    const auto last = static_cast<std::uint32_t>(mesh.triangles.size());
    slivers.push_back({last - 2});
    slivers.push_back({last - 1});
  }
  const auto lies_on = [](PatchId, PatchId) { return true; };
  const Change joined = absorb_patches(mesh, slivers, {1, {}}, nullptr, lies_on);
  EXPECT_EQ(joined.done, 2u);
  EXPECT_TRUE(joined.refused.empty());
  for (const PatchId patch : joined.mesh.patch_of) EXPECT_EQ(patch, PatchId{0});
  for (std::uint32_t t = 0; t < 6; ++t) EXPECT_EQ(joined.mesh.triangles[t], mesh.triangles[t]);
  // Where nothing lies on anything, nothing becomes part of another.
  const auto never = [](PatchId, PatchId) { return false; };
  const Change apart = absorb_patches(mesh, slivers, {0, {}}, nullptr, never);
  ASSERT_FALSE(apart.parent.empty());
  for (std::uint32_t t = 0; t < apart.parent.size(); ++t) {
    EXPECT_EQ(apart.mesh.patch_of[t], mesh.patch_of[apart.parent[t].value]);
  }
}

}  // namespace collapse_test
}  // namespace aguja
