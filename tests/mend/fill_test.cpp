#include "aguja/mend/fill.h"

#include <cmath>
#include <numbers>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/geometry/distance.h"
#include "aguja/geometry/primitive.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace fill_test {

using test::cylinder;
using test::grid_box;
using test::is_solid;
using test::naked_edges;
using test::Random;
using test::torus;
using test::volume_of;
using test::without;

std::vector<Opening> openings_of(const Mesh& mesh, double tolerance = 1e-9) {
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  Loops loops = find_loops(mesh.points, mesh.triangles, edges);
  EXPECT_TRUE(loops.refused.empty());
  return with_islands(mesh.points, std::move(loops.loops), tolerance);
}

Change filled(const Mesh& mesh, FillMethod method, double tolerance = 1e-9) {
  FillOptions options;
  options.method = method;
  options.tolerance = tolerance;
  return fill(mesh, openings_of(mesh, tolerance), options);
}

std::string reasons(const Change& change) {
  std::string text;
  for (const Refusal& r : change.refused)
    text += std::string(slug(r.reason)) + " " + r.detail + "; ";
  return text;
}

Mesh turned(Mesh mesh, std::uint64_t seed) {
  Random random(seed);
  const Eigen::AngleAxisd turn{random.between(0, 6),
                               Vector{random.unit(), 1, random.unit()}.normalized()};
  const Vector shift(random.unit(), 2, 3);
  for (Point& p : mesh.points) p = turn * p + shift;
  return mesh;
}

// The largest distance of the corners and middles of the added triangles from a surface.
double largest_off(const Change& change, const Primitive& surface) {
  double off = 0;
  for (std::size_t t = 0; t < change.parent.size(); ++t) {
    if (change.parent[t].value != kNoIndex) continue;
    const Triangle& tri = change.mesh.triangles[t];
    Point middle = Point::Zero();
    for (const VertexId v : tri.corner) {
      off = std::max(off, std::fabs(surface.distance(change.mesh.point(v))));
      middle += change.mesh.point(v) / 3;
    }
    off = std::max(off, std::fabs(surface.distance(middle)));
  }
  return off;
}

TEST(Fill, FlatFillsOpeningsInPlanesExactly) {
  for (std::uint64_t seed = 0; seed < 20; ++seed) {
    Random random(seed);
    Mesh box = grid_box(8, {2, 3, 4});
    // A blob of triangles on one side goes.
    const Point at{2, random.between(0.8, 2.2), random.between(1, 3)};
    const double radius = random.between(0.4, 0.8);
    const Mesh open = turned(
        without(box, [&](const Point& p) { return p.x() > 1.999 && (p - at).norm() < radius; }),
        seed);
    ASSERT_GT(naked_edges(open), 0u);
    const Change change = filled(open, FillMethod::flat);
    EXPECT_EQ(change.done, 1u) << reasons(change);
    EXPECT_TRUE(is_solid(change.mesh)) << seed;
    EXPECT_NEAR(volume_of(change.mesh), 24, 1e-12 * 24);
  }
}

TEST(Fill, FlatKeepsIslandsOpenWhereAFaceHasHoles) {
  // A box with a square tube through it: its top face is missing, the tube's rim is an island.
  Mesh box = grid_box(1, {4, 4, 4});
  box = without(box, [](const Point& p) { return p.z() > 3.999 || p.z() < 0.001; });
  Mesh tube = grid_box(1, {1, 1, 4});
  tube = test::turned(without(tube, [](const Point& p) { return p.z() > 3.999 || p.z() < 0.001; }));
  for (Point& p : tube.points) p += Vector(1.5, 1.5, 0);
  const Mesh open = with_distinct_points(test::joined(box, tube));
  const auto openings = openings_of(open);
  ASSERT_EQ(openings.size(), 2u);
  for (const Opening& o : openings) EXPECT_EQ(o.loops.size(), 2u);
  const Change change = filled(open, FillMethod::flat);
  EXPECT_EQ(change.done, 2u) << reasons(change);
  EXPECT_TRUE(is_solid(change.mesh));
  EXPECT_NEAR(volume_of(change.mesh), 64 - 4, 1e-12);
}

