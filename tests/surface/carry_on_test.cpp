#include "aguja/surface/carry_on.h"

#include <cmath>
#include <limits>
#include <numbers>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace carry_on_test {

using test::Random;
constexpr double kPi = std::numbers::pi;

KnotVector random_knots(Random& random, int degree, std::size_t spans) {
  KnotVector k;
  k.degree = degree;
  double t = random.between(-2, 2);
  k.knots.assign(static_cast<std::size_t>(degree) + 1, t);
  for (std::size_t i = 1; i < spans; ++i) {
    t += random.between(0.3, 1);
    k.knots.insert(k.knots.end(), 1 + random.index(static_cast<std::size_t>(degree)), t);
  }
  t += random.between(0.3, 1);
  k.knots.insert(k.knots.end(), static_cast<std::size_t>(degree) + 1, t);
  // Some are not clamped.
  if (random.chance(0.3)) {
    for (std::size_t i = 0; i < static_cast<std::size_t>(degree); ++i) {
      k.knots[i] -= 0.3 * static_cast<double>(static_cast<std::size_t>(degree) - i);
      k.knots[k.knots.size() - 1 - i] +=
          0.2 * static_cast<double>(static_cast<std::size_t>(degree) - i);
    }
  }
  return k;
}

Point random_point(Random& random) {
  return {random.between(-1, 1), random.between(-1, 1), random.between(-1, 1)};
}

TEST(CarryOn, SplineCurvesStayWhatTheyAreAndGoOnAsTheirEndSpans) {
  std::size_t beyond = 0, rational = 0;
  for (std::uint64_t seed = 1; seed <= 300; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    const KnotVector knots =
        random_knots(random, 1 + static_cast<int>(random.index(5)), 1 + random.index(4));
    std::vector<Point> points;
    std::vector<double> weights;
    // Not too wild, else it folds at once.
    for (std::size_t i = 0; i < knots.control_count(); ++i) {
      points.push_back(Point(static_cast<double>(i), 0, 0) + 0.3 * random_point(random));
      if (seed % 2 == 0) weights.push_back(random.between(0.8, 1.25));
    }
    const CurvePtr curve = make_spline(knots, points, weights);
    const Interval d = curve->domain();
    const double reach = random.between(0.05, 0.6);
    const CarriedCurve on = carried_on(curve, d, reach);
    for (int i = 0; i <= 50; ++i) {
      const double t = d.low + d.width() * i / 50;
      ASSERT_LE((on.curve->point(t) - curve->point(t)).norm(), 1e-11);
    }
    // As the derivatives at the end say, to the second order; and all along as its polynomial,
    // which is told by more places of its end span than its degree.
    for (const bool high : {false, true}) {
      const double end = high ? d.high : d.low,
                   out = high ? on.range.high - d.high : on.range.low - d.low;
      const double length = high ? on.beyond_high : on.beyond_low;
      ASSERT_LE(length, reach * (1 + 1e-12));
      if (length < 0.5 * reach) continue;
      const CurvePoint at = curve->at(end);
      const double h = 1e-3 * out;
      const Point want = at.p + h * at.d1 + 0.5 * h * h * at.d2;
      EXPECT_LE((on.curve->point(end + h) - want).norm(), 1e-6);
      const std::vector<double> inner = knots.inner(d);
      const double other =
          high ? (inner.empty() ? d.low : inner.back()) : (inner.empty() ? d.high : inner.front());
      if (weights.empty()) {
        // Lagrange through places of the span.
        const int n = knots.degree + 1;
        std::vector<double> at_t;
        for (int i = 0; i < n; ++i) at_t.push_back(end + (other - end) * i / n);
        const double t = end + 0.7 * out;
        Point sum = Point::Zero();
        for (int i = 0; i < n; ++i) {
          double w = 1;
          for (int j = 0; j < n; ++j) {
            if (j != i) w *= (t - at_t[j]) / (at_t[i] - at_t[j]);
          }
          sum += w * curve->point(at_t[i]);
        }
        EXPECT_LE((on.curve->point(t) - sum).norm(), 1e-7);
      }
      ++beyond;
      rational += static_cast<std::size_t>(!weights.empty());
    }
  }
  EXPECT_GT(beyond, 300u);
  EXPECT_GT(rational, 100u);
}

