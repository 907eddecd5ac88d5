// Curves in which surfaces meet, against places found by bisection on one of them.

#include "aguja/surface/intersection.h"

#include <cmath>
#include <numbers>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/geometry/primitive.h"
#include "surface/fit_curve.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace intersection_test {

using test::Random;

// One after another, so that cases do not depend on the compiler.
Vector direction(Random& r) {
  const double x = r.between(-1, 1), y = r.between(-1, 1), z = r.between(-1, 1);
  return Vector(x, y, z + 1e-3).normalized();
}
Point point_near(Random& r, double reach) {
  const double x = r.between(-reach, reach), y = r.between(-reach, reach),
               z = r.between(-reach, reach);
  return {x, y, z};
}

// A surface with its signed distance in closed form.
struct Known {
  SurfacePtr surface;
  Primitive primitive;
};
constexpr int kKinds = 5;
Known any_known(Random& r, int kind, const Point& origin, const Vector& axis) {
  Known k;
  const Frame frame = Frame::from(origin, axis, direction(r));
  k.primitive.kind = static_cast<PrimitiveKind>(kind);
  k.primitive.origin = origin;
  k.primitive.axis = frame.z;
  switch (k.primitive.kind) {
    case PrimitiveKind::plane:
      k.surface = make_plane(frame);
      break;
    case PrimitiveKind::cylinder:
      k.primitive.radius = r.between(0.5, 2);
      k.surface = make_cylinder(frame, k.primitive.radius);
      break;
    case PrimitiveKind::cone:
      k.primitive.second = r.between(0.2, 0.8);
      k.surface = make_cone(frame, 0, k.primitive.second);
      break;
    case PrimitiveKind::sphere:
      k.primitive.radius = r.between(0.5, 2);
      k.surface = make_sphere(frame, k.primitive.radius);
      break;
    case PrimitiveKind::torus:
      k.primitive.radius = r.between(1.5, 2);
      k.primitive.second = r.between(0.3, 1);
      k.surface = make_torus(frame, k.primitive.radius, k.primitive.second);
      break;
  }
  return k;
}
Known any_known(Random& r, int kind) {
  const Point origin = point_near(r, 0.7);
  return any_known(r, kind, origin, direction(r));
}

// Places on `b` at which the distance from `a` is 0, along one of the curves.
std::vector<Point> places_by_bisection(const Known& a, const Known& b, double first, double step) {
  const auto off = [&](double u, double v) { return a.primitive.distance(b.surface->point(u, v)); };
  std::vector<Point> places;
  std::optional<double> last;
  for (int i = 0; i < 7; ++i) {
    const double u = first + step * i;
    std::optional<double> found;
    double least = 0.3;
    for (int k = 0; k < 200; ++k) {
      double low = -1.5 + 3.0 * k / 200, high = low + 3.0 / 200;
      if (b.primitive.kind == PrimitiveKind::cone && low < 0.05) continue;  // one nappe
      if ((off(u, low) > 0) == (off(u, high) > 0)) continue;
      for (int n = 0; n < 80; ++n) {
        const double middle = 0.5 * (low + high);
        ((off(u, low) > 0) == (off(u, middle) > 0) ? low : high) = middle;
      }
      if (last && std::fabs(low - *last) > least) continue;
      if (last) least = std::fabs(low - *last);
      found = low;
      if (!last) break;
    }
    if (!found) return {};
    last = found;
    places.push_back(b.surface->point(u, *found));
  }
  return places;
}

// They cross at more than a grazing angle, and the way from place to place hardly turns.
bool is_plain(const Known& a, const Known& b, const std::vector<Point>& places) {
  for (std::size_t i = 0; i < places.size(); ++i) {
    const double cosine = a.primitive.normal(places[i]).dot(b.primitive.normal(places[i]));
    if (std::fabs(cosine) > 0.98) return false;
    if (i < 2) continue;
    const Vector was = (places[i - 1] - places[i - 2]).normalized(),
                 is = (places[i] - places[i - 1]).normalized();
    if (!(was.dot(is) > 0.7)) return false;
  }
  return true;
}