TEST(Fill, FlatRefusesWhatIsNotFlat) {
  const Mesh open = without(grid_box(4, {1, 1, 1}), [](const Point& p) { return p.norm() < 0.4; });
  const Change change = filled(open, FillMethod::flat);
  ASSERT_EQ(change.refused.size(), 1u);
  EXPECT_EQ(change.refused[0].reason, RefusalReason::does_not_apply);
  EXPECT_NE(change.refused[0].detail.find("off a plane"), std::string::npos);
  EXPECT_EQ(change.mesh.triangles.size(), open.triangles.size());
}

TEST(Fill, ExtendBringsBoxCornersAndEdgesBackSharp) {
  const Mesh box = grid_box(4, {1, 2, 3});
  struct Case {
    const char* what;
    std::function<bool(const Point&)> gone;
  };
  const Case cases[] = {
      {"a corner",
       [](const Point& p) {
         return (p - Point(1, 2, 3)).cwiseQuotient(Point(1, 2, 3)).norm() < 0.45;
       }},
      {"the middle of an edge",
       [](const Point& p) { return p.x() > 0.8 && p.y() > 1.6 && std::fabs(p.z() - 1.5) < 0.6; }},
      {"a whole edge with both its corners",
       [](const Point& p) {
         return p.cwiseQuotient(Point(1, 2, 3)).head<2>().minCoeff() > 0.7 ||
                (p.cwiseQuotient(Point(1, 2, 3)).head<2>().minCoeff() > 0.74);
       }},
  };
  for (const Case& c : cases) {
    for (std::uint64_t seed = 0; seed < 4; ++seed) {
      const Mesh open = turned(without(box, c.gone), seed);
      ASSERT_GT(naked_edges(open), 0u) << c.what;
      const Change change = filled(open, FillMethod::extend);
      EXPECT_EQ(change.done, 1u) << c.what << ": " << reasons(change);
      EXPECT_TRUE(is_solid(change.mesh)) << c.what;
      EXPECT_NEAR(volume_of(change.mesh), 6, 1e-9) << c.what;
    }
  }
}

TEST(Fill, ExtendCarriesACylinderToItsCap) {
  const double radius = 1;
  const Mesh whole = cylinder(48, 8, radius, 2);
  // Some of the cap and of the wall beside it.
  const Mesh open = without(
      whole, [](const Point& p) { return p.x() > 0.2 && std::fabs(p.y()) < 0.5 && p.z() > 1.6; });
  ASSERT_GT(naked_edges(open), 0u);
  const Change change = filled(open, FillMethod::extend, 1e-7);
  ASSERT_EQ(change.done, 1u) << reasons(change);
  EXPECT_TRUE(is_solid(change.mesh));
  EXPECT_NEAR(volume_of(change.mesh), volume_of(whole), 0.002 * volume_of(whole));
  for (std::size_t t = 0; t < change.parent.size(); ++t) {
    if (change.parent[t].value != kNoIndex) continue;
    for (const VertexId v : change.mesh.triangles[t].corner) {
      const Point& p = change.mesh.point(v);
      const double off =
          std::min(std::fabs(p.z() - 2), std::fabs(std::hypot(p.x(), p.y()) - radius));
      EXPECT_LT(off, 1e-6);
    }
  }
}

struct Curved {
  const char* what;
  Mesh mesh;
  Primitive surface;
  Point at;
};

std::vector<Curved> curved_shapes() {
  Primitive ball{PrimitiveKind::sphere, Point::Zero(), Vector(0, 0, 1), 1, 0};
  Primitive tube{PrimitiveKind::cylinder, Point::Zero(), Vector(0, 0, 1), 1, 0};
  Primitive ring{PrimitiveKind::torus, Point::Zero(), Vector(0, 0, 1), 3, 1};
  return {{"sphere", test::sphere(40), ball, Point(0.8, 0.6, 0)},
          {"cylinder", cylinder(80, 40, 1, 4), tube, Point(0.6, 0.8, 2)},
          {"torus outside", torus(120, 48, 3, 1), ring, Point(4, 0, 0)},
          {"torus inside", torus(120, 48, 3, 1), ring, Point(0, 2, 0)}};
}