// A quarter of a cylinder as a rational spline.
SurfacePtr quarter(double radius, double height) {
  KnotVector u, v;
  u.degree = 2;
  u.knots = {0, 0, 0, 1, 1, 1};
  v.degree = 1;
  v.knots = {0, 0, 2, 2};
  const double w = std::sqrt(0.5);
  return make_spline_surface(u, v,
                             {{radius, 0, 0},
                              {radius, 0, height},
                              {radius, radius, 0},
                              {radius, radius, height},
                              {0, radius, 0},
                              {0, radius, height}},
                             {1, 1, w, w, 1, 1});
}

TEST(CarryOn, ASplineThatIsACylinderStaysOne) {
  for (const double radius : {1.0, 7.0}) {
    const SurfacePtr surface = quarter(radius, 3);
    const CarriedSurface on = carried_on(surface, 0.4 * radius);
    const Interval u = on.surface->domain_u(), v = on.surface->domain_v();
    for (int i = 0; i <= 20; ++i) {
      for (int j = 0; j <= 20; ++j) {
        const Point p = on.surface->point(u.low + u.width() * i / 20, v.low + v.width() * j / 20);
        EXPECT_NEAR(std::hypot(p.x(), p.y()), radius, 1e-12 * radius);
      }
    }
    for (const auto& side : on.sides) EXPECT_NEAR(side.beyond, 0.4 * radius, 0.01 * radius);
    EXPECT_NEAR(on.surface->point(u.low, v.low).z(), -0.4 * radius, 1e-9 + 0.05 * radius);
    for (int i = 0; i <= 10; ++i) {
      EXPECT_LE((on.surface->point(i / 10.0, 0.2 * i) - surface->point(i / 10.0, 0.2 * i)).norm(),
                1e-12 * radius);
    }
  }
}

TEST(CarryOn, SplineSurfacesStayWhatTheyAre) {
  std::size_t sides = 0;
  for (std::uint64_t seed = 1; seed <= 120; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    const KnotVector u =
        random_knots(random, 1 + static_cast<int>(random.index(4)), 1 + random.index(3));
    const KnotVector v =
        random_knots(random, 1 + static_cast<int>(random.index(4)), 1 + random.index(3));
    std::vector<Point> points;
    std::vector<double> weights;
    for (std::size_t i = 0; i < u.control_count(); ++i) {
      for (std::size_t j = 0; j < v.control_count(); ++j) {
        points.push_back(Point(static_cast<double>(i), static_cast<double>(j), 0) +
                         0.2 * random_point(random));
        if (seed % 3 == 0) weights.push_back(random.between(0.9, 1.1));
      }
    }
    const SurfacePtr surface = make_spline_surface(u, v, points, weights);
    const double reach = random.between(0.05, 0.5);
    const CarriedSurface on = carried_on(surface, reach);
    const Interval du = surface->domain_u(), dv = surface->domain_v();
    for (int i = 0; i <= 12; ++i) {
      for (int j = 0; j <= 12; ++j) {
        const double a = du.low + du.width() * i / 12, b = dv.low + dv.width() * j / 12;
        ASSERT_LE((on.surface->point(a, b) - surface->point(a, b)).norm(), 1e-10);
      }
    }
    for (const auto& side : on.sides) {
      ASSERT_LE(side.beyond, reach * (1 + 1e-12));
      const double end =
          side.at_u ? (side.is_high ? du.high : du.low) : (side.is_high ? dv.high : dv.low);
      const double far =
          side.at_u ? (side.is_high ? on.surface->domain_u().high : on.surface->domain_u().low)
                    : (side.is_high ? on.surface->domain_v().high : on.surface->domain_v().low);
      // As long as it says, wherever one looks.
      for (int i = 0; i <= 8; ++i) {
        const double w = side.at_u ? dv.low + dv.width() * i / 8 : du.low + du.width() * i / 8;
        double length = 0;
        for (int k = 0; k < 64; ++k) {
          const auto at = [&](double t) {
            return side.at_u ? on.surface->point(t, w) : on.surface->point(w, t);
          };
          length += (at(end + (far - end) * (k + 1) / 64) - at(end + (far - end) * k / 64)).norm();
        }
        ASSERT_GE(length, side.beyond * (1 - 1e-9));
        sides += static_cast<std::size_t>(side.beyond > 0);
      }
    }
  }
  EXPECT_GT(sides, 2000u);
}

