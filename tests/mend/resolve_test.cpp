#include "aguja/mend/resolve.h"

#include <gtest/gtest.h>

#include "aguja/mend/given_up.h"
#include "aguja/mend/mend.h"
#include "aguja/solid/certificate.h"
#include "mend/ledger.h"
#include "tests/support/crossing_soups.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"
#include "tests/support/stop_after.h"

namespace aguja {
namespace resolve_test {

using test::box_between;
using test::joined;
using test::model_of;
using test::Random;
using test::volume_of;

double area_of_all(const Mesh& mesh) {
  std::vector<TriangleId> all;
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) all.push_back({t});
  return area_of_triangles(mesh, all);
}

MendOptions accepting(FindingKind kind) {
  MendOptions options;
  options.tolerance = 1e-6;
  options.accepted.kinds = {kind};
  return options;
}

std::size_t shell_count(const Mesh& mesh) { return certify(test::model_of(mesh)).shells.size(); }

TEST(Resolve, MakesASolidOfBoxesThatCross) {
  const Mesh both = joined(test::cube(), test::cube(Point(0.5, 0.5, 0.5)));
  const MendResult unasked = mend(model_of(both), accepting(FindingKind::opening));
  EXPECT_EQ(test::facets(unasked.model.parts[0].mesh()), test::facets(both));
  const MendResult result = mend(model_of(both), accepting(FindingKind::crossing));
  EXPECT_TRUE(result.still_open.empty());
  const Mesh& mesh = result.model.parts[0].mesh();
  EXPECT_TRUE(test::is_solid(mesh));
  EXPECT_NEAR(volume_of(mesh), 2 - 0.125, 1e-12);
  ASSERT_EQ(result.ledger.size(), 1u);
  EXPECT_LE(result.ledger[0].largest_movement, 1e-15);
  EXPECT_NEAR(result.ledger[0].area_removed, 1.5, 1e-12);
}

// Whatever bodies: what is listed as given up is what is missing, and a second time changes nothing.
TEST(Resolve, ListsWhatItTakes) {
  for (std::uint64_t seed = 0; seed < 60; ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    Mesh mesh;
    for (int b = 0; b < 4; ++b) {
      const auto at = [&] { return static_cast<double>(random.index(4)) + 0.3 * random.unit(); };
      const Point low(at(), at(), at());
      mesh = joined(mesh, box_between(low, low + Vector(1 + at(), 1 + at(), 1 + at()), seed));
    }
    const Mesh distinct = with_distinct_points(mesh);
    const Budget budget{1e-6};
    const Change change = resolve(distinct, {.nested = Nested::merged}, budget);
    ASSERT_TRUE(change.refused.empty()) << change.refused[0].detail;
    const LedgerLine line = line_of(distinct, budget, change);
    EXPECT_NEAR(area_of_all(distinct) - line.area_removed, area_of_all(change.mesh), 1e-9);
    EXPECT_LE(line.largest_movement, 1e-13);
    EXPECT_TRUE(find_crossings(Welded(change.mesh)).empty());
    const Change again = resolve(change.mesh, {.nested = Nested::merged}, budget);
    EXPECT_EQ(again.done, 0u);
    EXPECT_EQ(again.mesh.triangles, change.mesh.triangles);
    EXPECT_EQ(again.mesh.points, change.mesh.points);
  }
}

// Bodies that overlap in several places: each alone, in any order, gives what all at once do.
TEST(Resolve, TakesOnlyWhatItIsAbout) {
  for (std::uint64_t seed = 0; seed < 40; ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    Mesh mesh;
    std::vector<Mesh> apart;
    for (int place = 0; place < 3; ++place) {
      const Vector off(10.0 * place, random.unit(), random.unit());
      Mesh own;
      for (int b = 0; b < 2; ++b) {
        Mesh body = random.chance(0.5) ? test::torus(12, 8, 0.7, 0.3)
                                       : test::grid_box(3, Vector(1, 0.8, 0.6));
        const Vector by =
            off + Vector(0.5 * random.unit(), 0.5 * random.unit(), 0.4 * random.unit());
        for (Point& p : body.points) p += by;
        own = joined(own, body);
      }
      // A bar from one to the next lets them be one body, and crosses both.
      if (place > 0)
        own = joined(own, box_between(off + Vector(-9.3, 0.2, 0.2), off + Vector(0.4, 0.3, 0.3)));
      apart.push_back(own);
      mesh = joined(mesh, own);
    }
    mesh = with_distinct_points(mesh);
    const Budget budget{1e-6};
    const Change all = resolve(mesh, {.nested = Nested::merged}, budget);
    ASSERT_TRUE(all.refused.empty()) << all.refused[0].detail;
    const auto crossing = find_crossings(Welded(mesh));
    ASSERT_FALSE(crossing.empty());
    Mesh now = mesh;
    for (int step = 0;; ++step) {
      ASSERT_LT(step, 40);
      const auto pairs = find_crossings(Welded(now));
      if (pairs.empty()) break;
      const TriangleId one = pairs[random.index(pairs.size())].first;
      const Change some = resolve(now, {.nested = Nested::merged, .only = {one}}, budget);
      ASSERT_TRUE(some.refused.empty()) << some.refused[0].detail;
      EXPECT_GT(some.done, 0u);
      // What nothing crosses, and what is not about it, stays.
      EXPECT_LT(find_crossings(Welded(some.mesh)).size(), pairs.size());
      now = some.mesh;
    }
    EXPECT_EQ(test::facets(now).size(), test::facets(all.mesh).size());
    EXPECT_NEAR(volume_of(now), volume_of(all.mesh), 1e-9);
    EXPECT_TRUE(test::is_solid(now));
  }
}

// What comes of it would be no solid: the ledger asks what is meant.
TEST(Resolve, AsksWhereItsResultMeetsInAnEdge) {
  Mesh mesh = joined(box_between({0, 0, 0}, {2, 2, 2}), box_between({2, 2, 0.5}, {4, 4, 3}));
  mesh = joined(mesh, box_between({-1, -1, -1}, {1, 1, 1}));
  MendOptions options = accepting(FindingKind::crossing);
  options.accepted.kinds.push_back(FindingKind::touch);
  const MendResult result = mend(model_of(mesh), options);
  ASSERT_EQ(result.ledger.size(), 1u);
  ASSERT_EQ(result.ledger[0].refused.size(), 2u);
  EXPECT_NE(result.ledger[0].refused[0].detail.find("contact = part"), std::string::npos);
  EXPECT_NE(result.ledger[0].refused[1].detail.find("non-manifold"), std::string::npos);
  Plan plan;
  plan.steps.emplace_back();
  plan.steps[0].remedy = remedies::resolve;
  plan.steps[0].settings["contact"] = std::string("part");
  options.plan = plan;
  options.tolerance = 1e-3;
  EXPECT_TRUE(test::is_solid(mend(model_of(mesh), options).model.parts[0].mesh()));
}

TEST(Resolve, LeavesAllElseBitForBit) {
  const Mesh first = joined(test::cube(), test::cube(Point(0.5, 0.5, 0.5)));
  Mesh second = joined(test::torus(24, 12, 0.7, 0.3), test::cube(Point(0.3, 0.1, -0.2)));
  for (Point& p : second.points) p += Vector(5, 0, 0);
  const Mesh both = with_distinct_points(joined(first, second));
  const TriangleId one = find_crossings(Welded(both))[0].first;
  ASSERT_LT(one.value, first.triangles.size());
  const Change change = resolve(both, {.only = {one}}, {1e-6});
  ASSERT_TRUE(change.refused.empty()) << change.refused[0].detail;
  const Mesh alone = resolve(with_distinct_points(first), {}, {1e-6}).mesh;
  EXPECT_EQ(test::facets(change.mesh), test::facets(joined(alone, second)));
  EXPECT_NEAR(area_of_all(both) - line_of(both, {1e-6}, change).area_removed,
              area_of_all(change.mesh), 1e-12);
  // A triangle that nothing crosses.
  Mesh idle = both;
  idle = with_distinct_points(joined(idle, test::cube(Point(-5, 0, 0))));
  const TriangleId last{static_cast<std::uint32_t>(idle.triangles.size() - 1)};
  EXPECT_EQ(resolve(idle, {.only = {last}}, {1e-6}).done, 0u);
}

TEST(Resolve, AsksWhatAShellInTheMaterialIs) {
  const Mesh mesh = with_distinct_points(
      joined(box_between({0, 0, 0}, {4, 4, 4}), box_between({1, 1, 1}, {2, 2, 2})));
  const Change asked = resolve(mesh);
  ASSERT_EQ(asked.refused.size(), 1u);
  EXPECT_EQ(asked.refused[0].reason, RefusalReason::undecided);
  EXPECT_NE(asked.refused[0].detail.find("cavity"), std::string::npos);
  EXPECT_EQ(asked.mesh.triangles, mesh.triangles);
  const Change merged = resolve(mesh, {.nested = Nested::merged});
  EXPECT_NEAR(volume_of(merged.mesh), 64, 1e-12);
  EXPECT_EQ(merged.dropped.size(), 12u);
  const Change cavity = resolve(mesh, {.nested = Nested::cavity});
  EXPECT_NEAR(volume_of(cavity.mesh), 63, 1e-12);
  EXPECT_EQ(cavity.mesh.triangles.size(), 24u);
  // One that faces inward is a cavity already.
  const Mesh hollow =
      joined(box_between({0, 0, 0}, {4, 4, 4}), test::turned(box_between({1, 1, 1}, {2, 2, 2})));
  EXPECT_NEAR(volume_of(resolve(with_distinct_points(hollow)).mesh), 63, 1e-12);
}

TEST(Resolve, TurnsShellsThatAreInsideOutFirst) {
  const Mesh mesh = joined(joined(test::cube(), test::cube(Point(0.5, 0.5, 0.5))),
                           test::turned(test::cube(Point(5, 0, 0), 2)));
  const Change change = resolve(with_distinct_points(mesh), {}, {1e-6});
  ASSERT_TRUE(change.refused.empty()) << change.refused[0].detail;
  EXPECT_NEAR(volume_of(change.mesh), 2 - 0.125 + 8, 1e-12);
}

TEST(Resolve, TurnsNothingWhereTheRestIsRefused) {
  Mesh mesh = joined(joined(box_between({0, 0, 0}, {4, 4, 4}), box_between({1, 1, 1}, {2, 2, 2})),
                     test::turned(test::cube(Point(9, 0, 0), 2)));
  mesh = with_distinct_points(mesh);
  const Change asked = resolve(mesh, {}, {1e-6});
  ASSERT_EQ(asked.refused.size(), 1u);
  EXPECT_EQ(asked.refused[0].reason, RefusalReason::undecided);
  EXPECT_EQ(asked.mesh.triangles, mesh.triangles);
  const Change told = resolve(mesh, {.nested = Nested::cavity}, {1e-6});
  ASSERT_TRUE(told.refused.empty());
  EXPECT_NEAR(volume_of(told.mesh), 63 + 8, 1e-12);
  EXPECT_GT(told.done, 0u);
}

// A figure of eight, extruded: one of its lobes is wound around backwards, and no turning helps.
Mesh eight() {
  return test::mesh_of(
      {{0, 0, 0}, {4, 4, 0}, {4, 0, 0}, {0, 2, 0}, {0, 0, 1}, {4, 4, 1}, {4, 0, 1}, {0, 2, 1}},
      {{0, 1, 2},
       {0, 2, 3},
       {4, 6, 5},
       {4, 7, 6},
       {0, 5, 1},
       {0, 4, 5},
       {1, 6, 2},
       {1, 5, 6},
       {2, 7, 3},
       {2, 6, 7},
       {3, 4, 0},
       {3, 7, 4}});
}

TEST(Resolve, ListsSpaceThatIsWoundAroundBackwards) {
  const Mesh mesh = eight();
  const Change asked = resolve(mesh);
  ASSERT_FALSE(asked.refused.empty());
  EXPECT_NE(asked.refused[0].detail.find("backwards"), std::string::npos);
  EXPECT_EQ(asked.mesh.triangles, mesh.triangles);
  const Change taken = resolve(mesh, {.accept_negative = true}, {1e-6});
  ASSERT_TRUE(taken.refused.empty()) << taken.refused[0].detail;
  EXPECT_TRUE(test::is_solid(taken.mesh));
  EXPECT_GT(volume_of(taken.mesh), 0.5);
}

// Two bodies that should share a face and miss it by a hair, or overlap by it.
TEST(Resolve, SkinsAHairApartBecomeOne) {
  for (const double gap : {0.01, -0.01}) {
    for (const double tilt : {0.0, 5e-4}) {
      SCOPED_TRACE(gap);
      const Mesh large = test::grid_box(3, {10, 8, 8});
      Mesh small = test::grid_box(4, {6, 5, 5});
      for (Point& p : small.points) p += Vector(10 + gap + tilt * (p.y() - 2.5), 1, 1.3);
      const Mesh both = with_distinct_points(joined(large, small));
      const Change change = resolve(both, {}, {0.03});
      ASSERT_TRUE(change.refused.empty());
      EXPECT_TRUE(test::is_solid(change.mesh));
      EXPECT_EQ(shell_count(change.mesh), 1u);
      EXPECT_NEAR(volume_of(change.mesh), 10 * 8 * 8 + 6 * 5 * 5 + 25 * gap, 0.03 * 40);
      // No film of slivers is left of it.
      EXPECT_LT(change.mesh.triangles.size(), 400u);
      ASSERT_EQ(change.parent.size(), change.mesh.triangles.size());
      for (const double spent : change.spent) EXPECT_LE(spent, 0.03);
      // What goes is told, and no more.
      double gone = area_of_all(change.cut_off);
      for (const TriangleId t : change.dropped) {
        gone += area_of_triangles(both, std::vector<TriangleId>{t});
      }
      EXPECT_NEAR(area_of_all(both) - gone, area_of_all(change.mesh), 1);
      EXPECT_NEAR(gone, 2 * 25, 5);
      // Beyond the budget nothing is done to what is apart, and what overlaps is cut as it is.
      const Change less = resolve(both, {}, {0.001});
      ASSERT_TRUE(less.refused.empty());
      if (gap > 0) {
        EXPECT_EQ(test::facets(less.mesh), test::facets(both));
      } else {
        EXPECT_EQ(shell_count(less.mesh), 1u);
      }
    }
  }
}

TEST(Resolve, OnlySkinsThatItIsAboutBecomeOne) {
  const auto pair_at = [](double y) {
    Mesh pair = test::grid_box(3, {10, 8, 8});
    Mesh small = test::grid_box(4, {6, 5, 5});
    for (Point& p : small.points) p += Vector(9.99, 1, 1.3);
    pair = joined(pair, small);
    for (Point& p : pair.points) p.y() += y;
    return pair;
  };
  const Mesh mesh = with_distinct_points(joined(pair_at(0), pair_at(20)));
  const TriangleId one = find_crossings(Welded(mesh))[0].first;
  const Change change = resolve(mesh, {.only = {one}}, {0.03});
  ASSERT_TRUE(change.refused.empty()) << change.refused[0].detail;
  EXPECT_GT(change.done, 0u);
  // The other pair is as it was, bit for bit.
  const auto is = test::facets(change.mesh), other = test::facets(pair_at(20));
  EXPECT_TRUE(std::includes(is.begin(), is.end(), other.begin(), other.end()));
  EXPECT_EQ(find_crossings(Welded(change.mesh)).size(), find_crossings(Welded(pair_at(20))).size());
}

TEST(Resolve, ThinWallsAreNoSkinsAHairApart) {
  Mesh cavity = test::grid_box(3, {9.98, 9.98, 9.98});
  for (Point& p : cavity.points) p += Vector(0.01, 0.01, 0.01);
  const Mesh wall =
      with_distinct_points(joined(test::grid_box(4, {10, 10, 10}), test::turned(cavity)));
  const Change change = resolve(wall, {}, {0.03});
  EXPECT_TRUE(change.refused.empty());
  EXPECT_EQ(test::facets(change.mesh), test::facets(wall));
  // Also where something else touches it.
  Mesh beside = test::grid_box(3, {4, 4, 4});
  for (Point& p : beside.points) p += Vector(10.005, 2, 2.5);
  const Mesh both = with_distinct_points(joined(wall, beside));
  const Change near = resolve(both, {}, {0.03});
  EXPECT_TRUE(near.refused.empty());
  EXPECT_TRUE(test::is_solid(near.mesh));
  EXPECT_NEAR(volume_of(near.mesh), volume_of(both), 0.005 * 16 + 0.3);
  EXPECT_EQ(shell_count(near.mesh), 2u);
}

TEST(Resolve, IsRefusedWhereItWouldMoveTooFar) {
  Mesh mesh = joined(test::cube(), test::cube(Point(0.3, 0.3, 0.3)));
  for (Point& p : mesh.points) p = rounded_to_float(p + Vector(100.1, 0, 0));
  const Change change = resolve(with_distinct_points(mesh), {.round_to_float = true}, {1e-9});
  ASSERT_EQ(change.refused.size(), 1u);
  EXPECT_EQ(change.refused[0].reason, RefusalReason::beyond_budget);
  EXPECT_EQ(change.mesh.triangles, with_distinct_points(mesh).triangles);
}

TEST(Resolve, LeavesTheModelAsItWasWhenStopped) {
  const Mesh mesh = joined(test::sphere(10), test::sphere(8, 1.0, Point(0.4, 0.2, 0.1)));
  int calls = 0;
  for (bool done = false; !done; calls += 1 + calls / 3) {
    test::StopAfter stop(calls);
    MendSession session(model_of(mesh), {.tolerance = 1e-6}, &stop);
    Step step;
    step.number = 1;
    step.remedy = remedies::resolve;
    try {
      done = session.run(step).changed;
    } catch (const Cancelled&) {
      EXPECT_EQ(session.model().parts[0].mesh().triangles, mesh.triangles);
      EXPECT_EQ(session.size(), 1u);
    }
    if (done) {
      EXPECT_EQ(session.undo(), 1u);
      EXPECT_EQ(session.model().parts[0].mesh().triangles, mesh.triangles);
    }
  }
  EXPECT_GT(calls, 8);
}

}  // namespace resolve_test
}  // namespace aguja
