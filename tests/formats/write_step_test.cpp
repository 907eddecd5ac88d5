// Written STEP files: by the standard's rules, read back, and held against what was written.

#include <cmath>
#include <cstdlib>
#include <numbers>
#include <regex>

#include <gtest/gtest.h>

#include "aguja/formats/read.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/formats/write.h"
#include "aguja/mend/change.h"
#include "aguja/model/transform.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/prepare.h"
#include "demo/surface_models.h"
#include "demo/surface_text.h"
#include "formats/step_geometry.h"
#include "formats/step_writer.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"
#include "tests/support/step_rules.h"

namespace aguja {
namespace write_step_test {

using test::Random;

std::string written(const Model& model, const WriteOptions& options = {},
                    WriteReport* report = nullptr) {
  std::string text;
  WriteReport own = write_step([&](std::string_view bytes) { text += bytes; }, model, options);
  if (report != nullptr) *report = std::move(own);
  return text;
}

std::string all_of(const std::vector<std::string>& lines) {
  std::string text;
  for (const std::string& line : lines) text += line + "\n";
  return text;
}

TEST(StepValues, AreReadBackAsTheyWere) {
  Random random(1);
  for (int i = 0; i < 20000; ++i) {
    const double x = std::ldexp(random.between(-1, 1), static_cast<int>(random.index(200)) - 100);
    const std::string text = detail::step_real(x);
    EXPECT_EQ(std::stod(text), x);
    EXPECT_NE(text.find('.'), std::string::npos) << text;
    EXPECT_EQ(text.find('e'), std::string::npos) << text;
  }
  EXPECT_EQ(detail::step_real(0.0), "0.");
  EXPECT_EQ(detail::step_real(-0.0), "0.");
  EXPECT_EQ(detail::step_real(1e300), "1.E+300");
  for (const std::string name :
       {"it's", "back\\slash", "Größe ⌀ 5", "𝄞 beyond", "\xff no UTF-8", ""}) {
    const std::string text = detail::step_text(name);
    for (const char c : text) EXPECT_TRUE(c >= 0x20 && c < 0x7F);
    const std::string back = detail::decoded_text(text.substr(1, text.size() - 2));
    EXPECT_EQ(back, name[0] == '\xff' ? "\u00ff no UTF-8" : name);
  }
}

// Every surface model of the demo, as it is and scaled into inches.
TEST(WriteStep, SurfacesComeBackFaceByFace) {
  for (const demo::SurfaceDemo& d : demo::surface_demos()) {
    SCOPED_TRACE(d.name);
    const Source source{d.name, d.text};
    const Model model = read_model(source);
    WriteReport report;
    const std::string text = written(model, {}, &report);
    // A loop that is open in the file is written as it is.
    const bool is_open = d.name == "clamp-open-loop.step";
    EXPECT_EQ(test::broken_step_rules(text).empty(), !is_open)
        << all_of(test::broken_step_rules(text));
    EXPECT_TRUE(report.notes.empty()) << all_of(report.notes);
    EXPECT_TRUE(written(model) == text) << "not the same bytes again";

    const Source again{"back.step", text};
    const Model back = read_model(again);
    EXPECT_EQ(certify(back).verdict, certify(model).verdict);
    ASSERT_EQ(back.sources[0].bodies.size(), model.sources[0].bodies.size());
    EXPECT_NEAR(back.sources[0].sizes.area, model.sources[0].sizes.area,
                1e-9 * model.sources[0].sizes.area + model.sources[0].sizes.area_within);
    for (std::size_t b = 0; b < back.sources[0].bodies.size(); ++b) {
      const PreparedBody &was = *model.sources[0].bodies[b], &is = *back.sources[0].bodies[b];
      std::map<std::string, int> kinds;  // with names and colours, however they are ordered
      const auto count = [&](const Body& body, int by) {
        for (const Face& f : body.faces) {
          if (!f.is_used) continue;
          std::string key = std::string(slug(f.surface->kind())) + " " + f.name + " " + f.layer;
          if (f.colour) key += " " + std::to_string((*f.colour)[0]);
          for (const std::string& group : f.groups) key += " " + group;
          kinds[key] += by;
        }
      };
      count(was.body, 1);
      count(is.body, -1);
      for (const auto& [key, n] : kinds) EXPECT_EQ(n, 0) << key;
    }
    // From then on it stays as it is.
    const std::string again_text = written(back);
    const Source third{"third.step", again_text};
    const Model last = read_model(third);
    EXPECT_EQ(again_text.size(), written(last).size());
    EXPECT_EQ(test::facets(last.parts[0].mesh()), test::facets(back.parts[0].mesh()));
  }
}

TEST(WriteStep, TimeStampsAreTheInputsOrTheEnvironments) {
  const demo::SurfaceDemo clamp = demo::surface_demos()[0];
  std::string text = clamp.text;
  const std::size_t name = text.find("FILE_NAME(");
  ASSERT_NE(name, std::string::npos);
  text.replace(name, text.find(';', name) - name,
               "FILE_NAME('it''s','2031-05-06T07:08:09+02:00',(''),(''),'','','')");
  const Model model = read_model(Source{clamp.name, text});
  EXPECT_NE(written(model).find(",'2031-05-06T07:08:09+02:00',"), std::string::npos);
  ::setenv("SOURCE_DATE_EPOCH", "86400", 1);
  EXPECT_NE(written(model).find(",'1970-01-02T00:00:00',"), std::string::npos);
  ::unsetenv("SOURCE_DATE_EPOCH");
  EXPECT_NE(written(test::model_of(test::cube())).find(",'1970-01-01T00:00:00',"),
            std::string::npos);
}

// Meshes, closed and open, both ways: the same triangles.
TEST(WriteStep, MeshesComeBackTriangleByTriangle) {
  Mesh open = test::torus(14, 9, 3, 1);
  open.triangles.resize(open.triangles.size() - 7);
  for (const Mesh& mesh : {test::grid_box(3, Vector(1, 2.5, 3)), test::sphere(11), open}) {
    for (const bool tessellated : {false, true}) {
      const std::string text = written(test::model_of(mesh), {.tessellated = tessellated});
      EXPECT_EQ(all_of(test::broken_step_rules(text)), "");
      EXPECT_EQ(text.find("AP242") != std::string::npos, tessellated);
      const Model back = read_model(Source{"mesh.step", text});
      ASSERT_EQ(back.parts.size(), 1u);
      EXPECT_EQ(back.parts[0].name, "part");
      const auto facets = test::facets(mesh);
      EXPECT_EQ(test::facets(back.parts[0].mesh()), facets);
    }
  }
}

// Points that are there once for each triangle are one.
TEST(WriteStep, TrianglesThatShareNoPointsAreOneBody) {
  const Mesh mesh = test::grid_box(3, Vector(1, 2.5, 3));
  Mesh loose;
  for (const Triangle& t : mesh.triangles) {
    const auto first = static_cast<std::uint32_t>(loose.points.size());
    for (const VertexId v : t.corner) loose.points.push_back(mesh.point(v));
    loose.triangles.push_back({{{first}, {first + 1}, {first + 2}}});
  }
  EXPECT_TRUE(written(test::model_of(loose)) ==
              written(test::model_of(with_distinct_points(loose))));
  EXPECT_NE(written(test::model_of(loose)).find("=FACETED_BREP("), std::string::npos);
  EXPECT_NE(written(test::model_of(loose), {.tessellated = true}).find("=TESSELLATED_SOLID("),
            std::string::npos);
}

// A face that cannot be divided goes with the others; what cannot be read is told of.
TEST(WriteStep, WhatGivesNoTrianglesIsNotLostInSilence) {
  const std::string clamp = demo::step_text(demo::draw_clamp());
  std::smatch loop;
  ASSERT_TRUE(
      std::regex_search(clamp, loop, std::regex("=EDGE_LOOP\\('',\\((#[0-9]+),[^)]*\\)\\)")));
  std::string open = clamp;
  open.replace(static_cast<std::size_t>(loop.position()), static_cast<std::size_t>(loop.length()),
               "=EDGE_LOOP('',(" + loop[1].str() + "))");
  const Model model = read_model(Source{"open.step", open});
  ASSERT_EQ(model.lost.size(), 1u);
  WriteReport report;
  const std::string text = written(model, {}, &report);
  EXPECT_TRUE(report.notes.empty()) << all_of(report.notes);
  const Model back = read_model(Source{"back.step", text});
  EXPECT_EQ(back.sources[0].bodies[0]->body.faces.size(),
            model.sources[0].bodies[0]->body.faces.size());
  ASSERT_EQ(back.lost.size(), 1u);
  EXPECT_EQ(certify(back).verdict, certify(model).verdict);

  std::string strange = clamp;
  const std::string known = "=CYLINDRICAL_SURFACE(";
  strange.replace(strange.find(known), known.size(), "=STRANGE_SURFACE(");
  const Model lacking = read_model(Source{"strange.step", strange});
  static_cast<void>(written(lacking, {}, &report));
  ASSERT_EQ(report.notes.size(), 1u);
  EXPECT_NE(report.notes[0].find("not in the file: 1 face or shape of the input"),
            std::string::npos)
      << report.notes[0];
}

TEST(WriteStep, PartsOfOneShapeAreOneProduct) {
  const Model one = read_model(Source{"clamp.step", demo::surface_demos()[0].text});
  Model many;
  many.unit = LengthUnit::inch;
  const ShapePtr shape = one.parts[0].shape();
  many.parts.emplace_back("arm-1", shape, Placement{});
  many.parts.emplace_back("arm-2", shape, moved_by({10, 20, 30}));
  many.parts.emplace_back("arm-3", shape, turned_by(Vector::UnitX(), 0.7));
  many.parts.emplace_back("larger", shape, scaled_by(3));
  many.parts.emplace_back("mirrored", shape, scaled_by(Vector(1, -1, 1)));
  many.parts.emplace_back("Würfel", test::cube());
  WriteReport report;
  const std::string text = written(many, {}, &report);
  EXPECT_EQ(all_of(test::broken_step_rules(text)), "");
  ASSERT_EQ(report.notes.size(), 1u) << all_of(report.notes);
  EXPECT_NE(report.notes[0].find("mirrored or stretched: 'mirrored'"), std::string::npos)
      << report.notes[0];
  std::size_t products = 0;
  for (std::size_t at = 0; (at = text.find("=PRODUCT(", at)) != std::string::npos; ++at) ++products;
  EXPECT_EQ(products, 5u);  // the arm, the larger one, the mirrored one, the cube, and all
  const Model back = read_model(Source{"many.step", text});
  EXPECT_EQ(back.unit, LengthUnit::inch);
  ASSERT_EQ(back.parts.size(), many.parts.size());
  for (std::size_t p = 0; p < back.parts.size(); ++p) {
    SCOPED_TRACE(many.parts[p].name);
    const auto at = std::find_if(back.parts.begin(), back.parts.end(),
                                 [&](const Part& q) { return q.name == many.parts[p].name; });
    ASSERT_NE(at, back.parts.end());
    Model alone = many, alone_back = back;
    alone.parts = {many.parts[p]};
    alone_back.parts = {*at};
    const Certificate was = certify(alone), is = certify(alone_back);
    EXPECT_EQ(is.verdict, was.verdict);
    // Divided by another chord height, as all of it has another size.
    EXPECT_NEAR((box_of(alone_back).low - box_of(alone).low).norm(), 0, 0.1);
    EXPECT_NEAR((box_of(alone_back).high - box_of(alone).high).norm(), 0, 0.1);
  }
}

// Whole faces go as faces, parts of them as facets.
TEST(WriteStep, FacesThatAreThereInPartAreFacets) {
  Model model = read_model(Source{"clamp.step", demo::surface_demos()[0].text});
  const Shape& shape = *model.parts[0].shape();
  std::vector<TriangleId> whole, part;
  for (std::uint32_t t = 0; t < shape.mesh.triangles.size(); ++t) {
    if (shape.mesh.patch_of[t].value < 3) whole.push_back({t});
  }
  part.assign(whole.begin(), whole.end() - 1);
  const auto text_of = [&](const std::vector<TriangleId>& chosen, WriteReport& report) {
    Model some = model;
    some.parts = {Part("some", only_triangles(shape, chosen))};
    return written(some, {}, &report);
  };
  WriteReport report;
  const std::string faces = text_of(whole, report);
  EXPECT_TRUE(report.notes.empty());
  const SurfaceModel back = read_step(Source{"faces.step", faces});
  ASSERT_EQ(back.bodies.size(), 1u);
  EXPECT_EQ(back.bodies[0].faces.size(), 3u);
  static_cast<void>(text_of(part, report));
  ASSERT_EQ(report.notes.size(), 1u);
  EXPECT_NE(report.notes[0].find("there in part"), std::string::npos) << report.notes[0];
}

// ---- Curves and surfaces of every kind. One number after another, so that no case depends on the
// order in which a compiler works out arguments.

Vector any_direction(Random& r) {
  const double x = r.between(-1, 1), y = r.between(-1, 1), z = r.between(-1, 1);
  return Vector(x, y, z + 1e-3).normalized();
}
Point any_point(Random& r) { return {r.between(-9, 9), r.between(-9, 9), r.between(-9, 9)}; }
Frame any_frame(Random& r) {
  const Point origin = any_point(r);
  const Vector axis = any_direction(r);
  return Frame::from(origin, axis, any_direction(r));
}

CurvePtr any_spline(Random& r, bool rational) {
  const int degree = 1 + static_cast<int>(r.index(4));
  KnotVector knots{degree, {}};
  const std::size_t spans = 1 + r.index(4);
  for (int i = 0; i <= degree; ++i) knots.knots.push_back(0);
  for (std::size_t s = 1; s < spans; ++s) {
    for (std::size_t m = 0; m <= r.index(static_cast<std::size_t>(degree)); ++m)
      knots.knots.push_back(static_cast<double>(s));
  }
  std::sort(knots.knots.begin(), knots.knots.end());
  for (int i = 0; i <= degree; ++i) knots.knots.push_back(static_cast<double>(spans));
  std::vector<Point> points(knots.control_count());
  std::vector<double> weights;
  for (Point& p : points) p = any_point(r);
  for (std::size_t i = 0; rational && i < points.size(); ++i) weights.push_back(r.between(0.5, 2));
  return make_spline(knots, points, weights);
}
std::vector<CurvePtr> curves_of_all_kinds(Random& r) {
  const Frame f = any_frame(r);
  const Point at = any_point(r);
  const CurvePtr line = make_line(at, 3 * any_direction(r));
  const CurvePtr circle = make_circle(f, r.between(0.1, 5));
  const double major = r.between(2, 5), minor = r.between(0.5, 1.9);
  const double a = r.between(0.5, 2), b = r.between(0.5, 2);
  return {line,
          circle,
          make_ellipse(f, major, minor),
          make_parabola(f, r.between(0.5, 2)),
          make_hyperbola(f, a, b),
          make_polyline({any_point(r), any_point(r), any_point(r)}),
          any_spline(r, false),
          any_spline(r, true),
          make_offset_curve(circle, -0.05, f.z),
          make_trimmed(circle, {0.3, 2}),
          make_moved(circle, turned_by(any_direction(r), 1.1)),
          make_composite({{make_trimmed(line, {0, 1}), {0, 1}, true}, {circle, {0, 2}, false}})};
}
std::vector<SurfacePtr> surfaces_of_all_kinds(Random& r) {
  const Frame f = any_frame(r);
  const CurvePtr spline = any_spline(r, true);
  KnotVector u{2, {0, 0, 0, 1, 2, 2, 2}}, v{1, {0, 0, 1, 1}};
  std::vector<Point> points(8);
  for (Point& p : points) p = any_point(r);
  const double major = r.between(3, 5), base = r.between(0, 5);
  const SurfacePtr torus = make_torus(f, major, r.between(0.5, 2));
  const Point at = any_point(r), there = any_point(r);
  const CurvePtr first = make_line(at, any_direction(r)),
                 second = make_line(there, any_direction(r));
  return {
      make_plane(f),
      make_cylinder(f, r.between(0.1, 5)),
      make_cone(f, base, r.between(0.1, 1.2)),
      make_sphere(f, r.between(0.1, 5)),
      torus,
      make_torus(f, 1, 2, true),
      make_torus(f, 1, 2, false),
      make_spline_surface(u, v, points),
      make_spline_surface(u, v, points, {1, 2, 0.5, 1, 1, 3, 1, 1}),
      make_extrusion(spline, spline->domain(), any_direction(r), {-2, 2}),
      make_revolution(make_trimmed(make_line(f.at(2, 0, -3), f.z), {0, 2}), {0, 2}, f.origin, f.z),
      make_offset_surface(torus, 0.2),
      make_moved(make_cylinder(f, 2), turned_by(any_direction(r), 0.4)),
      make_ruled(first, {0, 2}, second, {0, 3})};
}
Interval some_of(const Interval& domain) {
  return domain.is_finite() ? domain
                            : Interval{std::max(domain.low, -1.5), std::min(domain.high, 1.5)};
}

// Through one writer, and out of the text: points at the same parameters are where they were, moved.
TEST(StepGeometryWriter, WritesEveryKindOfCurveAndSurface) {
  for (std::uint64_t seed = 0; seed < 40; ++seed) {
    SCOPED_TRACE(seed);
    Random r(seed);
    const Point shift = any_point(r);
    const Placement turned = turned_by(any_direction(r), 2.2);
    const Placement at = seed % 3 == 0
                             ? Placement{}
                             : moved_by(shift) * turned * scaled_by(seed % 3 == 1 ? 1.0 : 2.5);
    std::string text = "ISO-10303-21;HEADER;FILE_SCHEMA(('X'));ENDSEC;DATA;\n";
    const ByteSink sink = [&](std::string_view bytes) { text += bytes; };
    detail::StepEntities out(sink);
    detail::StepGeometryWriter writer(out, at, 1e-7);
    const std::vector<CurvePtr> curves = curves_of_all_kinds(r);
    const std::vector<SurfacePtr> surfaces = surfaces_of_all_kinds(r);
    std::vector<std::uint64_t> of_curve, of_surface;
    for (const CurvePtr& c : curves) of_curve.push_back(writer.curve(c, some_of(c->domain())));
    for (const SurfacePtr& s : surfaces) {
      EXPECT_EQ(detail::StepGeometryWriter::why_not(*s), "");
      of_surface.push_back(writer.surface(s));
    }
    out.flush();
    text += "ENDSEC;\nEND-ISO-10303-21;\n";
    const detail::Part21 file({"x", text});
    detail::StepGeometry geometry(file, {1, 1});
    for (std::size_t i = 0; i < curves.size(); ++i) {
      SCOPED_TRACE(slug(curves[i]->kind()));
      const CurvePtr back = geometry.curve(of_curve[i], 0);
      const Interval range = some_of(curves[i]->domain());
      for (const double s : {0.0, 0.2, 0.55, 0.9, 1.0}) {
        const double t = range.low + s * range.width();
        EXPECT_LT((back->point(t) - at(curves[i]->point(t))).norm(), 1e-9);
      }
    }
    for (std::size_t i = 0; i < surfaces.size(); ++i) {
      SCOPED_TRACE(testing::Message() << slug(surfaces[i]->kind()) << " " << i);
      const SurfacePtr back = geometry.surface(of_surface[i], 0);
      const Interval u = some_of(surfaces[i]->domain_u()), v = some_of(surfaces[i]->domain_v());
      for (const double s : {0.1, 0.5, 0.8}) {
        for (const double t : {0.2, 0.6, 0.9}) {
          const Parameters uv(u.low + s * u.width(), v.low + t * v.width());
          const Point p = at(surfaces[i]->point(uv));
          // What is made of splines has the same parameters; a wild one's nearest point is hard to
          // find.
          const bool same_parameters = surfaces[i]->kind() == SurfaceKind::spline ||
                                       surfaces[i]->kind() == SurfaceKind::extrusion;
          const Point q = back->point(same_parameters ? uv : SurfaceFoot(*back).of(p));
          EXPECT_LT((q - p).norm(), 1e-6);
        }
      }
    }
  }
}

// The rules notice what is wrong.
TEST(StepRules, NoticeWhatIsWrong) {
  const std::string good = written(read_model(Source{"clamp.step", demo::surface_demos()[0].text}));
  ASSERT_EQ(all_of(test::broken_step_rules(good)), "");
  const std::vector<std::pair<std::string, std::string>> changes = {
      {"'1970-01-01T00:00:00'", "''"},
      {"FILE_SCHEMA((", "FILE_SCHEME(("},
      {"FILE_DESCRIPTION(", "FILE_SUBSCRIPTION("},
      {"UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(", "UNCERTAINTY_MEASURE(LENGTH_MEASURE("},
      {"(LENGTH_UNIT()", "(WIDTH_UNIT()"},
      {"=VERTEX_POINT('',#", "=VERTEX_POINT('',#99999"},
      {"=ORIENTED_EDGE('',*,*,#", "=ORIENTED_EDGE('',*,*,#1"},
      {"=EDGE_LOOP('',(", "=EDGE_LOOP('',()"},
      {"=CLOSED_SHELL('',(#", "=OPEN_SHELL('',(#"},
      {"=FACE_OUTER_BOUND('',", "=FACE_OUTER_LIMIT('',"},
      {"=CYLINDRICAL_SURFACE('',", "=CYLINDRICAL_THING('',"},
      {"=ORIENTED_CLOSED_SHELL('',*", "=CLOSED_SHELL('',*"},
      {"=PRODUCT_DEFINITION_FORMATION(", "=PRODUCT_FORMATION("},
      {"=CIRCLE('',", "=CIRCUIT('',"},
      {"END-ISO-10303-21;\n", "END-ISO-10303-21"}};
  for (const auto& [from, to] : changes) {
    SCOPED_TRACE(from);
    std::string bad = good;
    const std::size_t place = bad.find(from);
    ASSERT_NE(place, std::string::npos);
    bad.replace(place, from.size(), to);
    bool is_noticed = false;
    try {
      is_noticed = !test::broken_step_rules(bad).empty();
    } catch (const Error&) {
      is_noticed = true;
    }
    EXPECT_TRUE(is_noticed);
  }
  // A face that runs the other way around.
  std::string turned = good;
  turned.replace(turned.find(",.T.)", turned.find("=FACE_OUTER_BOUND(")), 5, ",.F.)");
  EXPECT_FALSE(test::broken_step_rules(turned).empty());
  // A vertex elsewhere lies off its curves.
  std::string moved = good;
  const std::size_t point = moved.rfind("=CARTESIAN_POINT('',(", moved.find("=VERTEX_POINT("));
  const std::size_t begin = moved.find("('',(", point);
  moved.replace(begin, moved.find("))", begin) - begin, "('',(1.,2.,3.");
  EXPECT_FALSE(test::broken_step_rules(moved).empty());
}

}  // namespace write_step_test
}  // namespace aguja
