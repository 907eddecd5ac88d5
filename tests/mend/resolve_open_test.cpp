#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "aguja/mend/resolve.h"
#include "aguja/mesh/crossings.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/solid/mass_properties.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace resolve_open_test {

using test::facets;
using test::joined;
using test::Random;

using Facets = std::vector<std::array<double, 9>>;

Mesh moved(Mesh mesh, const Vector& by, double scale) {
  for (Point& p : mesh.points) p = scale * p + by;
  return mesh;
}

Mesh random_body(Random& random) {
  const auto length = [&] { return random.between(0.7, 1.6); };
  const Vector at(random.between(0, 1.2), random.between(0, 1.2), random.between(0, 1.2));
  switch (random.index(4)) {
    case 0:
      return moved(test::grid_box(8, Vector(length(), length(), length())), at, 1);
    case 1:
      return moved(test::torus(24, 12, 0.7, 0.3), at, length());
    case 2:
      return moved(test::cylinder(20, 6, 0.4, 1), at, length());
    default:
      return moved(test::sphere(12), at, 0.7 * length());
  }
}

Facets without_those(const Facets& all, const Facets& some) {
  Facets rest;
  std::set_difference(all.begin(), all.end(), some.begin(), some.end(), std::back_inserter(rest));
  return rest;
}

// Bodies that pass through each other, and a few triangles missing where nothing crosses: what comes
// of it is what comes of the closed bodies, but for those triangles.
TEST(ResolveOpen, GivesTheBoundaryOfTheClosedBodiesButForWhatIsMissing) {
  std::size_t asked = 0, answered = 0, missing_inside = 0;
  for (std::uint64_t seed = 0; seed < 120; ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    Mesh mesh = random_body(random);
    const std::size_t bodies = 2 + random.index(2);
    for (std::size_t b = 1; b < bodies; ++b) mesh = joined(mesh, random_body(random));
    mesh = with_distinct_points(mesh);
    const Budget budget{1e-6};
    const Change closed = resolve(mesh, {.nested = Nested::merged}, budget);
    if (!closed.refused.empty()) continue;
    std::vector<bool> crosses(mesh.triangles.size());
    for (const TrianglePair& p : find_crossings(Welded(mesh))) {
      crosses[p.first.value] = crosses[p.second.value] = true;
    }
    const auto hole = static_cast<std::uint32_t>(random.index(mesh.triangles.size()));
    const Point middle = mesh.point(mesh.triangles[hole][0]);
    Mesh open = mesh, taken = mesh;
    open.triangles.clear();
    taken.triangles.clear();
    bool is_apart = true;
    for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
      bool goes = false;
      for (const VertexId v : mesh.triangles[t].corner) goes |= mesh.point(v) == middle;
      (goes ? taken : open).triangles.push_back(mesh.triangles[t]);
      is_apart &= !goes || !crosses[t];
    }
    if (!is_apart) continue;
    ++asked;
    const Change change = resolve(open, {.nested = Nested::merged}, budget);
    if (!change.refused.empty()) {
      EXPECT_EQ(change.refused[0].reason, RefusalReason::undecided);
      continue;
    }
    ++answered;
    const Facets all = facets(closed.mesh), gone = facets(taken);
    Facets expected = without_those(all, gone);
    if (expected.size() == all.size()) ++missing_inside;
    EXPECT_EQ(facets(change.mesh), expected);
  }
  EXPECT_GT(asked, 50u);
  EXPECT_GT(missing_inside, 3u);
  EXPECT_GE(50 * answered, 49 * asked) << answered << " of " << asked;
}

// Nothing is open where a wall divides a box, but it is used three times along its rim.
TEST(ResolveOpen, DropsAWallThatHangsInTheMaterial) {
  Mesh divided = joined(test::cube(Point(0, 0, 0), 2), test::cube(Point(2, 0, 0), 2));
  divided = with_distinct_points(divided);
  std::vector<Triangle> kept;
  bool has_wall = false;
  for (const Triangle& t : divided.triangles) {
    const bool in_wall = divided.point(t[0]).x() == 2 && divided.point(t[1]).x() == 2 &&
                         divided.point(t[2]).x() == 2;
    if (in_wall && kept.size() >= 12) continue;
    has_wall |= in_wall;
    kept.push_back(t);
  }
  divided.triangles.assign(kept.begin(), kept.end());
  ASSERT_TRUE(has_wall);
  const Change alone = resolve(divided, {}, {1e-9});
  ASSERT_TRUE(alone.refused.empty()) << alone.refused[0].detail;
  EXPECT_TRUE(test::is_solid(alone.mesh));
  EXPECT_EQ(test::volume_of(alone.mesh), 16);
  divided = with_distinct_points(joined(divided, test::cube(Point(1.5, 1.5, 1.5))));
  const Change walled = resolve(divided, {}, {1e-9});
  ASSERT_TRUE(walled.refused.empty()) << walled.refused[0].detail;
  EXPECT_TRUE(test::is_solid(walled.mesh));
  EXPECT_NEAR(test::volume_of(walled.mesh), 16 + 0.75, 1e-12);
}