TEST(Fill, FairStaysWithinTwoPercentOfTheWidthOnCurvedSurfaces) {
  for (const Curved& c : curved_shapes()) {
    for (const double radius : {0.2, 0.4, 0.7}) {
      for (const bool noisy : {false, true}) {
        Mesh mesh = c.mesh;
        mesh.points_are_distinct = true;
        if (noisy) {
          // Not one known surface any more: the curvature itself has to be continued.
          Random random(7);
          for (Point& p : mesh.points) p += 2e-4 * c.surface.normal(p) * random.between(-1, 1);
        }
        const Mesh open = without(mesh, [&](const Point& p) { return (p - c.at).norm() < radius; });
        const Change change = filled(open, FillMethod::fair);
        ASSERT_EQ(change.done, 1u) << c.what << radius << reasons(change);
        EXPECT_TRUE(is_solid(change.mesh)) << c.what << radius;
        EXPECT_LT(largest_off(change, c.surface), 0.02 * 2 * radius)
            << c.what << " " << radius << (noisy ? " noisy" : "");
      }
    }
  }
}

TEST(Fill, RuledClosesABandBetweenTwoRims) {
  const Mesh whole = cylinder(24, 4, 1, 4);
  Mesh open = without(whole, [](const Point& p) {
    return p.z() > 1.01 && p.z() < 1.99 && std::hypot(p.x(), p.y()) > 0.5;
  });
  const EdgeTable edges(open.triangles, open.points.size());
  const Loops loops = find_loops(open.points, open.triangles, edges);
  ASSERT_EQ(loops.loops.size(), 2u);
  FillOptions options;
  options.method = FillMethod::ruled;
  const Opening band{{loops.loops[0], loops.loops[1]}};
  const Change change = fill(open, std::span(&band, 1), options);
  EXPECT_EQ(change.done, 1u) << reasons(change);
  EXPECT_TRUE(is_solid(change.mesh));
  EXPECT_NEAR(volume_of(change.mesh), volume_of(whole), 1e-9);
  // Starts may be given: a quarter of a turn off, the band is twisted, and still closed.
  options.start = Point(1, 0, 1);
  options.other_start = Point(0, 1, 2);
  const Change twisted = fill(open, std::span(&band, 1), options);
  EXPECT_EQ(twisted.done, 1u) << reasons(twisted);
  EXPECT_EQ(naked_edges(twisted.mesh), 0u);
  EXPECT_LT(volume_of(twisted.mesh), volume_of(change.mesh));
}

TEST(Fill, CreaseCarriesAnEdgeAcross) {
  // A wedge whose roof ridge is interrupted; the sides are not quite flat, so no plane fits.
  Mesh box = grid_box(6, {2, 2, 2});
  for (Point& p : box.points) {
    if (p.z() > 1.999) p.z() += 0.05 * std::sin(p.x());
    if (p.y() > 1.999) p.y() += 0.05 * std::sin(p.x());
  }
  const Mesh open = without(
      box, [](const Point& p) { return p.y() > 1.5 && p.z() > 1.5 && std::fabs(p.x() - 1) < 0.4; });
  ASSERT_GT(naked_edges(open), 0u);
  const Change change = filled(open, FillMethod::crease);
  ASSERT_EQ(change.done, 1u) << reasons(change);
  EXPECT_TRUE(is_solid(change.mesh));
  EXPECT_NEAR(volume_of(change.mesh), volume_of(box), 2e-3 * volume_of(box));
  // Bluntly cut off, it would lose a good deal more.
  const Change blunt = filled(open, FillMethod::taut);
  ASSERT_EQ(blunt.done, 1u) << reasons(blunt);
  EXPECT_GT(volume_of(box) - volume_of(blunt.mesh),
            5 * std::fabs(volume_of(box) - volume_of(change.mesh)));
}

