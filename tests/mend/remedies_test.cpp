// Weld, orient, drop, gaps, refit and what is done by hand: each alone, on spoilt solids.

#include <cmath>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/mend/by_hand.h"
#include "aguja/mend/close_gaps.h"
#include "aguja/mend/drop.h"
#include "aguja/mend/harm.h"
#include "aguja/mend/orient.h"
#include "aguja/mend/refit.h"
#include "aguja/mend/remedy.h"
#include "aguja/mend/weld.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"
#include "tests/support/spoilt_solid.h"

namespace aguja {
namespace remedies_test {

using test::grid_box;
using test::is_solid;
using test::joined;
using test::naked_edges;
using test::Random;
using test::volume_of;
using test::without;

std::vector<TriangleId> where(const Mesh& mesh, const std::function<bool(const Point&)>& is_in) {
  std::vector<TriangleId> found;
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    const Triangle& tri = mesh.triangles[t];
    if (is_in((mesh.point(tri[0]) + mesh.point(tri[1]) + mesh.point(tri[2])) / 3.0)) {
      found.push_back({t});
    }
  }
  return found;
}

TEST(Remedies, EachIsFoundByItsWord) {
  for (const Remedy r : all_remedies()) {
    EXPECT_EQ(parse_remedy(slug(r)), r);
    EXPECT_FALSE(info(r).what.empty());
    for (const SettingInfo& s : info(r).settings) EXPECT_FALSE(s.what.empty()) << s.key;
  }
  EXPECT_FALSE(parse_remedy("heal"));
}

TEST(Weld, EqualPointsBecomeOneAndNothingMoves) {
  const Mesh box = grid_box(3, {1, 2, 3});
  Mesh soup = test::soup_of(box);
  soup.points[0].x() = soup.points[0].x() == 0 ? -0.0 : soup.points[0].x();
  soup.triangles.push_back({{VertexId{0}, VertexId{0}, VertexId{1}}});
  const Change change = weld(soup);
  EXPECT_EQ(change.mesh.points.size(), box.points.size());
  EXPECT_EQ(test::facets(change.mesh), test::facets(box));
  EXPECT_TRUE(is_solid(change.mesh));
}

TEST(Weld, NearRimVerticesJoinWithinTheToleranceOnly) {
  for (const double tolerance : {0.0, 1e-4, 3e-3}) {
    // Two halves of a box, 1e-3 apart.
    Mesh left = without(grid_box(3, {1, 1, 1}), [](const Point& p) { return p.x() > 0.999; });
    Mesh right = without(grid_box(3, {1, 1, 1}), [](const Point& p) { return p.x() < 0.001; });
    for (Point& p : right.points) p.x() += 1.001;
    const Mesh mesh = with_distinct_points(joined(left, right));
    const Change change = weld_rims(mesh, tolerance, {}, {tolerance, {}});
    const bool closes = tolerance > 1e-3;
    std::string why;
    for (const Refusal& r : change.refused) why += std::string(slug(r.reason)) + " ";
    EXPECT_EQ(naked_edges(change.mesh), closes ? 0u : 24u) << tolerance << " " << why;
    if (closes) {
      EXPECT_TRUE(is_solid(change.mesh));
      EXPECT_NEAR(volume_of(change.mesh), 2.001, 1e-12);
    }
  }
  EXPECT_THROW(static_cast<void>(weld_rims(grid_box(1, {1, 1, 1}), -1)), ArgumentError);
}

TEST(Orient, TurnsWhatWasTurnedOnClosedAndOpenShapes) {
  int turned = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    Mesh mesh = seed % 3 == 0 ? test::torus(24, 12, 3, 1) : grid_box(4, {1, 1, 1});
    if (random.chance(0.3)) {
      // Open, but not so far that its inside is in doubt.
      const Point at = mesh.points[random.index(mesh.points.size())];
      mesh = without(mesh, [&](const Point& p) { return (p - at).norm() < 0.3; });
    }
    const auto whole = test::facets(mesh);
    Mesh spoilt = mesh;
    const double part = random.chance(0.2) ? 1.0 : random.between(0, 0.4);
    for (Triangle& t : spoilt.triangles) {
      if (!random.chance(part)) continue;
      std::swap(t[1], t[2]);
      ++turned;
    }
    const Change change = orient(spoilt);
    EXPECT_EQ(test::facets(change.mesh), whole);
    for (const double s : change.spent) EXPECT_EQ(s, 0);
  }
  EXPECT_GT(turned, 1000);
}

TEST(Orient, CavitiesOnlyIfToldSo) {
  Mesh inner = grid_box(2, {1, 1, 1});
  for (Point& p : inner.points) p += Vector(1, 1, 1);
  const Mesh both = joined(grid_box(2, {3, 3, 3}), inner);
  EXPECT_EQ(test::facets(orient(both).mesh), test::facets(both));
  const Change change = orient(both, {.cavities = true});
  EXPECT_TRUE(is_solid(change.mesh));
  EXPECT_EQ(volume_of(change.mesh), 26);
}

