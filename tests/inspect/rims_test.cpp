// Cracks, gaps, openings and borders told apart.

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include <algorithm>
#include <cmath>

#include "aguja/inspect/inspect.h"
#include "demo/crack.h"
#include "demo/garza.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace rims_test {

std::vector<Finding> of_kind(const Inspection& inspection, FindingKind kind) {
  std::vector<Finding> found;
  for (const Finding& f : inspection.findings) {
    if (f.kind == kind) found.push_back(f);
  }
  return found;
}

// A sphere parted at its equator, the upper half lifted.
Mesh parted_sphere(int n, double lift) {
  Mesh mesh = test::sphere(n);
  const auto upper = [&](const Triangle& t) {
    return mesh.point(t[0]).z() + mesh.point(t[1]).z() + mesh.point(t[2]).z() > 0;
  };
  Mesh lower, above;
  lower.points = mesh.points;
  above.points = mesh.points;
  for (Point& p : above.points) p.z() += lift;
  for (const Triangle& t : mesh.triangles) (upper(t) ? above : lower).triangles.push_back(t);
  return test::joined(lower, above);
}

TEST(Rims, ACrackHasItsWidthsAndLength) {
  const Inspection found = inspect(test::model_of(parted_sphere(20, 0.004)));
  const auto cracks = of_kind(found, FindingKind::crack);
  ASSERT_EQ(cracks.size(), 1u);
  EXPECT_EQ(found.count(Severity::error), 1u);
  EXPECT_NEAR(cracks[0].measure, 0.004, 1e-12);
  EXPECT_EQ(cracks[0].count, 80u);
  EXPECT_NE(cracks[0].detail.find("median 0.004, least 0.004"), std::string::npos)
      << cracks[0].detail;
  ASSERT_TRUE(cracks[0].widths.has_value());
  EXPECT_NEAR(cracks[0].widths->median, 0.004, 1e-12);
  EXPECT_NEAR(cracks[0].widths->length, 40 * 2 * std::sin(M_PI / 40), 1e-9);
  EXPECT_EQ(cracks[0].widths->hanging, 0u);
  ASSERT_TRUE(found.proposed_tolerance.has_value());
  EXPECT_EQ(found.proposed_tolerance->closes, 1u);
  EXPECT_GE(found.proposed_tolerance->value, 0.004);
  EXPECT_LE(found.proposed_tolerance->value, 0.006);
}

TEST(Rims, WhatIsWiderThanTheToleranceIsAGap) {
  InspectOptions options;
  options.profile.tolerance = 0.002;
  const Inspection found = inspect(test::model_of(parted_sphere(20, 0.004)), options);
  const auto gaps = of_kind(found, FindingKind::gap);
  ASSERT_EQ(gaps.size(), 1u);
  EXPECT_EQ(found.count(Severity::error), 1u);
  EXPECT_NEAR(gaps[0].measure, 0.004, 1e-12);
  EXPECT_EQ(gaps[0].limit, 0.002);
}

TEST(Rims, ABandMissingBetweenTwoRimsIsOneOpeningWithTwoLoops) {
  const Inspection found = inspect(test::model_of(parted_sphere(20, 0.3)));
  const auto openings = of_kind(found, FindingKind::opening);
  ASSERT_EQ(openings.size(), 1u);
  EXPECT_EQ(found.count(Severity::error), 1u);
  EXPECT_EQ(openings[0].count, 80u);
  EXPECT_NE(openings[0].detail.find("two loops 0.3 apart"), std::string::npos);
  EXPECT_NEAR((openings[0].place - Point(0, 0, 0.15)).norm(), 0, 1e-9);
}

TEST(Rims, TwoOpeningsFarApartAreTwo) {
  Mesh mesh = test::sphere(12);
  erase_if(mesh.triangles, [&](const Triangle& t) {
    const double z = (mesh.point(t[0]).z() + mesh.point(t[1]).z() + mesh.point(t[2]).z()) / 3;
    return std::fabs(z) > 0.8;
  });
  const Inspection found = inspect(test::model_of(mesh));
  EXPECT_EQ(of_kind(found, FindingKind::opening).size(), 2u);
  EXPECT_FALSE(found.proposed_tolerance.has_value());
}

