// Areas of a piece of each kind of surface against closed forms (two by quadrature), and how the
// error falls with the chord height.

#include <cmath>
#include <functional>
#include <numbers>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/solid/certificate.h"
#include "aguja/solid/prepare.h"
#include "tests/support/drawn_body.h"
#include "tests/support/quadrature.h"

namespace aguja {
namespace closed_forms_test {

using test::Drawing;
using test::simpson;

struct Piece {
  std::string what;
  SurfacePtr surface;
  double area;
};

std::vector<Piece> pieces() {
  const Frame f = Frame::from(Point(1, 2, 3), Vector(1, 2, 2), Vector(0, 1, -1));
  const auto part = [](SurfacePtr s, Interval u, Interval v) {
    return make_trimmed_surface(std::move(s), u, v);
  };
  const double tilt = 0.4, slope = std::tan(tilt);
  // z = x y over the unit square.
  const double saddle = simpson(
      [](double x) {
        return simpson([x](double y) { return std::sqrt(1 + x * x + y * y); }, 0, 1, 400);
      },
      0, 1, 400);
  const CurvePtr circle = make_circle(f, 2);
  Frame above = f;
  above.origin += 3 * f.z;
  const CurvePtr line = make_line(f.origin, f.x), skew = make_line(f.origin + f.y, f.x + f.z);
  KnotVector linear, quadratic;
  linear.knots = {0, 0, 1, 1};
  quadratic.degree = 2;
  quadratic.knots = {0, 0, 0, 1, 1, 1};
  const double w = std::numbers::sqrt2 / 2;
  // The parabola 2 f t over f t^2 about its axis, from the apex to t = 1.5.
  const double focal = 0.5, last = 1.5, r = 2 * focal * last, h = focal * last * last;
  return {
      {"plane", part(make_plane(f), {0, 3}, {0, 2}), 6},
      {"cylinder", part(make_cylinder(f, 2), {0.2, 2}, {0, 3}), 2 * 1.8 * 3},
      {"cone", part(make_cone(f, 1, tilt), {0, 1.5}, {0, 2}),
       1.5 * (2 + 2 * slope) / std::cos(tilt)},
      {"sphere", part(make_sphere(f, 2), {0, 2}, {-0.5, 1}),
       2 * 4 * (std::sin(1.0) + std::sin(0.5))},
      {"torus", part(make_torus(f, 3, 1), {0, 2}, {-1, 1.2}),
       2 * (3 * 2.2 + std::sin(1.2) + std::sin(1.0))},
      {"extrusion", make_extrusion(circle, {0, 1.5}, 3 * f.z, {0, 1}), 2 * 1.5 * 3},
      {"revolution", make_revolution(make_parabola(f, focal), {0, last}, f.origin, f.x),
       std::numbers::pi / 6 * r / (h * h) * (std::pow(r * r + 4 * h * h, 1.5) - r * r * r)},
      {"ruled, round", make_ruled(circle, {0, 1.5}, make_circle(above, 2), {0, 1.5}), 2 * 1.5 * 3},
      {"ruled, a saddle", make_ruled(line, {0, 1}, skew, {0, 1}), saddle},
      {"spline, a saddle",
       make_spline_surface(linear, linear, {f.at(0, 0), f.at(0, 1), f.at(1, 0), f.at(1, 1, 1)}),
       saddle},
      {"spline, a quarter of a cylinder",
       make_spline_surface(
           quadratic, linear,
           {f.at(2, 0), f.at(2, 0, 3), f.at(2, 2), f.at(2, 2, 3), f.at(0, 2), f.at(0, 2, 3)},
           {1, 1, w, w, 1, 1}),
       std::numbers::pi * 3},
      {"offset", make_offset_surface(part(make_sphere(f, 2), {0, 2}, {-0.5, 1}), 0.5),
       2 * 6.25 * (std::sin(1.0) + std::sin(0.5))},
      {"moved",
       make_moved(part(make_cylinder(f, 2), {0.2, 2}, {0, 3}),
                  {2 * Eigen::Matrix3d::Identity(), Vector(7, 8, 9)}),
       4 * 2 * 1.8 * 3},
  };
}

TEST(ClosedForms, AreasOfEachKindOfSurface) {
  for (const Piece& piece : pieces()) {
    SCOPED_TRACE(piece.what);
    for (const double chord : {0.04, 0.01, 0.0025}) {
      Drawing d;
      d.face_of_loops(piece.surface, {});
      SurfaceModel model = d.model();
      model.bodies[0].shells[0].meant_closed = false;
      PrepareOptions options;
      options.tessellation.chord = chord;
      options.tessellation.angle = 3;
      const Model p = prepare(std::move(model), options);
      ASSERT_EQ(p.parts.size(), 1u);
      EXPECT_TRUE(p.sources[0].bodies[0]->troubles.empty());
      const Certificate c = certify(p);
      EXPECT_EQ(c.counts.components, 1u);
      EXPECT_EQ(c.counts.nonmanifold_edges + c.counts.winding_conflicts + c.counts.crossing_pairs,
                0u);
      const double error = std::fabs(c.mass.area - piece.area);
      // Linear in the chord, by one factor for all.
      EXPECT_LE(error, 0.5 * chord * piece.area) << chord;
    }
  }
}

}  // namespace closed_forms_test
}  // namespace aguja
