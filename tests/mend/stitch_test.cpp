#include "aguja/mend/stitch.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>

#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>
#include <Eigen/Geometry>

#include "aguja/geometry/distance.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/deviation.h"
#include "demo/crack.h"
#include "demo/garza.h"
#include "tests/support/random_mesh.h"
#include "tests/support/stop_after.h"

namespace aguja {
namespace stitch_test {

using test::Random;

// A closed mesh in patches, torn along them.
struct Torn {
  Mesh whole;
  Mesh mesh;
  double width;
  double size;  // diagonal
};

// A box with six patches whose sides are divided into a grid.
Mesh box_of_patches(int steps, const Vector& extent) {
  Mesh mesh;
  for (int side = 0; side < 6; ++side) {
    const int axis = side / 2;
    const auto base = static_cast<std::uint32_t>(mesh.points.size());
    for (int i = 0; i <= steps; ++i) {
      for (int j = 0; j <= steps; ++j) {
        Point p;
        p[axis] = side % 2 == 0 ? 0 : extent[axis];
        // The last step is the very extent, or the sides would not meet.
        const auto at = [&](int k, int step) {
          return step == steps ? extent[k] : extent[k] * step / steps;
        };
        p[(axis + 1) % 3] = at((axis + 1) % 3, i);
        p[(axis + 2) % 3] = at((axis + 2) % 3, j);
        mesh.points.push_back(p);
      }
    }
    const auto id = [&](int i, int j) {
      return VertexId{base + static_cast<std::uint32_t>(i * (steps + 1) + j)};
    };
    for (int i = 0; i < steps; ++i) {
      for (int j = 0; j < steps; ++j) {
        const VertexId a = id(i, j), b = id(i + 1, j), c = id(i + 1, j + 1), d = id(i, j + 1);
        for (Triangle t : {Triangle{{a, b, c}}, Triangle{{a, c, d}}}) {
          if (side % 2 == 0) std::swap(t[1], t[2]);
          mesh.triangles.push_back(t);
          mesh.patch_of.push_back({static_cast<std::uint32_t>(side)});
        }
      }
    }
  }
  return mesh;
}

// The same with one set of points: what `cracked` needs.
Mesh welded(const Mesh& mesh) {
  const Welded w(mesh);
  Mesh out;
  out.points.assign(w.points().begin(), w.points().end());
  out.triangles.assign(w.triangles().begin(), w.triangles().end());
  out.patch_of = mesh.patch_of;
  return out;
}

Mesh some_shape(Random& random) {
  switch (random.index(3)) {
    case 0:
      return welded(box_of_patches(static_cast<int>(1 + random.index(4)),
                                   {1, 0.5 + random.unit(), 0.5 + random.unit()}));
    case 1: {  // a sphere in slices of random longitude and halves
      const int n = static_cast<int>(5 + random.index(6));
      Mesh mesh = test::sphere(n, 0.5);
      const auto slices = 1 + random.index(4);
      for (const Triangle& t : mesh.triangles) {
        const Point c = (mesh.point(t[0]) + mesh.point(t[1]) + mesh.point(t[2])) / 3.0;
        const double turn = (std::atan2(c.y(), c.x()) / M_PI + 1) / 2;
        const auto slice = static_cast<std::uint32_t>(turn * static_cast<double>(slices));
        mesh.patch_of.push_back({2 * slice + (c.z() > 0 ? 1u : 0u)});
      }
      return mesh;
    }
    default: {
      Mesh mesh = demo::make_ballast_ring().part.mesh();
      for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
        const Triangle& tri = mesh.triangles[t];
        const Vector n = (mesh.point(tri[1]) - mesh.point(tri[0]))
                             .cross(mesh.point(tri[2]) - mesh.point(tri[0]));
        const double up = n.z() / n.norm();
        const Point c = mesh.point(tri[0]);
        mesh.patch_of[t] = {up > 0.5                        ? 0u
                            : up < -0.5                     ? 1u
                            : std::hypot(c.x(), c.y()) > 45 ? 2u
                                                            : 3u};
      }
      for (Point& p : mesh.points) p /= 100;
      return mesh;
    }
  }
}

Torn torn_shape(std::uint64_t seed) {
  Random random(seed);
  Torn torn;
  torn.whole = some_shape(random);
  constexpr double kUnits[] = {1, 25.4, 1e-3, 1e3};
  const double unit = kUnits[random.index(4)];
  const Vector away = random.chance(0.3) ? Vector(1e4, -2e4, 5e3) : Vector(0, 0, 0);
  const Eigen::Matrix3d turn =
      random.chance(0.5)
          ? Eigen::AngleAxisd(random.unit(), Vector(1, 2, 3).normalized()).toRotationMatrix()
          : Eigen::Matrix3d(Eigen::Matrix3d::Identity());
  for (Point& p : torn.whole.points) p = unit * (turn * p + away);
  double shortest = HUGE_VAL;
  Box box;
  for (const Triangle& t : torn.whole.triangles) {
    for (int c = 0; c < 3; ++c) {
      shortest =
          std::min(shortest, (torn.whole.point(t[c]) - torn.whole.point(t[(c + 1) % 3])).norm());
      box.extend(torn.whole.point(t[c]));
    }
  }
  torn.size = box.diagonal();
  const std::size_t pieces = 1 + random.index(5);
  torn.width = shortest / static_cast<double>(pieces) * random.between(0.01, 0.1);
  const bool fine = random.chance(0.5);
  demo::CrackOptions options{.width = torn.width, .seed = seed};
  if (fine) {
    options.pieces = [&](PatchId p) { return p.value % 2 == 0 ? static_cast<int>(pieces) : 1; };
  }
  torn.mesh = demo::cracked(torn.whole, options);
  return torn;
}

Model model_of(const Mesh& mesh) { return test::model_of(mesh); }

// How far the points of one surface lie from the other, by trying all triangles.
double farthest(const Mesh& from, const Mesh& to) {
  double largest = 0;
  const auto look = [&](const Point& p) {
    double nearest = HUGE_VAL;
    for (const Triangle& t : to.triangles) {
      nearest = std::min(
          nearest, (closest_point(p, to.point(t[0]), to.point(t[1]), to.point(t[2])) - p).norm());
    }
    largest = std::max(largest, nearest);
  };
  // Some hundred triangles are enough to catch what is systematic.
  const std::size_t step = 1 + from.triangles.size() / 120;
  for (std::size_t i = 0; i < from.triangles.size(); i += step) {
    const Triangle& t = from.triangles[i];
    for (int c = 0; c < 3; ++c) look(from.point(t[c]));
    look((from.point(t[0]) + from.point(t[1]) + from.point(t[2])) / 3.0);
  }
  return largest;
}

TEST(Stitch, MakesASolidOfWhatIsTornByLessThanTheTolerance) {
  int with_hanging = 0;
  for (std::uint64_t seed = 1; seed <= 300; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Torn torn = torn_shape(seed);
    const StitchResult r = stitch(torn.mesh, 1.5 * torn.width);
    EXPECT_GT(r.naked_before, 0u);
    EXPECT_EQ(r.naked_after, 0u);
    EXPECT_TRUE(r.still_open.empty());
    const Certificate c = certify(model_of(r.mesh));
    EXPECT_EQ(slug(c.verdict), "solid") << (c.reasons.empty() ? "" : c.reasons[0].text);
    const Certificate before = certify(model_of(torn.whole));
    ASSERT_EQ(before.verdict, Verdict::solid);
    EXPECT_NEAR(c.mass.volume, before.mass.volume, torn.width * before.mass.area);
    with_hanging += r.inserted > 0;
  }
  EXPECT_GT(with_hanging, 80);
}

TEST(Stitch, MovesNothingFartherThanTheTolerance) {
  int moved = 0;
  for (std::uint64_t seed = 1; seed <= 10; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Torn torn = torn_shape(seed);
    for (const double factor : {0.3, 1.2, 20.0}) {
      const double tolerance = factor * torn.width;
      const StitchResult r = stitch(torn.mesh, tolerance, {.steps = factor > 2 ? 3 : 1});
      const double noise = 1e-12 * (torn.size + torn.mesh.points[0].norm());
      EXPECT_LE(farthest(r.mesh, torn.mesh), r.largest_movement + noise);
      EXPECT_LE(farthest(torn.mesh, r.mesh), r.largest_movement + noise);
      EXPECT_LE(r.largest_movement, tolerance);
      moved += r.largest_movement > 0;
    }
  }
  EXPECT_GT(moved, 20);
}

TEST(Stitch, NeverMakesAnythingWorseAtAnyTolerance) {
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Torn torn = torn_shape(seed);
    const Anatomy before(torn.mesh);
    for (const double factor : {0.1, 0.5, 1.0, 10.0, 1e4}) {
      const StitchResult r = stitch(torn.mesh, factor * torn.width);
      const Anatomy after(r.mesh);
      EXPECT_LE(after.edge_counts.naked, before.edge_counts.naked);
      EXPECT_EQ(after.edge_counts.naked, r.naked_after);
      EXPECT_LE(after.edge_counts.nonmanifold, before.edge_counts.nonmanifold);
      EXPECT_LE(after.edge_counts.winding_conflicts, before.edge_counts.winding_conflicts);
      EXPECT_LE(after.pinched.size(), before.pinched.size());
      EXPECT_LE(after.zero_area.size(), before.zero_area.size());
      EXPECT_LE(after.crossings.size(), before.crossings.size());
    }
  }
}

