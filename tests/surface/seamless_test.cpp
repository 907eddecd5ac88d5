// Closed faces without closing edges, as many writers leave them: what is around them and the holes
// in them are loops by themselves. Their volumes are known in closed form, or by quadrature.

#include <cmath>
#include <functional>
#include <numbers>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/solid/certificate.h"
#include "tests/support/drawn_body.h"
#include "tests/support/quadrature.h"
#include "tests/support/random_mesh.h"
#include "tests/support/surface_findings.h"

namespace aguja {
namespace seamless_test {

using test::Drawing;
using test::Random;
using test::simpson;
using test::Use;

constexpr double kTurn = 2 * std::numbers::pi;

// A closed curve by its formula over 0 to 2 pi.
class CurveBy : public Curve {
 public:
  explicit CurveBy(std::function<Point(double)> formula) : formula_(std::move(formula)) {}
  CurveKind kind() const override { return CurveKind::spline; }
  CurvePoint at(double t) const override {
    constexpr double h = 1e-4;
    const Point a = formula_(t - h), b = formula_(t), c = formula_(t + h);
    return {b, (c - a) / (2 * h), (a - 2 * b + c) / (h * h)};
  }
  Interval domain() const override { return {0, kTurn}; }
  double period() const override { return kTurn; }

 private:
  std::function<Point(double)> formula_;
};

Frame along(const Point& origin, const Vector& axis, const Vector& x) {
  return Frame::from(origin, axis, x);
}
Vector direction_by(Random& random) {
  const double z = random.between(-1, 1), angle = kTurn * random.unit(), r = std::sqrt(1 - z * z);
  return {r * std::cos(angle), r * std::sin(angle), z};
}

// A solid of the known volume, with no more than its own noted.
void expect_solid(const SurfaceModel& model, double volume, const std::string& what,
                  double chord = 0.02) {
  PrepareOptions options;
  options.tessellation.chord = chord;
  const Model p = prepare(model, options);
  const Certificate c = certify(p);
  std::string why;
  for (const FaceTrouble& t : p.sources[0].bodies[0]->troubles)
    why +=
        " face " + std::to_string(t.face) + " trouble " + std::to_string(static_cast<int>(t.kind));
  for (const Reason& reason : c.reasons) why += "; " + reason.text;
  ASSERT_EQ(c.verdict, Verdict::solid) << what << why;
  const SurfaceSizes& sizes = p.sources[0].sizes;
  EXPECT_NEAR(sizes.volume, volume, sizes.volume_within + 1e-12 * volume) << what;
  EXPECT_LT(sizes.volume_within, 1e-4 * volume) << what;
  EXPECT_NEAR(c.mass.volume, volume, 0.02 * volume) << what;
  for (const Finding& g : test::surface_findings(p))
    ADD_FAILURE() << what << ": " << slug(g.kind) << " " << g.detail << " at "
                  << g.place.transpose() << " by " << g.measure;
}

// A rod along z, drilled through at some heights in some directions.
struct Drill {
  double height, angle, radius;
};
Drawing drilled_rod(double radius, double length, const std::vector<Drill>& drills,
                    double frame_turned) {
  Drawing d;
  const Vector z(0, 0, 1), x(std::cos(frame_turned), std::sin(frame_turned), 0);
  const std::uint32_t low = d.closed_edge(make_circle(along(Point::Zero(), z, x), radius)),
                      high = d.closed_edge(make_circle(along(z * length, z, x), radius));
  std::vector<Use> rod = {{low, true}, {high, false}};
  for (const Drill& drill : drills) {
    const Vector out(std::cos(drill.angle), std::sin(drill.angle), 0), side = z.cross(out);
    std::uint32_t rim[2];
    for (const int end : {0, 1}) {
      rim[end] = d.closed_edge(std::make_shared<CurveBy>([=](double t) {
        const double y = drill.radius * std::cos(t);
        return Point((end == 0 ? 1 : -1) * std::sqrt(radius * radius - y * y) * out + y * side +
                     (drill.height + drill.radius * std::sin(t)) * z);
      }));
    }
    // Counter-clockwise seen from where `out` points to.
    rod.push_back({rim[0], false});
    rod.push_back({rim[1], true});
    d.face(make_cylinder(along(z * drill.height, out, x), drill.radius), false,
           {{rim[0], true}, {rim[1], false}});
  }
  d.face(make_cylinder(along(Point::Zero(), z, x), radius), true, rod);
  d.face(make_plane(along(Point::Zero(), -z, x)), true, {{low, false}});
  d.face(make_plane(along(z * length, z, x)), true, {{high, true}});
  return d;
}
double drilled_volume(double radius, double length, const std::vector<Drill>& drills) {
  double volume = std::numbers::pi * radius * radius * length;
  for (const Drill& drill : drills) {
    // Over the angle at which a chord of the drill ends: smooth, and the sum exact.
    volume -= simpson(
        [&](double angle) {
          const double y = drill.radius * std::sin(angle);
          const double half = drill.radius * std::cos(angle);
          return 4 * std::sqrt(radius * radius - y * y) * half * half;
        },
        -std::numbers::pi / 2, std::numbers::pi / 2);
  }
  return volume;
}

TEST(Seamless, RodsWithHolesAnywhere) {
  Random random(7);
  for (int trial = 0; trial < 40; ++trial) {
    std::vector<Drill> drills;
    const std::size_t n = random.index(6);
    for (std::size_t i = 0; i < n; ++i)
      drills.push_back(
          {2.0 + 3.0 * static_cast<double>(i), kTurn * random.unit(), random.between(0.3, 1.4)});
    const double length = 3.0 * static_cast<double>(n) + 2;
    const Drawing d = drilled_rod(2, length, drills, kTurn * random.unit());
    expect_solid(d.model(), drilled_volume(2, length, drills), "rod " + std::to_string(trial));
  }
}

// Where loops do not say on which side their face is, it is told by what they enclose.
TEST(Seamless, LoopsWithoutDirectionMayRunEitherWay) {
  Random random(8);
  const std::vector<Drill> drills = {{2, 0.3, 1.2}, {5, 2.1, 0.7}};
  for (int trial = 0; trial < 16; ++trial) {
    Drawing d = drilled_rod(2, 8, drills, kTurn * random.unit());
    for (Face& face : d.body().faces) {
      face.loops_directed = false;
      const bool turned = random.chance(0.5);
      for (FaceLoop& loop : face.loops) loop.edges[0].forward ^= turned;
    }
    // Which way faces face is told by sewing; here it is only asked whether they are whole.
    SurfaceModel model = d.model();
    model.bodies[0].shells[0].meant_closed = false;
    const Model p = prepare(model);
    EXPECT_TRUE(p.sources[0].bodies[0]->troubles.empty());
    const Certificate c = certify(p);
    EXPECT_EQ(c.counts.naked_edges, 0u);
  }
}

TEST(Seamless, SpheresWithAHoleThroughThem) {
  Random random(9);
  for (int trial = 0; trial < 40; ++trial) {
    // The sphere's poles may lie in the hole, on its wall, or anywhere.
    const double radius = 3, hole = random.between(0.2, 2.5);
    const double half = std::sqrt(radius * radius - hole * hole);
    const Vector axis = trial == 0   ? Vector(0, 0, 1)
                        : trial == 1 ? Vector(1, 0, 0)
                                     : direction_by(random);
    const Vector x = direction_by(random);
    Drawing d;
    const std::uint32_t rim[2] = {d.closed_edge(make_circle(along(half * axis, axis, x), hole)),
                                  d.closed_edge(make_circle(along(-half * axis, axis, x), hole))};
    d.face(make_sphere(Frame{}, radius), true, {{rim[0], false}, {rim[1], true}});
    d.face(make_cylinder(along(Point::Zero(), axis, x), hole), false,
           {{rim[0], true}, {rim[1], false}});
    expect_solid(d.model(), 4 * std::numbers::pi / 3 * half * half * half,
                 "sphere " + std::to_string(trial));
  }
}

// A bore whose rounding at its foot turns upward: torus and bore begin at one circle, tangent, and
// go the same way. However small, facets of one must not come to lie beyond those of the other.
TEST(Seamless, CuspsBetweenTangentFaces) {
  constexpr double kOuter = 2, kBore = 1, kPi = std::numbers::pi;
  Random random(21);
  for (int trial = 0; trial < 60; ++trial) {
    const double round = random.between(0.1, 0.45), turn = kTurn * random.unit();
    Drawing d;
    const Vector z(0, 0, 1), x(std::cos(turn), std::sin(turn), 0);
    const auto circle = [&](double radius, double height) {
      return d.closed_edge(make_circle(along(height * z, z, x), radius));
    };
    const std::uint32_t foot = circle(kOuter, -1), head = circle(kOuter, 1),
                        mouth = circle(kBore, 1), cusp = circle(kBore, 0),
                        rest = circle(kBore - round, round);
    d.face(make_plane(along(-z, -z, x)), true, {{foot, false}});
    d.face(make_cylinder(along(Point::Zero(), z, x), kOuter), true, {{foot, true}, {head, false}});
    d.face(make_plane(along(z, z, x)), true, {{head, true}, {mouth, false}});
    d.face(make_cylinder(along(Point::Zero(), z, x), kBore), false, {{mouth, true}, {cusp, false}});
    d.face(make_torus(along(Point::Zero(), z, x), kBore - round, round), true,
           {{cusp, true}, {rest, false}});
    d.face(make_plane(along(round * z, z, x)), true, {{rest, true}});
    const double inner = kBore - round;
    const double below =
        kPi * inner * inner * round + 2 * kPi * round * round * (inner * kPi / 4 + round / 3);
    expect_solid(d.model(), 2 * kPi * kOuter * kOuter - kPi * kBore * kBore + below,
                 "cusp " + std::to_string(trial), 0.003 * std::pow(2.0, trial % 6));
  }
}

TEST(Seamless, SpheresWithFlats) {
  // Caps cut off by planes whose rims do not meet: each a hole in the sphere.
  Random random(10);
  for (int trial = 0; trial < 40; ++trial) {
    const double radius = 3;
    Drawing d;
    std::vector<Use> loops;
    std::vector<std::pair<Vector, double>> caps;
    double volume = 4 * std::numbers::pi / 3 * radius * radius * radius;
    for (int k = 0; k < 6; ++k) {
      const Vector n = trial == 0 ? Vector(k == 0, k == 1, k == 2) - Vector(k == 3, k == 4, k == 5)
                                  : direction_by(random);
      const double reach = random.between(0.1, 0.7);  // of the cap, as an angle
      bool apart = true;
      for (const auto& [m, other] : caps) apart &= std::acos(n.dot(m)) > reach + other + 0.05;
      if (!apart) continue;
      caps.emplace_back(n, reach);
      const double height = radius * (1 - std::cos(reach));
      volume -= std::numbers::pi * height * height * (radius - height / 3);
      const Vector x = direction_by(random);
      const std::uint32_t rim = d.closed_edge(
          make_circle(along(radius * std::cos(reach) * n, n, x), radius * std::sin(reach)));
      loops.push_back({rim, false});
      d.face(make_plane(along(radius * std::cos(reach) * n, n, x)), true, {{rim, true}});
    }
    d.face(make_sphere(Frame{}, radius), true, loops);
    expect_solid(d.model(), volume, "sphere " + std::to_string(trial));
  }
}

TEST(Seamless, ATorusWithAFlat) {
  const double major = 4, minor = 1.5, at = 5;
  const double last = std::acos((at - major) / minor);
  for (const double turned : {0.0, 0.4, 1.9, 3.14159, 5.0}) {
    Drawing d;
    const std::uint32_t rim = d.closed_edge(std::make_shared<CurveBy>([=](double t) {
      const double v = last * std::sin(t), r = major + minor * std::cos(v);
      const double u = std::acos(std::min(1.0, at / r)) * (std::cos(t) < 0 ? -1 : 1);
      return Point(at, r * std::sin(u), minor * std::sin(v));
    }));
    d.face(make_plane(along(Point(at, 0, 0), Vector(1, 0, 0), Vector(0, 1, 0))), true,
           {{rim, true}});
    d.face(make_torus(
               along(Point::Zero(), Vector(0, 0, 1), Vector(std::cos(turned), std::sin(turned), 0)),
               major, minor),
           true, {{rim, false}});
    const double cut = simpson(
        [&](double z) {
          const double r = major + std::sqrt(std::max(0.0, minor * minor - z * z));
          return r <= at ? 0 : r * r * std::acos(at / r) - at * std::sqrt(r * r - at * at);
        },
        -minor, minor);
    expect_solid(d.model(), 2 * std::numbers::pi * std::numbers::pi * major * minor * minor - cut,
                 "torus turned by " + std::to_string(turned));
  }
}

TEST(Seamless, ConesToTheirApexAndCutOff) {
  // Of base 2 and height 3, whole (with the apex as a loop of its own, or without) and cut at 2.
  const double angle = std::atan(2.0 / 3);
  const Vector z(0, 0, 1), x(0.6, 0.8, 0);
  for (const bool with_apex : {true, false}) {
    Drawing d;
    const std::uint32_t rim = d.closed_edge(make_circle(along(Point::Zero(), z, x), 2));
    d.face(make_plane(along(Point::Zero(), -z, x)), true, {{rim, false}});
    // The half angle opens along the axis: from the apex down.
    d.face(make_cone(along(Point::Zero(), -z, x), 2, angle), true, {{rim, true}});
    if (with_apex) {
      d.body().vertices.push_back({Point(0, 0, 3), 0});
      FaceLoop apex;
      apex.vertex = static_cast<std::uint32_t>(d.body().vertices.size() - 1);
      d.body().faces[1].loops.push_back(apex);
    }
    expect_solid(d.model(), 4 * std::numbers::pi, "cone");
  }
  Drawing d;
  const std::uint32_t rim = d.closed_edge(make_circle(along(Point::Zero(), z, x), 2)),
                      top = d.closed_edge(make_circle(along(2 * z, z, -x), 2.0 / 3));
  d.face(make_plane(along(Point::Zero(), -z, x)), true, {{rim, false}});
  d.face(make_plane(along(2 * z, z, x)), true, {{top, true}});
  d.face(make_cone(along(Point::Zero(), -z, x), 2, angle), true, {{top, false}, {rim, true}});
  expect_solid(d.model(), 4 * std::numbers::pi * (1 - 1.0 / 27), "frustum");
}

TEST(Seamless, WholeSurfacesWithoutAnyLoop) {
  for (const double turned : {0.0, 1.1}) {
    const Frame f =
        along(Point(1, 2, 3), Vector(std::sin(turned), 0, std::cos(turned)), Vector(0, 1, 0));
    Drawing ball, ring;
    ball.face(make_sphere(f, 2), true, {});
    expect_solid(ball.model(), 32 * std::numbers::pi / 3, "ball");
    ring.face(make_torus(f, 3, 1), true, {});
    expect_solid(ring.model(), 6 * std::numbers::pi * std::numbers::pi, "ring");
  }
}

// A loop that is a place only, where a file has to name one: at the corner of the domain, on one of
// its sides, at a pole, or inside.
TEST(Seamless, WholeSurfacesWithAVertexAsTheirLoop) {
  const double pi = std::numbers::pi;
  for (const auto& [surface, volume] : {std::pair(make_sphere(Frame{}, 2), 32 * pi / 3),
                                        std::pair(make_torus(Frame{}, 3, 1), 6 * pi * pi)}) {
    for (const auto& [u, v] :
         {std::pair(0.0, 0.0), std::pair(0.0, 1.0), std::pair(2.0, 0.0), std::pair(1.0, 1.2),
          std::pair(0.0, pi / 2), std::pair(1.0, -pi / 2)}) {
      Drawing d;
      d.face(surface, true, {});
      d.body().vertices.push_back({surface->point(u, v), 0});
      FaceLoop loop;
      loop.vertex = 0;
      d.body().faces[0].loops.push_back(loop);
      expect_solid(
          d.model(), volume,
          std::string(slug(surface->kind())) + " " + std::to_string(u) + " " + std::to_string(v));
    }
  }
}

TEST(Seamless, LoopsThatRunTheWrongWayAreTold) {
  // The planes at the ends, the rod's holes, and all of the rod's loops.
  const std::vector<Drill> drills = {{2, 0.3, 1.2}};
  for (int which = 0; which < 3; ++which) {
    Drawing d = drilled_rod(2, 4, drills, 1);
    const std::uint32_t face = which == 0 ? 2 : 1;
    std::vector<FaceLoop>& loops = d.body().faces[face].loops;
    for (std::size_t i = which == 1 ? 2 : 0; i < loops.size(); ++i)
      loops[i].edges[0].forward ^= true;
    const Model p = prepare(d.model());
    const std::vector<Finding> found = test::surface_findings(p);
    std::string all;
    for (const Finding& g : found) all += std::string(slug(g.kind)) + " " + g.detail + "; ";
    // Neighbours along these loops seem turned, too.
    std::size_t told = 0;
    for (const Finding& g : found) {
      EXPECT_EQ(g.kind, FindingKind::reversed_face) << all;
      if (g.detail.find("on its right") == std::string::npos &&
          g.detail.find("contradicts its loops") == std::string::npos)
        continue;
      ++told;
      EXPECT_EQ(g.face, face) << all;
    }
    EXPECT_EQ(told, 1u) << which << ": " << all;
    EXPECT_EQ(certify(p).counts.naked_edges, 0u) << which;
  }
}

}  // namespace seamless_test
}  // namespace aguja