TEST(Rims, AnOpeningInACrackedModelIsToldFromTheCracks) {
  const demo::KnownPart ball = demo::make_ball(10, 6);
  Mesh torn = demo::cracked(ball.part.mesh(), {.width = 0.002});
  // One patch is missing altogether.
  const PatchId lost{3 * 6 + 2};
  Mesh mesh;
  mesh.points = torn.points;
  for (std::size_t t = 0; t < torn.triangles.size(); ++t) {
    if (torn.patch_of[t] != lost) mesh.triangles.push_back(torn.triangles[t]);
  }
  const Inspection found = inspect(test::model_of(mesh));
  const auto openings = of_kind(found, FindingKind::opening);
  ASSERT_EQ(openings.size(), 1u);
  EXPECT_EQ(openings[0].count, 8u);
  EXPECT_GT(of_kind(found, FindingKind::crack).size(), 30u);
  EXPECT_TRUE(of_kind(found, FindingKind::sheet_border).empty());
}

// A cap of a sphere of radius `radius`, moved.
Mesh cap(double radius, const Vector& shift) {
  Mesh mesh = test::sphere(24, radius);
  erase_if(mesh.triangles, [&](const Triangle& t) {
    return mesh.point(t[0]).z() + mesh.point(t[1]).z() + mesh.point(t[2]).z() < 2.4 * radius;
  });
  for (Point& p : mesh.points) p += shift;
  return mesh;
}

TEST(Rims, APatchAHairAboveAnotherSurfaceIsACopyOfItWhicheverWayItFaces) {
  for (const double hair : {-5e-4, 0.0, 2e-4, 1e-3}) {
    for (const bool turned : {false, true}) {
      SCOPED_TRACE(testing::Message() << hair << (turned ? " turned" : ""));
      // Not triangle by triangle: the copy was made with other facets.
      Mesh copy = cap(1 + hair, Vector::Zero());
      for (Point& p : copy.points) p = Eigen::AngleAxisd(0.05, Vector::UnitZ()) * p;
      if (turned) copy = test::turned(copy);
      const Mesh body = test::sphere(90);
      const Inspection found = inspect(test::model_of(test::joined(body, copy)));
      EXPECT_TRUE(of_kind(found, FindingKind::opening).empty());
      const auto sheets = of_kind(found, FindingKind::loose_sheet);
      ASSERT_EQ(sheets.size(), 1u);
      EXPECT_NE(sheets[0].detail.find("lies along another surface"), std::string::npos)
          << sheets[0].detail;
      EXPECT_EQ(sheets[0].count, copy.triangles.size());
    }
  }
}

// A box whose wall runs on over its beginning by `lap` (a slit if negative), `hair` farther out.
Mesh lapped_box(double lap, double hair, int rows) {
  Mesh mesh;
  std::vector<Point> way = {{0, 0, 0},  {20, 0, 0},    {20, 20, 0},
                            {0, 20, 0}, {0, -hair, 0}, {lap, -hair, 0}};
  if (lap < 0) way = {{-lap, 0, 0}, {20, 0, 0}, {20, 20, 0}, {0, 20, 0}, {0, -hair, 0}};
  const auto quad = [&](const Point& a, const Point& b, const Point& c, const Point& d) {
    const auto first = static_cast<std::uint32_t>(mesh.points.size());
    for (const Point& p : {a, b, c, d}) mesh.points.push_back(p);
    mesh.triangles.push_back({{{first}, {first + 1}, {first + 2}}});
    mesh.triangles.push_back({{{first}, {first + 2}, {first + 3}}});
  };
  const double height = 12;
  for (std::size_t i = 0; i + 1 < way.size(); ++i) {
    for (int row = 0; row < rows; ++row) {
      const Vector low(0, 0, height * row / rows), high(0, 0, height * (row + 1) / rows);
      quad(way[i] + low, way[i + 1] + low, way[i + 1] + high, way[i] + high);
    }
  }
  const Vector up(0, 0, height);
  quad(way[0], way[3], way[2], way[1]);
  quad(way[0] + up, way[1] + up, way[2] + up, way[3] + up);
  return mesh;
}

