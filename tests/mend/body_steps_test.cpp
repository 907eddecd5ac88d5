// Steps on parts that are made of surfaces: they stay surfaces where whole faces go, turn or come.

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numbers>
#include <set>

#include <gtest/gtest.h>

#include "aguja/formats/read.h"
#include "aguja/formats/write.h"
#include "aguja/mend/mend.h"
#include "aguja/mend/session.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/prepare.h"
#include "demo/drawing.h"
#include "demo/surface_text.h"
#include "mend/cap_evidence.h"
#include "mend/finding_openings.h"
#include "tests/support/drawn_body.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"
#include "tests/support/step_rules.h"

namespace aguja {
namespace body_steps_test {

using demo::DrawnBody;
using test::Random;

Model read_drawn(const DrawnBody& body) {
  return read_model(Source{"drawn.step", demo::step_text(body)});
}

std::string step_of(const Model& model, WriteReport& report) {
  std::string text;
  report = write_step([&](std::string_view bytes) { text += bytes; }, model, {});
  return text;
}

Step step_on(Remedy remedy, const std::set<std::uint32_t>& faces) {
  static std::size_t number = 0;
  Step step;
  step.number = ++number;
  step.remedy = remedy;
  for (const std::uint32_t f : faces) step.selection.patches.push_back(std::to_string(f));
  return step;
}
// Polygons with corners at random, some sides bulged out, and holes.
DrawnBody random_outline(Random& r) {
  const std::size_t n = 3 + r.index(5);
  std::vector<demo::OutlineCorner> outline;
  for (std::size_t i = 0; i < n; ++i) {
    const double a = 2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(n);
    outline.push_back({10 * std::cos(a), 10 * std::sin(a), r.chance(0.3) ? 10 + 5 * r.unit() : 0});
  }
  std::vector<demo::RoundHole> holes;
  if (r.chance(0.6)) holes.push_back({1 + r.unit(), -1 - r.unit(), r.between(0.3, 1.5)});
  const double high = r.between(1, 3), low = r.between(-3, -1);
  return raised_outline(outline, holes, low, high);
}
DrawnBody random_profile(Random& r) {
  const double inner = r.between(1, 2), outer = r.between(3, 5), h = r.between(1, 6);
  switch (r.index(4)) {
    case 0:
      return demo::turned_profile({{0, 0, 0}, {outer, 0, 0}, {outer, h, 0}, {0, h, 0}});
    case 1:
      return demo::turned_profile({{inner, 0, 0}, {outer, 0, 0}, {outer, h, 0}, {inner, h, 0}});
    case 2:
      return demo::turned_profile({{0, 0, 0}, {outer, 0, 0}, {inner, h, 0}, {0, h, 0}});
    default:
      return demo::turned_profile(
          {{inner, 0, 0}, {outer, 0, 0}, {outer - 0.5, h, 0}, {inner, h, 0}});
  }
}

// Which faces of the part's body are used; each must have its facets, and no facet another.
std::set<std::uint32_t> used_faces(const Part& part) {
  std::set<std::uint32_t> faces, seen;
  const SurfaceOrigin& origin = part.shape()->surfaces.at(0);
  for (std::uint32_t f = 0; f < origin.body->body.faces.size(); ++f) {
    if (origin.body->body.faces[f].is_used) faces.insert(f);
  }
  for (const PatchId patch : part.mesh().patch_of) seen.insert(patch.value - origin.first_patch);
  EXPECT_EQ(faces, seen);
  return faces;
}

TEST(BodySteps, WholeFacesThatGoOrTurnLeaveABody) {
  for (std::uint64_t seed = 0; seed < 20; ++seed) {
    SCOPED_TRACE(seed);
    Random r(seed);
    const Model model = read_drawn(r.chance(0.5) ? random_outline(r) : random_profile(r));
    std::set<std::uint32_t> left = used_faces(model.parts[0]);
    MendSession session(model);
    for (int i = 0; i < 3 && left.size() > 1; ++i) {
      std::set<std::uint32_t> some;
      for (const std::uint32_t f : left) {
        if (r.chance(0.3)) some.insert(f);
      }
      if (some.empty() || some.size() == left.size()) some = {*left.begin()};
      const bool turns = r.chance(0.5);
      const Step step = step_on(turns ? remedies::turn : remedies::delete_, some);
      const StepReport done = session.run(step);
      ASSERT_TRUE(done.changed);
      ASSERT_TRUE(done.lines[0].faces.has_value());
      EXPECT_TRUE(done.lines[0].faces->are_kept);
      EXPECT_EQ(turns ? done.lines[0].faces->turned : done.lines[0].faces->dropped, some.size());
      for (const std::uint32_t f : some) {
        if (!turns) left.erase(f);
      }
      ASSERT_EQ(session.model().parts[0].shape()->surfaces.size(), 1u);
      EXPECT_EQ(used_faces(session.model().parts[0]), left);
    }
    WriteReport report;
    const std::string text = step_of(session.model(), report);
    EXPECT_TRUE(report.notes.empty()) << report.notes[0];
    const Model back = read_model(Source{"back.step", text});
    std::size_t faces = 0;
    for (const Part& part : back.parts) faces += used_faces(part).size();
    EXPECT_EQ(faces, left.size());
    // Undone, it is the body that was read.
    session.undo(9);
    EXPECT_EQ(session.model().parts[0].shape(), model.parts[0].shape());
  }
}

// A part of a face is no face.
TEST(BodySteps, PartsOfFacesLeaveAMesh) {
  Random r(1);
  MendSession session(read_drawn(random_profile(r)));
  Step step = step_on(remedies::delete_, {});
  step.selection.triangles = {{0, 0}};
  const StepReport done = session.run(step);
  ASSERT_TRUE(done.changed);
  ASSERT_TRUE(done.lines[0].faces.has_value());
  EXPECT_FALSE(done.lines[0].faces->are_kept);
  EXPECT_TRUE(session.model().parts[0].shape()->surfaces.empty());
}

// Other facets of the same faces are no reason to lose them; what no longer ends in the face's edges is.
TEST(BodySteps, OtherFacetsOfFacesLeaveABody) {
  int changed = 0, kept = 0;
  for (std::uint64_t seed = 0; seed < 12; ++seed) {
    SCOPED_TRACE(seed);
    Random r(seed);
    const DrawnBody body = r.chance(0.5) ? random_outline(r) : random_profile(r);
    MendSession session(read_drawn(body));
    Step step = step_on(remedies::collapse, {});
    const std::size_t count = session.model().parts[0].mesh().triangles.size();
    for (std::size_t i = 0; i < 3; ++i) {
      step.selection.triangles.push_back({0, static_cast<std::uint32_t>(r.index(count))});
    }
    step.settings["short_edge"] = 0.3;
    step.budget = 0.01;
    const StepReport done = session.run(step);
    if (!done.changed) continue;
    ++changed;
    // However often: what is off is not added up.
    for (int again = 0; again < 2; ++again) static_cast<void>(session.run(step));
    if (session.model().parts[0].shape()->surfaces.empty()) continue;
    ASSERT_TRUE(done.lines[0].faces.has_value());
    const Part& part = session.model().parts[0];
    if (!done.lines[0].faces->are_kept) continue;
    ++kept;
    EXPECT_GE(done.lines[0].faces->divided, 1u);
    const PreparedBody& now = *part.shape()->surfaces.at(0).body;
    const PreparedBody& read = *session.input().parts[0].shape()->surfaces.at(0).body;
    std::vector<std::uint32_t> facets(now.facets.size());
    for (const PatchId patch : part.mesh().patch_of) ++facets[patch.value];
    for (std::uint32_t f = 0; f < facets.size(); ++f) {
      EXPECT_EQ(facets[f], now.facets[f]);
      EXPECT_EQ(now.body.faces[f].surface, read.body.faces[f].surface);
      EXPECT_LE(now.fits[f].facets_off, 2 * now.chord);
    }
    WriteReport report;
    const Model back = read_model(Source{"back.step", step_of(session.model(), report)});
    EXPECT_TRUE(report.notes.empty()) << report.notes[0];
    EXPECT_NEAR(back.sources[0].sizes.volume, body.volume, 1e-9 * body.volume);
  }
  EXPECT_GE(changed, 4);
  EXPECT_GE(2 * kept, changed);
}

struct Rebuilt {
  bool is_filled = false;
  std::string how;
  double volume = 0, volume_within = 0;
  Verdict verdict = Verdict::undecided;
};
// Is there a flat opening whose neighbours meet close by if they are carried on?
bool is_corner_missing(const MendSession& session) {
  const double tolerance = session.tolerance();
  const Budget budget{tolerance, {}};
  const FindingOpenings openings(session.model().parts[0].mesh(), tolerance, budget);
  const Filler filler(openings.known(), tolerance);
  return std::any_of(openings.all().begin(), openings.all().end(), [&](const Opening& o) {
    FillOptions options;
    options.tolerance = tolerance;
    options.method = FillMethod::flat;
    return std::holds_alternative<Fill>(filler.fill(o, options)) &&
           misses_a_corner(openings.known(), filler, o, tolerance);
  });
}

// Without some faces, with all fills that are proposed then, written as STEP, and read again. `flat_first`:
// also where neighbours that meet sharply might be carried on.
Rebuilt rebuilt(const DrawnBody& body, const std::set<std::uint32_t>& faces, bool flat_first) {
  Rebuilt out;
  MendSession session(read_drawn(body));
  EXPECT_TRUE(session.run(step_on(remedies::delete_, faces)).changed);
  Accepted all;
  all.all = true;
  std::size_t added = 0;
  for (Step step : session.propose(all)) {
    if (!(step.remedy == remedies::fill)) continue;
    if (flat_first) {
      step.settings.erase("prefer");
    } else if (step.selection.ids.size() < 2 && is_corner_missing(session)) {
      step.settings["method"] = std::string("auto");
      step.settings["prefer"] = std::string("extend");
    }
    const StepReport filled = session.run(step);
    for (const LedgerLine& line : filled.lines) {
      out.how += line.method + ". ";
      if (!filled.changed) continue;
      out.is_filled = true;
      EXPECT_TRUE(line.faces.has_value() && line.faces->are_kept) << out.how;
      if (line.faces) added += line.faces->added;
    }
  }
  if (!out.is_filled || session.model().parts[0].shape()->surfaces.empty()) return out;
  EXPECT_EQ(used_faces(session.model().parts[0]).size(),
            used_faces(session.input().parts[0]).size() - faces.size() + added);
  WriteReport report;
  const std::string text = step_of(session.model(), report);
  EXPECT_TRUE(report.notes.empty()) << report.notes[0];
  EXPECT_TRUE(test::broken_step_rules(text).empty()) << test::broken_step_rules(text)[0];
  const Model back = read_model(Source{"back.step", text});
  out.verdict = certify(back).verdict;
  out.volume = back.sources[0].sizes.volume;
  out.volume_within = back.sources[0].sizes.volume_within;
  return out;
}

DrawnBody random_body(Random& r) { return r.chance(0.6) ? random_outline(r) : random_profile(r); }

// A solid loses a face, is filled, and has its exact volume again as a solid of surfaces. Walls around
// everything are not known to be missing: the two discs that are left have nothing to do with each other.
TEST(BodySteps, FilledFacesAreSurfacesWithTheVolumeThatWas) {
  int cases = 0, filled = 0;
  for (std::uint64_t seed = 0; seed < 60; ++seed) {
    Random r(seed);
    const DrawnBody body = random_body(r);
    const auto face = static_cast<std::uint32_t>(r.index(body.faces.size()));
    SCOPED_TRACE(testing::Message() << seed << " without face " << face);
    const Rebuilt after = rebuilt(body, {face}, true);
    ++cases;
    if (!after.is_filled) continue;
    ++filled;
    EXPECT_EQ(after.verdict, Verdict::solid) << after.how;
    EXPECT_NEAR(after.volume, body.volume, 1e-6 * body.volume + after.volume_within) << after.how;
  }
  EXPECT_GE(6 * filled, 5 * cases);
}

// A face that is taken out and made anew in one step, the last one, too.
TEST(BodySteps, RefittedFacesAreFaces) {
  for (std::uint64_t seed = 0; seed < 6; ++seed) {
    Random r(seed);
    const DrawnBody body = random_outline(r);
    for (std::uint32_t face = 0; face < body.faces.size(); ++face) {
      if (body.faces[face].surface.kind != demo::DrawnSurface::Kind::plane) continue;
      SCOPED_TRACE(testing::Message() << seed << ", face " << face);
      MendSession session(read_drawn(body));
      Step step = step_on(remedies::refit, {face});
      step.settings["method"] = std::string("flat");
      const StepReport done = session.run(step);
      ASSERT_TRUE(done.changed);
      ASSERT_TRUE(done.lines[0].faces.has_value());
      EXPECT_TRUE(done.lines[0].faces->are_kept);
      EXPECT_EQ(done.lines[0].faces->dropped, 1u);
      EXPECT_EQ(done.lines[0].faces->added, 1u);
      const Part& part = session.model().parts[0];
      const PatchId last = part.mesh().patch_of[part.mesh().patch_of.size() - 1];
      EXPECT_EQ(part.patch_names()[last.value], "fill-flat-1");
    }
  }
}

// Triangles that are put in by hand are of no face.
TEST(BodySteps, TrianglesByHandLeaveAMesh) {
  Random r(2);
  MendSession session(read_drawn(random_outline(r)));
  ASSERT_TRUE(session.run(step_on(remedies::delete_, {0})).changed);
  const Mesh& mesh = session.model().parts[0].mesh();
  const Triangle& any = mesh.triangles[0];
  Step step = step_on(remedies::add, {});
  std::vector<double> at;
  for (const VertexId v : any.corner) {
    for (int k = 0; k < 3; ++k) at.push_back(mesh.point(v)[k]);
  }
  step.settings["at"] = at;
  const StepReport done = session.run(step);
  ASSERT_TRUE(done.changed);
  ASSERT_TRUE(done.lines[0].faces.has_value());
  EXPECT_FALSE(done.lines[0].faces->are_kept);
}

// What shares its edges in its file has no cracks: a rounding that is missing is no seam, however narrow.
TEST(BodySteps, NarrowFacesThatAreMissingAreNotStitchedAway) {
  for (const double radius : {0.02, 0.1, 0.4}) {
    SCOPED_TRACE(radius);
    const DrawnBody body = demo::turned_profile(
        {{0, 0, 0}, {4 - radius, 0, radius}, {4, radius, 0}, {4, 3, 0}, {0, 3, 0}});
    std::uint32_t rounding = 0;
    while (body.faces[rounding].surface.kind != demo::DrawnSurface::Kind::torus) ++rounding;
    MendSession session(read_drawn(body));
    ASSERT_TRUE(session.run(step_on(remedies::delete_, {rounding})).changed);
    EXPECT_LT(session.tolerance(), 0.1 * radius);
    const Inspection& found = session.inspect();
    EXPECT_GT(found.count(Severity::error), 0u);
    for (const Finding& f : found.findings) EXPECT_NE(f.kind, FindingKind::crack);
    for (const Step& step : session.propose()) {
      EXPECT_FALSE(step.on && step.remedy == remedies::stitch);
    }
    const MendResult mended = mend(session.model());
    EXPECT_TRUE(mended.ledger.empty()) << mended.ledger[0].method;
    EXPECT_EQ(certify(mended.model).verdict, Verdict::not_solid);
  }
}

// A cavity stays that of its body while one of the two is open.
TEST(BodySteps, CavitiesStayWithTheirBody) {
  const auto box = [](double half) {
    return demo::raised_outline(
        {{-half, -half, 0}, {half, -half, 0}, {half, half, 0}, {-half, half, 0}}, {}, -half, half);
  };
  const DrawnBody body = demo::with_void(box(3), box(1));
  for (std::uint32_t face = 0; face < body.faces.size(); ++face) {
    SCOPED_TRACE(face);
    MendSession session(read_drawn(body));
    ASSERT_TRUE(session.run(step_on(remedies::delete_, {face})).changed);
    WriteReport report;
    const Model open = read_model(Source{"open.step", step_of(session.model(), report)});
    ASSERT_EQ(open.parts.size(), 1u);
    const MendResult mended = mend(open);
    const Model back = read_model(Source{"back.step", step_of(mended.model, report)});
    EXPECT_EQ(certify(back).verdict, Verdict::solid);
    EXPECT_NEAR(back.sources[0].sizes.volume, body.volume, 1e-9 * body.volume);
  }
}

// Where neighbours are carried on in place of a plane, they meet in curves of every kind.
TEST(BodySteps, NeighboursThatAreCarriedOnAreFacesToo) {
  int extended = 0;
  for (std::uint64_t seed = 0; seed < 60; ++seed) {
    Random r(seed);
    const DrawnBody body = random_outline(r);
    const auto face = static_cast<std::uint32_t>(r.index(body.faces.size()));
    SCOPED_TRACE(testing::Message() << seed << " without face " << face);
    const Rebuilt after = rebuilt(body, {face}, false);
    ASSERT_TRUE(after.is_filled);
    EXPECT_EQ(after.verdict, Verdict::solid) << after.how;
    if (after.how.find("meet in") == std::string::npos) continue;
    ++extended;
    EXPECT_GT(after.volume, body.volume);
  }
  EXPECT_GT(extended, 5);
}

// Plane faces by their corners, seen from outside, which share edges where corners are the same.
class PlaneFaces {
 public:
  explicit PlaneFaces(const Placement& at) : at_(at) {}
  void face(const std::vector<Point>& corners) {
    FaceLoop loop;
    Vector area = Vector::Zero();
    for (std::size_t i = 0; i < corners.size(); ++i) {
      const Point &p = corners[i], &q = corners[(i + 1) % corners.size()];
      area += p.cross(q);
      const std::uint32_t from = vertex(p), to = vertex(q);
      const auto known = edges_.find({to, from});
      if (known != edges_.end()) {
        loop.edges.push_back({known->second, false, nullptr});
      } else {
        loop.edges.push_back({edges_[{from, to}] = drawing_.line(from, to), true, nullptr});
      }
    }
    const Vector n = at_.linear * area;
    if (as_splines_) {
      ASSERT_EQ(corners.size(), 4u);
      drawing_.face_of_loops(
          make_spline_surface({1, {0, 0, 1, 1}}, {1, {0, 0, 1, 1}},
                              {at_(corners[0]), at_(corners[3]), at_(corners[1]), at_(corners[2])}),
          {loop});
      return;
    }
    drawing_.face_of_loops(make_plane(Frame::from(at_(corners[0]), n, n.unitOrthogonal())), {loop});
  }
  [[nodiscard]] SurfaceModel model() const { return drawing_.model(); }
  /// What comes next: faces of four corners, on splines that end there.
  void draw_splines(bool yes) { as_splines_ = yes; }