TEST(CarryOn, WhatIsSweptTrimmedOrOffsetGoesOnByWhatItIsMadeOf) {
  const Frame frame;
  const SurfacePtr tube = make_cylinder(frame, 2);
  const SurfacePtr part = make_trimmed_surface(tube, {0.2, 1.2}, {0, 5});
  const CarriedSurface on = carried_on(part, 0.5);
  EXPECT_NEAR(on.surface->domain_u().low, 0.2 - 0.25, 0.02);
  EXPECT_NEAR(on.surface->domain_v().high, 5.5, 1e-3);
  EXPECT_NEAR(std::hypot(on.surface->point(-0.04, 5.4).x(), on.surface->point(-0.04, 5.4).y()), 2,
              1e-12);
  // Around to itself and no farther.
  const CarriedSurface around = carried_on(part, 100);
  EXPECT_NEAR(around.surface->domain_u().width(), 2 * kPi, 1e-9);
  EXPECT_LT(around.sides[0].beyond, 100);

  const CurvePtr arc = make_circle(frame, 3);
  const CarriedSurface wall = carried_on(make_extrusion(arc, {0, 1}, {0, 0, 2}, {0, 1}), 1);
  EXPECT_NEAR(wall.surface->domain_v().low, -0.5, 1e-12);
  EXPECT_NEAR(wall.surface->domain_u().high, 1 + 1.0 / 3, 0.02);
  EXPECT_NEAR(wall.surface->point(1.3, -0.4).head<2>().norm(), 3, 1e-12);

  // A cone made of a line stops at its tip.
  const CarriedSurface tip = carried_on(
      make_revolution(make_line({2, 0, 0}, {-1, 0, 1}), {0, 1}, {0, 0, 0}, {0, 0, 1}, {0, 1}), 5);
  EXPECT_LE(tip.surface->domain_v().high, 2);
  EXPECT_GT(tip.surface->domain_v().high, 1.5);
  EXPECT_NEAR(tip.sides[2].beyond, 5, 1e-6);

  const CarriedSurface skin = carried_on(make_offset_surface(quarter(4, 3), 1), 0.5);
  const Point p = skin.surface->point(skin.surface->domain_u().high, 1);
  EXPECT_NEAR(p.head<2>().norm(), 5, 1e-9) << "the normal points away from the axis";

  Placement shift;
  shift.shift = Vector(0, 0, 10);
  const CarriedSurface moved = carried_on(make_moved(quarter(4, 3), shift), 0.5);
  EXPECT_NEAR(moved.surface->point(0, moved.surface->domain_v().low).z(), 9.5, 0.05);

  const CarriedSurface ruled = carried_on(make_ruled(make_line({0, 0, 0}, {1, 0, 0}), {0, 2},
                                                     make_line({0, 1, 0}, {1, 0, 0.5}), {0, 2}),
                                          0.5);
  EXPECT_LE(ruled.surface->domain_u().low, -0.2);
  EXPECT_LE(ruled.surface->domain_v().low, -0.4);
  for (const auto& side : ruled.sides) EXPECT_GT(side.beyond, 0.4);

  const CarriedSurface whole = carried_on(make_sphere(frame, 1), 1);
  EXPECT_EQ(whole.surface->domain_v().high, kPi / 2);
  EXPECT_THROW(static_cast<void>(carried_on(part, -1)), ArgumentError);
  EXPECT_THROW(static_cast<void>(carried_on(arc, {0, std::numeric_limits<double>::infinity()}, 1)),
               ArgumentError);
}