TEST(Fill, TautHasTheLeastAreaOfAllDivisions) {
  // Against all divisions of small loops, by brute force.
  for (std::uint64_t seed = 0; seed < 40; ++seed) {
    Random random(seed);
    const std::size_t n = 4 + random.index(4);
    // A cone over the loop from below is the rest of the surface.
    Mesh cone;
    for (std::size_t i = 0; i < n; ++i) {
      const double turn = 2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(n);
      const double r = random.between(0.7, 1.3);
      cone.points.emplace_back(r * std::cos(turn), r * std::sin(turn), random.between(-0.2, 0.2));
    }
    cone.points.emplace_back(0, 0, -3);
    for (std::uint32_t i = 0; i < n; ++i) {
      cone.triangles.push_back(
          {{{static_cast<std::uint32_t>((i + 1) % n)}, {i}, {static_cast<std::uint32_t>(n)}}});
    }
    cone.points_are_distinct = true;
    FillOptions options;
    options.method = FillMethod::taut;
    options.refine = false;
    const auto openings = openings_of(cone);
    ASSERT_EQ(openings.size(), 1u);
    const Filler filler(cone, 0);
    const FillOutcome outcome = filler.fill(openings[0], options);
    ASSERT_TRUE(std::holds_alternative<Fill>(outcome));
    const auto& loop = openings[0].loops[0];
    const std::function<double(std::size_t, std::size_t)> least = [&](std::size_t i,
                                                                      std::size_t j) {
      if (j - i < 2) return 0.0;
      double best = HUGE_VAL;
      for (std::size_t k = i + 1; k < j; ++k) {
        const Vector ab = cone.point(loop[k]) - cone.point(loop[i]);
        const Vector ac = cone.point(loop[j]) - cone.point(loop[i]);
        best = std::min(best, least(i, k) + least(k, j) + 0.5 * ab.cross(ac).norm());
      }
      return best;
    };
    const double area = std::get<Fill>(outcome).area;
    EXPECT_LE(area, least(0, n - 1) * 1.01) << seed;
    EXPECT_GE(area, least(0, n - 1) * (1 - 1e-12)) << seed;
  }
}

TEST(Fill, TautDividesLongRims) {
  const Mesh open = without(cylinder(1200, 1, 1, 1), [](const Point& p) { return p.z() > 0.999; });
  const Change change = filled(open, FillMethod::taut);
  EXPECT_EQ(change.done, 1u) << reasons(change);
  EXPECT_TRUE(is_solid(change.mesh));
}

// More triangles touch this rim than are looked at around a short one.
TEST(Fill, LooksAtTheWholeOfAVeryLongRim) {
  const Mesh open = without(cylinder(6000, 1, 1, 1), [](const Point& p) { return p.z() > 0.999; });
  const Change flat = filled(open, FillMethod::automatic);
  EXPECT_EQ(flat.done, 1u) << reasons(flat);
  EXPECT_TRUE(is_solid(flat.mesh));
  const Change extended = filled(open, FillMethod::extend);
  EXPECT_EQ(extended.done, 0u) << "a cylinder carried on never closes";
  EXPECT_EQ(extended.refused.size(), 1u);
}

TEST(Fill, AutomaticChoosesWhatSuitsAndSaysWhy) {
  struct Case {
    Mesh mesh;
    FillMethod method;
  };
  const Mesh box = grid_box(4, {1, 1, 1});
  const std::vector<Case> cases = {
      {without(
           box,
           [](const Point& p) { return p.x() > 0.999 && (p - Point(1, 0.5, 0.5)).norm() < 0.3; }),
       FillMethod::flat},
      {without(box, [](const Point& p) { return (p - Point(1, 1, 1)).norm() < 0.4; }),
       FillMethod::extend},
      {without(test::sphere(24), [](const Point& p) { return (p - Point(1, 0, 0)).norm() < 0.4; }),
       FillMethod::fair}};
  for (Case c : cases) {
    c.mesh.points_are_distinct = true;
    const Filler filler(c.mesh, 1e-9);
    const FillOutcome outcome = filler.fill(openings_of(c.mesh).at(0), {.tolerance = 1e-9});
    ASSERT_TRUE(std::holds_alternative<Fill>(outcome));
    EXPECT_EQ(std::get<Fill>(outcome).method, c.method);
    EXPECT_FALSE(std::get<Fill>(outcome).why.empty());
  }
}

