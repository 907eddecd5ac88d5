// Bodies whose loops and edges are spoilt in known ways, healed, and held against what they were.

#include <cmath>
#include <set>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/solid/certificate.h"
#include "demo/surface_models.h"
#include "demo/surface_text.h"
#include "tests/support/random_mesh.h"
#include "tests/support/surface_findings.h"

namespace aguja {
namespace heal_test {

using test::Random;

SurfaceModel block() {
  return read_surface_model(
      {"x", demo::step_text(demo::raised_outline({{0, 0, 0}, {4, 0, 0}, {4, 3, 0}, {0, 3, 0}},
                                                 {{1, 1, 0.5}}, 0, 2))});
}
double volume_of(SurfaceModel model, const PrepareOptions& options = {}) {
  const Certificate c = certify(prepare(std::move(model), options));
  return c.verdict == Verdict::solid ? c.mass.volume : 0;
}
PrepareOptions with(std::vector<Healing> heal, double tolerance = 1e-3) {
  PrepareOptions options;
  options.heal = std::move(heal);
  options.sew = tolerance;
  return options;
}
bool has_seam(const FaceLoop& loop) {
  std::set<std::uint32_t> seen;
  for (const EdgeUseOfFace& u : loop.edges) {
    if (!seen.insert(u.edge).second) return true;
  }
  return false;
}
// A unit square patch at z = 0 as the only face, its four edges drawn one after another.
SurfaceModel patch() {
  SurfaceModel model;
  Body body;
  const std::array<Point, 4> corner = {Point(0, 0, 0), Point(1, 0, 0), Point(1, 1, 0),
                                       Point(0, 1, 0)};
  KnotVector k;
  k.knots = {0, 0, 1, 1};
  Face face;
  face.surface = make_spline_surface(k, k, {corner[0], corner[3], corner[1], corner[2]});
  face.entity = 7;
  FaceLoop loop;
  for (std::uint32_t i = 0; i < 4; ++i) {
    body.vertices.push_back({corner[i], 0});
    BodyEdge e{make_line(corner[i], corner[(i + 1) % 4] - corner[i]), 0, 1, i, (i + 1) % 4};
    e.entity = 10 + i;
    body.edges.push_back(e);
    loop.edges.push_back({i, true, nullptr});
  }
  face.loops.push_back(loop);
  body.faces.push_back(face);
  body.shells.push_back({{{0, true}}, false, false, 0});
  model.bodies.push_back(body);
  model.instances.emplace_back();
  return model;
}

TEST(Heal, LoopsInAnyOrderAndDirectionCloseAgain) {
  const double volume = volume_of(block());
  ASSERT_GT(volume, 20);
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    Random random(seed);
    SurfaceModel model = block();
    std::size_t spoilt = 0;
    for (Face& f : model.bodies[0].faces) {
      for (FaceLoop& l : f.loops) {
        if (l.edges.size() < 3 || has_seam(l)) continue;
        std::shuffle(l.edges.begin(), l.edges.end(), random.engine());
        // Fewer than half are turned: more would be the loop the other way round.
        l.edges[random.index(l.edges.size())].forward ^= random.chance(0.5);
        ++spoilt;
      }
    }
    ASSERT_GE(spoilt, 4u);
    EXPECT_NEAR(volume_of(model, with(safe_healings())), volume, 1e-9 * volume) << seed;
  }
}

TEST(Heal, WhatIsRefusedStaysAndIsTold) {
  SurfaceModel model = block();
  auto& faces = model.bodies[0].faces;
  const auto square = std::find_if(faces.begin(), faces.end(), [](const Face& f) {
    return f.loops.size() == 1 && f.loops[0].edges.size() == 4 && !has_seam(f.loops[0]);
  });
  ASSERT_NE(square, faces.end());
  std::swap(square->loops[0].edges[0], square->loops[0].edges[1]);
  const Model p = prepare(model, with({}));
  EXPECT_TRUE(p.sources[0].bodies[0]->healed.empty());
  const auto findings = test::surface_findings(p);
  const auto open = std::find_if(findings.begin(), findings.end(),
                                 [](const Finding& g) { return g.kind == FindingKind::open_loop; });
  ASSERT_NE(open, findings.end());
  EXPECT_NE(open->detail.find("in another order"), std::string::npos);
  EXPECT_EQ(open->entity, square->entity);
  // Healed, nothing is left to tell.
  const Model healed = prepare(model, with({Healing::loop_order}));
  ASSERT_EQ(healed.sources[0].bodies[0]->healed.size(), 1u);
  EXPECT_EQ(healed.sources[0].bodies[0]->healed[0].entity, square->loops[0].entity);
  EXPECT_TRUE(test::surface_findings(healed).empty());
}

TEST(Heal, LoopsThatBranchAreNotGuessed) {
  SurfaceModel model = patch();
  Body& body = model.bodies[0];
  // A fifth edge across from corner to corner.
  body.edges.push_back({make_line({0, 0, 0}, {1, 1, 0}), 0, 1, 0, 2});
  body.faces[0].loops[0].edges.insert(body.faces[0].loops[0].edges.begin() + 1, {4, true, {}});
  const HealResult result = heal(body, 1e-3, all_healings());
  EXPECT_TRUE(std::none_of(result.healed.begin(), result.healed.end(),
                           [](const Healed& h) { return h.healing == Healing::loop_order; }));
  ASSERT_FALSE(result.refused.empty());
  EXPECT_EQ(result.refused[0].healing, Healing::loop_order);
  EXPECT_EQ(result.refused[0].detail, "a vertex with 3 edges of the loop");
}

TEST(CheckSurfaces, ALoopThatPassesAVertexTwiceIsTold) {
  SurfaceModel model = patch();
  Body& body = model.bodies[0];
  body.faces[0].surface = make_plane(Frame{});
  // Two triangles that touch in the first corner, drawn in one go.
  const std::vector<Point> corners = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {-1, -1, 0}, {-1, 0, 0}};
  const std::vector<std::array<std::uint32_t, 2>> edges = {{0, 1}, {1, 2}, {2, 0},
                                                           {0, 4}, {4, 3}, {3, 0}};
  body.vertices.clear();
  body.edges.clear();
  for (const Point& p : corners) body.vertices.push_back({p, 0});
  auto& uses = body.faces[0].loops[0].edges;
  uses.clear();
  for (const auto& [a, b] : edges) {
    body.edges.push_back({make_line(corners[a], corners[b] - corners[a]), 0, 1, a, b});
    uses.push_back({static_cast<std::uint32_t>(uses.size()), true, nullptr});
  }
  const auto told = [&] {
    const Model p = prepare(model, with({}));
    for (const Finding& g : test::surface_findings(p)) {
      if (g.kind == FindingKind::open_loop &&
          g.detail.find("more than two edges") != std::string::npos) {
        EXPECT_LE(g.place.norm(), 1e-12);
        return true;
      }
    }
    return false;
  };
  EXPECT_TRUE(told());
  uses.resize(3);
  EXPECT_FALSE(told());
}

