#include "aguja/surface/surface.h"

#include <cmath>
#include <numbers>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace surface_test {

using test::Random;
constexpr double kPi = std::numbers::pi;

struct Named {
  SurfacePtr surface;
  Interval u, v;
};

SurfacePtr random_patch(Random& random) {
  KnotVector k;
  k.degree = 3;
  k.knots = {0, 0, 0, 0, 0.4, 1, 1, 1, 1};
  std::vector<Point> points;
  std::vector<double> weights;
  for (int i = 0; i < 5; ++i) {
    for (int j = 0; j < 5; ++j) {
      points.emplace_back(i, j, random.between(0, 0.8));
      weights.push_back(random.between(0.7, 1.4));
    }
  }
  return make_spline_surface(k, k, points, random.chance(0.5) ? weights : std::vector<double>());
}

std::vector<Named> surfaces(Random& random) {
  const Frame f = Frame::from(Point(random.unit(), 2, 3), Vector(random.unit(), 1, 1),
                              Vector(1, 0, random.unit()));
  const Interval turn{0, 2 * kPi};
  const CurvePtr profile =
      make_trimmed(make_parabola(Frame::from({3, 0, 0}, {0, 1, 0}, {1, 0, 0}), 0.3), {-1, 1});
  return {{make_plane(f), {-2, 2}, {-2, 2}},
          {make_cylinder(f, 2), turn, {-1, 3}},
          {make_cone(f, 1, 0.4), turn, {-0.5, 3}},
          {make_sphere(f, 2), turn, {-1.4, 1.4}},
          {make_torus(f, 3, 1), turn, turn},
          {random_patch(random), {0, 1}, {0, 1}},
          {make_extrusion(make_circle(f, 1), turn, {0.3, 0.2, 2}, {0, 2}), turn, {0, 2}},
          {make_revolution(profile, {-1, 1}, {0, 0, 0}, {0, 0, 1}), turn, {-1, 1}},
          {make_ruled(make_circle(f, 1), turn, make_circle(Frame::from(f.at(0, 0, 2), f.z, f.x), 2),
                      turn),
           {0, 1},
           {0, 1}},
          {make_offset_surface(make_cylinder(f, 2), 0.5), turn, {-1, 3}},
          {make_offset_surface(random_patch(random), 0.05), {0.05, 0.95}, {0.05, 0.95}}};
}

TEST(Surface, DerivativesAgreeWithDifferences) {
  for (std::uint64_t seed = 1; seed <= 30; ++seed) {
    Random random(seed);
    for (const Named& s : surfaces(random)) {
      SCOPED_TRACE(testing::Message() << "seed " << seed << " " << slug(s.surface->kind()));
      const double hu = 1e-5 * s.u.width(), hv = 1e-5 * s.v.width();
      const double u = s.u.low + s.u.width() * random.between(0.1, 0.9),
                   v = s.v.low + s.v.width() * random.between(0.1, 0.9);
      if (!s.surface->breaks_u({u - 2 * hu, u + 2 * hu}).empty() ||
          !s.surface->breaks_v({v - 2 * hv, v + 2 * hv}).empty())
        continue;
      const SurfacePoint p = s.surface->at(u, v);
      const auto near = [](const Vector& a, const Vector& b, double by) {
        EXPECT_LT((a - b).norm(), by * (1 + b.norm()));
      };
      near(p.du, (s.surface->point(u + hu, v) - s.surface->point(u - hu, v)) / (2 * hu), 1e-5);
      near(p.dv, (s.surface->point(u, v + hv) - s.surface->point(u, v - hv)) / (2 * hv), 1e-5);
      near(p.duu, (s.surface->at(u + hu, v).du - s.surface->at(u - hu, v).du) / (2 * hu), 2e-3);
      near(p.dvv, (s.surface->at(u, v + hv).dv - s.surface->at(u, v - hv).dv) / (2 * hv), 2e-3);
      near(p.duv, (s.surface->at(u, v + hv).du - s.surface->at(u, v - hv).du) / (2 * hv), 2e-3);
    }
  }
}

