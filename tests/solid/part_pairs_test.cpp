#include "aguja/solid/part_pairs.h"

#include <numbers>

#include <memory>
#include <set>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/solid/certificate.h"
#include "aguja/solid/prepare.h"
#include "tests/support/drawn_body.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace part_pairs_test {

using enum PartRelation;

Mesh box(const Vector& low, const Vector& size, int steps = 2) {
  Mesh mesh = test::grid_box(steps, size);
  for (Point& p : mesh.points) p += low;
  return mesh;
}

Mesh turned(Mesh mesh, const Vector& about, double degrees) {
  const Eigen::AngleAxisd turn(degrees * std::numbers::pi / 180, about.normalized());
  for (Point& p : mesh.points) p = turn * p;
  return mesh;
}

std::vector<PartPair> related(std::vector<Mesh> meshes, bool are_solid = true) {
  Model model;
  for (Mesh& m : meshes) {
    model.parts.emplace_back("part " + std::to_string(model.parts.size()), std::move(m));
  }
  return relate_parts(model, std::vector<bool>(model.parts.size(), are_solid));
}

Mesh with_cavity() {
  Mesh mesh = box({0, 0, 0}, {10, 10, 10});
  const Mesh hole = box({2, 2, 2}, {6, 6, 6});
  const auto base = static_cast<std::uint32_t>(mesh.points.size());
  mesh.points.insert(mesh.points.end(), hole.points.begin(), hole.points.end());
  for (const Triangle& t : hole.triangles) {
    mesh.triangles.push_back({{{t[0].value + base}, {t[2].value + base}, {t[1].value + base}}});
  }
  return mesh;
}

TEST(PartPairs, WhatIsApartIsNoPair) {
  EXPECT_TRUE(related({box({0, 0, 0}, {1, 1, 1}), box({1.01, 0, 0}, {1, 1, 1})}).empty());
  // In the cavity of another.
  EXPECT_TRUE(related({with_cavity(), box({3, 3, 3}, {1, 1, 1})}).empty());
  // Around each other: their boxes meet, they do not.
  EXPECT_TRUE(related({test::torus(48, 24, 10, 2), box({-1, -1, -20}, {2, 2, 40})}).empty());
}

TEST(PartPairs, CrossingTellsTheVolumeThatBothFill) {
  const auto pairs = related({box({0, 0, 0}, {2, 2, 2}), box({1, 1, 1}, {2, 2, 2})});
  ASSERT_EQ(pairs.size(), 1u);
  EXPECT_EQ(pairs[0].relation, crossing);
  EXPECT_NEAR(*pairs[0].volume, 1, 1e-12);
  // Faces in one plane, all contact coplanar or along edges.
  const auto flush = related({box({0, 0, 0}, {2, 1, 1}), box({1, 0, 0}, {2, 1, 1})});
  ASSERT_EQ(flush.size(), 1u);
  EXPECT_EQ(flush[0].relation, crossing);
  EXPECT_NEAR(*flush[0].volume, 1, 1e-12);
  // Crossed bars: neither has a corner in the other.
  const auto bars = related({box({-5, -1, -1}, {10, 2, 2}, 1), box({-1, -5, -1}, {2, 10, 2}, 1)});
  ASSERT_EQ(bars.size(), 1u);
  EXPECT_EQ(bars[0].relation, crossing);
  EXPECT_NEAR(*bars[0].volume, 8, 1e-12);
}

TEST(PartPairs, ABodyInTheMaterialOfAnotherAndNotInItsCavity) {
  for (const bool inner_first : {false, true}) {
    std::vector<Mesh> meshes = {box({0, 0, 0}, {10, 10, 10}), box({4, 4, 4}, {1, 1, 1})};
    if (inner_first) std::swap(meshes[0], meshes[1]);
    const auto pairs = related(meshes);
    ASSERT_EQ(pairs.size(), 1u);
    EXPECT_EQ(pairs[0].relation, inside);
    EXPECT_EQ(pairs[0].first, inner_first ? 0u : 1u);
    EXPECT_NEAR(*pairs[0].volume, 1, 1e-12);
  }
  // Between the walls: it is in the material, touching both faces of it.
  const auto wall = related({with_cavity(), box({0, 4, 4}, {2, 1, 1})});
  ASSERT_EQ(wall.size(), 1u);
  EXPECT_EQ(wall[0].relation, inside);
  EXPECT_EQ(wall[0].first, 1u);
  // Half in the cavity.
  EXPECT_EQ(related({with_cavity(), box({1, 4, 4}, {2, 1, 1})}).at(0).relation, crossing);
}