TEST(ResolveOpen, AsksWhatAShellInTheMaterialIs) {
  Mesh mesh = joined(test::grid_box(8, {8, 8, 8}), moved(test::cube(), {7.5, 3.3, 3.3}, 1));
  mesh = joined(mesh, moved(test::cube(), {3, 3, 3}, 2));
  // Far from the other bodies.
  mesh.triangles.erase(mesh.triangles.begin());
  mesh = with_distinct_points(mesh);
  const Change asked = resolve(mesh, {}, {1e-6});
  ASSERT_EQ(asked.refused.size(), 1u);
  EXPECT_NE(asked.refused[0].detail.find("nested = cavity"), std::string::npos);
  const Change cavity = resolve(mesh, {.nested = Nested::cavity}, {1e-6});
  ASSERT_TRUE(cavity.refused.empty()) << cavity.refused[0].detail;
  const Change merged = resolve(mesh, {.nested = Nested::merged}, {1e-6});
  ASSERT_TRUE(merged.refused.empty()) << merged.refused[0].detail;
  EXPECT_NEAR(test::volume_of(merged.mesh) - test::volume_of(cavity.mesh), 8, 1e-12);
  EXPECT_TRUE(cavity.rests_on_estimates);
}

TEST(ResolveOpen, AsksWhereWindingNumbersDoNotTell) {
  // Two sheets through each other enclose nothing.
  const Mesh sheets = with_distinct_points(joined(
      test::mesh_of({{-1, -1, 0}, {1, -1, 0}, {1, 1, 0}, {-1, 1, 0}}, {{0, 1, 2}, {0, 2, 3}}),
      test::mesh_of({{-1, 0, -1}, {1, 0, -1}, {1, 0, 1}, {-1, 0, 1}}, {{0, 1, 2}, {0, 2, 3}})));
  const Change nothing = resolve(sheets, {}, {1e-6});
  ASSERT_FALSE(nothing.refused.empty());
  EXPECT_EQ(nothing.refused[0].reason, RefusalReason::undecided);
  EXPECT_EQ(facets(nothing.mesh), facets(sheets));
  // A side is missing that the other body passes through: its rim ends in the other's sides.
  const Mesh mesh = test::without(joined(test::cube(), test::cube(Point(0.5, 0.5, 0.5))),
                                  [](const Point& p) { return p.x() == 0.5; });
  ASSERT_EQ(mesh.triangles.size(), 22u);
  const Change change = resolve(with_distinct_points(mesh), {}, {1e-6});
  ASSERT_FALSE(change.refused.empty());
  EXPECT_NE(change.refused[0].detail.find("is open"), std::string::npos);
}

// A sheet that runs a little beyond the walls of a box, inside and out: it goes, and leaves a solid.
TEST(ResolveOpen, DropsALittleOfWhatBoundsNothing) {
  const Mesh sheet = test::mesh_of(
      {{-0.01, -0.01, 0.4}, {1.01, -0.01, 0.4}, {1.01, 1.01, 0.4}, {-0.01, 1.01, 0.4}},
      {{0, 1, 2}, {0, 2, 3}});
  const Mesh mesh = with_distinct_points(joined(test::cube(), sheet));
  const Change change = resolve(mesh, {}, {1e-6});
  EXPECT_TRUE(change.refused.empty()) << change.refused[0].detail;
  EXPECT_TRUE(test::is_solid(change.mesh));
  EXPECT_NEAR(test::volume_of(change.mesh), 1, 1e-12);
  // Too much of it is the engineer's to say.
  Mesh wide = joined(test::cube(), moved(sheet, Vector(-0.5, 0, 0), 2));
  const Change asked = resolve(with_distinct_points(wide), {}, {1e-6});
  ASSERT_FALSE(asked.refused.empty());
}

