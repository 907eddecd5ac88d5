// Checks of small features against the obvious slow way, and against shapes with known sizes.

#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "aguja/inspect/inspect.h"
#include "inspect/patch_borders.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace small_features_test {

using enum FindingKind;
using test::Random;

std::vector<Finding> of_kind(const Mesh& mesh, FindingKind kind, const Profile& profile = {}) {
  InspectOptions options;
  options.profile = profile;
  options.only = {kind};
  return inspect(test::model_of(mesh), options).findings;
}

TEST(SmallFeatures, StripWidthIsThatOfTheRectangle) {
  Random random(1);
  for (int i = 0; i < 1000; ++i) {
    const double a = random.between(1e-9, 1), b = random.between(1, 100);
    const auto width = strip_width(a * b, 2 * (a + b));
    ASSERT_TRUE(width);
    EXPECT_NEAR(*width, a, 1e-9 * a + 1e-15);
  }
  // A disc has more area than any rectangle with its border.
  EXPECT_FALSE(strip_width(3.1416, 6.2832));
}

TEST(SmallFeatures, NearVerticesAreThoseThatTryingAllFinds) {
  std::size_t pairs = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    // Closed bodies in a crowd; some corners nearly meet.
    Mesh mesh;
    std::vector<Point> corners = {{0, 0, 0}};
    for (int i = 0; i < 12; ++i) {
      Point low{random.between(-40, 40), random.between(-40, 40), random.between(-40, 40)};
      if (random.chance(0.6)) {
        const Point& other = corners[random.index(corners.size())];
        low = other + 1e-3 * Point{random.unit(), random.unit(), random.unit()};
      }
      const Mesh box = test::cube(low, 3);
      mesh = test::joined(mesh, box);
      corners.insert(corners.end(), box.points.begin(), box.points.end());
    }
    Profile profile;
    profile.limits[Limit::near_vertices] = {1e-3, LimitBasis::length, LengthUnit::millimetre};
    std::set<std::size_t> expected;
    for (std::size_t i = 0; i < mesh.points.size(); ++i) {
      for (std::size_t j = 0; j < i; ++j) {
        const double distance = (mesh.points[i] - mesh.points[j]).norm();
        if (distance > 0 && distance <= 1e-3) expected.insert({i, j});
      }
    }
    std::size_t found = 0;
    for (const Finding& f : of_kind(mesh, near_vertices, profile)) found += f.count;
    EXPECT_EQ(found, expected.size());
    pairs += expected.size();
  }
  EXPECT_GE(pairs, 200u);
}

// Limits grow with the model: cells are looked for at the largest numbers, too.
TEST(SmallFeatures, NearVerticesAreFoundAmongTheLargestNumbers) {
  for (const double far : {1.0, 1e15, 1e150, 1e300, 1e307}) {
    SCOPED_TRACE(far);
    Mesh mesh =
        test::joined(test::cube({-0.9, -0.9, -0.9}, 0.9), test::cube({1e-8, -0.9, -0.9}, 0.9));
    for (Point& p : mesh.points) p *= far;
    std::size_t found = 0;
    for (const Finding& f : of_kind(mesh, near_vertices)) found += f.count;
    EXPECT_EQ(found, 8u);
  }
}

// So many in one place that not all are held against all: still one finding that names every one.
TEST(SmallFeatures, ACrowdOfNearVerticesIsOneFinding) {
  Random random(4);
  for (const std::size_t open : {0, 100}) {
    Mesh mesh;
    for (std::uint32_t i = 0; i < 300; ++i) {
      const std::uint32_t first = 4 * i;
      mesh.points.push_back(1e-4 * Point{random.unit(), random.unit(), random.unit()});
      for (int k = 0; k < 3; ++k) {
        mesh.points.emplace_back(random.between(1, 9), random.between(1, 9), random.between(1, 9));
      }
      for (const Triangle& t : {Triangle{{{0}, {1}, {2}}}, Triangle{{{0}, {2}, {3}}},
                                Triangle{{{0}, {3}, {1}}}, Triangle{{{1}, {3}, {2}}}}) {
        // Without its first side the corner is on a rim, as the other open ones are.
        if (i < open && t[1].value == 1 && t[2].value == 2) continue;
        mesh.triangles.push_back(
            {{{first + t[0].value}, {first + t[1].value}, {first + t[2].value}}});
      }
    }
    Profile profile;
    profile.limits[Limit::near_vertices] = {1e-3, LimitBasis::length, LengthUnit::millimetre};
    const auto found = of_kind(mesh, near_vertices, profile);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].count, 300u);
    EXPECT_LT(found[0].measure, 1e-4);
    EXPECT_LT(found[0].place.norm(), 2e-4);
  }
}

