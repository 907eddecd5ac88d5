// Each kind of surface finding, seeded with a known size at a known place.

#include <cmath>
#include <numbers>

#include <gtest/gtest.h>

#include "tests/support/drawn_body.h"
#include "tests/support/random_mesh.h"
#include "tests/support/surface_findings.h"

namespace aguja {
namespace checks_test {

using test::Drawing;
using test::Random;

// A square of side 10 in z = 0, seen from above.
std::vector<Point> square(double size = 10, const Point& low = Point::Zero()) {
  return {low, low + Point(size, 0, 0), low + Point(size, size, 0), low + Point(0, size, 0)};
}
std::vector<Finding> found_in(const Drawing& drawing, const PrepareOptions& options = {}) {
  SurfaceModel model = drawing.model();
  model.bodies[0].shells[0].meant_closed = false;
  const Model p = prepare(std::move(model), options);
  return test::surface_findings(p);
}
// The one finding of a kind; all that is found, where it is not there.
const Finding* only(const std::vector<Finding>& found, FindingKind kind) {
  const Finding* one = nullptr;
  for (const Finding& g : found) {
    if (g.kind == kind && one != nullptr) ADD_FAILURE() << "twice: " << slug(kind);
    if (g.kind == kind) one = &g;
  }
  if (one == nullptr) {
    for (const Finding& g : found)
      ADD_FAILURE() << slug(kind) << " is not there; but " << slug(g.kind) << ": " << g.detail;
    EXPECT_FALSE(found.empty()) << slug(kind);
  }
  return one;
}

TEST(SurfaceChecks, ASoundFaceHasNone) {
  Drawing d;
  d.face_of_loops(make_plane(Frame{}), {d.loop_of(square())});
  for (const Finding& g : found_in(d)) ADD_FAILURE() << slug(g.kind) << ": " << g.detail;
}

TEST(SurfaceChecks, LoopsThatCrossThemselvesOrEachOther) {
  Drawing bow;
  bow.face_of_loops(make_plane(Frame{}),
                    {bow.loop_of({{0, 0, 0}, {10, 0, 0}, {0, 8, 0}, {10, 8, 0}})});
  const auto in_bow = found_in(bow);
  const Finding* crossing = only(in_bow, FindingKind::loop_crossing);
  ASSERT_NE(crossing, nullptr);
  EXPECT_EQ(crossing->face, 0u);
  EXPECT_EQ(crossing->entity, 3001u);

  Drawing over;
  FaceLoop hole = over.loop_of({{8, 4, 0}, {8, 6, 0}, {12, 6, 0}, {12, 4, 0}});
  over.face_of_loops(make_plane(Frame{}), {over.loop_of(square()), hole});
  const auto in_over = found_in(over);
  EXPECT_NE(only(in_over, FindingKind::loop_crossing), nullptr);
}

TEST(SurfaceChecks, EdgesOffTheirSurface) {
  Random random(3);
  for (int trial = 0; trial < 20; ++trial) {
    const double off = random.between(0.01, 0.5);
    Drawing d;
    std::vector<Point> points = square();
    for (Point& p : points) p.z() = trial % 2 == 0 ? off : -off;
    d.face_of_loops(make_plane(Frame{}), {d.loop_of(points)});
    const auto found = found_in(d);
    const Finding* f = only(found, FindingKind::edge_off_surface);
    ASSERT_NE(f, nullptr) << off;
    EXPECT_NEAR(f->measure, off, 1e-9);
    EXPECT_EQ(f->entity, 3001u);
    EXPECT_NEAR(std::fabs(f->place.z()), off, 1e-9);
    EXPECT_LT(f->limit, off);
  }
}

TEST(SurfaceChecks, VerticesOffTheirEdges) {
  Random random(4);
  for (int trial = 0; trial < 20; ++trial) {
    const double off = random.between(0.01, 0.5);
    Drawing d;
    const FaceLoop loop = d.loop_of(square());
    d.face_of_loops(make_plane(Frame{}), {loop});
    const Point moved = d.body().vertices[2].point + Point(off, 0, 0);
    d.body().vertices[2].point = moved;
    // Healing would make the ends meet, and with them the finding go.
    const auto found = found_in(d, {.heal = {}});
    const Finding* f = only(found, FindingKind::vertex_off_edge);
    ASSERT_NE(f, nullptr) << off;
    EXPECT_NEAR(f->measure, off, 1e-9);
    EXPECT_LT((f->place - moved).norm(), 1e-9);
    EXPECT_TRUE(f->entity == 2002u || f->entity == 2003u);
  }
}

TEST(SurfaceChecks, LoopsThatAreOpen) {
  Random random(5);
  for (int trial = 0; trial < 20; ++trial) {
    const double gap = random.between(0.05, 3);
    Drawing d;
    const std::vector<Point> points = square();
    FaceLoop loop;
    std::uint32_t first = d.vertex(points[0]), last = first;
    for (std::size_t i = 1; i < 4; ++i) {
      const std::uint32_t next = d.vertex(points[i]);
      loop.edges.push_back({d.line(last, next), true, nullptr});
      last = next;
    }
    // The fourth ends before it is back.
    loop.edges.push_back({d.line(last, d.vertex(Point(0, gap, 0))), true, nullptr});
    d.face_of_loops(make_plane(Frame{}), {loop});
    const auto found = found_in(d);
    const Finding* f = only(found, FindingKind::open_loop);
    ASSERT_NE(f, nullptr) << gap;
    EXPECT_NEAR(f->measure, gap, 1e-9);
    EXPECT_EQ(f->count, 1u);
  }
}

// Degree 1 along u: flat, then turned by an angle at the knot 1.
SurfacePtr folded(double angle) {
  KnotVector u, v;
  u.degree = v.degree = 1;
  u.knots = {0, 0, 1, 2, 2};
  v.knots = {0, 0, 1, 1};
  std::vector<Point> points;
  for (const Point& p :
       {Point(0, 0, 0), Point(5, 0, 0), Point(5 + 5 * std::cos(angle), 0, 5 * std::sin(angle))}) {
    points.push_back(p);
    points.push_back(p + Point(0, 10, 0));
  }
  return make_spline_surface(u, v, points);
}

TEST(SurfaceChecks, CreasesInsideOfASurface) {
  for (const double degrees : {0.5, 2.0, 30.0, 90.0}) {
    const double angle = degrees * std::numbers::pi / 180;
    Drawing d;
    d.face_of_loops(folded(angle), {});
    const auto found = found_in(d);
    if (degrees < 1) {
      EXPECT_TRUE(found.empty());
      continue;
    }
    const Finding* f = only(found, FindingKind::curvature_jump);
    ASSERT_NE(f, nullptr) << degrees;
    EXPECT_NEAR(f->measure, degrees, 1e-4);
    EXPECT_NEAR(f->place.x(), 5, 1e-4);
    EXPECT_EQ(f->entity, 3001u);
  }
}

TEST(SurfaceChecks, PlacesWithoutANormal) {
  // Rows of control points that fall on each other: the surface stands still along u, half-way.
  KnotVector u, v;
  u.degree = 1;
  v.degree = 1;
  u.knots = {0, 0, 1, 2, 3, 3};
  v.knots = {0, 0, 1, 1};
  std::vector<Point> points;
  for (const double x : {0.0, 4.0, 4.0, 8.0}) {
    points.emplace_back(x, 0, 0);
    points.emplace_back(x, 10, 0);
  }
  Drawing d;
  d.face_of_loops(make_spline_surface(u, v, points), {});
  const auto found = found_in(d);
  const Finding* f = only(found, FindingKind::singular_surface);
  ASSERT_NE(f, nullptr);
  EXPECT_NEAR(f->place.x(), 4, 1e-9);
}

TEST(SurfaceChecks, EdgesThatTheFileDoesNotShare) {
  Random random(6);
  for (int trial = 0; trial < 10; ++trial) {
    // Two squares side by side, apart by what sewing bridges.
    const double apart = random.between(0, 1e-4);
    Drawing d;
    d.face_of_loops(make_plane(Frame{}), {d.loop_of(square())});
    d.face_of_loops(make_plane(Frame{}), {d.loop_of(square(10, Point(10 + apart, 0, 0)))});
    const auto found = found_in(d, {.sew = 2e-4});
    const Finding* f = only(found, FindingKind::unshared_edge);
    ASSERT_NE(f, nullptr);
    EXPECT_EQ(f->count, 1u);
    EXPECT_NEAR(f->measure, apart, 1e-9);
    EXPECT_EQ(f->limit, 2e-4);
    // Without sewing they are two.
    EXPECT_TRUE(found_in(d, {.sew = 0.0}).empty());
  }
}

TEST(SurfaceChecks, FacesThatFaceAgainstTheirNeighbours) {
  // Two squares that share an edge, the second drawn from below.
  Drawing d;
  const FaceLoop first = d.loop_of(square());
  d.face_of_loops(make_plane(Frame{}), {first});
  const std::uint32_t a = 1, b = 2;  // the ends of the edge at x = 10
  const std::uint32_t c = d.vertex(Point(20, 0, 0)), e = d.vertex(Point(20, 10, 0));
  FaceLoop second;
  second.edges = {{first.edges[1].edge, true, nullptr},
                  {d.line(b, e), true, nullptr},
                  {d.line(e, c), true, nullptr},
                  {d.line(c, a), true, nullptr}};
  Frame down;
  down.z = -down.z;
  down.y = -down.y;
  d.face_of_loops(make_plane(down), {second});
  const auto found = found_in(d);
  const Finding* f = only(found, FindingKind::reversed_face);
  ASSERT_NE(f, nullptr);
  EXPECT_NEAR(f->measure, 100, 1e-9);
}

// A body that is used again and again is told of once, and where its first use is.
TEST(SurfaceChecks, RepeatedBodiesAreToldOnce) {
  Drawing d;
  d.face_of_loops(folded(0.5), {});
  SurfaceModel model = d.model();
  for (const double x : {100.0, 200.0}) {
    BodyInstance again = model.instances[0];
    again.placement.shift = Vector(x, 0, 0);
    model.instances.push_back(again);
  }
  model.instances[0].placement.shift = Vector(-50, 0, 0);
  const Model p = prepare(model);
  const auto found = test::surface_findings(p);
  const Finding* f = only(found, FindingKind::curvature_jump);
  ASSERT_NE(f, nullptr);
  EXPECT_NEAR(f->place.x(), -45, 1e-4);
  EXPECT_EQ(f->part_index, 0u);
}

}  // namespace checks_test
}  // namespace aguja
