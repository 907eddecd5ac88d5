// Every kind of curve and surface of IGES 5.3 that is read, against its formula in the standard.

#include <cmath>
#include <functional>
#include <numbers>

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "formats/iges_geometry.h"
#include "tests/support/exchange_text.h"

namespace aguja {
namespace iges_geometry_test {

using detail::IgesError;
using detail::IgesFile;
using detail::IgesGeometry;
using test::IgesLine;

constexpr double kDegree = std::numbers::pi / 180;
constexpr double kScale = 10;  // from the file's unit to the model's

// Entities that others use, by their directory entries: a point (1), an axis along x (3), a
// reference along y (5), a line along z through (4, 2, 3) (7), the line of the axis (9), an arc
// from 30 to 90 degrees at z = 1 (11), a line that climbs (13), two lines in a row (15).
const std::vector<IgesLine> kUsed = {
    {116, "1.,2.,3."},          {123, "2.,0.,0."},
    {123, "0.,3.,0."},          {110, "4.,2.,3.,4.,2.,8."},
    {110, "1.,2.,3.,1.,2.,9."}, {100, "1.,1.,2.,3.598076211353316,3.5,1.,5."},
    {110, "0.,0.,0.,1.,2.,4."}, {102, "2,7,17"},
    {110, "4.,2.,8.,6.,2.,8."},
};
Point in_frame(double x, double y, double z) { return Point(1 + z, 2 + x, 3 + y) * kScale; }

// The last of the entities, made.
template <class Use>
void with(std::vector<IgesLine> more, const Use& use) {
  std::vector<IgesLine> all = kUsed;
  all.insert(all.end(), more.begin(), more.end());
  const std::string text = test::iges_file(all);
  const IgesFile file({"x", text});
  IgesGeometry geometry(file, kScale);
  use(geometry, 2 * all.size() - 1);
}

struct CurveCase {
  std::string what;
  std::vector<IgesLine> entities;
  Interval range;
  std::function<Point(double)> formula;
};

TEST(IgesCurves, FollowTheFormulasOfTheStandard) {
  const auto arc = [](double t) {
    return Point(Point(1 + 3 * std::cos(t), 2 + 3 * std::sin(t), 1) * kScale);
  };
  const std::vector<CurveCase> cases = {
      {"line",
       {{110, "0.,0.,0.,1.,2.,4."}},
       {0, 1},
       [](double t) { return Point(Point(t, 2 * t, 4 * t) * kScale); }},
      {"arc", {{100, "1.,1.,2.,3.598076211353316,3.5,1.,5."}}, {30 * kDegree, 90 * kDegree}, arc},
      // 270 to 30 degrees: over 0.
      {"arc over 0",
       {{100, "1.,1.,2.,1.,-1.,3.598076211353316,3.5"}},
       {270 * kDegree, 390 * kDegree},
       arc},
      {"arc, turned",
       {{124, "0.,0.,1.,5.,1.,0.,0.,6.,0.,1.,0.,7."},
        {100, "1.,1.,2.,3.598076211353316,3.5,1.,5.", 0, 0, 19}},
       {30 * kDegree, 90 * kDegree},
       [](double t) {
         return Point(Point(1 + 5, 1 + 3 * std::cos(t) + 6, 2 + 3 * std::sin(t) + 7) * kScale);
       }},
      {"two lines in a row",
       {{102, "2,7,17"}},
       {0, 2},
       [](double t) {
         return t < 1 ? Point(Point(4, 2, 3 + 5 * t) * kScale)
                      : Point(Point(4 + 2 * (t - 1), 2, 8) * kScale);
       }},
      // x^2 / 9 + y^2 / 4 = 1 at z = 1, the upper half.
      {"ellipse",
       {{104, "4.,0.,9.,0.,0.,-36.,1.,3.,0.,-3.,0.", 1}},
       {0, std::numbers::pi},
       [](double t) { return Point(Point(3 * std::cos(t), 2 * std::sin(t), 1) * kScale); }},
      {"path",
       {{106, "2,3,0.,0.,0.,1.,0.,0.,1.,1.,5.", 12}},
       {0, 2},
       [](double t) {
         return t < 1 ? Point(Point(t, 0, 0) * kScale)
                      : Point(Point(1, t - 1, 5 * (t - 1)) * kScale);
       }},
      {"flat path",
       {{106, "1,2,7.,0.,0.,1.,2.", 11}},
       {0, 1},
       [](double t) { return Point(Point(t, 2 * t, 7) * kScale); }},
      // Cubics piece by piece: x = t over both, y = t^3 and then 1 + 3 t + 3 t^2 + t^3 (so t^3).
      {"parametric spline",
       {{112,
         "3,2,3,2,0.,1.,2.,0.,1.,0.,0.,0.,0.,0.,1.,5.,0.,0.,0.,1.,1.,0.,0.,1.,3.,3.,1.,5.,0.,"
         "0.,0.,2.,1.,0.,0.,8.,12.,6.,1.,5.,0.,0.,0."}},
       {0, 2},
       [](double t) { return Point(Point(t, t * t * t, 5) * kScale); }},
      {"spline, trimmed",
       {{126,
         "2,2,0,0,1,0,0.,0.,0.,1.,1.,1.,1.,1.,1.,0.,0.,0.,1.,0.,0.,1.,1.,0.,0.25,0.75,0.,0.,1."}},
       {0.25, 0.75},
       [](double t) {
         const double s = 1 - t;
         return Point(Point(2 * s * t + t * t, t * t, 0) * kScale);
       }},
      // A quarter of a circle by weights.
      {"rational spline",
       {{126,
         "2,2,1,0,0,0,0.,0.,0.,1.,1.,1.,1.,0.70710678118654752,1.,1.,0.,0.,1.,1.,0.,0.,1.,0.,0."
         ",1.,0.,0.,1."}},
       {0, 1},
       [](double t) {
         const double w = std::numbers::sqrt2 / 2, s = 1 - t, sum = s * s + 2 * s * t * w + t * t;
         return Point(Point((s * s + 2 * s * t * w) / sum, (2 * s * t * w + t * t) / sum, 0) *
                      kScale);
       }},
      // To the left of the arc: nearer to its middle.
      {"offset",
       {{130, "11,1,0,0,0,0.5,0.,0.,0.,0.,0.,1.,0.5235987755982988,1.5707963267948966"}},
       {30 * kDegree, 90 * kDegree},
       [](double t) {
         return Point(Point(1 + 2.5 * std::cos(t), 2 + 2.5 * std::sin(t), 1) * kScale);
       }},
      // From nothing to 0.6 over the parameter, and by the coordinate of another curve.
      {"offset that grows",
       {{130, "11,2,0,0,2,0.,0.5235987755982988,0.6,1.5707963267948966,0.,0.,1."}},
       {30 * kDegree, 90 * kDegree},
       [](double t) {
         const double r = 3 - 0.6 * (t / kDegree - 30) / 60;
         return Point(Point(1 + r * std::cos(t), 2 + r * std::sin(t), 1) * kScale);
       }},
      {"offset that grows along its length",
       {{130, "7,2,0,0,1,0.,0.,0.5,5.,0.,1.,0."}},
       {0, 1},
       [](double t) { return Point(Point(4 + 0.5 * t, 2, 3 + 5 * t) * kScale); }},
      {"offset by a law",
       {{130, "7,3,13,2,2,0.,0.,0.,0.,0.,1.,0."}},
       {0, 1},
       [](double t) { return Point(Point(4 + 2 * t, 2, 3 + 5 * t) * kScale); }},
  };
  for (const CurveCase& c : cases) {
    with(c.entities, [&](IgesGeometry& geometry, std::uint64_t last) {
      const CurvePtr made = geometry.curve(last, 0);
      EXPECT_NEAR(made->domain().low, c.range.low, 1e-9) << c.what;
      EXPECT_NEAR(made->domain().high, c.range.high, 1e-9) << c.what;
      for (int i = 0; i <= 20; ++i) {
        const double t = c.range.low + c.range.width() * i / 20;
        EXPECT_LT((made->point(t) - c.formula(t)).norm(), 1e-9) << c.what << " at " << t;
      }
    });
  }
}

// Conics that are no ellipses have parameters of their own: their points satisfy the equation.
TEST(IgesCurves, ConicsSatisfyTheirEquations) {
  struct Conic {
    double a, c, d, e, f;
    double from[2], to[2];
  };
  for (const Conic& k : {Conic{1, 0, 0, -2, 0, {-1, 0.5}, {2, 2}},   // y = x^2 / 2
                         Conic{0, 1, 4, 0, -4, {0.75, 1}, {0, -2}},  // x = 1 - y^2 / 4
                         Conic{0.25, -1, 0, 0, -1, {2, 0}, {4, std::sqrt(3)}},
                         Conic{0.25, -1, 0, 0, -1, {-2, 0}, {-4, std::sqrt(3)}},
                         Conic{-1, 0.25, 0, 0, -1, {0, 2}, {std::sqrt(3), 4}}}) {
    char text[300];
    std::snprintf(text, sizeof text, "%.17g,0.,%.17g,%.17g,%.17g,%.17g,3.,%.17g,%.17g,%.17g,%.17g",
                  k.a, k.c, k.d, k.e, k.f, k.from[0], k.from[1], k.to[0], k.to[1]);
    with({{104, text}}, [&](IgesGeometry& geometry, std::uint64_t last) {
      const CurvePtr made = geometry.curve(last, 0);
      const Interval range = made->domain();
      EXPECT_LT((made->point(range.low) / kScale - Point(k.from[0], k.from[1], 3)).norm(), 1e-9);
      EXPECT_LT((made->point(range.high) / kScale - Point(k.to[0], k.to[1], 3)).norm(), 1e-9);
      for (int i = 0; i <= 10; ++i) {
        const Point p = made->point(range.low + range.width() * i / 10) / kScale;
        const double x = p.x(), y = p.y();
        EXPECT_NEAR(k.a * x * x + k.c * y * y + k.d * x + k.e * y + k.f, 0, 1e-9) << text;
        EXPECT_NEAR(p.z(), 3, 1e-12);
      }
    });
  }
}

struct SurfaceCase {
  std::string what;
  std::vector<IgesLine> entities;
  Interval u, v;  // in the file's parameters
  std::function<Point(double, double)> formula;
};

// The formula is in the parameters that the standard gives the surface: curves on it are in these.
TEST(IgesSurfaces, FollowTheFormulasOfTheStandard) {
  const Interval turn{0, 350}, length{-2, 3}, unit{0, 1};
  const double cone = std::tan(20 * kDegree);
  const auto ring = [](double r, double u, double z) {
    return in_frame(r * std::cos(u * kDegree), r * std::sin(u * kDegree), z);
  };
  const auto arc = [](double t, double z) {
    return Point(Point(1 + 3 * std::cos(t), 2 + 3 * std::sin(t), z) * kScale);
  };
  const std::vector<SurfaceCase> cases = {
      {"plane",
       {{190, "1,3,5", 1}},
       length,
       length,
       [](double u, double v) { return in_frame(u, v, 0); }},
      {"cylinder",
       {{192, "1,3,2.,5", 1}},
       turn,
       length,
       [&](double u, double v) { return ring(2, u, v); }},
      {"cone",
       {{194, "1,3,2.,20.,5", 1}},
       turn,
       length,
       [&](double u, double v) { return ring(2 + v * cone, u, v); }},
      {"sphere",
       {{196, "1,2.,3,5", 1}},
       turn,
       {-80, 80},
       [&](double u, double v) {
         return ring(2 * std::cos(v * kDegree), u, 2 * std::sin(v * kDegree));
       }},
      {"torus",
       {{198, "1,3,2.,0.5,5", 1}},
       turn,
       turn,
       [&](double u, double v) {
         return ring(2 + 0.5 * std::cos(v * kDegree), u, 0.5 * std::sin(v * kDegree));
       }},
      // A bilinear patch as one cubic piece; the standard has one more piece in each row, and one
      // more row, which say nothing.
      {"parametric spline surface",
       {{114,
         [] {
           std::string text = "1,1,1,1,0.,2.,0.,1.";
           // x = s, y = t, z = s t / 2
           for (int piece = 0; piece < 4; ++piece) {
             for (int axis = 0; axis < 3; ++axis) {
               for (int b = 0; b < 4; ++b) {
                 for (int a = 0; a < 4; ++a) {
                   double c = 0;
                   if (axis == 0) c = a == 1 && b == 0 ? 1 : 0;
                   if (axis == 1) c = a == 0 && b == 1 ? 1 : 0;
                   if (axis == 2) c = a == 1 && b == 1 ? 0.5 : 0;
                   text += "," + std::to_string(piece == 0 ? c : 9.0);
                 }
               }
             }
           }
           return text;
         }()}},
       {0, 2},
       unit,
       [](double u, double v) { return Point(Point(u, v, u * v / 2) * kScale); }},
      // Between the arc and itself, turned and moved up: along both from 0 to 1.
      {"ruled",
       {{124, "1.,0.,0.,0.,0.,1.,0.,0.,0.,0.,1.,4."},
        {100, "1.,1.,2.,3.598076211353316,3.5,1.,5.", 0, 0, 19},
        {118, "11,21,0,0", 1}},
       unit,
       unit,
       [&](double u, double v) { return arc((30 + 60 * u) * kDegree, 1 + 4 * v); }},
      {"ruled, the other way",
       {{118, "7,13,1,0", 1}},
       unit,
       unit,
       [](double u, double v) {
         return Point(((1 - v) * Point(4, 2, 3 + 5 * u) + v * Point(1 - u, 2 - 2 * u, 4 - 4 * u)) *
                      kScale);
       }},
      // The line at 3 beside the axis, which is along z here: its parameter, then the angle.
      {"revolution",
       {{120, "9,7,0.5,4."}},
       unit,
       {0.5, 4},
       [](double t, double angle) {
         return Point(Point(1 + 3 * std::cos(angle), 2 + 3 * std::sin(angle), 3 + 5 * t) * kScale);
       }},
      {"revolution of two lines",
       {{120, "9,15,0.,3."}},
       {0, 2},
       {0, 3},
       [](double t, double angle) {
         const double r = t < 1 ? 3 : 3 + 2 * (t - 1), z = t < 1 ? 3 + 5 * t : 8;
         return Point(Point(1 + r * std::cos(angle), 2 + r * std::sin(angle), z) * kScale);
       }},
      // The arc moved by (0, 1, 6): to where its first point comes. From 0 to 1 along it.
      {"extrusion",
       {{122, "11,3.598076211353316,4.5,7."}},
       unit,
       unit,
       [&](double u, double v) {
         return Point(arc((30 + 60 * u) * kDegree, 1) + v * Point(0, 1, 6) * kScale);
       }},
      {"spline surface",
       {{128,
         "1,1,1,1,0,0,1,0,0,0.,0.,1.,1.,0.,0.,1.,1.,1.,1.,1.,1.,0.,0.,0.,1.,0.,0.,0.,1.,0.,1.,1.,"
         "3.,0.,1.,0.,1."}},
       unit,
       unit,
       [](double u, double v) { return Point(Point(u, v, 3 * u * v) * kScale); }},
      {"offset",
       {{192, "1,3,2.,5", 1}, {140, "0.,-1.,0.,0.5,19"}},
       {10, 350},
       length,
       [&](double u, double v) {
         return Point(in_frame(0, 0, v) + (ring(2.5, u, 0) - in_frame(0, 0, 0)));
       }},
  };
  for (const SurfaceCase& c : cases) {
    with(c.entities, [&](IgesGeometry& geometry, std::uint64_t last) {
      const SurfacePtr made = geometry.surface(last, 0);
      const auto law = geometry.parameters(last, 0);
      ASSERT_TRUE(law.has_value()) << c.what;
      for (int i = 0; i <= 6; ++i) {
        for (int k = 0; k <= 6; ++k) {
          const double u = c.u.low + c.u.width() * i / 6, v = c.v.low + c.v.width() * k / 6;
          const Point own = (*law)(Point(u, v, 0));
          const double size = (made->point(own.x(), own.y()) - c.formula(u, v)).norm();
          EXPECT_LT(size, 1e-9) << c.what << " at " << u << ", " << v;
        }
      }
    });
  }
}

TEST(IgesSurfaces, ParametersThatFollowNoStraightLawAreNone) {
  // Two pieces of different lengths one after another: the file counts angles, then from 0 to 1.
  with({{110, "1.,5.,1.,0.,5.,1."}, {102, "2,11,19"}, {122, "21,0.,0.,9."}},
       [](IgesGeometry& geometry, std::uint64_t last) {
         EXPECT_NE(geometry.surface(last, 0), nullptr);
         EXPECT_FALSE(geometry.parameters(last, 0).has_value());
       });
}

TEST(IgesGeometry, WhatMakesNoShapeIsNamed) {
  for (const IgesLine& line : std::vector<IgesLine>{{110, "0.,0.,0.,0.,0.,0."},
                                                    {110, "0.,0.,0.,1.,1."},
                                                    {100, "0.,0.,0.,0.,0.,1.,1."},
                                                    {102, "1,99"},
                                                    {102, "0"},
                                                    {102, "1,19"},
                                                    {104, "1.,1.,1.,0.,0.,-1.,0.,1.,0.,0.,1."},
                                                    {104, "1.,0.,1.,0.,0.,1.,0.,1.,0.,0.,1."},
                                                    {106, "2,1,0.,0.,0."},
                                                    {112, "3,2,3,0,0."},
                                                    {126, "1,1,0,0,1,0,0.,0.,1.,1.,1."},
                                                    {126, "1,1,0,0,1,0,1.,1.,0.,0.,1.,1."},
                                                    {130, "7,4,0,0,0,0.5,0.,0.,0.,0.,0.,1."},
                                                    {130, "11,3,13,4,0,0.5,0.,0.,0.,0.,0.,1."},
                                                    {144, "1"}}) {
    with({line}, [&](IgesGeometry& geometry, std::uint64_t last) {
      try {
        static_cast<void>(geometry.curve(last, 0));
        ADD_FAILURE() << line.type << ": " << line.parameters;
      } catch (const IgesError& error) {
        EXPECT_NE(std::string(error.what()).find('D'), std::string::npos);
      } catch (const ArgumentError&) {
      }
    });
  }
  for (const IgesLine& line : std::vector<IgesLine>{{108, "0.,0.,0.,1.,0"},
                                                    {192, "1,3,0.,5"},
                                                    {192, "3,3,1.,5"},
                                                    {120, "9,7,2.,2."},
                                                    {120, "9,99,0.,2."},
                                                    {118, "7,99,0,0"},
                                                    {140, "0.,0.,1.,1.,19"},
                                                    {128, "1,1,1,1,0,0,1,0,0,0."}}) {
    with({line}, [&](IgesGeometry& geometry, std::uint64_t last) {
      try {
        static_cast<void>(geometry.surface(last, 0));
        ADD_FAILURE() << line.type << ": " << line.parameters;
      } catch (const IgesError&) {
      } catch (const ArgumentError&) {
      }
    });
  }
}

// Asked for again and again, what is made of itself is not gone into any deeper than the first time.
TEST(IgesGeometryDepth, OfWhatIsMadeOfItselfDoesNotGrow) {
  with({{140, "0.,0.,1.,1.,19"}}, [](IgesGeometry& geometry, std::uint64_t own) {
    for (int i = 0; i < 5000; ++i) {
      EXPECT_THROW(static_cast<void>(geometry.surface(own, 0)), IgesError);
      EXPECT_THROW(static_cast<void>(geometry.parameters(own, 0)), IgesError);
    }
    // Nor is what is sound refused after that.
    EXPECT_NO_THROW(static_cast<void>(geometry.curve(15, 0)));
  });
  with({{102, "2,19,19"}}, [](IgesGeometry& geometry, std::uint64_t own) {
    for (int i = 0; i < 5000; ++i) {
      EXPECT_THROW(static_cast<void>(geometry.curve(own, 0)), IgesError);
    }
    EXPECT_NO_THROW(static_cast<void>(geometry.curve(15, 0)));
  });
}

}  // namespace iges_geometry_test
}  // namespace aguja