TEST(Orient, TurnDoesAsTold) {
  const Mesh box = grid_box(1, {1, 1, 1});
  const std::vector<TriangleId> some = {{0}, {5}};
  const Change change = turn(box, some);
  EXPECT_EQ(change.mesh.triangles[1], box.triangles[1]);
  EXPECT_EQ(test::facets(turn(change.mesh, some).mesh), test::facets(box));
  const TriangleId none{12};
  EXPECT_THROW(static_cast<void>(turn(box, std::span(&none, 1))), ArgumentError);
}

TEST(Drop, CopiesFlapsAndBackToBackPairsGoAndTheSolidIsBack) {
  for (std::uint64_t seed = 1; seed <= 50; ++seed) {
    Random random(seed);
    const Mesh box = grid_box(3, {1, 1, 1});
    Mesh mesh = box;
    for (int i = 0; i < 3; ++i) {
      Triangle t = mesh.triangles[random.index(box.triangles.size())];
      t = {{t[1], t[2], t[0]}};
      mesh.triangles.push_back(t);
    }
    const Change change = drop_triangles(mesh, surplus_copies(mesh));
    EXPECT_EQ(test::facets(change.mesh), test::facets(box));
    EXPECT_GE(change.done, 3u);

    Mesh fin = box;
    const Triangle base = fin.triangles[random.index(box.triangles.size())];
    fin.points.emplace_back(2, 2, 2);
    fin.triangles.push_back(
        {{base[0], base[1], {static_cast<std::uint32_t>(fin.points.size() - 1)}}});
    EXPECT_EQ(test::facets(drop_triangles(fin, flaps(fin)).mesh), test::facets(box));

    Mesh back = box;
    Triangle pair = back.triangles[random.index(box.triangles.size())];
    std::swap(pair[0], pair[1]);
    back.triangles.push_back(pair);
    EXPECT_TRUE(is_solid(drop_triangles(back, back_to_back_pairs(back)).mesh));
  }
}

TEST(Drop, FinsOnARimHangByOneEdge) {
  // A box without its lid, and fins on some edges of the rim, running as their neighbours do.
  for (std::uint64_t seed = 1; seed <= 30; ++seed) {
    Random random(seed);
    Mesh mesh = without(grid_box(4, {1, 1, 1}), [](const Point& p) { return p.z() > 0.999; });
    mesh = with_distinct_points(mesh);
    EXPECT_TRUE(hanging_triangles(mesh).empty());
    const Welded welded(mesh);
    const EdgeTable edges(welded.triangles(), welded.points().size());
    std::vector<TriangleId> fins;
    for (const EdgeId e : select_edges(edges, [&](EdgeId id) { return edges.is_naked(id); })) {
      if (!random.chance(0.3)) continue;
      const EdgeUse use = edges.uses(e)[0];
      const Triangle t = mesh.triangle(use.triangle());
      const VertexId a = t[use.corner()], b = t[(use.corner() + 1) % 3];
      mesh.points.push_back(mesh.point(a) + Vector(0, 0, random.between(0.1, 1)));
      fins.push_back({static_cast<std::uint32_t>(mesh.triangles.size())});
      mesh.triangles.push_back(
          {{a, b, VertexId{static_cast<std::uint32_t>(mesh.points.size() - 1)}}});
    }
    EXPECT_EQ(hanging_triangles(mesh), fins);
    const Change change = drop_triangles(mesh, fins);
    EXPECT_EQ(change.done, fins.size());
    EXPECT_EQ(naked_edges(change.mesh), 16u);
  }
}

TEST(Drop, WhatWouldBareEdgesNeedsToBeAllowed) {
  const Mesh box = grid_box(2, {1, 1, 1});
  const TriangleId one{3};
  const Change refused = drop_triangles(box, std::span(&one, 1));
  EXPECT_EQ(test::facets(refused.mesh), test::facets(box));
  ASSERT_EQ(refused.refused.size(), 1u);
  EXPECT_EQ(refused.refused[0].reason, RefusalReason::naked_edges);
  const Change change = drop_triangles(box, std::span(&one, 1), {.may_bare = true});
  EXPECT_EQ(naked_edges(change.mesh), 3u);
  EXPECT_EQ(change.dropped, std::vector<TriangleId>{one});
}