TEST(Stitch, LeavesInnerVerticesAlone) {
  for (std::uint64_t seed = 1; seed <= 100; ++seed) {
    const Torn torn = torn_shape(seed);
    const Welded w(torn.mesh);
    const EdgeTable edges(w.triangles(), w.points().size());
    std::vector<bool> on_rim(w.points().size());
    for (std::uint32_t e = 0; e < edges.size(); ++e) {
      if (!edges.is_naked({e})) continue;
      on_rim[edges.edge({e}).low.value] = on_rim[edges.edge({e}).high.value] = true;
    }
    const StitchResult r = stitch(torn.mesh, 50 * torn.width);
    for (std::size_t t = 0; t < torn.mesh.triangles.size(); ++t) {
      for (std::size_t c = 0; c < 3; ++c) {
        if (on_rim[w.triangles()[t][c].value]) continue;
        const VertexId old = torn.mesh.triangles[t][c];
        EXPECT_EQ(r.mesh.point(r.new_vertex[old.value]), torn.mesh.point(old));
      }
    }
  }
}

TEST(Stitch, GivesTheSameBytesForAnyNumberOfThreads) {
  const Mesh torn =
      demo::cracked(demo::make_pod().part.mesh(),
                    {.width = 0.03, .pieces = [](PatchId p) { return p.value % 3 == 0 ? 5 : 1; }});
  const auto run = [&](std::size_t threads) {
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                            threads);
    return stitch(torn, 0.04).mesh;
  };
  const Mesh one = run(1);
  for (const std::size_t threads : {2, 5}) {
    const Mesh many = run(threads);
    ASSERT_EQ(many.points.size(), one.points.size());
    EXPECT_EQ(std::memcmp(many.points.data(), one.points.data(), one.points.size() * sizeof(Point)),
              0);
    EXPECT_EQ(many.triangles, one.triangles);
    EXPECT_EQ(many.patch_of, one.patch_of);
  }
}