TEST(Fill, AutomaticIsScoredOnSeededOpenings) {
  // Openings of random size and place in shapes that are known: how far is the fill from what was
  // there, as a part of the opening's width?
  int right = 0, all = 0;
  std::string missed;
  for (std::uint64_t seed = 1; seed <= 120; ++seed) {
    Random random(seed);
    Mesh whole;
    switch (seed % 5) {
      case 0:
        whole = grid_box(12, {1, 2, 1.5});
        break;
      case 1:
        whole = with_distinct_points(test::sphere(28));
        break;
      case 2:
        whole = torus(64, 32, 3, 1);
        break;
      case 3:
        whole = cylinder(48, 16, 1, 2);
        break;
      default:
        whole = with_distinct_points(
            test::extruded({{0, 0, 0}, {3, 0, 0}, {3, 1, 0}, {1, 1, 0}, {1, 3, 0}, {0, 3, 0}}, 1));
    }
    const Point at = whole.points[random.index(whole.points.size())];
    const double radius = random.between(0.15, 0.4);
    const Mesh open = without(whole, [&](const Point& p) { return (p - at).norm() < radius; });
    if (naked_edges(open) < 3 || open.triangles.size() < whole.triangles.size() / 2) continue;
    ++all;
    const Change change = filled(open, FillMethod::automatic, 1e-7);
    double off = 0;
    for (std::size_t t = 0; t < change.parent.size(); ++t) {
      if (change.parent[t].value != kNoIndex) continue;
      const Triangle& tri = change.mesh.triangles[t];
      const Point middle =
          (change.mesh.point(tri[0]) + change.mesh.point(tri[1]) + change.mesh.point(tri[2])) / 3;
      double nearest = HUGE_VAL;
      for (const Triangle& w : whole.triangles) {
        const Point foot =
            closest_point(middle, whole.point(w[0]), whole.point(w[1]), whole.point(w[2]));
        nearest = std::min(nearest, (foot - middle).norm());
      }
      off = std::max(off, nearest);
    }
    const bool is_right = off <= 0.02 * 2 * radius && is_solid(change.mesh);
    right += is_right;
    if (!is_right) missed += " " + std::to_string(seed) + ":" + std::to_string(off / (2 * radius));
  }
  EXPECT_GE(all, 80);
  EXPECT_GE(right, all * 95 / 100) << right << " of " << all << missed;
}

TEST(Fill, WhatWouldCrossTheModelIsReplacedOrRefused) {
  // A box without its lid; a spike inside reaches through where the flat lid would be.
  Mesh spike = test::extruded({{0.4, 0.4, 0}, {0.6, 0.4, 0}, {0.5, 0.6, 0}}, 2.0);
  for (Point& p : spike.points) p += Vector(0, 0, 0.25);
  const Mesh open = with_distinct_points(test::joined(
      without(grid_box(2, {1, 1, 1}), [](const Point& p) { return p.z() > 0.999; }), spike));
  for (const FillMethod method : {FillMethod::flat, FillMethod::taut}) {
    const Change change = filled(open, method);
    EXPECT_EQ(change.done, 0u);
    ASSERT_EQ(change.refused.size(), 1u);
    EXPECT_EQ(change.refused[0].reason, RefusalReason::crossing);
    EXPECT_EQ(test::facets(change.mesh), test::facets(open));
  }
  const Change any = filled(open, FillMethod::automatic);
  EXPECT_EQ(any.done, 0u);
  ASSERT_EQ(any.refused.size(), 1u);
}