TEST(Drop, WiresAndUnusedPointsGo) {
  Mesh mesh = grid_box(1, {1, 1, 1});
  mesh.points.emplace_back(5, 5, 5);
  mesh.points.emplace_back(6, 5, 5);
  mesh.points.emplace_back(7, 5, 5);
  mesh.wires.push_back({VertexId{8}, VertexId{9}});
  const Change no_wires = drop_wires(mesh);
  EXPECT_TRUE(no_wires.mesh.wires.empty());
  EXPECT_EQ(no_wires.mesh.points.size(), 9u);
  const Change change = drop_unused_points(no_wires.mesh);
  EXPECT_EQ(change.done, 1u);
  EXPECT_EQ(change.mesh.points.size(), 8u);
  EXPECT_EQ(change.mesh.triangles.size(), 12u);
}

// A box whose lid hangs `width` above it.
Mesh box_with_gap(double width) {
  Mesh open = without(grid_box(4, {1, 1, 1}), [](const Point& p) { return p.z() > 0.999; });
  Mesh lid = without(grid_box(4, {1, 1, 1}), [](const Point& p) { return p.z() < 0.999; });
  for (Point& p : lid.points) p.z() += width;
  return with_distinct_points(joined(open, lid));
}

std::vector<TriangleId> at_rims(const Mesh& mesh) {
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  std::vector<TriangleId> found;
  for (std::uint32_t e = 0; e < edges.size(); ++e) {
    if (edges.is_naked({e})) found.push_back(edges.uses({e})[0].triangle());
  }
  std::sort(found.begin(), found.end());
  found.erase(std::unique(found.begin(), found.end()), found.end());
  return found;
}

TEST(CloseGaps, BothSidesMeetWithinTheBudgetElseAStripIsPutBetween) {
  const Mesh mesh = box_with_gap(0.05);
  GapOptions options;
  options.width = 0.06;
  options.method = GapMethod::move;
  const Change moved = close_gap(mesh, at_rims(mesh), options, {0.06, {}});
  EXPECT_TRUE(is_solid(moved.mesh));
  EXPECT_NEAR(volume_of(moved.mesh), 1.0390625, 1e-9);  // the middle of the lid stays
  double spent = 0;
  for (const double s : moved.spent) spent = std::max(spent, s);
  EXPECT_LE(spent, 0.06);
  EXPECT_GE(spent, 0.025 * (1 - 1e-9));

  options.method = GapMethod::strip;
  const Change strip = close_gap(mesh, at_rims(mesh), options, {0, {}});
  EXPECT_TRUE(is_solid(strip.mesh));
  EXPECT_NEAR(volume_of(strip.mesh), 1.05, 1e-9);
  for (const double s : strip.spent) EXPECT_EQ(s, 0);

  options.method = GapMethod::automatic;
  EXPECT_NEAR(volume_of(close_gap(mesh, at_rims(mesh), options, {0.06, {}}).mesh), 1.0390625, 1e-9);
  EXPECT_NEAR(volume_of(close_gap(mesh, at_rims(mesh), options, {0.01, {}}).mesh), 1.05, 1e-9);
  options.width = -1;
  EXPECT_THROW(static_cast<void>(close_gap(mesh, at_rims(mesh), options)), ArgumentError);
}

TEST(CloseGaps, WiderThanToldStaysOpen) {
  const Mesh mesh = box_with_gap(0.05);
  GapOptions options;
  options.width = 0.01;
  options.method = GapMethod::move;
  const Change change = close_gap(mesh, at_rims(mesh), options, {1, {}});
  EXPECT_EQ(test::facets(change.mesh), test::facets(mesh));
}

TEST(Refit, ABulgeIsCutOutAndFilledAsOneStep) {
  Mesh mesh = grid_box(8, {1, 1, 1});
  const auto bulges = [](const Point& p) {
    return (p.head<2>() - Eigen::Vector2d(0.5, 0.5)).norm() < 0.2;
  };
  for (Point& p : mesh.points) {
    if (p.z() > 0.999 && bulges(p)) p.z() += 0.2;
  }
  ASSERT_GT(volume_of(mesh), 1.005);
  const auto bad = where(mesh, [](const Point& p) { return p.z() > 1 + 1e-9; });
  FillOptions options;
  options.method = FillMethod::flat;
  const Change change = refit(mesh, bad, options);
  EXPECT_TRUE(is_solid(change.mesh));
  EXPECT_NEAR(volume_of(change.mesh), 1, 1e-12);
  EXPECT_EQ(change.dropped, bad);
  // Where a flat fill is impossible, nothing is deleted either.
  const auto corner = where(mesh, [](const Point& p) { return (p - Point(1, 1, 1)).norm() < 0.4; });
  const Change none = refit(mesh, corner, options);
  EXPECT_EQ(test::facets(none.mesh), test::facets(mesh));
  EXPECT_FALSE(none.refused.empty());
}