TEST(Stitch, FarTooSmallAToleranceLeavesEverythingAsItWas) {
  const Torn torn = torn_shape(7);
  const StitchResult r = stitch(torn.mesh, 1e-6 * torn.width);
  EXPECT_EQ(r.naked_after, r.naked_before);
  EXPECT_EQ(r.mesh.triangles.size(), torn.mesh.triangles.size());
  EXPECT_EQ(r.largest_movement, 0);
}

TEST(Stitch, RefusesTolerancesThatAreNone) {
  const Mesh mesh = test::cube();
  EXPECT_THROW(static_cast<void>(stitch(mesh, -0.01)), ArgumentError);
  EXPECT_THROW(static_cast<void>(stitch(mesh, std::nan(""))), ArgumentError);
  EXPECT_THROW(static_cast<void>(stitch(mesh, HUGE_VAL)), ArgumentError);
  EXPECT_THROW(static_cast<void>(stitch(mesh, 0.1, {.steps = 0})), ArgumentError);
  EXPECT_EQ(stitch(mesh, 0.1).mesh.triangles, mesh.triangles);
  EXPECT_EQ(stitch(Mesh{}, 0.1).naked_after, 0u);
}

// A plate far thinner than the tolerance, its six sides torn apart: the top must find its own side
// wall, and nothing may collapse.
TEST(Stitch, DoesNotCollapseAWallThinnerThanTheTolerance) {
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const double wall = 0.03;
    const Mesh plate = welded(box_of_patches(3, {1, 1, wall}));
    const Mesh torn = demo::cracked(plate, {.width = 0.1 * wall, .seed = seed});
    for (const double tolerance : {0.005, 0.05, 0.3}) {
      const StitchResult r = stitch(torn, tolerance);
      EXPECT_EQ(r.naked_after, 0u) << "tolerance " << tolerance;
      const Certificate c = certify(model_of(r.mesh));
      EXPECT_EQ(slug(c.verdict), "solid");
      EXPECT_NEAR(c.mass.volume, wall, 0.2 * wall);
    }
  }
}