TEST(PartPairs, WhatIsInOnePlaceAgainAndAgainIsToldAgainstTheFirst) {
  Model model;
  const auto shape = std::make_shared<Shape>();
  shape->mesh = box({0, 0, 0}, {1, 1, 1});
  for (int i = 0; i < 3000; ++i) model.parts.emplace_back("copy", shape, Placement{});
  const auto pairs = relate_parts(model, std::vector<bool>(3000, true));
  std::set<std::size_t> told;
  for (const PartPair& pair : pairs) {
    EXPECT_EQ(pair.relation, identical);
    told.insert({pair.first, pair.second});
  }
  EXPECT_EQ(told.size(), 3000u);
  EXPECT_LT(pairs.size(), 3200u);
}

TEST(PartPairs, TheSamePartTwice) {
  const Mesh one = turned(test::torus(48, 24, 10, 3), {1, 2, 3}, 20);
  EXPECT_EQ(related({one, one}).at(0).relation, identical);
  // Divided otherwise, or a hair aside.
  EXPECT_EQ(related({box({0, 0, 0}, {1, 1, 1}, 2), box({0, 0, 0}, {1, 1, 1}, 3)}).at(0).relation,
            identical);
  Mesh aside = one;
  for (Point& p : aside.points) p.x() += 1e-7;
  EXPECT_EQ(related({one, aside}).at(0).relation, identical);
  // Sheets, too, if they are the same.
  const auto sheet = [&] {
    return test::without(box({0, 0, 0}, {1, 1, 1}), [](const Point& p) { return p.z() > 0.01; });
  };
  EXPECT_EQ(related({sheet(), sheet()}, false).at(0).relation, identical);
}

TEST(PartPairs, TouchingTellsTheAreaThatFaces) {
  const auto pairs = related({box({0, 0, 0}, {2, 2, 2}), box({2, 1, 1}, {2, 2, 2}, 3)});
  ASSERT_EQ(pairs.size(), 1u);
  EXPECT_EQ(pairs[0].relation, touching);
  EXPECT_NEAR(pairs[0].area, 1, 1e-9);
  // Rounding to single precision after a turn leaves films and hair gaps between.
  for (int degrees = 5; degrees < 90; degrees += 7) {
    std::vector<Mesh> meshes = {box({0, 0, 0}, {20, 20, 20}), box({20, 5, 5}, {20, 10, 10}, 3)};
    for (Mesh& m : meshes) {
      m = turned(std::move(m), {1, 2, 3}, degrees);
      for (Point& p : m.points) p = rounded_to_float(p);
    }
    const auto turned_pairs = related(std::move(meshes));
    ASSERT_EQ(turned_pairs.size(), 1u) << degrees;
    EXPECT_EQ(turned_pairs[0].relation, touching) << degrees;
    EXPECT_NEAR(turned_pairs[0].area, 100, 0.1) << degrees;
  }
  // Along an edge, or at a corner: no area, whatever rounding makes of it.
  for (int degrees = 3; degrees < 90; degrees += 3) {
    std::vector<Mesh> meshes = {box({0, 0, 0}, {20, 20, 20}), box({20, 20, 5}, {20, 10, 10}, 3)};
    for (Mesh& m : meshes) {
      m = turned(std::move(m), {2, 3, 1}, degrees);
      if (degrees % 2 == 0) continue;
      for (Point& p : m.points) p = rounded_to_float(p);
    }
    const auto turned_pairs = related(std::move(meshes));
    ASSERT_EQ(turned_pairs.size(), 1u) << degrees;
    EXPECT_EQ(turned_pairs[0].relation, touching) << degrees;
  }
  const auto edge = related({box({0, 0, 0}, {1, 1, 1}), box({1, 1, 0}, {1, 1, 1})});
  ASSERT_EQ(edge.size(), 1u);
  EXPECT_EQ(edge[0].relation, touching);
  EXPECT_NEAR(edge[0].area, 0, 1e-5);
}