 private:
  std::uint32_t vertex(const Point& p) {
    const auto [found, is_new] = vertices_.try_emplace({p.x(), p.y(), p.z()}, 0);
    if (is_new) found->second = drawing_.vertex(at_(p));
    return found->second;
  }

  Placement at_;
  bool as_splines_ = false;
  test::Drawing drawing_;
  std::map<std::array<double, 3>, std::uint32_t> vertices_;
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> edges_;
};

// A box from 0 to `size` whose corner there is gone: what is missing of its three faces is a rectangle
// of each, so that the corner and the edges to it are to be made anew.
SurfaceModel box_without_corner(const Vector& size, const Vector& gone, const Placement& at) {
  PlaneFaces faces(at);
  for (int k = 0; k < 3; ++k) {
    const Vector u = Vector::Unit((k + 1) % 3), v = Vector::Unit((k + 2) % 3), w = Vector::Unit(k);
    const double a = size.dot(u), b = size.dot(v), c = size.dot(w);
    const double ga = gone.dot(u), gb = gone.dot(v);
    faces.face({Point::Zero(), b * v, a * u + b * v, a * u});
    faces.face({c * w, c * w + a * u, c * w + a * u + (b - gb) * v,
                c * w + (a - ga) * u + (b - gb) * v, c * w + (a - ga) * u + b * v, c * w + b * v});
  }
  return faces.model();
}

// A box whose top is divided into as many strips.
SurfaceModel box_with_strips(const Vector& size, int strips, const Placement& at,
                             bool splines = false) {
  PlaneFaces faces(at);
  faces.draw_splines(splines);
  const double a = size.x(), b = size.y(), c = size.z();
  std::vector<Point> front = {{0, 0, 0}, {a, 0, 0}}, back = {{a, b, 0}, {0, b, 0}};
  for (int i = 0; i <= strips; ++i) {
    const double x = a * i / strips, to = a * (i + 1) / strips;
    front.insert(front.begin() + 2, Point(x, 0, c));
    back.emplace_back(x, b, c);
    if (i < strips) faces.face({{x, 0, c}, {to, 0, c}, {to, b, c}, {x, b, c}});
  }
  faces.draw_splines(false);
  faces.face(front);
  faces.face(back);
  faces.face({{0, 0, 0}, {0, b, 0}, {a, b, 0}, {a, 0, 0}});
  faces.face({{0, 0, 0}, {0, 0, c}, {0, b, c}, {0, b, 0}});
  faces.face({{a, 0, 0}, {a, b, 0}, {a, b, c}, {a, 0, c}});
  return faces.model();
}

// A rounding and a chamfer may have the same edges; which of them the rest of the body has decides.
TEST(BodySteps, RoundingsAndChamfersComeBackAsWhatTheBodyHas) {
  for (std::uint64_t seed = 0; seed < 10; ++seed) {
    Random r(seed);
    const bool is_round = r.chance(0.5);
    const double size = r.between(0.2, 0.9), arc = is_round ? size : 0, h = r.between(2, 5);
    SCOPED_TRACE(testing::Message() << seed << (is_round ? ", round" : ", chamfered"));
    const DrawnBody body = demo::turned_profile({{0, 0, 0},
                                                 {4 - size, 0, arc},
                                                 {4, size, 0},
                                                 {4, h - size, arc},
                                                 {4 - size, h, 0},
                                                 {0, h, 0}});
    std::vector<std::uint32_t> bevels;
    for (std::uint32_t f = 0; f < body.faces.size(); ++f) {
      const auto kind = body.faces[f].surface.kind;
      if (kind == demo::DrawnSurface::Kind::torus || kind == demo::DrawnSurface::Kind::cone) {
        bevels.push_back(f);
      }
    }
    ASSERT_EQ(bevels.size(), 2u);
    const Rebuilt after = rebuilt(body, {bevels[r.index(2)]}, true);
    ASSERT_TRUE(after.is_filled);
    EXPECT_NE(after.how.find(is_round ? "torus" : "cone"), std::string::npos) << after.how;
    EXPECT_EQ(after.verdict, Verdict::solid);
    EXPECT_NEAR(after.volume, body.volume, 1e-8 * body.volume + after.volume_within);
  }
}

// The flat end of several faces is what is missing, however near these would meet beyond it.
TEST(BodySteps, ATruncatedPyramidGetsItsTopUnasked) {
  for (const int sides : {4, 5, 8}) {
    SCOPED_TRACE(sides);
    PlaneFaces faces(turned_by(Vector(1, 1, 3).normalized(), 0.4));
    std::vector<Point> low, high;
    for (int i = 0; i < sides; ++i) {
      const double a = 2 * std::numbers::pi * i / sides;
      low.emplace_back(3 * std::cos(a), 3 * std::sin(a), 0);
      high.emplace_back(0.5 * std::cos(a), 0.5 * std::sin(a), 2);
    }
    for (int i = 0; i < sides; ++i) {
      const auto k = static_cast<std::size_t>(i), l = static_cast<std::size_t>((i + 1) % sides);
      faces.face({low[k], low[l], high[l], high[k]});
    }
    std::reverse(low.begin(), low.end());
    faces.face(low);
    const MendResult mended = mend(prepare(faces.model(), {}));
    ASSERT_EQ(mended.ledger.size(), 1u);
    EXPECT_EQ(mended.ledger[0].method.substr(0, 5), "flat:");
    EXPECT_EQ(certify(mended.model).verdict, Verdict::solid);
  }
}

// Written and read again it is a solid of as many faces, with that volume.
void expect_solid_box(const Model& model, const Vector& size) {
  WriteReport report;
  const std::string text = step_of(model, report);
  EXPECT_TRUE(report.notes.empty()) << report.notes[0];
  EXPECT_TRUE(test::broken_step_rules(text).empty()) << test::broken_step_rules(text)[0];
  const Model back = read_model(Source{"back.step", text});
  EXPECT_EQ(certify(back).verdict, Verdict::solid);
  EXPECT_EQ(used_faces(back.parts[0]).size(), 6u);
  EXPECT_NEAR(back.sources[0].sizes.volume, size.prod(), 1e-9 * size.prod());
}

// The faces that a plane is divided into, joined; the body before and after.
struct JoinedStrips {
  Model before, after;
  FaceCounts faces;
};
JoinedStrips joined_strips(const Vector& size, int strips, const Placement& at, bool splines) {
  JoinedStrips out;
  MendSession session(prepare(box_with_strips(size, strips, at, splines), {}));
  static_cast<void>(session.inspect());
  Step step = step_on(remedies::absorb, {});
  step.selection.kinds = {FindingKind::split_patch};
  const StepReport done = session.run(step);
  EXPECT_TRUE(done.changed);
  out.faces = done.lines[0].faces.value_or(FaceCounts{.are_kept = false});
  EXPECT_TRUE(out.faces.are_kept);
  EXPECT_EQ(used_faces(session.model().parts[0]).size(), 6u);
  out.before = session.input();
  out.after = session.model();
  return out;
}

// Splines that end at their edges and lie in one plane become one face on it.
TEST(BodySteps, DividedSplinesOfOnePlaneBecomeAPlane) {
  for (const int strips : {2, 5}) {
    SCOPED_TRACE(strips);
    const Vector size(4, 3, 2);
    const JoinedStrips joined =
        joined_strips(size, strips, turned_by(Vector(2, 1, 1).normalized(), 0.3 * strips), true);
    EXPECT_EQ(joined.faces.apart, 0u);
    const Body& body = joined.after.parts[0].shape()->surfaces.at(0).body->body;
    EXPECT_EQ(body.faces[0].surface->kind(), SurfaceKind::plane);
    expect_solid_box(joined.after, size);
  }
}

// What a plane is divided into becomes one face, on the very surface of the first of them.
TEST(BodySteps, DividedPlanesBecomeOneFace) {
  for (const int strips : {2, 3, 7}) {
    SCOPED_TRACE(strips);
    const Vector size(4, 3, 2);
    const JoinedStrips joined =
        joined_strips(size, strips, turned_by(Vector(1, 2, 3).normalized(), 0.7 * strips), false);
    EXPECT_EQ(joined.faces.dropped, static_cast<std::size_t>(strips - 1));
    const Body &read = joined.before.parts[0].shape()->surfaces.at(0).body->body,
               &body = joined.after.parts[0].shape()->surfaces.at(0).body->body;
    EXPECT_EQ(body.faces[0].surface, read.faces[0].surface);
    EXPECT_EQ(body.edges.size(), read.edges.size());
    ASSERT_EQ(body.faces[0].loops.size(), 1u);
    EXPECT_EQ(body.faces[0].loops[0].edges.size(), static_cast<std::size_t>(2 * strips + 2));
    expect_solid_box(joined.after, size);
  }
}

TEST(BodySteps, CornersAreCarriedOn) {
  for (std::uint64_t seed = 0; seed < 20; ++seed) {
    SCOPED_TRACE(seed);
    Random r(seed);
    Vector size, gone, axis;
    for (int k = 0; k < 3; ++k) {
      size[k] = r.between(2, 9);
      gone[k] = size[k] * r.between(0.1, 0.6);
      axis[k] = r.between(-1, 1) + 2;
    }
    const Placement at = turned_by(axis.normalized(), r.between(0, 3));
    MendSession session(prepare(box_without_corner(size, gone, at), {}));
    ASSERT_EQ(session.model().parts.size(), 1u);
    Step step = step_on(remedies::fill, {});
    step.settings["method"] = std::string("extend");
    const StepReport filled = session.run(step);
    ASSERT_TRUE(filled.changed) << filled.lines[0].refused.size();
    ASSERT_TRUE(filled.lines[0].faces.has_value());
    EXPECT_TRUE(filled.lines[0].faces->are_kept);
    EXPECT_EQ(filled.lines[0].faces->added, 3u);
    const Body& read = session.input().parts[0].shape()->surfaces.at(0).body->body;
    const Body& body = session.model().parts[0].shape()->surfaces.at(0).body->body;
    EXPECT_EQ(body.edges.size(), read.edges.size() + 3);
    EXPECT_LT((body.vertices.back().point - at(size)).norm(), 1e-12);
    WriteReport report;
    const std::string text = step_of(session.model(), report);
    EXPECT_TRUE(test::broken_step_rules(text).empty()) << test::broken_step_rules(text)[0];
    const Model back = read_model(Source{"back.step", text});
    EXPECT_EQ(certify(back).verdict, Verdict::solid);
    EXPECT_NEAR(back.sources[0].sizes.volume, size.prod(), 1e-9 * size.prod());
  }
}

}  // namespace body_steps_test
}  // namespace aguja