TEST(CarryOn, StopsBeforeItFolds) {
  // A strip that turns back on itself beyond its end.
  KnotVector u, v;
  u.degree = 3;
  u.knots = {0, 0, 0, 0, 1, 1, 1, 1};
  v.degree = 1;
  v.knots = {0, 0, 1, 1};
  std::vector<Point> points;
  for (const Point& p : {Point(0, 0, 0), Point(2, 0, 0), Point(3, 0, 0.5), Point(3, 0, 1.2)}) {
    points.push_back(p);
    points.push_back(p + Vector(0, 1, 0));
  }
  const CarriedSurface on = carried_on(make_spline_surface(u, v, points), 50);
  const double high = on.surface->domain_u().high;
  EXPECT_GT(high, 1);
  const Vector n = on.surface->at(1, 0.5).normal();
  for (int i = 0; i <= 40; ++i) {
    EXPECT_GT(on.surface->at(1 + (high - 1) * i / 40, 0.5).normal().dot(n), 0);
  }
  EXPECT_LT(on.sides[1].beyond, 50);
}

TEST(CarryOn, LinesAndPolylinesGoStraightOn) {
  const CurvePtr lines = make_polyline({{0, 0, 0}, {1, 0, 0}, {1, 2, 0}});
  const CarriedCurve on = carried_on(lines, lines->domain(), 0.5);
  EXPECT_EQ(on.curve->point(on.range.low), Point(-0.5, 0, 0));
  EXPECT_LE((on.curve->point(on.range.high) - Point(1, 2.5, 0)).norm(), 1e-15);
  EXPECT_EQ(on.curve->point(1.5), lines->point(1.5));
  const CarriedCurve line = carried_on(make_line({0, 0, 0}, {2, 0, 0}), {0, 1}, 3);
  EXPECT_NEAR(line.range.low, -1.5, 1e-12);
  EXPECT_NEAR(line.beyond_high, 3, 1e-12);
}

TEST(SurfaceData, SaysWhatASurfaceIsMadeOf) {
  const Frame frame = Frame::from({1, 2, 3}, {0, 1, 1}, {1, 0, 0});
  EXPECT_EQ(make_cylinder(frame, 4)->as<ConeData>()->radius, 4);
  EXPECT_EQ(make_cylinder(frame, 4)->as<ConeData>()->half_angle, 0);
  EXPECT_EQ(make_cone(frame, 4, 0.3)->as<ConeData>()->half_angle, 0.3);
  EXPECT_EQ(make_plane(frame)->as<PlaneData>()->frame.origin, Point(1, 2, 3));
  EXPECT_EQ(make_plane(frame)->as<TorusData>(), nullptr);
  EXPECT_EQ(make_torus(frame, 3, 1)->as<TorusData>()->minor, 1);
  EXPECT_EQ(quarter(2, 1)->as<SplineSurfaceData>()->u.degree, 2);
  EXPECT_EQ(quarter(2, 1)->as<SplineSurfaceData>()->weights.size(), 6u);
  const CurvePtr arc = make_circle(frame, 5);
  EXPECT_EQ(arc->as<EllipseData>()->a, 5);
  EXPECT_EQ(make_trimmed(arc, {0, 1})->as<TrimmedCurveData>()->curve, arc);
  const SurfacePtr wall = make_extrusion(arc, {0, 1}, {0, 0, 1}, {0, 2});
  EXPECT_EQ(wall->as<ExtrusionData>()->curve, arc);
  EXPECT_EQ(make_offset_surface(wall, 0.5)->as<OffsetSurfaceData>()->surface, wall);
  EXPECT_EQ(make_revolution(arc, {0, 1}, {9, 0, 0}, {0, 0, 2})->as<RevolutionData>()->axis.norm(),
            1);
  EXPECT_EQ(make_curve_on_surface(wall, make_line({0, 0, 0}, {1, 0, 0}))
                ->as<CurveOnSurfaceData>()
                ->surface,
            wall);
}

}  // namespace carry_on_test
}  // namespace aguja