TEST(Heal, SeveralLoopsInOneAreParted) {
  SurfaceModel model = block();
  for (Face& f : model.bodies[0].faces) {
    if (f.loops.size() < 2) continue;
    for (std::size_t l = 1; l < f.loops.size(); ++l) {
      f.loops[0].edges.insert(f.loops[0].edges.end(), f.loops[l].edges.begin(),
                              f.loops[l].edges.end());
    }
    f.loops.resize(1);
  }
  const double volume = volume_of(block());
  EXPECT_EQ(volume_of(model, with({})), 0);
  EXPECT_NEAR(volume_of(model, with({Healing::loop_order})), volume, 1e-9 * volume);
}

TEST(Heal, GapsWithinTheToleranceCloseAndOthersStay) {
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    Random random(seed);
    SurfaceModel model = patch();
    Body& body = model.bodies[0];
    const double tolerance = 1e-3;
    std::size_t within = 0, beyond = 0;
    double largest = 0;
    for (std::uint32_t i = 0; i < 4; ++i) {
      const double by = random.chance(0.3) ? 2 * tolerance : random.between(0.1, 0.9) * tolerance;
      (by > tolerance ? beyond : within) += 1;
      if (by <= tolerance) largest = std::max(largest, by);
      body.vertices.push_back({body.vertices[i].point + Vector(0, 0, by), 0});
      body.edges[i].start = static_cast<std::uint32_t>(body.vertices.size() - 1);
    }
    const HealResult result = heal(body, tolerance, std::vector<Healing>{Healing::loop_gap});
    EXPECT_EQ(result.healed.size(), within);
    double told = 0;
    for (const Healed& h : result.healed) told = std::max(told, h.distance);
    EXPECT_DOUBLE_EQ(told, largest);
    std::size_t open = 0;
    const auto& edges = result.body.edges;
    for (std::uint32_t i = 0; i < 4; ++i) open += edges[i].end != edges[(i + 1) % 4].start;
    EXPECT_EQ(open, beyond);
    for (std::size_t v = 0; v < body.vertices.size(); ++v)
      EXPECT_EQ(result.body.vertices[v].point, body.vertices[v].point);
  }
}