TEST(Stitch, LeavesTheTwoFacesOfAnOpenThinWallApart) {
  // Top and bottom of a plate, 0.03 apart, the side walls missing.
  Mesh plate = welded(box_of_patches(3, {1, 1, 0.03}));
  Mesh faces;
  faces.points = plate.points;
  for (std::size_t t = 0; t < plate.triangles.size(); ++t) {
    if (plate.patch_of[t].value >= 4) faces.triangles.push_back(plate.triangles[t]);
  }
  const StitchResult r = stitch(faces, 0.2);
  EXPECT_EQ(r.naked_after, r.naked_before);
  EXPECT_EQ(r.largest_movement, 0);
}

TEST(Stitch, TellsParallelCracksApartThatAreNearerThanTheTolerance) {
  // A box whose top is three strips, the middle one narrower than the tolerance.
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Mesh box = welded(box_of_patches(1, {1, 1, 1}));
    Mesh strips;
    const double x[] = {0, 0.5, 0.52, 1};
    strips.points = box.points;
    const auto corner = [&](double px, double py, double pz) {
      for (std::uint32_t v = 0; v < strips.points.size(); ++v) {
        if (strips.points[v] == Point(px, py, pz)) return VertexId{v};
      }
      strips.points.emplace_back(px, py, pz);
      return VertexId{static_cast<std::uint32_t>(strips.points.size() - 1)};
    };
    const auto quad = [&](VertexId a, VertexId b, VertexId c, VertexId d, std::uint32_t patch) {
      strips.triangles.push_back({{a, b, c}});
      strips.triangles.push_back({{a, c, d}});
      strips.patch_of.insert(strips.patch_of.end(), {{patch}, {patch}});
    };
    for (std::uint32_t s = 0; s < 3; ++s) {
      quad(corner(x[s], 0, 1), corner(x[s + 1], 0, 1), corner(x[s + 1], 1, 1), corner(x[s], 1, 1),
           10 + s);
      quad(corner(x[s], 0, 0), corner(x[s + 1], 0, 0), corner(x[s + 1], 0, 1), corner(x[s], 0, 1),
           1);
      quad(corner(x[s], 1, 1), corner(x[s + 1], 1, 1), corner(x[s + 1], 1, 0), corner(x[s], 1, 0),
           2);
      quad(corner(x[s], 1, 0), corner(x[s + 1], 1, 0), corner(x[s + 1], 0, 0), corner(x[s], 0, 0),
           3);
    }
    quad(corner(0, 0, 0), corner(0, 0, 1), corner(0, 1, 1), corner(0, 1, 0), 4);
    quad(corner(1, 0, 0), corner(1, 1, 0), corner(1, 1, 1), corner(1, 0, 1), 5);
    ASSERT_EQ(certify(model_of(strips)).verdict, Verdict::solid);
    const StitchResult r = stitch(demo::cracked(strips, {.width = 0.004, .seed = seed}), 0.1);
    const Certificate c = certify(model_of(r.mesh));
    EXPECT_EQ(slug(c.verdict), "solid") << (c.reasons.empty() ? "" : c.reasons[0].text);
    EXPECT_NEAR(c.mass.volume, 1, 0.03);
  }
}

TEST(Stitch, DoesNotJoinTwoBodiesAHairApart) {
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Mesh one = welded(box_of_patches(2, {1, 1, 1}));
    Mesh other = one;
    for (Point& p : other.points) p.x() += 1.01;
    Mesh both = test::joined(demo::cracked(one, {.width = 0.002, .seed = seed}),
                             demo::cracked(other, {.width = 0.002, .seed = seed + 100}));
    both.patch_of.clear();
    const StitchResult r = stitch(both, 0.05);
    const Certificate c = certify(model_of(r.mesh));
    EXPECT_EQ(slug(c.verdict), "solid");
    EXPECT_EQ(c.shells.size(), 2u);
    EXPECT_NEAR(c.mass.volume, 2, 0.03);
  }
}

TEST(Stitch, JoinsOneLongEdgeWithAHundredShortOnes) {
  const Mesh box = welded(box_of_patches(1, {1, 1, 1}));
  for (std::uint64_t seed = 1; seed <= 20; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Mesh torn = demo::cracked(box, {.width = 0.001, .seed = seed, .pieces = [](PatchId p) {
                                            return p.value == 0 ? 100 : p.value == 3 ? 5 : 1;
                                          }});
    const StitchResult r = stitch(torn, 0.002);
    const Certificate c = certify(model_of(r.mesh));
    EXPECT_EQ(slug(c.verdict), "solid") << (c.reasons.empty() ? "" : c.reasons[0].text);
    EXPECT_GT(r.inserted, 300u);
  }
}

