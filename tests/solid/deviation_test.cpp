#include "aguja/solid/deviation.h"

#include <cmath>

#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

#include "aguja/base/error.h"
#include "aguja/geometry/distance.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace deviation_test {

using test::model_of;
using test::Random;

Mesh moved(Mesh mesh, const Vector& by) {
  for (Point& p : mesh.points) p += by;
  return mesh;
}

TEST(ClosestPoint, IsThatOfTryingAGrid) {
  Random random(3);
  for (int i = 0; i < 300; ++i) {
    const auto point = [&] { return Point{random.unit(), random.unit(), random.unit()}; };
    const Point a = point(), b = random.chance(0.1) ? a : point(),
                c = random.chance(0.1) ? a : point();
    const Point p = 2 * point() - Point(0.5, 0.5, 0.5);
    const Point q = closest_point(p, a, b, c);
    double best = HUGE_VAL;
    constexpr int kSteps = 40;
    for (int u = 0; u <= kSteps; ++u) {
      for (int v = 0; u + v <= kSteps; ++v) {
        const Point x = a + (b - a) * u / kSteps + (c - a) * v / kSteps;
        best = std::min(best, (x - p).norm());
      }
    }
    EXPECT_LE((q - p).norm(), best + 1e-12);
    EXPECT_GE((q - p).norm(), best - 0.06);
  }
}

TEST(Deviation, OfAModelFromItselfIsNothing) {
  const Model model = model_of(test::sphere(9));
  const Deviation d = compare(model, model);
  EXPECT_LE(d.largest(), 1e-15);
  EXPECT_LE(d.a_to_b.mean, 1e-15);
  EXPECT_LE(d.a_to_b.mean_error, 1e-6);
}

TEST(Deviation, OfBoxesIsThatOfTheTextbook) {
  // One box within another: every point of the inner lies 1 below a side; the corners of the outer
  // lie sqrt(3) away.
  const Deviation d =
      compare(model_of(test::cube({0, 0, 0}, 4)), model_of(test::cube({1, 1, 1}, 2)));
  EXPECT_NEAR(d.a_to_b.largest, std::sqrt(3.0), 1e-12);
  EXPECT_NEAR(d.b_to_a.largest, 1, 1e-12);
  EXPECT_NEAR(d.b_to_a.mean, 1, 1e-5);
  EXPECT_NEAR((d.a_to_b.at - d.a_to_b.nearest).norm(), d.a_to_b.largest, 1e-12);
  EXPECT_GT(d.a_to_b.mean, 1);
  EXPECT_LT(d.a_to_b.mean, std::sqrt(3.0));
}

TEST(Deviation, FindsWhatLiesFarthestInsideALargeTriangle) {
  // Two roofs over a flat square: only the ridge, between corners, is far away.
  const Mesh flat =
      test::mesh_of({{0, 0, 0}, {4, 0, 0}, {4, 4, 0}, {0, 4, 0}}, {{0, 1, 2}, {0, 2, 3}});
  const Mesh roof = test::mesh_of({{0, 0, 0}, {4, 0, 0}, {4, 4, 0}, {0, 4, 0}, {2, 2, 0.3}},
                                  {{0, 1, 4}, {1, 2, 4}, {2, 3, 4}, {3, 0, 4}});
  const Deviation d = compare(model_of(roof), model_of(flat), {.accuracy = 1e-4});
  EXPECT_NEAR(d.a_to_b.largest, 0.3, 1e-12);
  // Seen from the flat one it is the distance to the roof's slopes.
  const double slope = 2 * 0.3 / std::hypot(2, 0.3);
  EXPECT_NEAR(d.b_to_a.largest, slope, 1e-4 + d.b_to_a.largest_error);
  EXPECT_LE(d.b_to_a.largest_error, 2e-4);
}