TEST(ByHand, MovesAreMeasuredAndHarmIsTold) {
  const Mesh box = grid_box(2, {1, 1, 1});
  const VertexMove out{{0}, box.points[0] + Vector(0, 0, 5)};
  const Change change = move_vertices(box, std::span(&out, 1));
  EXPECT_EQ(change.mesh.points[0], out.to);
  double spent = 0;
  for (const double s : change.spent) spent = std::max(spent, s);
  EXPECT_GE(spent, 5);
  EXPECT_FALSE(harm_of(box, change).empty()) << "a corner pulled through the opposite side";
  EXPECT_TRUE(harm_of(box, unchanged(box)).empty());
}

TEST(ByHand, VerticesJoinAndTrianglesAreAdded) {
  const Mesh box = grid_box(3, {1, 1, 1});
  const Mesh open = without(box, [&](const Point& p) {
    const Triangle& t = box.triangles[0];
    return p == (box.point(t[0]) + box.point(t[1]) + box.point(t[2])) / 3.0;
  });
  ASSERT_EQ(naked_edges(open), 3u);
  const EdgeTable edges(open.triangles, open.points.size());
  const Loops loops = find_loops(open.points, open.triangles, edges);
  const Loop& loop = loops.loops.at(0);
  EXPECT_TRUE(is_solid(add_triangle(open, {loop[0], loop[1], loop[2]}).mesh));
  EXPECT_EQ(naked_edges(join_vertices(open, std::span(loop.data(), 2), open.point(loop[0])).mesh),
            0u);
  EXPECT_THROW(static_cast<void>(add_triangle(open, {loop[0], loop[0], loop[1]})), ArgumentError);
}

TEST(ByHand, BridgesJoinTwoNakedEdges) {
  // A ring of four walls around a missing square tube: bridging opposite edges closes a quad.
  Mesh open = without(grid_box(1, {1, 1, 1}), [](const Point& p) { return p.z() > 0.999; });
  const EdgeTable edges(open.triangles, open.points.size());
  std::vector<VertexId> top;
  for (std::uint32_t v = 0; v < open.points.size(); ++v) {
    if (open.points[v].z() == 1) top.push_back({v});
  }
  ASSERT_EQ(top.size(), 4u);
  const auto at = [&](double x, double y) {
    return *std::find_if(top.begin(), top.end(), [&](VertexId v) {
      return open.point(v).x() == x && open.point(v).y() == y;
    });
  };
  const Change change = bridge_edges(open, {at(0, 0), at(1, 0)}, {at(0, 1), at(1, 1)});
  EXPECT_TRUE(is_solid(change.mesh));
  EXPECT_THROW(static_cast<void>(bridge_edges(open, {at(0, 0), at(1, 1)}, {at(0, 1), at(1, 0)})),
               ArgumentError);
}

TEST(ByHand, PatchesAreCopiedMirroredAndPutAtAnOffset) {
  // Half a box, mirrored at its open side.
  const Mesh half = without(grid_box(3, {1, 1, 1}), [](const Point& p) { return p.x() < 0.001; });
  std::vector<TriangleId> all = where(half, [](const Point&) { return true; });
  const Change whole = copy_patch(half, all, mirroring(Point(0, 0, 0), Vector(1, 0, 0)));
  EXPECT_TRUE(is_solid(whole.mesh));
  EXPECT_NEAR(volume_of(whole.mesh), 2, 1e-12);
  const Change two = copy_patch(grid_box(1, {1, 1, 1}),
                                where(grid_box(1, {1, 1, 1}), [](const Point&) { return true; }),
                                moving(Point(0, 0, 0), Point(3, 0, 0)));
  EXPECT_EQ(volume_of(two.mesh), 2);
  // The far side of a wall 0.1 thick: a box within the box.
  const Mesh box = grid_box(3, {1, 1, 1});
  const Change wall = copy_at_offset(box, where(box, [](const Point&) { return true; }), 0.1);
  EXPECT_TRUE(is_solid(wall.mesh));
  EXPECT_NEAR(volume_of(wall.mesh), 1 - 0.8 * 0.8 * 0.8, 1e-12);
}

TEST(ByHand, APieceIsTakenOutMendedAndPutBack) {
  Mesh mesh = grid_box(4, {1, 1, 1});
  Mesh spoilt = mesh;
  spoilt.triangles.push_back(Triangle(spoilt.triangles[0]));
  const auto piece = where(spoilt, [](const Point& p) { return p.x() < 0.001; });
  const TakenOut taken = take_out(spoilt, piece);
  EXPECT_EQ(taken.mesh.triangles.size() + taken.rest.triangles.size(), spoilt.triangles.size());
  // The copy lies at the rim that taking out has made.
  const Change own = drop_triangles(taken.mesh, surplus_copies(taken.mesh), {.may_bare = true});
  const Change back = put_back(taken, own);
  EXPECT_TRUE(is_solid(back.mesh));
  EXPECT_EQ(test::facets(back.mesh), test::facets(mesh));
}

}  // namespace remedies_test
}  // namespace aguja
