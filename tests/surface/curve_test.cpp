#include "aguja/surface/curve.h"

#include <cmath>
#include <numbers>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace curve_test {

using test::Random;
constexpr double kPi = std::numbers::pi;

Frame any_frame(Random& random) {
  return Frame::from(Point{random.unit(), random.unit(), 3},
                     Vector{random.unit() - 0.5, random.unit(), 1}, Vector(1, random.unit(), 0));
}

// A circle of radius r in quarters, as a rational spline.
CurvePtr rational_circle(double r) {
  KnotVector k;
  k.degree = 2;
  k.knots = {0, 0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 4};
  const double w = std::sqrt(0.5);
  return make_spline(k,
                     {{r, 0, 0},
                      {r, r, 0},
                      {0, r, 0},
                      {-r, r, 0},
                      {-r, 0, 0},
                      {-r, -r, 0},
                      {0, -r, 0},
                      {r, -r, 0},
                      {r, 0, 0}},
                     {1, w, 1, w, 1, w, 1, w, 1});
}

CurvePtr random_spline(Random& random) {
  KnotVector k;
  k.degree = 1 + static_cast<int>(random.index(5));
  const std::size_t n = static_cast<std::size_t>(k.degree) + 1 + random.index(6);
  double t = 0;
  for (std::size_t i = 0; i < n + static_cast<std::size_t>(k.degree) + 1; ++i) {
    const bool end = i <= static_cast<std::size_t>(k.degree) || i >= n;
    if (i > 0 && (!end || i == n)) t += random.between(0.2, 1);
    k.knots.push_back(t);
  }
  std::vector<Point> points;
  std::vector<double> weights;
  for (std::size_t i = 0; i < n; ++i) {
    points.emplace_back(random.unit(), random.unit(), random.unit());
    weights.push_back(random.between(0.5, 2));
  }
  return make_spline(k, points, random.chance(0.5) ? weights : std::vector<double>());
}

std::vector<std::pair<CurvePtr, Interval>> curves(Random& random) {
  const Frame f = any_frame(random);
  std::vector<std::pair<CurvePtr, Interval>> all = {
      {make_line(f.origin, 3 * f.x), {-2, 2}},
      {make_circle(f, 2), {0, 2 * kPi}},
      {make_ellipse(f, 3, 1), {0, 2 * kPi}},
      {make_parabola(f, 0.7), {-2, 2}},
      {make_hyperbola(f, 1, 0.5), {-1.5, 1.5}},
      {make_offset_curve(make_circle(f, 2), 0.5, f.z), {0.1, 6}}};
  const CurvePtr s = random_spline(random);
  all.emplace_back(s, s->domain());
  return all;
}

TEST(Curve, DerivativesAgreeWithDifferences) {
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    Random random(seed);
    for (const auto& [curve, range] : curves(random)) {
      SCOPED_TRACE(testing::Message() << "seed " << seed << " " << slug(curve->kind()));
      const double t = range.low + range.width() * random.between(0.1, 0.9),
                   h = 1e-5 * range.width();
      // Not across a knot, where the second derivative may jump.
      if (!curve->breaks({t - 2 * h, t + 2 * h}).empty()) continue;
      const CurvePoint c = curve->at(t);
      const Vector d1 = (curve->point(t + h) - curve->point(t - h)) / (2 * h);
      EXPECT_LT((c.d1 - d1).norm(), 1e-5 * (1 + d1.norm()));
      const Vector d2 = (curve->at(t + h).d1 - curve->at(t - h).d1) / (2 * h);
      EXPECT_LT((c.d2 - d2).norm(), 1e-3 * (1 + d2.norm()));
    }
  }
}

TEST(Curve, TheNearestParameterIsThatOfThePointItself) {
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    Random random(seed);
    for (const auto& [curve, range] : curves(random)) {
      SCOPED_TRACE(testing::Message() << "seed " << seed << " " << slug(curve->kind()));
      const double t = range.low + range.width() * random.unit();
      const Point p = curve->point(t);
      EXPECT_LT((curve->point(nearest_parameter(*curve, range, p)) - p).norm(), 1e-7);
    }
  }
}

TEST(Curve, ARationalSplineIsACircleExactly) {
  const CurvePtr c = rational_circle(3);
  EXPECT_GT(c->period(), 0);
  for (int i = 0; i <= 100; ++i) EXPECT_NEAR(c->point(0.04 * i).norm(), 3, 1e-14);
  // Past its end a closed curve goes round.
  EXPECT_LT((c->point(4.5) - c->point(0.5)).norm(), 1e-14);
}