TEST(Deviation, BoundsHoldForRandomShapes) {
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    const Mesh a = random.chance(0.5) ? test::sphere(5) : test::cube({-1, -1, -1}, 2);
    const Mesh b = moved(test::sphere(4 + static_cast<int>(random.index(4))),
                         0.3 * Vector{random.unit(), random.unit(), random.unit()});
    const Deviation d = compare(model_of(a), model_of(b), {.accuracy = 1e-3});
    // Points taken at random never lie farther than the bound, and their mean is near the mean.
    double largest = 0, sum = 0, area = 0;
    for (const Triangle& t : a.triangles) {
      const Point &p = a.point(t[0]), &q = a.point(t[1]), &r = a.point(t[2]);
      const Vector u = q - p, v = r - p;
      const double weight = Vector(u.y() * v.z() - u.z() * v.y(), u.z() * v.x() - u.x() * v.z(),
                                   u.x() * v.y() - u.y() * v.x())
                                .norm();
      for (int i = 0; i < 10; ++i) {
        double s = random.unit(), w = random.unit();
        if (s + w > 1) s = 1 - s, w = 1 - w;
        const Point x = p + s * u + w * v;
        double nearest = HUGE_VAL;
        for (const Triangle& o : b.triangles) {
          nearest = std::min(
              nearest, (closest_point(x, b.point(o[0]), b.point(o[1]), b.point(o[2])) - x).norm());
        }
        largest = std::max(largest, nearest);
        sum += weight * nearest / 10;
      }
      area += weight;
    }
    EXPECT_LE(largest, d.a_to_b.largest + d.a_to_b.largest_error + 1e-12);
    EXPECT_LE(d.a_to_b.largest_error, 2e-3);
    EXPECT_NEAR(sum / area, d.a_to_b.mean, d.a_to_b.mean_error + 0.02);
  }
}

TEST(Deviation, IsTheSameAtAnyScaleThatDoublesHold) {
  const Mesh flat =
      test::mesh_of({{0, 0, 0}, {4, 0, 0}, {4, 4, 0}, {0, 4, 0}}, {{0, 1, 2}, {0, 2, 3}});
  const Mesh roof = test::mesh_of({{0, 0, 0}, {4, 0, 0}, {4, 4, 0}, {0, 4, 0}, {2, 2, 0.3}},
                                  {{0, 1, 4}, {1, 2, 4}, {2, 3, 4}, {3, 0, 4}});
  for (const int power : {-900, -500, -120, 120, 500, 900}) {
    const double scale = std::ldexp(1.0, power);
    Mesh a = roof, b = flat;
    for (Mesh* m : {&a, &b}) {
      for (Point& p : m->points) p *= scale;
    }
    const Deviation d = compare(model_of(a), model_of(b));
    EXPECT_NEAR(d.a_to_b.largest / scale, 0.3, 1e-12) << power;
    EXPECT_NEAR(d.b_to_a.largest / scale, 2 * 0.3 / std::hypot(2, 0.3), 1e-2) << power;
    EXPECT_NEAR((d.a_to_b.at / scale - Point(2, 2, 0.3)).norm(), 0, 1e-12) << power;
  }
}

TEST(Deviation, TellsPatchesApart) {
  Mesh box = test::cube();
  for (std::uint32_t t = 0; t < 12; ++t) box.patch_of.push_back({t / 2});
  Mesh dented = box;
  dented.points.push_back({0.5, 0.5, 1.2});  // a bump on the top: side 1
  erase_if(dented.triangles, [&](const Triangle& t) {
    return dented.point(t[0]).z() + dented.point(t[1]).z() + dented.point(t[2]).z() == 3;
  });
  for (const auto& [i, j] : {std::pair{4u, 5u}, {5u, 7u}, {7u, 6u}, {6u, 4u}}) {
    dented.triangles.push_back({{{i}, {j}, {8}}});
  }
  dented.patch_of.clear();
  const Deviation d = compare(model_of(box), model_of(dented), {.accuracy = 1e-4});
  ASSERT_EQ(d.a_to_b.patches.size(), 6u);
  EXPECT_EQ(d.a_to_b.patches[0].patch, "1");
  EXPECT_GT(d.a_to_b.patches[0].largest, 0.15);
  EXPECT_LE(d.a_to_b.patches[1].largest, 1e-12);
}

TEST(Deviation, IsTheSameForAnyNumberOfThreads) {
  const Model a = model_of(test::sphere(30)), b = model_of(moved(test::sphere(23), {0.1, 0, 0}));
  const Deviation all = compare(a, b);
  const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism, 1);
  const Deviation one = compare(a, b);
  EXPECT_EQ(all.a_to_b.largest, one.a_to_b.largest);
  EXPECT_EQ(all.b_to_a.mean, one.b_to_a.mean);
  EXPECT_EQ(all.a_to_b.at, one.a_to_b.at);
}

TEST(Deviation, NeedsTriangles) {
  EXPECT_THROW(static_cast<void>(compare(model_of(Mesh{}), model_of(test::cube()))), ArgumentError);
  EXPECT_THROW(
      static_cast<void>(compare(model_of(test::cube()), model_of(test::cube()), {.accuracy = 0.0})),
      ArgumentError);
}

}  // namespace deviation_test
}  // namespace aguja