TEST(MeetingCurve, LiesOnBothSurfacesPastAllPlaces) {
  Random r(1);
  int cases[kKinds][kKinds] = {};
  for (int i = 0; i < 8000; ++i) {
    const int kind_a = static_cast<int>(r.index(kKinds)), kind_b = 1 + static_cast<int>(r.index(4));
    const Known a = any_known(r, kind_a), b = any_known(r, kind_b);
    const double first = r.between(0, 6);
    const std::vector<Point> exact = places_by_bisection(a, b, first, r.between(0.02, 0.15));
    if (exact.empty() || !is_plain(a, b, exact)) continue;
    SCOPED_TRACE(testing::Message()
                 << i << ": " << slug(a.primitive.kind) << " and " << slug(b.primitive.kind));
    std::vector<Point> near = exact;
    const double step = (exact[1] - exact[0]).norm();
    for (std::size_t k = 1; k + 1 < near.size(); ++k) near[k] += 0.01 * step * direction(r);
    const double within = std::pow(10, -r.between(4, 8));
    const auto curve = meeting_curve(*a.surface, *b.surface, near, within);
    ASSERT_TRUE(curve.has_value());
    ++cases[kind_a][kind_b];
    EXPECT_LE(curve->off, within);
    EXPECT_LT((curve->curve->point(curve->from) - exact.front()).norm(), 1e-9);
    EXPECT_LT((curve->curve->point(curve->to) - exact.back()).norm(), 1e-9);
    for (int k = 0; k <= 100; ++k) {
      const Point p = curve->curve->point(curve->from + (curve->to - curve->from) * k / 100);
      EXPECT_LT(std::fabs(a.primitive.distance(p)), 2 * within);
      EXPECT_LT(std::fabs(b.primitive.distance(p)), 2 * within);
    }
    const Interval range{std::min(curve->from, curve->to), std::max(curve->from, curve->to)};
    for (const Point& p : exact) {
      const double t = nearest_parameter(*curve->curve, range, p);
      EXPECT_LT((curve->curve->point(t) - p).norm(), 2 * within + 1e-9);
    }
    // What has a closed form has it.
    const CurveKind kind = curve->curve->kind();
    if (kind_a == 0 && kind_b == 1) {
      EXPECT_TRUE(kind == CurveKind::ellipse || kind == CurveKind::circle) << slug(kind);
    }
    if ((kind_a == 0 || kind_a == 3) && kind_b == 3) {
      EXPECT_EQ(kind, CurveKind::circle);
    }
  }
  for (int a = 0; a < kKinds; ++a) {
    for (int b = 1; b < kKinds; ++b) EXPECT_GT(cases[a][b], 5) << a << " " << b;
  }
}

TEST(MeetingCurve, PlanesMeetInLinesAndCoaxialSurfacesInCircles) {
  Random r(2);
  for (int i = 0; i < 200; ++i) {
    SCOPED_TRACE(i);
    const Known a = any_known(r, 0), b = any_known(r, 0);
    const Vector along = a.primitive.axis.cross(b.primitive.axis);
    const auto on_both =
        meeting_point(*a.surface, *b.surface,
                      *make_plane(Frame::from({0, 0, 0}, along, direction(r))), {0, 0, 0});
    if (along.norm() > 0.1) {
      ASSERT_TRUE(on_both.has_value());
      const std::vector<Point> ends = {*on_both - along, *on_both + 2 * along};
      const auto line = meeting_curve(*a.surface, *b.surface, ends, 1e-7);
      ASSERT_TRUE(line.has_value());
      EXPECT_EQ(line->curve->kind(), CurveKind::line);
      EXPECT_NEAR(line->to - line->from, 3 * along.norm(), 1e-9);
    }
    const Point axis_point = point_near(r, 1);
    const Vector axis = direction(r);
    const Frame frame = Frame::from(axis_point, axis, direction(r));
    const double radius = r.between(0.5, 2), height = r.between(-1, 1);
    const auto cylinder = make_cylinder(frame, radius);
    Frame above = frame;
    above.origin = frame.at(0, 0, height);
    std::vector<Point> circle;
    for (int k = 0; k <= 8; ++k) {
      const double angle = 2 * std::numbers::pi * k / 8;
      circle.push_back(frame.at(radius * std::cos(angle), radius * std::sin(angle), height));
    }
    circle.back() = circle.front();
    for (const SurfacePtr& other :
         {make_plane(above), make_cone(above, radius, 0.5), make_torus(above, radius + 0.5, 0.5)}) {
      const auto curve = meeting_curve(*cylinder, *other, circle, 1e-7);
      // The torus touches the cylinder there, and does not cross it.
      ASSERT_TRUE(curve.has_value());
      const auto* data = curve->curve->as<EllipseData>();
      ASSERT_NE(data, nullptr);
      EXPECT_NEAR(data->a, radius, 1e-9);
      EXPECT_NEAR(data->b, radius, 1e-9);
      EXPECT_NEAR(std::fabs(curve->to - curve->from), 2 * std::numbers::pi, 1e-9);
    }
  }
}

