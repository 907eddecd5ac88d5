#include "aguja/solid/distances.h"

#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <numbers>

#include "aguja/base/error.h"
#include "demo/garza.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace distances_test {

using test::Random;

Point any(Random& random, double size) {
  return {random.between(-size, size), random.between(-size, size), random.between(-size, size)};
}

TEST(Distances, OfTrianglesAreNoLargerThanAnySampled) {
  Random random(2);
  int apart = 0;
  for (int i = 0; i < 400; ++i) {
    const Point shift = any(random, 4);
    std::array<Point, 3> a = {any(random, 1), any(random, 1), any(random, 1)};
    std::array<Point, 3> b = {any(random, 1) + shift, any(random, 1) + shift,
                              any(random, 1) + shift};
    const double found = nearest_places(a, b).value();
    EXPECT_NEAR(found, nearest_places(b, a).value(), 1e-9);
    double sampled = 1e300;
    constexpr int kSteps = 14;
    const auto at = [&](const std::array<Point, 3>& t, int u, int v) {
      return Point(t[0] + (t[1] - t[0]) * u / kSteps + (t[2] - t[0]) * v / kSteps);
    };
    for (int u = 0; u <= kSteps; ++u) {
      for (int v = 0; u + v <= kSteps; ++v) {
        const Point p = at(a, u, v);
        for (int s = 0; s <= kSteps; ++s) {
          for (int t = 0; s + t <= kSteps; ++t) {
            sampled = std::min(sampled, (at(b, s, t) - p).norm());
          }
        }
      }
    }
    EXPECT_LE(found, sampled + 1e-12);
    EXPECT_GE(found, sampled - 0.25);
    apart += found > 0.3;
  }
  EXPECT_GE(apart, 150);
}

TEST(Distances, OfSetsAreThoseOfTheirNearestTriangles) {
  for (std::uint64_t seed = 1; seed <= 20; ++seed) {
    Random random(seed);
    const Mesh a = test::sphere(7, 1), b = test::sphere(9, 0.6, any(random, 3));
    const Welded wa(a), wb(b);
    TriangleSet sa{&wa, {}}, sb{&wb, {}};
    for (std::uint32_t t = 0; t < a.triangles.size(); ++t) sa.triangles.push_back({t});
    for (std::uint32_t t = 0; t < b.triangles.size(); ++t) sb.triangles.push_back({t});
    double least = 1e300;
    for (const Triangle& s : a.triangles) {
      for (const Triangle& t : b.triangles) {
        least = std::min(least, nearest_places({a.point(s[0]), a.point(s[1]), a.point(s[2])},
                                               {b.point(t[0]), b.point(t[1]), b.point(t[2])})
                                    .value());
      }
    }
    EXPECT_NEAR(nearest_places(sa, sb).value(), least, 1e-12);
    const Point p = any(random, 4);
    double to_p = 1e300;
    for (const VertexId v : b.triangles[0].corner) to_p = std::min(to_p, (b.point(v) - p).norm());
    EXPECT_LE(nearest_place(p, sb).value(), to_p);
  }
}

TEST(Distances, AnglesAndCirclesOfThreePoints) {
  EXPECT_NEAR(*angle_at({1, 0, 0}, {0, 0, 0}, {0, 2, 0}), std::numbers::pi / 2, 1e-15);
  EXPECT_FALSE(angle_at({0, 0, 0}, {0, 0, 0}, {0, 2, 0}));
  const auto circle = circle_through({5, 1, 3}, {3, 3, 3}, {1, 1, 3});
  ASSERT_TRUE(circle);
  EXPECT_NEAR(circle->radius, 2, 1e-12);
  EXPECT_LT((circle->center - Point(3, 1, 3)).norm(), 1e-12);
  EXPECT_NEAR(std::fabs(circle->axis.z()), 1, 1e-12);
  EXPECT_FALSE(circle_through({0, 0, 0}, {1, 1, 1}, {2, 2, 2}));
}

TEST(Distances, PatchesOfThePodAreItsSurfaces) {
  demo::KnownPart pod = demo::make_pod();
  Model model;
  model.parts.push_back(pod.part);
  test::edit(model, [](Mesh& mesh) { mesh.patch_of.clear(); });
  const PatchCatalogue catalogue(model);
  const MeasuredPatch* flange_top = nullptr;
  const MeasuredPatch* flange_bottom = nullptr;
  int holes = 0;
  for (const MeasuredPatch& p : catalogue.patches()) {
    if (!p.patch.surface) continue;
    const Primitive& s = *p.patch.surface;
    if (s.kind == PrimitiveKind::cylinder && std::fabs(s.radius - 2.5) < 1e-3) ++holes;
    if (s.kind != PrimitiveKind::plane || p.patch.area < 2000) continue;
    if (std::fabs(p.center.z() - 128) < 1e-6) flange_top = &p;
    if (std::fabs(p.center.z() - 120) < 1e-6 && s.axis.z() < 0) flange_bottom = &p;
  }
  EXPECT_EQ(holes, 8);
  ASSERT_TRUE(flange_top != nullptr && flange_bottom != nullptr);
  EXPECT_NEAR(nearest_places(flange_top->set, flange_bottom->set).value(), 8, 1e-9);
  const auto thick = thickness_between(flange_bottom->set, flange_top->set);
  ASSERT_TRUE(thick);
  EXPECT_NEAR(thick->least, 8, 1e-9);
  EXPECT_NEAR(thick->largest, 8, 1e-9);
  EXPECT_GT(thick->covered, 0.9);
  EXPECT_THROW(static_cast<void>(catalogue.find("no such patch")), ArgumentError);
}

TEST(Distances, RimsAreMeasured) {
  Mesh mesh = test::cube({0, 0, 0}, 2);
  mesh.triangles.pop_back();
  const auto rims = measure_rims(test::model_of(mesh));
  ASSERT_EQ(rims.size(), 1u);
  EXPECT_TRUE(rims[0].is_loop);
  EXPECT_NEAR(rims[0].length, 4 + 2 * std::sqrt(2.0), 1e-12);
}

}  // namespace distances_test
}  // namespace aguja