TEST(Surface, TheFootOfAPointOnItIsThePoint) {
  for (std::uint64_t seed = 1; seed <= 30; ++seed) {
    Random random(seed);
    for (const Named& s : surfaces(random)) {
      SCOPED_TRACE(testing::Message() << "seed " << seed << " " << slug(s.surface->kind()));
      const SurfaceFoot foot(*s.surface);
      const Point p = s.surface->point(s.u.low + s.u.width() * random.unit(),
                                       s.v.low + s.v.width() * random.unit());
      EXPECT_LT((s.surface->point(foot.of(p)) - p).norm(), 1e-6);
      // A point a little off along the normal has the same foot.
      const Parameters uv(s.u.low + s.u.width() * random.between(0.2, 0.8),
                          s.v.low + s.v.width() * random.between(0.2, 0.8));
      const SurfacePoint q = s.surface->at(uv[0], uv[1]);
      EXPECT_LT((s.surface->point(foot.of(q.p + 0.01 * q.normal(), uv)) - q.p).norm(), 1e-5);
    }
  }
}

TEST(Surface, CurvaturesAreThoseOfTheTextbook) {
  EXPECT_NEAR(make_sphere({}, 4)->at(1, 0.3).curvature().largest, 0.25, 1e-7);
  EXPECT_NEAR(make_cylinder({}, 4)->at(1, 0.3).curvature().along_u, 0.25, 1e-12);
  EXPECT_NEAR(make_cylinder({}, 4)->at(1, 0.3).curvature().along_v, 0, 1e-12);
  EXPECT_NEAR(make_torus({}, 3, 1)->at(1, 0).curvature().largest, 1, 1e-7);
  EXPECT_EQ(make_plane({})->at(1, 2).curvature().largest, 0);
}

TEST(Surface, PolesAreKnown) {
  EXPECT_EQ(make_sphere({}, 2)->poles().size(), 2u);
  EXPECT_EQ(make_cone({}, 1, 0.5)->poles().size(), 1u);
  EXPECT_LT((make_cone({}, 1, 0.5)->poles()[0].place - Point(0, 0, -1 / std::tan(0.5))).norm(),
            1e-12);
  EXPECT_TRUE(make_torus({}, 3, 1)->poles().empty());
  EXPECT_EQ(make_torus({}, 1, 2)->poles().size(), 2u);
  // A half circle on the axis, turned.
  const CurvePtr arc = make_trimmed(make_circle(Frame::from({0, 0, 0}, {0, -1, 0}, {1, 0, 0}), 1),
                                    {-kPi / 2, kPi / 2});
  EXPECT_EQ(make_revolution(arc, {-kPi / 2, kPi / 2}, {0, 0, 0}, {0, 0, 1})->poles().size(), 2u);
  // Three sides: one of the four is a point.
  KnotVector k;
  k.degree = 1;
  k.knots = {0, 0, 1, 1};
  const auto triangle = make_spline_surface(k, k, {{0, 0, 0}, {0, 0, 0}, {1, 0, 0}, {0, 1, 0}});
  ASSERT_EQ(triangle->poles().size(), 1u);
  EXPECT_TRUE(triangle->poles()[0].at_u);
}

TEST(Surface, WrongSplinesAreRefused) {
  KnotVector k;
  k.degree = 1;
  k.knots = {0, 0, 1, 1};
  EXPECT_THROW(static_cast<void>(make_spline_surface(k, k, {{0, 0, 0}})), ArgumentError);
  EXPECT_THROW(static_cast<void>(
                   make_spline_surface(k, k, std::vector<Point>(4, Point::Zero()), {1, 1, 1, -1})),
               ArgumentError);
  k.knots = {0, 1, 0, 1};
  EXPECT_THROW(static_cast<void>(make_spline_surface(k, k, std::vector<Point>(4, Point::Zero()))),
               ArgumentError);
}