TEST(MeetingPoint, IsOnAllThree) {
  Random r(3);
  int found = 0;
  for (int i = 0; i < 500; ++i) {
    SCOPED_TRACE(i);
    // Each through one point.
    const Point p = point_near(r, 2);
    std::vector<SurfacePtr> surfaces;
    std::vector<Vector> normals;
    for (int k = 0; k < 3; ++k) {
      const Vector n = direction(r);
      normals.push_back(n);
      const double radius = r.between(0.5, 3);
      if (r.chance(0.4)) {
        surfaces.push_back(make_plane(Frame::from(p, n, n.unitOrthogonal())));
      } else if (r.chance(0.5)) {
        surfaces.push_back(make_sphere(Frame::from(p - radius * n, n, n.unitOrthogonal()), radius));
      } else {
        surfaces.push_back(
            make_cylinder(Frame::from(p - radius * n, n.unitOrthogonal(), n), radius));
      }
    }
    const double volume = std::fabs(normals[0].cross(normals[1]).dot(normals[2]));
    if (volume < 0.1) continue;
    const auto at =
        meeting_point(*surfaces[0], *surfaces[1], *surfaces[2], p + 1e-3 * direction(r));
    ASSERT_TRUE(at.has_value());
    EXPECT_LT((*at - p).norm(), 1e-10);
    ++found;
  }
  EXPECT_GT(found, 300);
  const auto plane = [](double z) {
    return make_plane(Frame::from(Point(0, 0, z), Vector(0, 0, 1), Vector(1, 0, 0)));
  };
  EXPECT_FALSE(meeting_point(*plane(0), *plane(1), *plane(2), Point::Zero()).has_value());
}

TEST(FitCurve, KeepsWithinWhatItSays) {
  for (std::uint64_t seed = 0; seed < 60; ++seed) {
    Random r(seed);
    const Point middle = point_near(r, 9);
    const Vector axis = direction(r);
    const SurfacePtr surface = make_torus(Frame::from(middle, axis, direction(r)), 5, 2);
    const double u = r.between(0.5, 3), v = r.between(-1, 1), last = r.between(3, 6);
    const CurvePtr in_parameters =
        make_polyline({Point(0, 0, 0), Point(u, v, 0), Point(last, 1, 0)});
    const CurvePtr curve = make_curve_on_surface(surface, in_parameters);
    const double within = std::pow(10, -r.between(2, 8));
    const FittedCurve fit = fit_curve(*curve, curve->domain(), within);
    EXPECT_LE(fit.off, within);
    const CurvePtr spline = make_spline(fit.knots, fit.points);
    for (int i = 0; i <= 500; ++i) {
      const double t = curve->domain().low + curve->domain().width() * i / 500;
      // Seen at five places of a piece; between them hardly more.
      EXPECT_LE((spline->point(t) - curve->point(t)).norm(), 1.3 * within);
    }
  }
}

}  // namespace intersection_test
}  // namespace aguja
