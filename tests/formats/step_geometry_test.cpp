// Every kind of curve and surface of ISO 10303-42 that is read, against its formula in the
// standard. The files count lengths in centimetres and angles in degrees; the model is in
// millimetres.

#include <cmath>
#include <functional>
#include <numbers>

#include <gtest/gtest.h>

#include "formats/step_geometry.h"
#include "tests/support/exchange_text.h"

namespace aguja {
namespace step_geometry_test {

using detail::EntityError;
using detail::Part21;
using detail::StepGeometry;

constexpr double kDegree = std::numbers::pi / 180;
constexpr double kLength = 10;

// A frame at (1, 2, 3) cm with its axis along x, its x along y and its y along z.
const std::string kFrame =
    "#1=AXIS2_PLACEMENT_3D('',#2,#3,#4);#2=CARTESIAN_POINT('',(1.,2.,3.));#3=DIRECTION('',(2.,0.,0."
    "));#4=DIRECTION('',(0.,3.,0.));#5=AXIS1_PLACEMENT('',#2,#3);#6=VECTOR('',#4,2.);"
    "#7=CARTESIAN_POINT('',(1.,5.,3.));#8=CARTESIAN_POINT('',(1.,5.,8.));#9=CARTESIAN_POINT('',(4.,"
    "5.,8.));#10=CARTESIAN_POINT('',(4.,0.,-8.));#11=CIRCLE('',#1,3.);#12=LINE('',#7,#6);";
Point in_frame(double x, double y, double z = 0) { return Point(1 + z, 2 + x, 3 + y) * kLength; }
const std::vector<Point> kPoints = {Point(10, 50, 30), Point(10, 50, 80), Point(40, 50, 80),
                                    Point(40, 0, -80)};

CurvePtr curve(const std::string& data) {
  const std::string text = test::step_file(kFrame + data);
  const Part21 file({"x", text});
  return StepGeometry(file, {kLength, kDegree}).curve(100, 0);
}
SurfacePtr surface(const std::string& data) {
  const std::string text = test::step_file(kFrame + data);
  const Part21 file({"x", text});
  return StepGeometry(file, {kLength, kDegree}).surface(100, 0);
}

struct CurveCase {
  std::string data;
  Interval range;  // of its own parameter
  std::function<Point(double)> formula;
};

TEST(StepCurves, FollowTheFormulasOfTheStandard) {
  const auto bernstein = [](double t) {
    const double s = 1 - t;
    return Point(s * s * kPoints[0] + 2 * s * t * kPoints[1] + t * t * kPoints[2]);
  };
  const std::vector<CurveCase> cases = {
      {"#100=LINE('',#2,#6);", {-2, 3}, [](double t) { return in_frame(2 * t, 0); }},
      {"#100=CIRCLE('',#1,3.);",
       {0, 6},
       [](double t) { return in_frame(3 * std::cos(t), 3 * std::sin(t)); }},
      {"#100=ELLIPSE('',#1,3.,2.);",
       {0, 6},
       [](double t) { return in_frame(3 * std::cos(t), 2 * std::sin(t)); }},
      {"#100=PARABOLA('',#1,0.5);", {-2, 2}, [](double t) { return in_frame(0.5 * t * t, t); }},
      {"#100=HYPERBOLA('',#1,3.,2.);",
       {-1, 1},
       [](double t) { return in_frame(3 * std::cosh(t), 2 * std::sinh(t)); }},
      {"#100=POLYLINE('',(#7,#8,#9));",
       {0, 2},
       [](double t) {
         return t < 1 ? Point(kPoints[0] + t * (kPoints[1] - kPoints[0]))
                      : Point(kPoints[1] + (t - 1) * (kPoints[2] - kPoints[1]));
       }},
      {"#100=BEZIER_CURVE('',2,(#7,#8,#9),.UNSPECIFIED.,.F.,.U.);", {0, 1}, bernstein},
      {"#100=(BOUNDED_CURVE()B_SPLINE_CURVE(2,(#7,#8,#9),.UNSPECIFIED.,.F.,.U.)BEZIER_CURVE()CURVE("
       ")GEOMETRIC_REPRESENTATION_ITEM()REPRESENTATION_ITEM(''));",
       {0, 1},
       bernstein},
      // Quadratic B-splines over equal spans: half sums at the ends of a span.
      {"#100=UNIFORM_CURVE('',2,(#7,#8,#9),.UNSPECIFIED.,.F.,.U.);",
       {0, 1},
       [](double t) {
         return Point(0.5 * (1 - t) * (1 - t) * kPoints[0] + (0.5 + t - t * t) * kPoints[1] +
                      0.5 * t * t * kPoints[2]);
       }},
      {"#100=QUASI_UNIFORM_CURVE('',1,(#7,#8,#9),.UNSPECIFIED.,.F.,.U.);",
       {0, 2},
       [](double t) {
         return t < 1 ? Point(kPoints[0] + t * (kPoints[1] - kPoints[0]))
                      : Point(kPoints[1] + (t - 1) * (kPoints[2] - kPoints[1]));
       }},
      {"#100=B_SPLINE_CURVE_WITH_KNOTS('',2,(#7,#8,#9),.UNSPECIFIED.,.F.,.U.,(3,3),(5.,7.),."
       "UNSPECIFIED.);",
       {5, 7},
       [&](double t) { return bernstein((t - 5) / 2); }},
      // A quarter of a circle about #8, from #7 to #110, as a rational spline.
      {"#110=CARTESIAN_POINT('',(1.,0.,8.));#111=CARTESIAN_POINT('',(1.,0.,3.));#100=(BOUNDED_"
       "CURVE("
       ")B_SPLINE_CURVE(2,(#7,#111,#110),.UNSPECIFIED.,.F.,.F.)B_SPLINE_CURVE_WITH_KNOTS((3,3),(0.,"
       "1.),.UNSPECIFIED.)CURVE()GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_CURVE((1.,"
       "0.70710678118654752,1.))REPRESENTATION_ITEM(''));",
       {0, 1},
       [](double t) {
         const double w = std::numbers::sqrt2 / 2, s = 1 - t;
         const Point p =
             s * s * kPoints[0] + 2 * s * t * w * Point(10, 0, 30) + t * t * Point(10, 0, 80);
         const Point q = p / (s * s + 2 * s * t * w + t * t);
         EXPECT_NEAR((q - kPoints[1]).norm(), 50, 1e-12);
         return q;
       }},
      {"#100=TRIMMED_CURVE('',#11,(PARAMETER_VALUE(30.)),(PARAMETER_VALUE(90.)),.T.,.PARAMETER.);",
       {30 * kDegree, 90 * kDegree},
       [](double t) { return in_frame(3 * std::cos(t), 3 * std::sin(t)); }},
      // From 330 to 60 degrees goes over 0.
      {"#100=TRIMMED_CURVE('',#11,(PARAMETER_VALUE(330.)),(PARAMETER_VALUE(60.)),.T.,.PARAMETER.);",
       {330 * kDegree, 420 * kDegree},
       [](double t) { return in_frame(3 * std::cos(t), 3 * std::sin(t)); }},
      {"#100=TRIMMED_CURVE('',#12,(#7),(#110),.T.,.CARTESIAN.);#110=CARTESIAN_POINT('',(1.,9.,3.))"
       ";",
       {0, 2},
       [](double t) { return in_frame(3 + 2 * t, 0); }},
      // To the left of the way, seen against the direction: towards the middle of a circle.
      {"#100=OFFSET_CURVE_3D('',#11,0.5,.F.,#3);",
       {0, 6},
       [](double t) { return in_frame(2.5 * std::cos(t), 2.5 * std::sin(t)); }},
      {"#100=SURFACE_CURVE('',#11,(),.CURVE_3D.);",
       {0, 6},
       [](double t) { return in_frame(3 * std::cos(t), 3 * std::sin(t)); }},
      // Degrees round a cylinder, centimetres along it: a helix.
      {"#100=PCURVE('',#110,#111);#110=CYLINDRICAL_SURFACE('',#1,3.);#111=DEFINITIONAL_"
       "REPRESENTATION('',(#112),$);#112=LINE('',#113,#114);#113=CARTESIAN_POINT('',(0.,1.));#114="
       "VECTOR('',#115,1.);#115=DIRECTION('',(0.8,0.6));",
       {0, 100},
       [](double t) {
         const double u = 0.8 * t * kDegree;
         return in_frame(3 * std::cos(u), 3 * std::sin(u), 1 + 0.6 * t);
       }},
      {"#100=COMPOSITE_CURVE('',(#110,#111),.F.);#110=COMPOSITE_CURVE_SEGMENT(.CONTINUOUS.,.T.,#"
       "112)"
       ";#111=COMPOSITE_CURVE_SEGMENT(.DISCONTINUOUS.,.F.,#113);#112=POLYLINE('',(#7,#8));#113="
       "POLYLINE('',(#9,#8));",
       {0, 2},
       [](double t) {
         return t < 1 ? Point(kPoints[0] + t * (kPoints[1] - kPoints[0]))
                      : Point(kPoints[1] + (t - 1) * (kPoints[2] - kPoints[1]));
       }},
  };
  for (const CurveCase& c : cases) {
    const CurvePtr made = curve(c.data);
    const Interval d = made->domain();
    if (d.is_finite() && made->period() == 0) {
      EXPECT_NEAR(d.low, c.range.low, 1e-12) << c.data;
      EXPECT_NEAR(d.high, c.range.high, 1e-12) << c.data;
    }
    for (int i = 0; i <= 20; ++i) {
      const double t = c.range.low + c.range.width() * i / 20;
      EXPECT_LT((made->point(t) - c.formula(t)).norm(), 1e-9) << c.data << " at " << t;
    }
  }
}

TEST(StepCurves, TrimmedAgainstTheirSenseRunBack) {
  const CurvePtr back = curve(
      "#100=TRIMMED_CURVE('',#11,(PARAMETER_VALUE(90.)),(PARAMETER_VALUE(30.)),.F.,.PARAMETER.);");
  const Interval d = back->domain();
  EXPECT_LT((back->point(d.low) - in_frame(0, 3)).norm(), 1e-9);
  EXPECT_LT((back->point(d.high) - in_frame(3 * std::cos(30 * kDegree), 1.5)).norm(), 1e-9);
  EXPECT_LT((back->point(d.middle()) - in_frame(1.5, 3 * std::sin(60 * kDegree))).norm(), 1e-9);
}

TEST(StepCurves, TrimsOfManyTurnsGoRoundOnce) {
  const auto trimmed_curve = [](const std::string& from, const std::string& to, const char* sense) {
    return curve("#100=TRIMMED_CURVE('',#11,(PARAMETER_VALUE(" + from + ")),(PARAMETER_VALUE(" +
                 to + "))," + sense + ",.PARAMETER.);");
  };
  const auto trimmed = [&](const std::string& from, const std::string& to, const char* sense) {
    return trimmed_curve(from, to, sense)->domain();
  };
  EXPECT_NEAR(trimmed("30.", "36090.", ".T.").width(), 60 * kDegree, 1e-9);
  const CurvePtr back = trimmed_curve("36090.", "30.", ".F.");
  const Point middle = back->point(back->domain().middle());
  EXPECT_LT((middle - in_frame(1.5, 3 * std::sin(60 * kDegree))).norm(), 1e-9);
  // Whole turns, however they are rounded.
  for (const char* to : {"360.", "360.0000000001", "3600.", "3600.0000000001", "-360.", "0."}) {
    EXPECT_NEAR(trimmed("0.", to, ".T.").width(), 360 * kDegree, 1e-9) << to;
  }
  EXPECT_THROW(static_cast<void>(trimmed("0.", "360.E9", ".T.")), EntityError);
  EXPECT_THROW(static_cast<void>(trimmed("-1.E300", "1.E300", ".F.")), EntityError);
}

struct SurfaceCase {
  std::string data;
  Interval u, v;
  std::function<Point(double, double)> formula;
};

TEST(StepSurfaces, FollowTheFormulasOfTheStandard) {
  const double cone = std::tan(20 * kDegree);
  const Interval turn{0, 6}, length{-20, 30};
  const auto torus = [](double major, double minor) {
    return [=](double u, double v) {
      const double r = major + minor * std::cos(v);
      return in_frame(r * std::cos(u), r * std::sin(u), minor * std::sin(v));
    };
  };
  const std::vector<SurfaceCase> cases = {
      {"#100=PLANE('',#1);", length, length,
       [](double u, double v) { return in_frame(u / kLength, v / kLength); }},
      {"#100=CYLINDRICAL_SURFACE('',#1,3.);", turn, length,
       [](double u, double v) { return in_frame(3 * std::cos(u), 3 * std::sin(u), v / kLength); }},
      {"#100=CONICAL_SURFACE('',#1,3.,20.);", turn, length,
       [&](double u, double v) {
         const double r = 3 + v / kLength * cone;
         return in_frame(r * std::cos(u), r * std::sin(u), v / kLength);
       }},
      {"#100=SPHERICAL_SURFACE('',#1,3.);",
       turn,
       {-1.5, 1.5},
       [](double u, double v) {
         return in_frame(3 * std::cos(v) * std::cos(u), 3 * std::cos(v) * std::sin(u),
                         3 * std::sin(v));
       }},
      {"#100=TOROIDAL_SURFACE('',#1,3.,1.);", turn, turn, torus(3, 1)},
      {"#100=DEGENERATE_TOROIDAL_SURFACE('',#1,1.,3.,.T.);", turn, {-1.5, 1.5}, torus(1, 3)},
      {"#100=SURFACE_OF_LINEAR_EXTRUSION('',#11,#110);#110=VECTOR('',#3,2.);",
       turn,
       {-2, 3},
       [](double u, double v) { return in_frame(3 * std::cos(u), 3 * std::sin(u), 2 * v); }},
      // The line 3 beside the axis, turned about it: a flat ring.
      {"#100=SURFACE_OF_REVOLUTION('',#12,#5);",
       turn,
       {0, 2},
       [](double u, double v) {
         const double r = 3 + 2 * v;
         return in_frame(r * std::cos(u), r * std::sin(u));
       }},
      {"#100=OFFSET_SURFACE('',#110,0.5,.F.);#110=CYLINDRICAL_SURFACE('',#1,3.);", turn, length,
       [](double u, double v) {
         return in_frame(3.5 * std::cos(u), 3.5 * std::sin(u), v / kLength);
       }},
      {"#100=RECTANGULAR_TRIMMED_SURFACE('',#110,30.,90.,1.,2.,.T.,.T.);#110=CYLINDRICAL_SURFACE(''"
       ","
       "#1,3.);",
       {30 * kDegree, 90 * kDegree},
       {10, 20},
       [](double u, double v) { return in_frame(3 * std::cos(u), 3 * std::sin(u), v / kLength); }},
      // Round over the closing edge.
      {"#100=RECTANGULAR_TRIMMED_SURFACE('',#110,270.,90.,-80.,80.,.T.,.T.);#110=SPHERICAL_SURFACE("
       "'',#1,3.);",
       {270 * kDegree, 450 * kDegree},
       {-80 * kDegree, 80 * kDegree},
       [](double u, double v) {
         return in_frame(3 * std::cos(v) * std::cos(u), 3 * std::cos(v) * std::sin(u),
                         3 * std::sin(v));
       }},
      {"#100=BEZIER_SURFACE('',1,1,((#7,#8),(#9,#10)),.UNSPECIFIED.,.F.,.F.,.U.);",
       {0, 1},
       {0, 1},
       [](double u, double v) {
         return Point((1 - u) * ((1 - v) * kPoints[0] + v * kPoints[1]) +
                      u * ((1 - v) * kPoints[2] + v * kPoints[3]));
       }},
      {"#100=(BOUNDED_SURFACE()B_SPLINE_SURFACE(1,1,((#7,#8),(#9,#10)),.UNSPECIFIED.,.F.,.F.,.U.)B_"
       "SPLINE_SURFACE_WITH_KNOTS((2,2),(2,2),(0.,2.),(3.,4.),.UNSPECIFIED.)"
       "GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_SURFACE(((1.,1.),(2.,2.)))"
       "REPRESENTATION_ITEM('')SURFACE());",
       {0, 2},
       {3, 4},
       [](double u, double v) {
         const double s = u / 2, t = v - 3;
         const Point p = (1 - s) * ((1 - t) * kPoints[0] + t * kPoints[1]) +
                         2 * s * ((1 - t) * kPoints[2] + t * kPoints[3]);
         return Point(p / (1 - s + 2 * s));
       }},
  };
  for (const SurfaceCase& c : cases) {
    const SurfacePtr made = surface(c.data);
    if (c.data.find("TRIMMED") != std::string::npos || c.data.find("SPLINE") < 40) {
      EXPECT_NEAR(made->domain_u().low, c.u.low, 1e-12) << c.data;
      EXPECT_NEAR(made->domain_u().high, c.u.high, 1e-12) << c.data;
      EXPECT_NEAR(made->domain_v().low, c.v.low, 1e-12) << c.data;
      EXPECT_NEAR(made->domain_v().high, c.v.high, 1e-12) << c.data;
    }
    for (int i = 0; i <= 6; ++i) {
      for (int k = 0; k <= 6; ++k) {
        const double u = c.u.low + c.u.width() * i / 6, v = c.v.low + c.v.width() * k / 6;
        EXPECT_LT((made->point(u, v) - c.formula(u, v)).norm(), 1e-9)
            << c.data << " at " << u << ", " << v;
      }
    }
  }
}

TEST(StepCurves, PiecesRunTheWayThatTheEdgeSays) {
  // A closed line, not smooth where it closes: at a quarter of its length from corner to corner.
  const CurvePtr square =
      curve("#100=POLYLINE('',(#7,#8,#9,#110,#7));#110=CARTESIAN_POINT('',(4.,5.,3.));");
  const Point a = square->point(0.5), b = square->point(2.5), corner = square->point(0);
  const auto middle_of = [&](const Point& from, const Point& to, bool forward) {
    const auto piece = StepGeometry::piece_between(*square, from, to, from == to, forward);
    if (!piece.over_seam) return square->point(0.5 * (piece.from + piece.to));
    const CurvePtr c = StepGeometry::over_seam(square, piece, forward);
    EXPECT_LT((c->point(0) - from).norm() + (c->point(2) - to).norm(), 1e-9);
    return c->point(1);
  };
  EXPECT_LT((middle_of(a, b, true) - square->point(1.5)).norm(), 1e-9);
  EXPECT_LT((middle_of(b, a, false) - square->point(1.5)).norm(), 1e-9);
  EXPECT_LT((middle_of(b, a, true) - corner).norm(), 1e-9);
  EXPECT_LT((middle_of(a, b, false) - corner).norm(), 1e-9);
  EXPECT_LT((middle_of(a, a, true) - corner).norm(), 1e-9);
  EXPECT_LT((middle_of(corner, corner, true) - square->point(2)).norm(), 1e-9);
  EXPECT_LT((middle_of(corner, b, false) - square->point(3.25)).norm(), 1e-9);
  // Two vertices at one place of a circle, apart by rounding: all of it, either way.
  const CurvePtr circle = curve("#100=CIRCLE('',#1,3.);");
  for (const double off : {-1e-12, 0.0, 1e-12}) {
    for (const bool forward : {true, false}) {
      const auto piece = StepGeometry::piece_between(*circle, circle->point(1),
                                                     circle->point(1 + off), false, forward);
      EXPECT_NEAR(std::fabs(piece.to - piece.from), 2 * std::numbers::pi, 1e-9);
      EXPECT_EQ(piece.to > piece.from, forward);
    }
  }
}

TEST(StepGeometry, WhatMakesNoShapeIsNamed) {
  for (const char* data :
       {"#100=CIRCLE('',#1,-3.);", "#100=CIRCLE('',#1,0.);", "#100=CIRCLE('',#2,3.);",
        "#100=CIRCLE('',#999,3.);", "#100=ELLIPSE('',#1,3.);", "#100=POLYLINE('',(#7));",
        "#100=LINE('',#2,#110);#110=VECTOR('',#4,0.);",
        "#100=B_SPLINE_CURVE_WITH_KNOTS('',2,(#7,#8,#9),.UNSPECIFIED.,.F.,.U.,(3,3),(7.,5.),."
        "UNSPECIFIED.);",
        "#100=B_SPLINE_CURVE_WITH_KNOTS('',2,(#7,#8,#9),.UNSPECIFIED.,.F.,.U.,(3,2),(5.,7.),."
        "UNSPECIFIED.);",
        "#100=(BOUNDED_CURVE()B_SPLINE_CURVE(1,(#7,#8),.UNSPECIFIED.,.F.,.F.)B_SPLINE_CURVE_WITH_"
        "KNOTS((2,2),(0.,1.),.UNSPECIFIED.)RATIONAL_B_SPLINE_CURVE((1.,0.)));",
        "#100=TRIMMED_CURVE('',#12,(),(),.T.,.PARAMETER.);",
        "#100=COMPOSITE_CURVE('',(#110),.F.);#110=COMPOSITE_CURVE_SEGMENT(.CONTINUOUS.,.T.,#12)"
        ";"}) {
    EXPECT_THROW(static_cast<void>(curve(data)), EntityError) << data;
  }
  for (const char* data :
       {"#100=PLANE('',#999);", "#100=CONICAL_SURFACE('',#1,3.,90.);",
        "#100=TOROIDAL_SURFACE('',#1,3.,0.);", "#100=SPHERICAL_SURFACE('',#1,.T.);",
        "#100=BEZIER_SURFACE('',1,1,((#7,#8),(#9)),.UNSPECIFIED.,.F.,.F.,.U.);",
        "#100=OFFSET_SURFACE('',#100,1.,.F.);",
        "#100=RECTANGULAR_TRIMMED_SURFACE('',#110,0.,1.E12,1.,2.,.T.,.T.);#110=CYLINDRICAL_SURFACE("
        "'',#1,3.);"}) {
    EXPECT_THROW(static_cast<void>(surface(data)), EntityError) << data;
  }
}

}  // namespace step_geometry_test
}  // namespace aguja