TEST(PartPairs, WhatGoesDeeperThanTheToleranceIsNoContact) {
  for (const double deep : {1e-3, 1e-4}) {
    const auto pairs =
        related({box({0, 0, 0}, {1, 1, 1}), box({1 - deep, 0.2, 0.2}, {1, 0.5, 0.5})});
    ASSERT_EQ(pairs.size(), 1u);
    EXPECT_EQ(pairs[0].relation, crossing) << deep;
    EXPECT_NEAR(*pairs[0].volume, 0.25 * deep, 1e-12);
  }
  const auto film = related({box({0, 0, 0}, {1, 1, 1}), box({1 - 1e-7, 0.2, 0.2}, {1, 0.5, 0.5})});
  ASSERT_EQ(film.size(), 1u);
  EXPECT_EQ(film[0].relation, touching);
}

TEST(PartPairs, SheetsAgainstBodiesAndSheets) {
  const Mesh body = box({0, 0, 0}, {4, 4, 4});
  const auto sheet_at = [](const Vector& low) {
    return test::without(box(low, {1, 1, 1}),
                         [&](const Point& p) { return p.z() > low.z() + 0.01; });
  };
  const auto relation = [&](const Mesh& sheet) -> std::optional<PartRelation> {
    Model model;
    model.parts.emplace_back("body", body);
    model.parts.emplace_back("sheet", sheet);
    const auto pairs = relate_parts(model, {true, false});
    if (pairs.empty()) return std::nullopt;
    if (pairs[0].relation == inside) {
      EXPECT_EQ(pairs[0].first, 1u);
    }
    return pairs[0].relation;
  };
  EXPECT_EQ(relation(sheet_at({1, 1, 1})), inside);
  EXPECT_EQ(relation(sheet_at({3.5, 1, 1})), crossing);
  EXPECT_EQ(relation(sheet_at({1, 1, 4})), touching);
  EXPECT_EQ(relation(sheet_at({1, 1, 4.5})), std::nullopt);
  // Two sheets may be faces of one body.
  const Mesh flat = sheet_at({0, 0, 0});
  EXPECT_TRUE(related({flat, turned(flat, {1, 1, 0}, 30)}, false).empty());
}

// A tube along z, or a rod where `inner` is zero, closed by planes.
Body tube(double inner, double outer, double low, double high, double turned_by) {
  test::Drawing d;
  const Vector z(0, 0, 1), x(std::cos(turned_by), std::sin(turned_by), 0);
  std::vector<test::Use> bottom, top;
  for (const double radius : {outer, inner}) {
    if (radius == 0) continue;
    const bool out = radius == outer;
    const auto a = d.closed_edge(make_circle(Frame::from(low * z, z, x), radius));
    const auto b = d.closed_edge(make_circle(Frame::from(high * z, z, x), radius));
    d.face(make_cylinder(Frame::from(low * z, z, x), radius), out, {{a, out}, {b, !out}});
    bottom.push_back({a, !out});
    top.push_back({b, out});
  }
  d.face(make_plane(Frame::from(low * z, -z, x)), true, bottom);
  d.face(make_plane(Frame::from(high * z, z, x)), true, top);
  return d.body();
}

TEST(PartPairs, APinInItsBoreIsContact) {
  for (const double turned_by : {0.0, 0.1, 0.25}) {
    for (const double pin : {5.0, 5.5, 4.5}) {
      SurfaceModel drawn;
      drawn.bodies = {tube(5, 10, 0, 10, 0), tube(0, pin, -5, 15, turned_by)};
      drawn.instances = {{0, {}, "ring"}, {1, {}, "pin"}};
      PrepareOptions options;
      options.tessellation.chord = 0.05;
      const Certificate found = certify(prepare(drawn, options));
      ASSERT_EQ(found.part_verdicts, std::vector(2, Verdict::solid));
      if (pin < 5) {
        EXPECT_TRUE(found.pairs.empty());
        continue;
      }
      ASSERT_EQ(found.pairs.size(), 1u);
      EXPECT_EQ(found.pairs[0].relation, pin > 5 ? crossing : touching) << turned_by;
      if (pin > 5) {
        EXPECT_NEAR(*found.pairs[0].volume, std::numbers::pi * 10 * (pin * pin - 25), 4);
      } else {
        EXPECT_NEAR(found.pairs[0].area, std::numbers::pi * 100, 20) << turned_by;
      }
    }
  }
}

}  // namespace part_pairs_test
}  // namespace aguja
