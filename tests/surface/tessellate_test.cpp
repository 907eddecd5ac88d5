// Bodies whose volume and area are known in closed form, through STEP and IGES text, sewn and
// divided.

#include <cmath>
#include <numbers>

#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>
#include <Eigen/Geometry>

#include "aguja/formats/read.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/inspect/inspect.h"
#include "aguja/solid/certificate.h"
#include "demo/surface_models.h"
#include "demo/surface_text.h"
#include "surface/face_mesh.h"
#include "tests/support/drawn_body.h"
#include "tests/support/random_mesh.h"
#include "tests/support/sanitized.h"
#include "tests/support/stop_after.h"
#include "tests/support/surface_findings.h"

namespace aguja {
namespace tessellate_test {

using demo::DrawnBody;
using test::Random;

Model prepared(const std::string& text, const PrepareOptions& options = {}) {
  return prepare(read_surface_model({"x", text}), options);
}

// Profiles with planes, cylinders, cones, tori and spheres; outlines with arcs and holes.
std::vector<DrawnBody> bodies() {
  std::vector<DrawnBody> all = {
      demo::turned_profile({{0, 0, 0}, {3, 0, 0}, {3, 5, 0}, {0, 5, 0}}),
      demo::turned_profile({{0, 0, 0}, {3, 0, 0}, {0, 5, 0}}),
      demo::turned_profile({{0, -2, 2}, {0, 2, 0}}),
      demo::turned_profile({{4, 0, 1}, {6, 0, 1}}),
      demo::turned_profile({{2, 0, 0}, {5, 0, 0}, {4, 3, 0}, {3, 3, 0}}),
      demo::raised_outline({{0, 0, 0}, {4, 0, 0}, {4, 3, 0}, {0, 3, 0}}, {{1, 1, 0.5}, {3, 2, 0.4}},
                           0, 2),
      demo::raised_outline({{-2, 0, 0}, {2, 0, 2}, {-2, 0, 0}}, {}, -1, 1),
      demo::draw_clamp(),
      demo::draw_pod()};
  all.erase(all.begin() + 6);  // a corner is named twice: drawn below
  all.push_back(demo::raised_outline({{-2, 0, 0}, {2, 0, 2}}, {{0, 0.8, 0.3}}, -1, 1));
  for (DrawnBody& b : all) b.name = "body";
  return all;
}

// Centroids and inertia of the surfaces themselves, whatever the facets, against closed forms.
TEST(SurfaceSizes, MomentsAreThoseOfTheTrueBodies) {
  struct Known {
    DrawnBody body;
    double z;              // of the centroid
    double radial, axial;  // integrals of x^2 and z^2 about it, as parts of the volume
  };
  const std::vector<Known> all = {{bodies()[0], 2.5, 9.0 / 4, 25.0 / 12},
                                  {bodies()[1], 1.25, 3 * 9.0 / 20, 3 * 25.0 / 80},
                                  {bodies()[2], 0, 4.0 / 5, 4.0 / 5},
                                  {bodies()[3], 0, 25.0 / 2 + 3.0 / 8, 1.0 / 4}};
  for (const Known& known : all) {
    PrepareOptions options;
    options.tessellation.chord = 0.3;
    const SurfaceSizes sizes = prepared(demo::step_text(known.body), options).sources[0].sizes;
    const double within = 1e-6 * sizes.volume;
    EXPECT_NEAR((sizes.centroid - Point(0, 0, known.z)).norm(), 0, 1e-6);
    const Vector parts = Vector(known.radial, known.radial, known.axial) * sizes.volume;
    EXPECT_NEAR((sizes.second_moment - Eigen::Matrix3d(parts.asDiagonal())).norm(), 0, 30 * within);
    EXPECT_NEAR(sizes.inertia()(2, 2), 2 * known.radial * sizes.volume, 30 * within);
    // Two of them elsewhere, one larger.
    const Placement at = moved_by({3, -7, 11}) * turned_by(Vector(1, 2, 2) / 3, 0.8);
    const Placement twice = moved_by({-20, 1, 2}) * scaled_by(2);
    SurfaceSizes both;
    both.add(sizes, at).add(sizes, twice);
    EXPECT_NEAR(both.volume, 9 * sizes.volume, within);
    const Point a = at(sizes.centroid), b = twice(sizes.centroid);
    EXPECT_NEAR((both.centroid - (a + 8 * b) / 9).norm(), 0, 1e-6);
    const Vector between = b - a;
    const Eigen::Matrix3d expected = at.linear * sizes.second_moment * at.linear.transpose() +
                                     32 * sizes.second_moment +
                                     sizes.volume * 8.0 / 9 * between * between.transpose();
    EXPECT_NEAR((both.second_moment - expected).norm(), 0, 1e-9 * expected.norm());
  }
}

TEST(Tessellate, ClosedBodiesGiveClosedOutwardMeshesOfTheKnownSize) {
  std::size_t which = 0;
  for (const DrawnBody& body : bodies()) {
    SCOPED_TRACE(testing::Message() << "body " << which++);
    double last_volume = 0, last_area = 0;
    for (const double chord : {0.04, 0.01, 0.0025}) {
      if (test::kSanitized && chord < 0.01) continue;
      PrepareOptions options;
      options.tessellation.chord = chord;
      options.tessellation.angle = 3;
      const Model p = prepared(demo::step_text(body), options);
      ASSERT_EQ(p.parts.size(), 1u);
      const Certificate c = certify(p);
      ASSERT_EQ(c.verdict, Verdict::solid) << chord;
      EXPECT_EQ(c.counts.crossing_pairs, 0u);
      // No facet is farther from its face than the chord: neither is the volume.
      EXPECT_LE(std::fabs(c.mass.volume - body.volume), chord * body.area) << chord;
      const double volume_error = std::fabs(c.mass.volume - body.volume),
                   area_error = std::fabs(c.mass.area - body.area);
      // Linear in the chord: a quarter each time, if there is anything to approximate.
      if (last_volume > 1e-9 * body.volume) {
        EXPECT_LT(volume_error, 0.6 * last_volume);
      }
      if (last_area > 1e-9 * body.area) {
        EXPECT_LT(area_error, 0.6 * last_area);
      }
      // The surfaces themselves are known far better, whatever the facets.
      const SurfaceSizes& sizes = p.sources[0].sizes;
      EXPECT_NEAR(sizes.volume_of_facets, c.mass.volume, 1e-9 * body.volume);
      EXPECT_NEAR(sizes.volume, body.volume, sizes.volume_within + 1e-12 * body.volume);
      EXPECT_NEAR(sizes.area, body.area, sizes.area_within + 1e-12 * body.area);
      EXPECT_LE(sizes.volume_within, 1e-6 * body.volume);
      EXPECT_LE(sizes.area_within, 1e-6 * body.area);
      last_volume = volume_error;
      last_area = area_error;
    }
  }
}

TEST(Tessellate, FacetsLieWithinTheChordOfTheirFaces) {
  for (const DrawnBody& body : bodies()) {
    PrepareOptions options;
    options.tessellation.chord = 0.02;
    const Model p = prepared(demo::step_text(body), options);
    const Mesh& mesh = p.parts.at(0).mesh();
    const Body& source = p.sources[0].bodies[0]->body;
    double off = 0;
    for (std::size_t t = 0; t < mesh.triangles.size(); t += 3) {
      const Face& face = source.faces.at(mesh.patch_of[t].value);
      const SurfaceFoot foot(*face.surface);
      const Triangle& tri = mesh.triangles[t];
      const Point middle = (mesh.point(tri[0]) + mesh.point(tri[1]) + mesh.point(tri[2])) / 3;
      off = std::max(off, (face.surface->point(foot.of(middle)) - middle).norm());
    }
    EXPECT_LE(off, 0.02 * 1.01);
  }
}

// Battlements on a cylinder or a cone: long straight sides, rims at heights of their own.
TEST(Tessellate, FacetsOfLongFacesWithSteppedRimsLieWithinTheChord) {
  for (std::uint64_t seed = 1; seed <= (test::kSanitized ? 12 : 40); ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    const double radius = random.between(0.2, 2),
                 chord = radius * std::pow(10, -random.between(1.5, 3.5));
    const double slope = seed % 3 == 0 ? 0.02 : 0;
    Face face;
    face.surface =
        seed % 3 == 0 ? make_cone(Frame{}, radius, slope) : make_cylinder(Frame{}, radius);
    DividedLoop loop;
    const auto corner = [&](double u, double v) {
      loop.corners.push_back({{static_cast<std::uint32_t>(loop.corners.size())},
                              face.surface->point(Parameters(u, v))});
    };
    const double step = 2 * std::acos(1 - chord / (radius * 1.5));
    const auto arc = [&](double from, double to, double v) {
      const int pieces = static_cast<int>(std::ceil(std::fabs(to - from) / step));
      for (int i = 0; i <= pieces; ++i) corner(from + (to - from) * i / pieces, v);
    };
    double end = 0, area_of_parameters = 0;
    std::vector<std::array<double, 2>> merlons;
    while (end < 4.5)
      merlons.push_back({end += random.between(0.3, 2), radius * random.between(2, 40)});
    arc(0, end, 0);
    for (std::size_t i = merlons.size(); i-- > 0;) {
      const double begin = i == 0 ? 0 : merlons[i - 1][0];
      arc(merlons[i][0], begin, merlons[i][1]);
      area_of_parameters += (merlons[i][0] - begin) * merlons[i][1];
    }
    FaceFineness fineness;
    fineness.chord = chord;
    fineness.angle = 3;
    fineness.tolerance = 1e-9;
    const FaceMesh mesh = mesh_face(face, true, {loop}, fineness);
    EXPECT_TRUE(mesh.troubles.empty());
    EXPECT_LE(mesh.deviation, chord);
    const auto place = [&](VertexId v) {
      return v.value >= kOwnVertices ? mesh.points[v.value - kOwnVertices]
                                     : loop.corners[v.value].p;
    };
    double off = 0;
    for (const Triangle& t : mesh.triangles) {
      const Point a = place(t[0]), b = place(t[1]), c = place(t[2]);
      for (const auto& [i, j] : {std::pair{1, 1}, {2, 1}, {1, 2}, {3, 0}, {0, 3}, {3, 3}}) {
        const Point p = a + (b - a) * i / 6 + (c - a) * j / 6;
        const double r = radius + std::tan(slope) * p.z();
        off = std::max(off, std::fabs(std::hypot(p.x(), p.y()) - r) * std::cos(slope));
      }
    }
    EXPECT_LE(off, 1.2 * chord);
    EXPECT_LE(mesh.triangles.size(), 20 * loop.corners.size());
    EXPECT_GT(area_of_parameters, 0);
  }
}

// Plates at any heights with jumps between them: facets across the jumps are off, however short.
TEST(Tessellate, EndsWhereFacetsSettleNowhere) {
  constexpr int kPlates = 24;
  KnotVector knots{.degree = 1, .knots = {}};
  for (int i = 0; i <= kPlates; ++i) knots.knots.insert(knots.knots.end(), 2, i);
  Random random(5);
  std::vector<std::vector<double>> height(kPlates, std::vector<double>(kPlates));
  for (auto& row : height) {
    for (double& h : row) h = random.between(0, 20);
  }
  std::vector<Point> points;
  for (int i = 0; i < 2 * kPlates; ++i) {
    for (int j = 0; j < 2 * kPlates; ++j) {
      points.emplace_back((i + 1) / 2, (j + 1) / 2, height[i / 2][j / 2]);
    }
  }
  test::Drawing drawing;
  drawing.face_of_loops(make_spline_surface(knots, knots, points), {});
  TessellationOptions options;
  options.chord = 0.01;
  const TessellatedBody t = tessellate(drawing.body(), options);
  EXPECT_GT(t.mesh.triangles.size(), 1000U);
  EXPECT_LT(t.mesh.triangles.size(), 100000U);
}

TEST(Tessellate, EachFaceIsAPatchNamedByItsSource) {
  const Model p = prepared(demo::step_text(demo::draw_clamp()));
  EXPECT_EQ(p.parts[0].name, "clamp");
  const auto& names = p.parts[0].patch_names();
  ASSERT_EQ(names.size(), p.sources[0].bodies[0]->body.faces.size());
  for (std::size_t f = 0; f < names.size(); ++f) {
    EXPECT_EQ(names[f], "face " + std::to_string(f) + " #" +
                            std::to_string(p.sources[0].bodies[0]->body.faces[f].entity));
  }
}

TEST(Tessellate, GivesTheSameForAnyNumberOfThreads) {
  const std::string text = demo::step_text(demo::draw_pod());
  const Model many = prepared(text);
  const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
  const Model single = prepared(text);
  ASSERT_EQ(many.parts[0].mesh().points.size(), single.parts[0].mesh().points.size());
  for (std::size_t i = 0; i < many.parts[0].mesh().points.size(); ++i)
    ASSERT_EQ(many.parts[0].mesh().points[i], single.parts[0].mesh().points[i]);
  for (std::size_t i = 0; i < many.parts[0].mesh().triangles.size(); ++i)
    ASSERT_EQ(many.parts[0].mesh().triangles[i], single.parts[0].mesh().triangles[i]);
}

TEST(Tessellate, IsStoppedAtAnyMoment) {
  const SurfaceModel model = read_surface_model({"x", demo::step_text(demo::draw_pod())});
  int stopped = 0;
  for (int calls = 0; calls < 50; ++calls) {
    test::StopAfter progress(calls);
    try {
      static_cast<void>(prepare(model, {}, &progress));
      break;
    } catch (const Cancelled&) {
      ++stopped;
    }
  }
  EXPECT_GE(stopped, 2);
  EXPECT_THROW(static_cast<void>(prepare(model, {.tessellation = {.chord = 0}})), ArgumentError);
}

TEST(Tessellate, SidesAreNoLongerThanAskedFor) {
  PrepareOptions options;
  options.tessellation.longest = 3;
  const Model p = prepared(demo::step_text(demo::draw_clamp()), options);
  const Mesh& mesh = p.parts[0].mesh();
  for (const Triangle& t : mesh.triangles) {
    for (std::size_t c = 0; c < 3; ++c)
      EXPECT_LE((mesh.point(t[c]) - mesh.point(t[(c + 1) % 3])).norm(), 3 * 1.5);
  }
  EXPECT_EQ(certify(p).verdict, Verdict::solid);
}

// ---- Sewing.

TEST(Sew, FacesByThemselvesBecomeTheSolidAgain) {
  for (const DrawnBody& body : bodies()) {
    const SurfaceModel model =
        read_surface_model({"x", demo::step_text(demo::apart(body), {.solid = false})});
    const SewResult sewn = sew(model.bodies[0], 1e-4);
    EXPECT_EQ(sewn.open_after, 0u);
    EXPECT_LE(sewn.largest_gap, 1e-12);
    EXPECT_TRUE(sewn.refused.empty());
    const Model p = prepare(model, {.sew = 1e-4});
    EXPECT_EQ(certify(p).verdict, Verdict::solid);
    EXPECT_NEAR(certify(p).mass.volume, certify(prepared(demo::step_text(body))).mass.volume,
                2e-2 * body.volume);
  }
}

TEST(Sew, JoinsWhatLiesWithinTheToleranceAndNoMore) {
  for (const auto& demo : demo::surface_demos()) {
    if (demo.name != "clamp-gaps.step") continue;
    const SurfaceModel model = read_surface_model({"x", demo.text});
    const SewResult none = sew(model.bodies[0], 1e-4);
    EXPECT_GT(none.open_after, 40u);
    for (const int steps : {1, 4}) {
      const SewResult all = sew(model.bodies[0], 0.1, {.steps = steps});
      EXPECT_EQ(all.open_after, 0u);
      EXPECT_LE(all.largest_gap, 0.1);
      EXPECT_GT(all.largest_gap, 0.01);
      double carried = 0;
      for (const BodyEdge& e : all.body.edges) carried = std::max(carried, e.tolerance);
      EXPECT_EQ(carried, all.largest_gap);
    }
    const Certificate c = certify(prepare(model, {.sew = 0.1}));
    EXPECT_EQ(c.verdict, Verdict::solid);
    EXPECT_NEAR(c.mass.volume, *demo.volume, 0.1 * c.mass.area);
  }
  EXPECT_THROW(static_cast<void>(sew(Body{}, -1)), ArgumentError);
}

TEST(Sew, AThirdFaceAtAnEdgeIsRefused) {
  // Three half planes that meet in one line.
  Body body;
  const auto add = [&](const Vector& out) {
    Face f;
    const auto base = static_cast<std::uint32_t>(body.vertices.size());
    const Point corners[4] = {{0, 0, 0}, {0, 0, 1}, Point(0, 0, 1) + out, out};
    for (const Point& p : corners) body.vertices.push_back({p, 0});
    FaceLoop loop;
    for (std::uint32_t i = 0; i < 4; ++i) {
      const std::uint32_t a = base + i, b = base + (i + 1) % 4;
      BodyEdge e;
      e.curve = make_line(body.vertices[a].point, body.vertices[b].point - body.vertices[a].point);
      e.to = 1;
      e.start = a;
      e.end = b;
      body.edges.push_back(e);
      loop.edges.push_back({static_cast<std::uint32_t>(body.edges.size() - 1), true, nullptr});
    }
    f.surface = make_plane(Frame::from({0, 0, 0}, Vector(0, 0, 1).cross(out), out));
    f.loops.push_back(loop);
    body.faces.push_back(f);
  };
  add({1, 0, 0});
  add({0, 1, 0});
  add({-1, -1, 0});
  body.shells.push_back({{{0, true}, {1, true}, {2, true}}, false, false, 0});
  const SewResult sewn = sew(body, 1e-6);
  EXPECT_EQ(sewn.joined, 1u);
  EXPECT_FALSE(sewn.refused.empty());
  for (const std::uint32_t n : edge_uses(sewn.body)) EXPECT_LE(n, 2u);
}

// ---- What is told of the surfaces.

TEST(CheckSurfaces, TellsWhatWasSeededInTheDemo) {
  std::size_t told = 0;
  for (const auto& demo : demo::surface_demos()) {
    SCOPED_TRACE(demo.name);
    const Model p = prepared(demo.text);
    const Inspection inspection = inspect(p);
    for (const demo::SeededDefect& d : demo.defects) {
      std::size_t found = 0;
      for (const Finding& f : inspection.findings) {
        if (f.kind != d.kind) continue;
        ++found;
        if (d.size > 0) {
          EXPECT_NEAR(f.measure, d.size, 0.02 * d.size);
        }
        EXPECT_TRUE(f.face.has_value());
        EXPECT_TRUE(f.entity.has_value());
      }
      EXPECT_GE(found, 1u) << slug(d.kind);
      ++told;
    }
    if (demo.name == "pod.step" || demo.name == "clamp.step") {
      EXPECT_TRUE(inspection.findings.empty());
    }
    if (demo.name == "clamp-unsewn.step") {
      ASSERT_EQ(inspection.findings.size(), 1u);
      EXPECT_EQ(inspection.findings[0].kind, FindingKind::unshared_edge);
      EXPECT_EQ(inspection.findings[0].count, 22u);  // seams are the face's own
    }
  }
  EXPECT_GE(told, 3u);
}

TEST(CheckSurfaces, CountsAndTolerances) {
  const Model p = prepared(demo::step_text(demo::draw_clamp()));
  const SurfaceCounts c = count_surfaces(p.sources[0].bodies);
  EXPECT_EQ(c.faces, 10u);
  EXPECT_EQ(c.edges_used_twice, c.edges);
  EXPECT_EQ(c.closed_shells, 1u);
  const BodyTolerances t = measure_tolerances(p.sources[0].bodies);
  EXPECT_EQ(t.vertices.count, c.vertices);
  EXPECT_LE(t.vertices.largest, 1e-12);
  EXPECT_LE(t.faces.largest, 1e-12);
}

}  // namespace tessellate_test
}  // namespace aguja