// Turns that are not whole ones, parts of surfaces, and straight lines without an end: `u` and `v`
// are what is used of them.
std::vector<Named> partial_surfaces(Random& random) {
  const Frame f = Frame::from(Point(random.unit(), 2, 3), Vector(random.unit(), 1, 1),
                              Vector(1, 0, random.unit()));
  const double from = random.between(-4, 4);
  const Interval turn{from, from + random.between(0.3, 6)};
  const CurvePtr profile =
      make_trimmed(make_parabola(Frame::from({3, 0, 0}, {0, 1, 0}, {1, 0, 0}), 0.3), {-1, 1});
  const Interval endless{-std::numeric_limits<double>::infinity(),
                         std::numeric_limits<double>::infinity()};
  const double start = random.between(-3, 3);
  const Interval along{start, start + random.between(0.5, 4)};
  const CurvePtr beside = make_line({2, 0, 0}, {random.between(-0.1, 0.1), 0, 1});
  const CurvePtr skew = make_line({2, 0, 0}, {random.between(-0.1, 0.1), 0.4, 1});
  const Point origin(0, 0, 0);
  const Vector axis(0, 0, 1);
  // A disc that bulges slightly: of a large circle on both sides of the axis a little is used.
  const CurvePtr circle =
      make_circle(Frame::from({random.between(-30, 30), 0, 300}, {0, 1, 0}, {0, 0, -1}), 300);
  const Interval whole{from, from + 2 * kPi}, little{0.002, 0.01};
  return {{make_revolution(circle, {0, 2 * kPi}, origin, axis, whole), whole, little},
          {make_revolution(profile, {-1, 1}, origin, axis, turn), turn, {-1, 1}},
          {make_revolution(beside, along, origin, axis, turn), turn, along},
          {make_revolution(make_trimmed(beside, along), along, origin, axis, turn), turn, along},
          {make_revolution(beside, endless, origin, axis, turn), turn, along},
          {make_revolution(skew, endless, origin, axis, turn), turn, along},
          {make_revolution(skew, along, origin, axis, turn), turn, along},
          {make_trimmed_surface(make_cylinder(f, 2), turn, along), turn, along},
          {make_trimmed_surface(make_sphere(f, 2), turn, {-1, 0.5}), turn, {-1, 0.5}},
          {make_trimmed_surface(make_torus(f, 3, 1), turn, {from + 1, from + 3}),
           turn,
           {from + 1, from + 3}},
          {make_trimmed_surface(make_plane(f), {-1, 2}, along), {-1, 2}, along},
          {make_extrusion(make_circle(f, 1), turn, {0.3, 0.2, 2}, along), turn, along},
          {make_extrusion(beside, along, {1, 0.2, 0}, endless), along, {-1, 1}},
          {make_extrusion(beside, endless, {1, 0.2, 0}, along), {-1, 1}, along},
          {make_offset_surface(make_revolution(beside, endless, origin, axis, turn), 0.2), turn,
           along}};
}

TEST(Surface, FeetOnPartsOfSurfacesLieInTheirDomain) {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    Random random(seed);
    std::size_t number = 0;
    for (const Named& s : partial_surfaces(random)) {
      SCOPED_TRACE(testing::Message() << "seed " << seed << ", surface " << number++);
      const SurfaceFoot foot(*s.surface);
      const Interval du = s.surface->domain_u(), dv = s.surface->domain_v();
      for (int i = 0; i < 8; ++i) {
        // Corners and borders, and in between.
        const double u = s.u.low + s.u.width() * (i % 4 == 0   ? 0.0
                                                  : i % 4 == 1 ? 1.0
                                                               : random.unit());
        const double v = s.v.low + s.v.width() * (i < 2 ? 0.0 : i < 4 ? 1.0 : random.unit());
        const Point p = s.surface->point(u, v);
        // A hair off, as edges are.
        const Point seen = i < 4 ? p : Point(p + 1e-9 * Vector(random.unit(), random.unit(), 1));
        const Parameters uv = foot.of(seen);
        EXPECT_GE(uv[0], du.low);
        EXPECT_LE(uv[0], du.high);
        EXPECT_GE(uv[1], dv.low);
        EXPECT_LE(uv[1], dv.high);
        EXPECT_LT((s.surface->point(uv) - seen).norm(), 1e-7);
        if (HasFailure()) return;
      }
    }
  }
}

}  // namespace surface_test
}  // namespace aguja