TEST(Rims, AWallThatIsLappedOverItsBeginningIsNoOpening) {
  for (const int rows : {1, 4}) {
    for (const double lap : {0.5, 8.0}) {
      SCOPED_TRACE(testing::Message() << lap << ' ' << rows);
      const Inspection found = inspect(test::model_of(lapped_box(lap, 0.01, rows)));
      const auto overlaps = of_kind(found, FindingKind::overlap);
      ASSERT_EQ(overlaps.size(), 1u);
      EXPECT_NEAR(overlaps[0].measure, 12 * lap, 1e-6);
      EXPECT_NEAR((overlaps[0].place - Point(lap / 2, 0, 6)).norm(), 0, 0.02);
      EXPECT_TRUE(of_kind(found, FindingKind::opening).empty());
      EXPECT_TRUE(of_kind(found, FindingKind::gap).empty());
    }
  }
  // A slit, however narrow, is none.
  const Inspection found = inspect(test::model_of(lapped_box(-0.02, 0.01, 1)));
  EXPECT_TRUE(of_kind(found, FindingKind::overlap).empty());
}

// What lies near a hole that is hardly larger than a hair is what is round it.
TEST(Rims, SmallHolesAndOpenBoxesRunOverNothing) {
  Mesh ring = test::torus(200, 100, 3, 1);
  Mesh holed = ring;
  holed.triangles.clear();
  std::size_t holes = 0;
  for (std::size_t t = 0; t < ring.triangles.size(); ++t) {
    if (t % 997 == 0) {
      ++holes;
    } else {
      holed.triangles.push_back(ring.triangles[t]);
    }
  }
  // What is far away makes the hair longer.
  holed = test::joined(holed, test::cube(Point(40, 40, 0), 1));
  Inspection found = inspect(test::model_of(holed));
  EXPECT_TRUE(of_kind(found, FindingKind::overlap).empty());
  EXPECT_EQ(of_kind(found, FindingKind::opening).size(), holes);

  test::Random r(3);
  Mesh boxes;
  for (int i = 0; i < 1000; ++i) {
    Mesh box = test::grid_box(1, Vector::Constant(r.between(0.1, 0.8)));
    double top = 0;
    for (const Point& p : box.points) top = std::max(top, p.z());
    box = test::without(box, [&](const Point& middle) { return middle.z() > 0.9 * top; });
    const double x = r.between(0, 100), y = r.between(0, 100), z = r.between(0, 100);
    const Vector by(x, y, z);
    for (Point& p : box.points) p += by;
    boxes = test::joined(boxes, box);
  }
  found = inspect(test::model_of(boxes));
  EXPECT_TRUE(of_kind(found, FindingKind::overlap).empty());
}

TEST(Rims, ACurvedPatchByItselfIsNoOpening) {
  const Mesh body = test::sphere(24);
  Inspection found = inspect(test::model_of(test::joined(body, cap(1, Vector(0, 0, 2)))));
  EXPECT_TRUE(of_kind(found, FindingKind::opening).empty());
  EXPECT_EQ(of_kind(found, FindingKind::sheet_border).size(), 1u);
  // The same alone is a body that lost its bottom, and so is what is large.
  found = inspect(test::model_of(cap(1, Vector::Zero())));
  EXPECT_EQ(of_kind(found, FindingKind::opening).size(), 1u);
  found = inspect(test::model_of(test::joined(cap(1, Vector::Zero()), cap(1, Vector(3, 0, 0)))));
  EXPECT_EQ(of_kind(found, FindingKind::opening).size(), 2u);
}