TEST(Stitch, TurnsPatchesThatDisagreeWhereTheJoinsMakeItCertain) {
  int turned = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    Torn torn = torn_shape(seed);
    // The first patch stays: were all turned, nothing would disagree.
    std::map<std::uint32_t, bool> flip = {{torn.mesh.patch_of[0].value, false}};
    for (std::size_t t = 0; t < torn.mesh.triangles.size(); ++t) {
      const auto at = flip.try_emplace(torn.mesh.patch_of[t].value, random.chance(0.4)).first;
      if (at->second) std::swap(torn.mesh.triangles[t][0], torn.mesh.triangles[t][1]);
    }
    const StitchResult r = stitch(torn.mesh, 1.5 * torn.width);
    const Certificate c = certify(model_of(r.mesh));
    EXPECT_EQ(slug(c.verdict), "solid") << (c.reasons.empty() ? "" : c.reasons[0].text);
    turned += r.turned_over > 0;
  }
  EXPECT_GT(turned, 40);
}

TEST(Stitch, ClosesASlitInOnePatch) {
  // A grid cut along its middle up to an inner vertex, the cut opened by a little.
  Mesh sheet;
  for (int i = 0; i <= 4; ++i) {
    for (int j = 0; j <= 4; ++j) sheet.points.emplace_back(i, j, 0);
  }
  const auto id = [](int i, int j) { return VertexId{static_cast<std::uint32_t>(5 * i + j)}; };
  for (int i = 0; i < 4; ++i) {
    for (int j = 0; j < 4; ++j) {
      sheet.triangles.push_back({{id(i, j), id(i + 1, j), id(i + 1, j + 1)}});
      sheet.triangles.push_back({{id(i, j), id(i + 1, j + 1), id(i, j + 1)}});
    }
  }
  for (int j = 0; j < 3; ++j) {  // vertices (2, 0..2) get a copy for the triangles beyond
    const VertexId copy{static_cast<std::uint32_t>(sheet.points.size())};
    sheet.points.push_back(sheet.point(id(2, j)) + Vector(0.01 * (3 - j), 0, 0));
    for (Triangle& t : sheet.triangles) {
      const double x = (sheet.point(t[0]) + sheet.point(t[1]) + sheet.point(t[2])).x() / 3;
      if (x < 2) continue;
      for (VertexId& v : t.corner) {
        if (v == id(2, j)) v = copy;
      }
    }
  }
  const StitchResult r = stitch(sheet, 0.04);
  EXPECT_EQ(r.naked_before, 16u + 6u);
  EXPECT_EQ(r.naked_after, 16u);
  EXPECT_EQ(r.joined, 3u);
  const StitchResult half = stitch(sheet, 0.025);  // the mouth of the slit is wider
  EXPECT_EQ(half.naked_after, 18u);
}

TEST(Stitch, CanBeStoppedAtEveryCheckpoint) {
  const Torn torn = torn_shape(3);
  const Mesh before = torn.mesh;
  int stopped = 0;
  for (; stopped < 100; ++stopped) {
    test::StopAfter progress(stopped);
    try {
      EXPECT_EQ(stitch(torn.mesh, 2 * torn.width, {}, nullptr, &progress).naked_after, 0u);
      break;
    } catch (const Cancelled&) {
      EXPECT_EQ(torn.mesh.points, before.points);
      EXPECT_EQ(torn.mesh.triangles, before.triangles);
    }
  }
  EXPECT_GE(stopped, 2);
  EXPECT_LT(stopped, 100);
}

TEST(Stitch, InPartsNeverJoinsParts) {
  const Mesh torn = demo::cracked(welded(box_of_patches(2, {1, 1, 1})), {.width = 0.001});
  Model parts;
  parts.parts = demo::parts_by_patch(torn, "side");
  const StitchedModel apart = stitch(parts, 0.01);
  EXPECT_EQ(apart.total.naked_after, apart.total.naked_before);
  const StitchedModel one = stitch(as_one(parts), 0.01);
  EXPECT_EQ(one.total.naked_after, 0u);
  EXPECT_EQ(certify(one.model).verdict, Verdict::solid);
}

}  // namespace stitch_test
}  // namespace aguja