TEST(Curve, KnotsThatAreNoneAreRefused) {
  const std::vector<Point> p = {{0, 0, 0}, {1, 0, 0}, {2, 1, 0}};
  const auto make = [&](int degree, std::vector<double> knots, std::vector<double> weights = {}) {
    KnotVector k;
    k.degree = degree;
    k.knots = std::move(knots);
    return make_spline(k, p, std::move(weights));
  };
  EXPECT_NO_THROW(make(2, {0, 0, 0, 1, 1, 1}));
  EXPECT_THROW(make(2, {0, 0, 0, 1, 1}), ArgumentError);
  EXPECT_THROW(make(2, {0, 0, 1, 0, 1, 1}), ArgumentError);
  EXPECT_THROW(make(2, {0, 0, 0, 0, 0, 0}), ArgumentError);
  EXPECT_THROW(make(3, {0, 0, 0, 0, 1, 1, 1}), ArgumentError);
  EXPECT_THROW(make(0, {0, 0, 1, 1}), ArgumentError);
  EXPECT_THROW(make(99, {0, 1}), ArgumentError);
  EXPECT_THROW(make(2, {0, 0, 0, 1, 1, std::nan("")}), ArgumentError);
  EXPECT_THROW(make(2, {0, 0, 0, 1, 1, 1}, {1, 0, 1}), ArgumentError);
  EXPECT_THROW(static_cast<void>(make_polyline({{0, 0, 0}})), ArgumentError);
  EXPECT_THROW(static_cast<void>(make_composite({})), ArgumentError);
}

TEST(DivideCurve, KeepsChordAngleAndLength) {
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    Random random(seed);
    for (const auto& [curve, range] : curves(random)) {
      SCOPED_TRACE(testing::Message() << "seed " << seed << " " << slug(curve->kind()));
      const double chord = std::pow(10, random.between(-4, -1)), angle = random.between(0.1, 1),
                   longest = random.chance(0.5) ? 0.3 : 0;
      const std::vector<double> at = divide_curve(*curve, range, chord, angle, longest);
      ASSERT_EQ(at.front(), range.low);
      ASSERT_EQ(at.back(), range.high);
      for (std::size_t i = 0; i + 1 < at.size(); ++i) {
        ASSERT_LT(at[i], at[i + 1]);
        const Point a = curve->point(at[i]), b = curve->point(at[i + 1]);
        if (longest > 0) {
          EXPECT_LE((b - a).norm(), longest * (1 + 1e-12));
        }
        for (int k = 1; k < 8; ++k) {
          const Point p = curve->point(at[i] + (at[i + 1] - at[i]) * k / 8);
          const Vector d = b - a;
          const double s =
              d.squaredNorm() > 0 ? std::clamp((p - a).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0;
          EXPECT_LE((p - a - s * d).norm(), 1.3 * chord);
        }
      }
    }
  }
}

TEST(DivideCurve, EndsEvenWhereThereIsNothingToDivide) {
  const CurvePtr c = make_circle({}, 1);
  EXPECT_EQ(divide_curve(*c, {1, 1}, 1e-3, 0.1).size(), 2u);
  EXPECT_EQ(divide_curve(*c, {1, 1 + 1e-16}, 1e-3, 0.1).size(), 2u);
  EXPECT_LT(divide_curve(*c, {1e9, 1e9 + 1e-6}, 1e-30, 1e-30).size(), 5000000u);
}

TEST(Effort, WhatDoublesWithEveryLevelIsRefusedBeforeItCosts) {
  const CurvePtr line = make_trimmed(make_line({0, 0, 0}, {1, 0, 0}), {0, 1});
  CurvePtr curve = line;
  double pieces = 1;
  const auto twice = [&] {
    const CurveSegment one{curve, curve->domain(), true};
    return make_composite({one, one});
  };
  while (2 * pieces <= kMostPieces) {
    curve = twice();
    pieces *= 2;
    EXPECT_EQ(curve->effort().pieces, pieces);
  }
  EXPECT_THROW(static_cast<void>(twice()), ArgumentError);
  // Each offset takes three places of what it is an offset of.
  curve = line;
  double evaluations = 1;
  while (3 * evaluations <= kMostEvaluations) {
    curve = make_offset_curve(curve, 0.1, {0, 0, 1});
    evaluations *= 3;
    EXPECT_EQ(curve->effort().evaluations, evaluations);
  }
  EXPECT_THROW(static_cast<void>(make_offset_curve(curve, 0.1, {0, 0, 1})), ArgumentError);
}

}  // namespace curve_test
}  // namespace aguja