TEST(Heal, ShortEdgesBecomeVertices) {
  const double volume = volume_of(block());
  SurfaceModel model = block();
  Body& body = model.bodies[0];
  // Straight edges are cut next to their ends.
  std::size_t cut = 0;
  for (std::uint32_t e = 0, n = static_cast<std::uint32_t>(body.edges.size()); e < n; ++e) {
    if (body.edges[e].curve->kind() != CurveKind::line) continue;
    const double t = body.edges[e].from + 1e-4 * (body.edges[e].to - body.edges[e].from);
    BodyEdge rest = body.edges[e];
    body.vertices.push_back({rest.curve->point(t), 0});
    const auto v = static_cast<std::uint32_t>(body.vertices.size() - 1);
    body.edges[e].to = rest.from = t;
    body.edges[e].end = rest.start = v;
    body.edges.push_back(rest);
    const auto added = static_cast<std::uint32_t>(body.edges.size() - 1);
    for (Face& f : body.faces) {
      for (FaceLoop& l : f.loops) {
        for (std::size_t i = 0; i < l.edges.size(); ++i) {
          if (l.edges[i].edge != e) continue;
          const bool forward = l.edges[i].forward;
          l.edges.insert(l.edges.begin() + static_cast<std::ptrdiff_t>(forward ? i + 1 : i),
                         {added, forward, nullptr});
          ++i;
        }
      }
    }
    ++cut;
  }
  ASSERT_GE(cut, 12u);
  const HealResult result = heal(body, 1e-3, std::vector<Healing>{Healing::short_edge});
  EXPECT_EQ(result.healed.size(), cut);
  EXPECT_TRUE(result.refused.empty());
  EXPECT_NEAR(volume_of(model, with(safe_healings())), volume, 1e-3);
  // Edges longer than the tolerance are features.
  EXPECT_TRUE(heal(body, 1e-5, std::vector<Healing>{Healing::short_edge}).healed.empty());
}

TEST(Heal, ATinyHoleIsNotLost) {
  SurfaceModel model = patch();
  Body& body = model.bodies[0];
  Frame f;
  f.origin = {0.5, 0.5, 0};
  body.vertices.push_back({{0.5001, 0.5, 0}, 0});
  body.edges.push_back({make_circle(f, 1e-4), 0, 2 * std::acos(-1.0), 4, 4});
  FaceLoop hole;
  hole.edges.push_back({4, false, nullptr});
  body.faces[0].loops.push_back(hole);
  const HealResult result = heal(body, 1e-2, std::vector<Healing>{Healing::short_edge});
  EXPECT_TRUE(result.healed.empty());
  ASSERT_EQ(result.refused.size(), 1u);
  EXPECT_EQ(result.body.faces[0].loops.size(), 2u);
}

TEST(Heal, CurvesAreMadeFromEachOther) {
  SurfaceModel model = patch();
  Body& body = model.bodies[0];
  // Edge 0 arches off the surface by 0.3 in space; its curve in parameters is right. That of edge 1
  // is wrong by 0.1.
  body.edges[0].curve = make_polyline({{0, 0, 0}, {0.5, 0, 0.3}, {1, 0, 0}});
  body.edges[0].to = 2;
  auto& uses = body.faces[0].loops[0].edges;
  uses[0].in_parameters = make_polyline({{0, 0, 0}, {1, 0, 0}});
  uses[1].in_parameters = make_polyline({{1, 0, 0}, {0.9, 0.5, 0}, {1, 1, 0}});
  const double tolerance = 1e-4;
  const HealResult safe = heal(body, tolerance, safe_healings());
  ASSERT_EQ(safe.healed.size(), 2u);  // of edge 0 too: the one in space counts
  for (const Healed& h : safe.healed) EXPECT_EQ(h.healing, Healing::parameter_curve);

  const HealResult all = heal(body, tolerance, all_healings());
  ASSERT_EQ(all.healed.size(), 2u);
  EXPECT_EQ(all.healed[0].healing, Healing::space_curve);
  EXPECT_EQ(all.healed[0].entity, 10u);
  EXPECT_GT(all.healed[0].distance, 0.1);
  const BodyEdge& edge = all.body.edges[0];
  for (int i = 0; i <= 10; ++i) {
    const Point p = edge.curve->point(edge.from + (edge.to - edge.from) * i / 10);
    EXPECT_LE((p - Point(0.1 * i, 0, 0)).norm(), 1e-9);
  }
  EXPECT_EQ(all.healed[1].healing, Healing::parameter_curve);
  EXPECT_NEAR(all.healed[1].distance, 0.08, 0.025);
  const CurvePtr flat = all.body.faces[0].loops[0].edges[1].in_parameters;
  const Interval d = flat->domain();
  for (int i = 0; i <= 10; ++i) EXPECT_NEAR(flat->point(d.low + d.width() * i / 10).x(), 1, 1e-9);
}