TEST(Rims, ATJunctionIsACrackOfNoWidthWithHangingVertices) {
  Mesh mesh = test::cube();
  // The top's front edge gets a vertex that the front does not have.
  erase_if(mesh.triangles, [&](const Triangle& t) {
    return mesh.point(t[0]).z() + mesh.point(t[1]).z() + mesh.point(t[2]).z() == 3;
  });
  mesh.points.push_back({0.5, 0, 1});
  for (const auto& [i, j, k] :
       {std::array{4u, 8u, 6u}, std::array{8u, 5u, 7u}, std::array{8u, 7u, 6u}}) {
    mesh.triangles.push_back({{{i}, {j}, {k}}});
  }
  const Inspection found = inspect(test::model_of(mesh));
  const auto cracks = of_kind(found, FindingKind::crack);
  ASSERT_EQ(cracks.size(), 1u);
  EXPECT_EQ(found.findings.size(), 1u) << slug(found.findings[0].kind);
  EXPECT_EQ(cracks[0].count, 3u);
  EXPECT_EQ(cracks[0].measure, 0);
  EXPECT_NE(cracks[0].detail.find("1 hanging"), std::string::npos) << cracks[0].detail;
}

TEST(Rims, TheProposalStaysBelowTheThinnestWall) {
  // A plate without side walls: its two faces are 0.02 apart and no crack.
  Mesh plate = test::mesh_of({{0, 0, 0},
                              {1, 0, 0},
                              {1, 1, 0},
                              {0, 1, 0},
                              {0, 0, 0.02},
                              {1, 0, 0.02},
                              {1, 1, 0.02},
                              {0, 1, 0.02}},
                             {{0, 2, 1}, {0, 3, 2}, {4, 5, 6}, {4, 6, 7}});
  const Inspection found = inspect(test::model_of(plate));
  EXPECT_TRUE(of_kind(found, FindingKind::crack).empty());
  EXPECT_TRUE(of_kind(found, FindingKind::gap).empty());
}

TEST(Rims, OpeningsThatMeetInAPointArePinched) {
  Mesh mesh = test::sphere(12);
  // Two quads that share nothing but a corner.
  const VertexId shared = mesh.triangles[300][0];
  std::vector<Triangle> kept;
  std::size_t dropped = 0;
  for (const Triangle& t : mesh.triangles) {
    const bool at = t[0] == shared || t[1] == shared || t[2] == shared;
    const Vector d =
        (mesh.point(t[0]) + mesh.point(t[1]) + mesh.point(t[2])) / 3.0 - mesh.point(shared);
    const Vector n = mesh.point(shared).normalized();
    const Vector east = Vector(-n.y(), n.x(), 0).normalized();
    const Vector north = n.cross(east);
    if (at && d.dot(east) * d.dot(north) > 0) {
      ++dropped;
      continue;
    }
    kept.push_back(t);
  }
  mesh.triangles.assign(kept.begin(), kept.end());
  ASSERT_GE(dropped, 2u);
  const auto openings = of_kind(inspect(test::model_of(mesh)), FindingKind::opening);
  ASSERT_EQ(openings.size(), 2u);
  for (const Finding& f : openings) EXPECT_EQ(f.detail, "closed loop, pinched");
}

TEST(Rims, PartsThatCloseOnlyTogetherAreHintedAt) {
  const demo::KnownPart ball = demo::make_ball(10, 4);
  const Mesh torn = demo::cracked(ball.part.mesh(), {.width = 0.001});
  Model model;
  model.parts = demo::parts_by_patch(torn, "face");
  ASSERT_EQ(model.parts.size(), 16u);
  ASSERT_EQ(inspect(model).hints.size(), 1u);
  EXPECT_TRUE(inspect(as_one(model)).hints.empty());
  Model two = test::model_of(test::sphere(5));
  two.parts.emplace_back("other", test::sphere(5, 1, {5, 0, 0}));
  test::edit(two, [](Mesh& mesh) { mesh.triangles.pop_back(); });
  EXPECT_TRUE(inspect(two).hints.empty());
}

}  // namespace rims_test
}  // namespace aguja
