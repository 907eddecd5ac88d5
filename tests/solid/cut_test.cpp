#include "aguja/solid/cut.h"

#include <map>
#include <numbers>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/solid/cut_model.h"
#include "aguja/solid/measure.h"
#include "aguja/solid/set_operation.h"
#include "tests/support/convex_volume.h"
#include "tests/support/crossing_soups.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"
#include "tests/support/stop_after.h"

namespace aguja {
namespace cut_test {

using test::box_between;
using test::is_solid;
using test::joined;
using test::Random;
using test::volume_of;

CutPlane across(int axis, double at) {
  CutPlane plane{Point::Zero(), Vector::Unit(axis)};
  plane.through[axis] = at;
  return plane;
}

double area_of(const Mesh& mesh) { return measure_parts(test::model_of(mesh))[0].mass.area; }

// Empty or solid (bodies that are cut may meet in an edge or a vertex), and together what was there.
void expect_pieces(const Mesh& whole, const CutResult& cut, bool may_meet = false) {
  ASSERT_EQ(cut.problem, "");
  double volume = 0;
  for (const CutSide& side : cut.sides) {
    if (side.mesh.triangles.empty()) continue;
    if (may_meet) {
      const Welded welded(side.mesh);
      EXPECT_TRUE(find_crossings(welded).empty());
      const EdgeTable edges(welded.triangles(), welded.points().size());
      EXPECT_EQ(count_edges(edges).unbalanced, 0u);
    } else {
      EXPECT_TRUE(is_solid(side.mesh));
    }
    volume += volume_of(side.mesh);
    ASSERT_EQ(side.parent.size(), side.mesh.triangles.size());
    ASSERT_EQ(side.vertex_now.size(), whole.points.size());
    for (std::size_t v = 0; v < whole.points.size(); ++v) {
      const VertexId now = side.vertex_now[v];
      if (now.value == kNoIndex) continue;
      EXPECT_EQ(side.mesh.point(now), whole.points[v]);
    }
  }
  EXPECT_NEAR(volume, volume_of(whole), 1e-9 * std::abs(volume_of(whole)));
}

TEST(PlaneCut, SectionOfATubeIsARing) {
  constexpr int kAround = 48;
  const double outer = 10, inner = 7, height = 30;
  const Mesh tube = joined(test::cylinder(kAround, 4, outer, height), test::turned([&] {
                             Mesh bore = test::cylinder(kAround, 1, inner, height - 4);
                             for (Point& p : bore.points) p.z() += 2;
                             return bore;
                           }()));
  const CutResult cut = cut_by_plane(tube, across(2, 11.3));
  expect_pieces(tube, cut);
  // Regular polygons: area n/2 r² sin(2 pi/n), second moment about a middle axis
  // A r² / 12 (2 + cos(2 pi/n)).
  const double turn = 2 * std::numbers::pi / kAround;
  const auto area = [&](double r) { return kAround / 2.0 * r * r * std::sin(turn); };
  const auto moment = [&](double r) { return area(r) * r * r / 12 * (2 + std::cos(turn)); };
  ASSERT_EQ(cut.section.outlines.size(), 2u);
  EXPECT_NEAR(cut.section.outlines[0].area, area(outer), 1e-9);
  EXPECT_NEAR(cut.section.outlines[1].area, -area(inner), 1e-9);
  EXPECT_NEAR(cut.section.area, area(outer) - area(inner), 1e-9);
  EXPECT_NEAR((cut.section.centroid - Point(0, 0, 11.3)).norm(), 0, 1e-9);
  for (const double m : cut.section.main_moments()) {
    EXPECT_NEAR(m, moment(outer) - moment(inner), 1e-8);
  }
}

TEST(PlaneCut, ATiltedSectionHasItsArea) {
  // Of a box by a plane through its axis, turned about y.
  const Mesh box = test::grid_box(5, {4, 6, 10});
  for (const double angle : {0.1, 0.35, 0.6}) {
    const CutPlane plane{{2, 3, 5}, {7 * std::sin(angle), 0, 7 * std::cos(angle)}};
    const CutResult cut = cut_by_plane(box, plane);
    expect_pieces(box, cut);
    const double width = std::min(4 / std::cos(angle), 10 / std::sin(angle));
    EXPECT_NEAR(cut.section.area, 6 * width, 1e-9);
    EXPECT_NEAR(cut.section.main_moments()[0], 6 * std::pow(width, 3) / 12, 1e-7);
    EXPECT_NEAR(cut.section.main_moments()[1], width * std::pow(6, 3) / 12, 1e-7);
    EXPECT_LT(cut.off_plane, 1e-12);
  }
}

TEST(PlaneCut, FacesInThePlaneStayWithTheMaterialBehindThem) {
  // Two steps; the plane runs along the lower one.
  const Mesh stairs =
      test::extruded({{0, 0, 0}, {8, 0, 0}, {8, 2, 0}, {4, 2, 0}, {4, 5, 0}, {0, 5, 0}}, 3);
  const CutResult cut = cut_by_plane(stairs, across(1, 2));
  expect_pieces(stairs, cut);
  EXPECT_NEAR(volume_of(cut.sides[0].mesh), 8 * 2 * 3, 1e-12);
  EXPECT_NEAR(volume_of(cut.sides[1].mesh), 4 * 3 * 3, 1e-12);
  EXPECT_NEAR(cut.section.area, 4 * 3, 1e-12);
  // Along the outermost faces nothing is cut.
  for (const double at : {0.0, 5.0}) {
    const CutResult none = cut_by_plane(stairs, across(1, at));
    expect_pieces(stairs, none);
    EXPECT_TRUE(none.section.outlines.empty());
    EXPECT_TRUE(none.sides[at == 0 ? 0 : 1].mesh.triangles.empty());
    EXPECT_EQ(test::facets(none.sides[at == 0 ? 1 : 0].mesh), test::facets(stairs));
  }
}

// Convex bodies by planes of all kinds: through vertices, edges and faces, far off, tiny.
TEST(PlaneCut, VolumesAreThoseOfExactArithmetic) {
  for (std::uint64_t seed = 0; seed < 400; ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    const bool grid = random.chance(0.5);
    const auto coordinate = [&] {
      return grid ? static_cast<double>(random.index(5)) : random.between(0, 4);
    };
    const auto place = [&] { return Point(coordinate(), coordinate(), coordinate()); };
    Mesh body;
    if (random.chance(0.5)) {
      const Point low = place();
      body = box_between(low, low + Point(1, 2, 1) + place(), random.bits());
    } else {
      std::array<Point, 4> corner{};
      do {
        for (Point& p : corner) p = place();
      } while (
          std::abs(
              (corner[1] - corner[0]).cross(corner[2] - corner[0]).dot(corner[3] - corner[0])) <
          0.5);
      body = test::tetrahedron(corner);
    }
    const double scale = random.chance(0.3) ? 1e-7 : random.chance(0.3) ? 1e5 : 1;
    const Vector off = random.chance(0.3) ? Vector(3e4, -1e5, 7e4) : Vector(0, 0, 0);
    for (Point& p : body.points) p = scale * (p + off);
    CutPlane plane{scale * (place() + off), Vector::Unit(static_cast<int>(random.index(3)))};
    if (random.chance(0.3)) plane.normal = -plane.normal;
    if (random.chance(0.6)) {
      // Through three places, among them vertices.
      std::array<Point, 3> at{};
      for (Point& p : at) {
        p = random.chance(0.6) ? body.points[random.index(body.points.size())]
                               : Point(scale * (place() + off));
      }
      const Vector normal = (at[1] - at[0]).cross(at[2] - at[0]);
      if (normal.norm() > 1e-2 * scale * scale) plane = {at[0], normal};
    }
    const CutResult cut = cut_by_plane(body, plane);
    expect_pieces(body, cut);
    const auto v = [](const Point& p) { return test::rational(p); };
    const test::ConvexBody below{{{v(plane.through), v(plane.normal)}}};
    const double exact = test::common_volume({test::convex_body(body), below}).get_d();
    const double extent = box_of(body).diagonal(), far = box_of(body).high.cwiseAbs().maxCoeff();
    const double given = volume_of(body);
    // Planes through rounded places pass vertices by a rounding of their coordinates.
    const double allowed = 1e-9 * given + 1e-14 * far * extent * extent;
    EXPECT_NEAR(volume_of(cut.sides[0].mesh), exact, allowed);
    // The cap is the section.
    double cap = 0;
    const Mesh& mesh = cut.sides[0].mesh;
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
      if (cut.sides[0].parent[t].value != kNoIndex) continue;
      const Triangle& c = mesh.triangles[t];
      cap +=
          0.5 *
          (mesh.point(c[1]) - mesh.point(c[0])).cross(mesh.point(c[2]) - mesh.point(c[0])).norm();
    }
    EXPECT_NEAR(cap, cut.section.area, 1e-9 * extent * extent);
  }
}

TEST(PlaneCut, ShellsIslandsAndCavitiesAtAnyAngle) {
  for (std::uint64_t seed = 0; seed < 60; ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    Mesh body = test::torus(40, 17, 9, 3);
    body = joined(body, test::turned(test::torus(40, 13, 9, 1.5)));
    body = joined(body, test::sphere(9, 0.7, Point(9, 0, 0)));
    body = joined(body, test::grid_box(3, {2, 3, 4}));
    const Eigen::AngleAxisd turn(random.between(0, 3), Vector::Random().normalized());
    if (random.chance(0.5)) {
      for (Point& p : body.points) p = turn * p;
    }
    CutPlane plane{0.3 * Vector(random.unit(), random.unit(), random.unit()),
                   Vector(random.between(-1, 1), random.between(-1, 1), random.between(-1, 1))};
    if (random.chance(0.3)) plane = across(static_cast<int>(random.index(3)), 0);
    if (random.chance(0.3)) plane.through = body.points[random.index(body.points.size())];
    const bool to_float = random.chance(0.3);
    if (to_float) {
      for (Point& p : body.points) p = rounded_to_float(p);
    }
    const CutResult cut = cut_by_plane(body, plane, {.to_float = to_float});
    if (!to_float) {
      expect_pieces(body, cut);
    } else {
      ASSERT_EQ(cut.problem, "");
      for (const CutSide& side : cut.sides) {
        EXPECT_TRUE(is_solid(side.mesh));
        for (const Point& p : side.mesh.points) EXPECT_EQ(p, rounded_to_float(p));
      }
    }
    EXPECT_FALSE(cut.section.is_open());
    double around = 0;
    for (const SectionOutline& o : cut.section.outlines) around += o.length;
    EXPECT_NEAR(around, cut.section.length, 1e-9);
  }
}

TEST(PlaneCut, OpenSurfacesAreCutOpen) {
  const Mesh sheet =
      test::without(test::torus(32, 16, 9, 3), [](const Point& p) { return p.y() > 4; });
  const CutPlane plane{{0.5, -1, 0}, {1, 0.3, 0.1}};
  const CutResult refused = cut_by_plane(sheet, {{0, 3.9, 0}, {0.05, 1, 0}});
  EXPECT_NE(refused.problem.find("open"), std::string::npos);
  const CutResult cut = cut_by_plane(sheet, plane, {.capped = false});
  ASSERT_EQ(cut.problem, "");
  EXPECT_NEAR(area_of(cut.sides[0].mesh) + area_of(cut.sides[1].mesh), area_of(sheet), 1e-9);
  EXPECT_GT(cut.section.length, 0);
  // A section that ends at the rim has no area.
  const CutResult through = cut_by_plane(sheet, {{0, 3.9, 0}, {0.05, 1, 0}}, {.capped = false});
  ASSERT_EQ(through.problem, "");
  EXPECT_TRUE(through.section.is_open());
  EXPECT_EQ(through.section.area, 0);
}

TEST(PlaneCut, SaysWhyNothingIsMade) {
  const Mesh box = box_between({0, 0, 0}, {2, 2, 2});
  EXPECT_NE(cut_by_plane(test::turned(box), across(0, 1)).problem.find("inward"),
            std::string::npos);
  const Mesh twice = joined(box, box_between({0.5, 0.5, 0.5}, {1.5, 1.5, 1.5}));
  EXPECT_NE(cut_by_plane(twice, across(0, 1)).problem.find("more than once"), std::string::npos);
  const Mesh crossing = joined(box, box_between({1, 1, 1}, {3, 3, 3}));
  EXPECT_NE(cut_by_plane(crossing, across(0, 1.5)).problem.find("crosses itself"),
            std::string::npos);
  EXPECT_THROW((void)cut_by_plane(box, {{0, 0, 0}, {0, 0, 0}}), ArgumentError);
  // Where nothing of that is cut, it is not asked for.
  EXPECT_EQ(cut_by_plane(crossing, across(0, 0.5)).problem, "");
}

TEST(PlaneCut, VerticesWithinTheToleranceAreOnThePlane) {
  Mesh box = test::grid_box(4, {4, 4, 4});
  Random random(3);
  for (Point& p : box.points) {
    if (p.z() == 2) p.z() += random.between(-1e-4, 1e-4);
  }
  const CutResult cut = cut_by_plane(box, across(2, 2), {.on_within = 2e-4});
  ASSERT_EQ(cut.problem, "");
  for (const CutSide& side : cut.sides) {
    EXPECT_TRUE(is_solid(side.mesh));
    EXPECT_LE(side.mesh.points.size(), box.points.size());
  }
  EXPECT_GT(cut.off_plane, 1e-5);
}

TEST(BodyCut, IsIntersectionAndDifference) {
  for (std::uint64_t seed = 0; seed < 30; ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    const Mesh model = joined(test::torus(24, 12, 5, 2), test::turned(test::torus(24, 12, 5, 1)));
    const bool grid = random.chance(0.4);
    const auto at = [&](double low, double high) {
      return grid ? std::round(random.between(low, high)) : random.between(low, high);
    };
    const Box box{{at(-6, 0), at(-6, 0), at(-3, 0)}, {at(1, 7), at(1, 7), at(1, 3)}};
    const Mesh body = body_of(box);
    ASSERT_TRUE(is_solid(body));
    const CutResult cut = cut_by_body(model, body);
    expect_pieces(model, cut, grid);
    const std::vector<SetOperand> operands = {{"model", {Part("model", model)}},
                                              {"body", {Part("body", body)}}};
    const SetOperationResult inside = combine_solids(operands, SetOperation::intersection);
    EXPECT_NEAR(volume_of(cut.sides[0].mesh), volume_of(inside.part->mesh()), 1e-9);
    // Cut open: the same without the caps.
    const CutResult open = cut_by_body(model, body, {.capped = false});
    ASSERT_EQ(open.problem, "");
    EXPECT_NEAR(area_of(open.sides[0].mesh) + area_of(open.sides[1].mesh), area_of(model), 1e-9);
    for (std::size_t side = 0; side < 2; ++side) {
      Mesh walls = cut.sides[side].mesh;
      SharedArray<Triangle> kept;
      for (std::size_t t = 0; t < walls.triangles.size(); ++t) {
        if (cut.sides[side].parent[t].value != kNoIndex) kept.push_back(walls.triangles[t]);
      }
      walls.triangles = kept;
      walls.patch_of = {};
      EXPECT_NEAR(area_of(open.sides[side].mesh), area_of(walls), 1e-9);
    }
  }
}

TEST(BodyCut, SheetsAreCutOpenWhereTheyEndInside) {
  const Mesh sheet = test::without(test::sphere(24, 3), [](const Point& p) { return p.z() > 1; });
  const Mesh body = body_of({{-1, -4, -1}, {5, 4, 2}});
  const CutResult cut = cut_by_body(sheet, body, {.capped = false});
  ASSERT_EQ(cut.problem, "");
  EXPECT_GT(area_of(cut.sides[0].mesh), 1);
  EXPECT_NEAR(area_of(cut.sides[0].mesh) + area_of(cut.sides[1].mesh), area_of(sheet), 1e-9);
  for (const Point& p : cut.sides[0].mesh.points) {
    EXPECT_TRUE(p.x() >= -1 - 1e-12 && p.z() >= -1 - 1e-12);
  }
  EXPECT_NE(cut_by_body(sheet, body).problem.find("open"), std::string::npos);
}

TEST(BodyCut, SweptOutlines) {
  const std::vector<Point> outline = {{1, 1, 7}, {5, 1, 7}, {5, 2, 9},
                                      {2, 2, 3}, {2, 4, 1}, {1, 4, 2}};
  const Mesh box = box_between({0, 0, 0}, {6, 6, 2});
  for (const bool backwards : {false, true}) {
    std::vector<Point> way = outline;
    if (backwards) std::reverse(way.begin(), way.end());
    for (const double sign : {-2.0, 3.0}) {
      const Mesh body = swept_outline(way, {0, 0, sign}, box_of(box));
      EXPECT_TRUE(is_solid(body));
      const CutResult cut = cut_by_body(box, body);
      expect_pieces(box, cut);
      EXPECT_NEAR(volume_of(cut.sides[0].mesh), (4 + 2) * 2, 1e-9);
    }
  }
  EXPECT_THROW((void)swept_outline(std::vector<Point>{{0, 0, 0}, {2, 2, 0}, {2, 0, 0}, {0, 2, 0}},
                                   {0, 0, 1}, box_of(box)),
               ArgumentError);
  EXPECT_THROW((void)swept_outline(outline, {0, 0, 0}, box_of(box)), ArgumentError);
}

TEST(CutModel, PiecesAreNamedBySideAndCapsByCutter) {
  Model model;
  model.parts = {Part("bar", box_between({0, 0, 0}, {9, 2, 2})),
                 Part("knob", box_between({0, 0, 5}, {1, 1, 6}))};
  const std::vector<Cutter> cutters = {parse_cutter("x=3mm", model, 0),
                                       parse_cutter("box:-1,1,-1,20,5,20", model, 0)};
  const CutModel cut = cut_model(model, cutters);
  std::map<std::string, double> volume;
  for (const Part& p : cut.model.parts) volume[p.name] = volume_of(p.mesh());
  const std::map<std::string, double> expected = {{"bar below x=3mm, inside box", 6},
                                                  {"bar below x=3mm, outside box", 6},
                                                  {"bar above x=3mm, inside box", 12},
                                                  {"bar above x=3mm, outside box", 12},
                                                  {"knob", 1}};
  EXPECT_EQ(volume, expected);
  EXPECT_EQ(cut.cut, std::vector<std::string>{"bar"});
  EXPECT_EQ(cut.sections.size(), 1u);
  const Part& first = cut.model.parts[0];
  EXPECT_EQ(first.patch_names(), (std::vector<std::string>{"bar", "cut x=3mm", "cut box"}));
  // One side only keeps the name; a plane along a face cuts nothing.
  CutModelOptions options;
  options.keep = *parse_kept_sides("above", std::span(cutters).first(1));
  const CutModel one = cut_model(model, std::span(cutters).first(1), options);
  ASSERT_EQ(one.model.parts.size(), 1u);
  EXPECT_EQ(one.model.parts[0].name, "bar");
  EXPECT_EQ(one.left_out, (std::vector<std::string>{"bar below x=3mm", "knob"}));
  EXPECT_FALSE(parse_kept_sides("above", cutters));
  EXPECT_TRUE(cut_model(model, std::vector{parse_cutter("z=2", model, 0)}).cut.empty());
  // The plane of a patch is as exact as the patch.
  const Cutter lid = parse_cutter("patch:8", model, 1e-9);
  EXPECT_TRUE(std::get<CutPlane>(lid.by).axis() >= 0);
}

TEST(Cut, CanBeStoppedAtEveryPlace) {
  const Mesh body = test::torus(24, 12, 5, 2);
  const Mesh box = body_of({{0, 0, 0}, {9, 9, 9}});
  int stopped = 0;
  bool ended = false;
  for (int calls = 0; calls < 10000 && !ended; calls += 1 + calls / 8) {
    test::StopAfter progress(calls);
    try {
      (void)cut_by_plane(body, across(0, 1), {}, &progress);
      (void)cut_by_body(body, box, {}, &progress);
      ended = true;
    } catch (const Cancelled&) {
      ++stopped;
    }
  }
  EXPECT_GT(stopped, 3);
  EXPECT_TRUE(ended);
}

}  // namespace cut_test
}  // namespace aguja