TEST(Fill, SizeLimitsLeaveOpeningsOut) {
  const Mesh open = without(grid_box(8, {1, 1, 1}), [](const Point& p) {
    return p.x() > 0.999 &&
           ((p - Point(1, 0.3, 0.3)).norm() < 0.1 || (p - Point(1, 0.7, 0.7)).norm() < 0.25);
  });
  ASSERT_EQ(openings_of(open).size(), 2u);
  FillOptions options;
  options.largest_size = 1.2;
  Change change = fill(open, openings_of(open), options);
  EXPECT_EQ(change.done, 1u);
  ASSERT_EQ(change.refused.size(), 1u);
  EXPECT_EQ(change.refused[0].reason, RefusalReason::size_limit);
  options = {};
  options.least_size = 1.2;
  change = fill(open, openings_of(open), options);
  EXPECT_EQ(change.done, 1u);
  options.least_size = -1;
  EXPECT_THROW(static_cast<void>(fill(open, openings_of(open), options)), ArgumentError);
}

TEST(Fill, NewTrianglesMatchTheSizeOfThoseAround) {
  const Mesh open = without(grid_box(20, {1, 1, 1}), [](const Point& p) {
    return p.x() > 0.999 && (p - Point(1, 0.5, 0.5)).norm() < 0.35;
  });
  const Change change = filled(open, FillMethod::flat);
  ASSERT_EQ(change.done, 1u);
  double longest = 0;
  for (std::size_t t = 0; t < change.parent.size(); ++t) {
    if (change.parent[t].value != kNoIndex) continue;
    const Triangle& tri = change.mesh.triangles[t];
    for (std::size_t c = 0; c < 3; ++c) {
      longest = std::max(longest,
                         (change.mesh.point(tri[c]) - change.mesh.point(tri[(c + 1) % 3])).norm());
    }
  }
  EXPECT_LT(longest, 2 * 0.05 * std::sqrt(2.0));
  EXPECT_TRUE(is_solid(change.mesh));
}

TEST(Fill, FillsArePatchesOfTheirOwn) {
  const Mesh open = without(grid_box(4, {1, 1, 1}, true), [](const Point& p) {
    return p.x() > 0.999 && (p - Point(1, 0.5, 0.5)).norm() < 0.3;
  });
  const Change change = filled(open, FillMethod::flat);
  ASSERT_EQ(change.new_patches.size(), 1u);
  EXPECT_EQ(change.new_patches[0], "fill-flat");
  for (std::size_t t = 0; t < change.parent.size(); ++t) {
    EXPECT_EQ(change.mesh.patch_of[t].value == 6, change.parent[t].value == kNoIndex);
  }
}

TEST(Fill, LoopsThatMeetInAPointAreToldApart) {
  // Two holes in one side that share a corner.
  const Mesh open = without(grid_box(4, {4, 4, 4}), [](const Point& p) {
    const auto in = [&](double low) {
      return p.x() > 3.999 && p.y() > low && p.y() < low + 1 && p.z() > low && p.z() < low + 1;
    };
    return in(1) || in(2);
  });
  EXPECT_EQ(openings_of(open).size(), 2u);
  const Change change = filled(open, FillMethod::flat);
  EXPECT_EQ(change.done, 2u) << reasons(change);
  EXPECT_TRUE(is_solid(change.mesh));
  EXPECT_NEAR(volume_of(change.mesh), 64, 1e-12);
}

TEST(Fill, GivesTheSameFillTwice) {
  const Mesh open = without(torus(60, 24, 3, 1),
                            [](const Point& p) { return (p - Point(4, 0, 0)).norm() < 0.6; });
  const Change a = filled(open, FillMethod::fair), b = filled(open, FillMethod::fair);
  EXPECT_EQ(test::facets(a.mesh), test::facets(b.mesh));
}

}  // namespace fill_test
}  // namespace aguja