// A drum whose wall runs on over its beginning, wound outwards by `hair` a turn.
Mesh rolled_drum(std::size_t sides, std::size_t lap, double hair, std::size_t rows) {
  Mesh mesh;
  const auto point = [&](std::size_t i, std::size_t row) {
    const double turns = static_cast<double>(i) / static_cast<double>(sides);
    const double angle = 2 * std::numbers::pi * turns, r = 1 + hair * turns;
    mesh.points.emplace_back(r * std::cos(angle), r * std::sin(angle),
                             static_cast<double>(row) / static_cast<double>(rows));
    return VertexId{static_cast<std::uint32_t>(mesh.points.size() - 1)};
  };
  for (std::size_t i = 0; i < sides + lap; ++i) {
    for (std::size_t row = 0; row < rows; ++row) {
      const VertexId a = point(i, row), b = point(i + 1, row), c = point(i + 1, row + 1),
                     d = point(i, row + 1);
      mesh.triangles.push_back({{a, b, c}});
      mesh.triangles.push_back({{a, c, d}});
    }
  }
  for (const std::size_t row : {std::size_t{0}, rows}) {
    mesh.points.emplace_back(0, 0, row == 0 ? 0 : 1);
    const VertexId center{static_cast<std::uint32_t>(mesh.points.size() - 1)};
    for (std::size_t i = 0; i < sides; ++i) {
      const VertexId a = point(i, row), b = point((i + 1) % sides, row);
      mesh.triangles.push_back(row == 0 ? Triangle{{center, b, a}} : Triangle{{center, a, b}});
    }
  }
  return with_distinct_points(mesh);
}

double volume_of(const Mesh& mesh) {
  MassSums sums(box_of(mesh));
  for (const Triangle& t : mesh.triangles)
    sums.add(mesh.point(t[0]), mesh.point(t[1]), mesh.point(t[2]));
  return sums.properties().volume;
}

bool is_closed(const Mesh& mesh) {
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  for (std::uint32_t e = 0; e < edges.size(); ++e) {
    if (edges.use_count({e}) != 2 || !edges.is_balanced({e})) return false;
  }
  return true;
}

TEST(ResolveOpen, ClosesWhatIsLappedOverItself) {
  for (std::uint64_t seed = 0; seed < 30; ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    const std::size_t sides = 12 + random.index(40);
    const std::size_t lap = 1 + random.index(sides / 4), rows = 1 + random.index(4);
    const double hair = random.between(1e-5, 4e-3);
    SCOPED_TRACE(testing::Message() << sides << " sides, " << lap << " lapped, " << rows
                                    << " rows, a hair of " << hair);
    const Mesh mesh = rolled_drum(sides, lap, hair, rows);
    ASSERT_FALSE(is_closed(mesh));
    const Budget budget{5e-3};
    const Change change = resolve(mesh, {}, budget);
    EXPECT_TRUE(change.refused.empty()) << change.refused[0].detail;
    EXPECT_TRUE(is_closed(change.mesh));
    EXPECT_TRUE(find_crossings(Welded(change.mesh)).empty());
    for (const double spent : change.spent) EXPECT_LE(spent, budget.distance);
    // A prism, but for the step where the wall begins.
    const double n = static_cast<double>(sides);
    const double prism = 0.5 * n * std::sin(2 * std::numbers::pi / n);
    EXPECT_NEAR(volume_of(change.mesh), prism, 2 * std::numbers::pi * 2 * hair);
    EXPECT_GT(change.copied_area, 0);
    // Beyond the budget it is left, and said.
    if (hair > 1e-3) {
      const Change none = resolve(mesh, {}, {0.1 * hair});
      EXPECT_EQ(none.done, 0u);
    }
  }
}

// The two sides of a thin plate are no copies of each other, even if one faces the wrong way.
TEST(ResolveOpen, LeavesTheSidesOfAThinPlateApart) {
  Mesh side;
  for (std::uint32_t i = 0; i < 25; ++i) side.points.emplace_back(i % 5, i / 5, 0);
  for (std::uint32_t i = 0; i < 4; ++i) {
    for (std::uint32_t j = 0; j < 4; ++j) {
      const std::uint32_t a = 5 * j + i;
      side.triangles.push_back({{{a}, {a + 1}, {a + 6}}});
      side.triangles.push_back({{{a}, {a + 6}, {a + 5}}});
    }
  }
  const Mesh plate = joined(side, moved(side, Vector(0.1, 0.1, 0.01), 1));
  const Change change = resolve(plate, {}, {0.05});
  EXPECT_EQ(change.done, 0u);
  EXPECT_EQ(change.mesh.points.size(), plate.points.size());
}

}  // namespace resolve_open_test
}  // namespace aguja
