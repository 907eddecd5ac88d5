#include "aguja/solid/mass_properties.h"

#include <numeric>

#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

#include "aguja/model/transform.h"
#include "aguja/solid/measure.h"
#include "demo/garza.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace mass_properties_test {

MassProperties properties(const Mesh& mesh) { return measure_parts(test::model_of(mesh))[0].mass; }

TEST(MassProperties, OfABoxAreThoseOfTheTextbook) {
  const Point low(1, 2, 3);
  Mesh mesh = test::cube({0, 0, 0});
  for (Point& p : mesh.points) p = low + p.cwiseProduct(Point(2, 3, 5));
  const MassProperties m = properties(mesh);
  EXPECT_NEAR(m.volume, 30, 1e-12);
  EXPECT_NEAR(m.area, 62, 1e-12);
  EXPECT_NEAR((m.centroid - Point(2, 3.5, 5.5)).norm(), 0, 1e-12);
  EXPECT_NEAR(m.inertia(0, 0), 30.0 / 12 * (9 + 25), 1e-11);
  EXPECT_NEAR(m.inertia(1, 1), 30.0 / 12 * (4 + 25), 1e-11);
  EXPECT_NEAR(m.inertia(2, 2), 30.0 / 12 * (4 + 9), 1e-11);
  EXPECT_NEAR(m.inertia(0, 1), 0, 1e-11);
}

TEST(MassProperties, ProductsOfInertiaCarryAMinusSign) {
  // Most of this tetrahedron lies where x and y grow together... or not: compare with the integral
  // over a fine sum of small boxes.
  const Mesh mesh = test::mesh_of({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}},
                                  {{0, 2, 1}, {0, 1, 3}, {0, 3, 2}, {1, 2, 3}});
  const MassProperties m = properties(mesh);
  EXPECT_NEAR(m.volume, 1.0 / 6, 1e-15);
  // Integral of x y over the corner tetrahedron is 1/120; about the centroid: less V/16.
  EXPECT_NEAR(m.inertia(0, 1), -(1.0 / 120 - 1.0 / 96), 1e-15);
  EXPECT_NEAR(m.inertia(0, 0), 2 * (1.0 / 60 - 1.0 / 96), 1e-15);
}

TEST(MassProperties, DoNotSufferFarFromTheOrigin) {
  const MassProperties near = properties(test::sphere(12));
  const MassProperties far = properties(test::sphere(12, 1.0, {1e6, -1e6, 1e6}));
  // The points themselves are rounded to about 1e-10 out there.
  EXPECT_NEAR(far.volume, near.volume, 1e-8);
  EXPECT_NEAR(far.inertia(0, 0), near.inertia(0, 0), 1e-8);
}

TEST(MassProperties, ScaleByPowersOfTwoExactly) {
  const MassProperties one = properties(test::sphere(9));
  for (const int exponent : {-300, -40, 40, 200}) {
    const double s = std::ldexp(1.0, exponent);
    Mesh mesh = test::sphere(9);
    for (Point& p : mesh.points) p *= s;
    const MassProperties scaled = properties(mesh);
    EXPECT_EQ(scaled.area, std::ldexp(one.area, 2 * exponent));
    EXPECT_EQ(scaled.volume, std::ldexp(one.volume, 3 * exponent));
  }
}

TEST(MassProperties, AreTheSameBitsForAnyNumberOfThreads) {
  const Mesh mesh = test::sphere(120);
  const auto bits = [&](std::size_t threads) {
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                            threads);
    const MassProperties m = properties(mesh);
    return std::array{m.volume, m.area, m.centroid.x(), m.inertia(0, 0), m.inertia(1, 2)};
  };
  EXPECT_EQ(bits(1), bits(2));
  EXPECT_EQ(bits(1), bits(6));
}

TEST(MassProperties, OfThePodAgreeWithItsClosedForm) {
  for (const int segments : {32, 96, 200}) {
    const demo::KnownPart pod = demo::make_pod({.segments = segments});
    EXPECT_NEAR(properties(pod.part.mesh()).volume, pod.volume, 1e-10 * pod.volume);
  }
  for (const demo::KnownPart& known : {demo::make_ballast_ring(), demo::make_lid()}) {
    EXPECT_NEAR(properties(known.part.mesh()).volume, known.volume, 1e-10 * known.volume);
  }
}

TEST(VolumeSign, IsExactWhereSumsAreNot) {
  // A flat double sheet encloses exactly nothing; lifting one corner by one ulp of a large number
  // makes it enclose something.
  Mesh sheet =
      test::mesh_of({{1e8, 0.1, 0.7}, {1e8 + 1, 0.3, 0.7}, {1e8, 1.1, 0.7}, {1e8, 1.1, 0.7}},
                    {{0, 1, 2}, {0, 3, 1}, {0, 2, 3}, {1, 3, 2}});
  const auto sign = [](const Mesh& mesh) {
    std::vector<TriangleId> all(mesh.triangles.size());
    for (std::uint32_t i = 0; i < all.size(); ++i) all[i] = {i};
    // Welding would merge the two corners: the signs are asked of the points as they are.
    Mesh copy = mesh;
    copy.points_are_distinct = true;
    const Welded welded(copy);
    const MassSums sums = mass_sums(welded, all, box_of(welded, all));
    return volume_sign(welded, all, sums);
  };
  EXPECT_EQ(sign(sheet), 0);
  sheet.points[3].z() = std::nextafter(0.7, 1.0);
  const int lifted = sign(sheet);
  EXPECT_NE(lifted, 0);
  sheet.points[3].z() = std::nextafter(0.7, 0.0);
  EXPECT_EQ(sign(sheet), -lifted);
  EXPECT_EQ(sign(test::sphere(5)), 1);
  EXPECT_EQ(sign(test::turned(test::sphere(5))), -1);
}

TEST(Combine, AddsBodiesAboutTheirCommonCentroid) {
  const Mesh left = test::cube(), right = test::cube({4, 0, 0});
  const MassProperties both = properties(test::joined(left, right));
  EXPECT_NEAR(both.volume, 2, 1e-14);
  EXPECT_NEAR((both.centroid - Point(2.5, 0.5, 0.5)).norm(), 0, 1e-14);
  EXPECT_NEAR(both.inertia(0, 0), 2.0 / 6, 1e-13);
  EXPECT_NEAR(both.inertia(2, 2), 2.0 / 6 + 2 * 4, 1e-13);
}

}  // namespace mass_properties_test
}  // namespace aguja