TEST(Heal, AFaceWithoutUsableLoopsGetsItsNaturalBounds) {
  SurfaceModel model = patch();
  model.bodies[0].faces[0].loops[0].edges.resize(2);
  const auto area = [&](const std::vector<Healing>& healings) {
    const Model p = prepare(model, with(healings));
    if (p.parts.empty()) return 0.0;
    double sum = 0;
    const Mesh& m = p.parts[0].mesh();
    for (const Triangle& t : m.triangles)
      sum += 0.5 * (m.point(t[1]) - m.point(t[0])).cross(m.point(t[2]) - m.point(t[0])).norm();
    return sum;
  };
  EXPECT_NEAR(area(safe_healings()), 0.5, 1e-9);  // as if the loop went straight back
  EXPECT_NEAR(area({Healing::natural_bounds}), 1, 1e-9);
  const HealResult result =
      heal(model.bodies[0], 1e-3, std::vector<Healing>{Healing::natural_bounds});
  ASSERT_EQ(result.healed.size(), 1u);
  EXPECT_EQ(result.healed[0].entity, 7u);
  // A plane has no bounds of its own.
  model.bodies[0].faces[0].surface = make_plane(Frame{});
  const HealResult plane =
      heal(model.bodies[0], 1e-3, std::vector<Healing>{Healing::natural_bounds});
  EXPECT_TRUE(plane.healed.empty());
  ASSERT_EQ(plane.refused.size(), 1u);
}

// ---- Missing faces.

TEST(ClosePlanes, EachMissingPlaneComesBackWithItsHoles) {
  const SurfaceModel whole = read_surface_model({"x", demo::step_text(demo::draw_clamp())});
  const double volume = volume_of(whole);
  std::size_t closed = 0;
  for (std::uint32_t gone = 0; gone < whole.bodies[0].faces.size(); ++gone) {
    SurfaceModel model = whole;
    Body& body = model.bodies[0];
    if (body.faces[gone].surface->kind() != SurfaceKind::plane) continue;
    const std::size_t loops = body.faces[gone].loops.size();
    for (BodyShell& s : body.shells)
      std::erase_if(s.faces, [&](const BodyShell::Use& u) { return u.face == gone; });
    body.faces[gone].loops.clear();
    // As a reader leaves it: without the face.
    body.faces.erase(body.faces.begin() + gone);
    for (BodyShell& s : body.shells) {
      for (BodyShell::Use& u : s.faces) u.face -= u.face > gone;
    }
    EXPECT_EQ(volume_of(model), 0) << "open unless asked";
    PrepareOptions options = with(safe_healings());
    options.close_planes = true;
    const Model p = prepare(model, options);
    ASSERT_EQ(p.sources[0].bodies[0]->closed.size(), 1u) << gone;
    EXPECT_EQ(p.sources[0].bodies[0]->closed[0].loops, loops);
    const Certificate c = certify(p);
    EXPECT_EQ(c.verdict, Verdict::solid) << gone;
    EXPECT_NEAR(c.mass.volume, volume, 1e-9 * volume);
    closed += loops;
  }
  EXPECT_GE(closed, 4u);
}

TEST(ClosePlanes, SheetsAndCurvedRimsStayOpen) {
  SurfaceModel sheet = patch();
  EXPECT_EQ(close_planes(sheet.bodies[0], 1e-3).closed.size(), 1u)
      << "a spline patch is not known to be a plane";
  sheet = patch();
  sheet.bodies[0].faces[0].surface = make_plane(Frame{});
  EXPECT_TRUE(close_planes(sheet.bodies[0], 1e-3).closed.empty());
  sheet = patch();
  sheet.bodies[0].edges[0].curve = make_polyline({{0, 0, 0}, {0.5, 0, 0.3}, {1, 0, 0}});
  sheet.bodies[0].edges[0].to = 2;
  EXPECT_TRUE(close_planes(sheet.bodies[0], 1e-3).closed.empty());
}

TEST(Heal, LeavesCleanBodiesAlone) {
  for (const auto& drawn : {demo::draw_pod(), demo::draw_clamp()}) {
    const SurfaceModel model = read_surface_model({"x", demo::step_text(drawn)});
    const HealResult result = heal(model.bodies[0], 1e-3, all_healings());
    EXPECT_TRUE(result.healed.empty());
    EXPECT_TRUE(result.refused.empty());
  }
}

TEST(Heal, NamesAndWrongValues) {
  for (const Healing h : all_healings()) EXPECT_EQ(parse_healing(slug(h)), h);
  EXPECT_EQ(parse_healing("weld"), std::nullopt);
  EXPECT_THROW(static_cast<void>(heal(Body{}, -1, all_healings())), ArgumentError);
  EXPECT_THROW(static_cast<void>(heal(Body{}, std::nan(""), all_healings())), ArgumentError);
  EXPECT_THROW(static_cast<void>(heal(Body{}, 1e-3, all_healings(), 2e-3)), ArgumentError);
}

}  // namespace heal_test
}  // namespace aguja