TEST(SmallFeatures, AShellOfKnownThicknessIsOneThinWall) {
  // A ball with a ball-shaped cavity: the wall is everywhere as thick as the radii differ.
  for (const double thickness : {0.02, 0.05}) {
    const Mesh shell =
        test::joined(test::sphere(30, 20), test::turned(test::sphere(30, 20 - thickness)));
    Profile profile;
    profile.limits[Limit::thin_wall] = {0.06, LimitBasis::length, LengthUnit::millimetre};
    const auto walls = of_kind(shell, thin_wall, profile);
    ASSERT_EQ(walls.size(), 1u);
    EXPECT_EQ(walls[0].count, shell.triangles.size());
    EXPECT_NEAR(walls[0].measure, thickness, 0.02 * thickness);
  }
  // What is thicker than the limit is none; nor is the air between two bodies.
  const Mesh thick = test::joined(test::sphere(30, 20), test::turned(test::sphere(30, 15)));
  EXPECT_TRUE(of_kind(thick, thin_wall).empty());
  const Mesh apart = test::joined(test::cube({0, 0, 0}, 20), test::cube({20.01, 0, 0}, 20));
  EXPECT_TRUE(of_kind(apart, thin_wall).empty());
}

TEST(SmallFeatures, SliversAreToldByTheirAspectRatio) {
  for (const double height : {1e-1, 1e-2, 1e-3, 1e-4}) {
    Mesh mesh = test::cube({0, 0, 0}, 20);
    const std::size_t t = 0;
    // A point put very near a side of a triangle, which is divided into three.
    const Triangle old = mesh.triangles[t];
    const Point a = mesh.point(old[0]), b = mesh.point(old[1]), c = mesh.point(old[2]);
    const Point foot = 0.5 * (a + b);
    mesh.points.push_back(foot + height * (c - foot).normalized());
    const VertexId p{static_cast<std::uint32_t>(mesh.points.size() - 1)};
    mesh.triangles[t] = {{old[0], old[1], p}};
    mesh.triangles.push_back({{old[1], old[2], p}});
    mesh.triangles.push_back({{old[2], old[0], p}});
    Profile profile;
    profile.limits[Limit::sliver_triangle] = {1000};
    const auto slivers = of_kind(mesh, sliver_triangle, profile);
    // The height of (a, b, p) over its longest side, whatever angle the side has to c.
    const Vector ab = b - a;
    const Vector up = mesh.points.back() - foot;
    const double true_height = (up - up.dot(ab) / ab.squaredNorm() * ab).norm();
    const double aspect = ab.norm() / true_height;
    ASSERT_EQ(slivers.size(), aspect > 1000 ? 1u : 0u) << height;
    if (!slivers.empty()) {
      EXPECT_NEAR(slivers[0].measure, aspect, 1e-6 * aspect);
    }
  }
}

TEST(SmallFeatures, BordersOfABoxAreTwelveChains) {
  const Model model = test::model_of(test::cube({0, 0, 0}, 20));
  const Anatomy anatomy(model.parts[0].mesh());
  const Patches patches = recognise_patches(anatomy.welded, anatomy.edges, {.fit = 1e-6});
  const PatchBorders borders = find_borders(anatomy, patches);
  ASSERT_EQ(patches.patches.size(), 6u);
  EXPECT_EQ(borders.chains.size(), 12u);
  for (const BorderChain& chain : borders.chains) {
    EXPECT_NEAR(chain.length, 20, 1e-12);
    EXPECT_FALSE(chain.loop);
  }
  for (const double length : borders.length_of) EXPECT_NEAR(length, 80, 1e-12);
}

TEST(SmallFeatures, PrecisionIsDoubtedForFloatsFarAwayAlone) {
  const auto doubts = [](Mesh mesh, const Point& shift, bool rounded) {
    for (Point& p : mesh.points) {
      p += shift;
      if (rounded) p = rounded_to_float(p);
    }
    return of_kind(mesh, precision_doubt).size();
  };
  const Mesh ball = test::sphere(20, 10);
  EXPECT_EQ(doubts(ball, {0, 0, 0}, true), 0u);
  EXPECT_EQ(doubts(ball, {50000, 0, 0}, true), 1u);
  EXPECT_EQ(doubts(ball, {50000, 0, 0}, false), 0u);
}

}  // namespace small_features_test
}  // namespace aguja
