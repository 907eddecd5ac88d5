// Bodies of a few faces, each drawn so that one thing about it is wrong, and known.

#include <cmath>
#include <map>
#include <numbers>

#include <Eigen/Geometry>

#include "demo/garza.h"
#include "demo/seeded.h"

namespace aguja::demo {
namespace {

using Flat = Eigen::Vector2d;

// Faces by their corners; equal points are one.
class Body {
 public:
  // Corners counter-clockwise, seen from outside; convex, or a fan about the first corner at least.
  void face(const std::vector<Point>& corners) {
    for (std::size_t i = 2; i < corners.size(); ++i) {
      triangle(corners[0], corners[i - 1], corners[i]);
    }
    ++patch_;
  }
  void triangle(const Point& a, const Point& b, const Point& c) {
    mesh_.triangles.push_back({{add(a), add(b), add(c)}});
    mesh_.patch_of.push_back({patch_});
  }
  void next_patch() { ++patch_; }
  [[nodiscard]] Mesh take(bool keep_patches = false) {
    if (!keep_patches) mesh_.patch_of.clear();
    return std::move(mesh_);
  }

 private:
  VertexId add(const Point& p) {
    const auto [at, is_new] = ids_.try_emplace(std::array{p.x() + 0.0, p.y() + 0.0, p.z() + 0.0},
                                               static_cast<std::uint32_t>(mesh_.points.size()));
    if (is_new) mesh_.points.push_back(p);
    return {at->second};
  }
  Mesh mesh_;
  std::map<std::array<double, 3>, std::uint32_t> ids_;
  std::uint32_t patch_ = 0;
};

Point at(const Flat& p, double z) { return {p.x(), p.y(), z}; }

// A prism over a polygon (counter-clockwise), divided into fans about the corners named.
Body prism(const std::vector<Flat>& outline, double height,
           const std::vector<std::vector<std::size_t>>& pieces) {
  Body body;
  for (std::size_t i = 0; i < outline.size(); ++i) {
    const Flat &p = outline[i], &q = outline[(i + 1) % outline.size()];
    body.face({at(p, 0), at(q, 0), at(q, height), at(p, height)});
  }
  for (const bool top : {false, true}) {
    for (const auto& piece : pieces) {
      for (std::size_t i = 2; i < piece.size(); ++i) {
        const Flat &a = outline[piece[0]], &b = outline[piece[i - 1]], &c = outline[piece[i]];
        if (top) {
          body.triangle(at(a, height), at(b, height), at(c, height));
        } else {
          body.triangle(at(c, 0), at(b, 0), at(a, 0));
        }
      }
    }
    body.next_patch();
  }
  return body;
}

DemoModel model_of(const std::string& name, std::string what, Mesh mesh) {
  DemoModel demo;
  demo.name = name;
  demo.what = std::move(what);
  demo.model.parts = {Part(name, std::move(mesh))};
  demo.model.unit_assumed = false;
  return demo;
}

void name_patches(DemoModel& demo, std::vector<std::string> names) {
  PartDraft part(demo.model.parts[0]);
  part.patch_names = std::move(names);
  demo.model.parts[0] = std::move(part);
}

void seed(DemoModel& demo, FindingKind kind, const Point& place, double size,
          std::optional<std::size_t> count) {
  demo.defects.push_back({kind, demo.name, place, size, count});
}

DemoModel baffle() {
  Body body;
  const auto p = [](double x, double y, double z) { return Point(x, y, z); };
  for (const double x : {0.0, 20.0}) {
    body.face({p(x, 0, 0), p(x, 30, 0), p(x + 20, 30, 0), p(x + 20, 0, 0)});
    body.face({p(x, 0, 10), p(x + 20, 0, 10), p(x + 20, 30, 10), p(x, 30, 10)});
    body.face({p(x, 0, 0), p(x + 20, 0, 0), p(x + 20, 0, 10), p(x, 0, 10)});
    body.face({p(x + 20, 30, 0), p(x, 30, 0), p(x, 30, 10), p(x + 20, 30, 10)});
  }
  body.face({p(0, 30, 0), p(0, 0, 0), p(0, 0, 10), p(0, 30, 10)});
  body.face({p(40, 0, 0), p(40, 30, 0), p(40, 30, 10), p(40, 0, 10)});
  body.face({p(20, 0, 0), p(20, 30, 0), p(20, 30, 10), p(20, 0, 10)});
  DemoModel demo = model_of("box-baffle", "a wall inside divides a box in two", body.take());
  seed(demo, FindingKind::internal_face, {20, 15, 5}, 300, 2);
  return demo;
}

DemoModel loose_sheet() {
  Mesh mesh = make_box({0, 0, 0}, {20, 20, 20});
  Body sheet;
  sheet.face({{5, 5, 30}, {15, 5, 30}, {15, 15, 30}, {5, 15, 30}});
  append(mesh, sheet.take());
  DemoModel demo = model_of("box-sheet", "a sheet floats above a box", std::move(mesh));
  seed(demo, FindingKind::loose_sheet, {10, 10, 30}, 100, 2);
  return demo;
}

DemoModel turned_lid() {
  Mesh mesh = make_box({0, 0, 0}, {20, 20, 20});
  erase_if(mesh.triangles, [&](const Triangle& t) {
    return mesh.point(t[0]).z() == 20 && mesh.point(t[1]).z() == 20 && mesh.point(t[2]).z() == 20;
  });
  constexpr double kGap = 0.01;
  const double z = 20 + kGap;
  Body lid;
  lid.face({{0, 0, z}, {0, 20, z}, {20, 20, z}, {20, 0, z}});
  append(mesh, lid.take());
  DemoModel demo =
      model_of("box-lid-turned", "the lid is not joined, and faces inward", std::move(mesh));
  seed(demo, FindingKind::crack, {0, 10, 20 + 0.5 * kGap}, kGap, std::nullopt);
  seed(demo, FindingKind::inverted_patch, {10, 10, z}, 400, 2);
  return demo;
}

DemoModel hanging_tip() {
  // A box whose top has a square hole; a triangle reaches across the hole and touches its far edge
  // with its tip.
  Body body;
  const auto p = [](double x, double y) { return Point(x, y, 20); };
  const double s = 20;
  body.face({{0, 0, 0}, {0, s, 0}, {s, s, 0}, {s, 0, 0}});
  body.face({{0, 0, 0}, {s, 0, 0}, {s, 0, s}, {0, 0, s}});
  body.face({{s, 0, 0}, {s, s, 0}, {s, s, s}, {s, 0, s}});
  body.face({{s, s, 0}, {0, s, 0}, {0, s, s}, {s, s, s}});
  body.face({{0, s, 0}, {0, 0, 0}, {0, 0, s}, {0, s, s}});
  body.face({p(0, 0), p(20, 0), p(15, 5), p(5, 5)});
  body.face({p(20, 0), p(20, 20), p(15, 15), p(15, 5)});
  body.face({p(20, 20), p(0, 20), p(5, 15), p(15, 15)});
  body.face({p(0, 20), p(0, 0), p(5, 5), p(5, 15)});
  body.triangle(p(5, 15), p(5, 5), p(15, 10));
  DemoModel demo =
      model_of("box-hanging-tip", "a tongue ends on the far edge of an opening", body.take());
  const double slant = std::hypot(10.0, 5.0);
  seed(demo, FindingKind::opening, {0, 0, 0}, 30 + 2 * slant, 5);
  // The mean of the rim's edges, weighted by length.
  const Point sum =
      10 * p(10, 5) + 10 * p(15, 10) + 10 * p(10, 15) + slant * p(10, 12.5) + slant * p(10, 7.5);
  demo.defects.back().place = sum / (30 + 2 * slant);
  seed(demo, FindingKind::hanging_vertex, p(15, 10), 0, 1);
  return demo;
}

DemoModel short_ridge() {
  constexpr double kRidge = 0.005;
  Body body;
  const double y = 20 + kRidge;
  const Point a(10, 10, 20), b(10, 10 + kRidge, 20);
  body.face({{0, 0, 0}, {0, y, 0}, {20, y, 0}, {20, 0, 0}});
  body.face({{0, 0, 0}, {20, 0, 0}, a});
  body.face({{20, 0, 0}, {20, y, 0}, b, a});
  body.face({{20, y, 0}, {0, y, 0}, b});
  body.face({{0, y, 0}, {0, 0, 0}, a, b});
  DemoModel demo = model_of("roof-short-ridge", "a hip roof with a ridge of 0.005 mm", body.take());
  seed(demo, FindingKind::short_edge, 0.5 * (a + b), kRidge, 1);
  return demo;
}

DemoModel near_corners() {
  constexpr double kApart = 1.2e-5;
  Mesh mesh = make_box({0, 0, 0}, {1, 1, 1});
  for (Point& p : mesh.points) p *= 8;
  Mesh other = make_box({0, 0, 0}, {1, 1, 1});
  for (Point& p : other.points) p = 8 * p + Point::Constant(8 + kApart);
  append(mesh, other);
  DemoModel demo =
      model_of("boxes-nearly-touching", "two boxes whose corners nearly meet", std::move(mesh));
  const double rounded = rounded_to_float(Point::Constant(8 + kApart)).x() - 8;
  seed(demo, FindingKind::near_vertices, Point::Constant(8), std::sqrt(3.0) * rounded, 2);
  return demo;
}

DemoModel sliver() {
  constexpr double kHeight = 2e-4;
  Mesh mesh = make_box({0, 0, 0}, {20, 20, 20});
  erase_if(mesh.triangles, [&](const Triangle& t) {
    return mesh.point(t[0]).z() == 20 && mesh.point(t[1]).z() == 20 && mesh.point(t[2]).z() == 20;
  });
  Body lid;
  const Point a(0, 0, 20), b(20, 0, 20), c(20, 20, 20), d(0, 20, 20), e(10, kHeight, 20);
  lid.triangle(a, b, e);
  lid.triangle(b, c, e);
  lid.triangle(c, d, e);
  lid.triangle(d, a, e);
  append(mesh, lid.take());
  DemoModel demo =
      model_of("box-sliver", "a triangle 20 mm long and 0.0002 mm high", std::move(mesh));
  seed(demo, FindingKind::sliver_triangle, (a + b + e) / 3, 20 / rounded_to_float(e).y(), 1);
  return demo;
}

DemoModel pleat() {
  // The top is folded at y = 0 and runs out flat at y = 30.
  const Point l0(0, 0, 10), l1(0, 30, 10), b(6, 0, 10), c(4, 0, 10.15), a(5, 30, 10);
  const Point r0(10, 0, 10.3), r1(10, 30, 10);
  Body body;
  body.triangle(l0, b, a);
  body.triangle(l0, a, l1);
  body.triangle(b, c, a);
  body.triangle(c, r0, a);
  body.triangle(r0, r1, a);
  const Point o(0, 0, 0), x(10, 0, 0), y(0, 30, 0), xy(10, 30, 0);
  body.face({o, y, xy, x});
  body.face({y, o, l0, l1});
  body.face({x, xy, r1, r0});
  body.face({xy, y, l1, a, r1});
  body.triangle(o, x, b);
  body.triangle(o, b, l0);
  body.triangle(x, r0, b);
  body.triangle(r0, c, b);
  DemoModel demo = model_of("box-pleat", "the top is folded back over itself", body.take());
  const auto turn = [](const Point& p, const Point& q, const Point& r, const Point& u) {
    // The angle between (p, q, r) and its neighbour (q, p, u) seen from the fold.
    const auto cross = [](const Vector& v, const Vector& w) {
      return Vector(v.y() * w.z() - v.z() * w.y(), v.z() * w.x() - v.x() * w.z(),
                    v.x() * w.y() - v.y() * w.x());
    };
    const Vector n = cross(q - p, r - p), m = cross(p - q, u - q);
    return 180 - std::atan2(cross(n, m).norm(), n.dot(m)) * 180 / std::numbers::pi;
  };
  seed(demo, FindingKind::folded_triangle, (a + b + c) / 3,
       std::min(turn(a, b, c, l0), turn(c, a, b, r0)), 1);
  return demo;
}

DemoModel stored_normal() {
  DemoModel demo = model_of("box-stored-normal", "the normals of one side are stored turned over",
                            make_box({0, 0, 0}, {20, 20, 20}));
  PartDraft part(demo.model.parts[0]);
  std::optional<Point> first;
  std::size_t count = 0;
  for (const Triangle& t : part.mesh.triangles) {
    const Point &a = part.mesh.point(t[0]), &b = part.mesh.point(t[1]), &c = part.mesh.point(t[2]);
    const Vector u = b - a, v = c - a;
    Vector n(u.y() * v.z() - u.z() * v.y(), u.z() * v.x() - u.x() * v.z(),
             u.x() * v.y() - u.y() * v.x());
    n.normalize();
    if (n.x() > 0.5) {
      n = -n;
      ++count;
      if (!first) first = (a + b + c) / 3;
    }
    part.facets.normals.push_back(n);
  }
  demo.model.parts[0] = std::move(part);
  seed(demo, FindingKind::normal_mismatch, *first, static_cast<double>(count), count);
  return demo;
}

DemoModel chamfer() {
  constexpr double kLeg = 0.02;
  const std::vector<Flat> outline = {{0, 0}, {30, 0}, {30, 20 - kLeg}, {30 - kLeg, 20}, {0, 20}};
  DemoModel demo = model_of("box-narrow-chamfer", "a chamfer of 0.028 mm along an edge of 25 mm",
                            prism(outline, 25, {{0, 1, 2, 3, 4}}).take());
  // Its width is that of the rectangle with its area and border: itself.
  seed(demo, FindingKind::sliver_patch, {30 - 0.5 * kLeg, 20 - 0.5 * kLeg, 12.5},
       std::sqrt(2.0) * kLeg, 2);
  return demo;
}

DemoModel clipped_corner() {
  constexpr double kCut = 0.03;
  Body body;
  const double s = 20;
  const Point a(s - kCut, s, s), b(s, s - kCut, s), c(s, s, s - kCut);
  body.face({{0, 0, 0}, {0, s, 0}, {s, s, 0}, {s, 0, 0}});
  body.face({{0, 0, 0}, {s, 0, 0}, {s, 0, s}, {0, 0, s}});
  body.face({{0, s, 0}, {0, 0, 0}, {0, 0, s}, {0, s, s}});
  body.face({{s, 0, 0}, {s, s, 0}, c, b, {s, 0, s}});
  body.face({{0, s, 0}, {0, s, s}, a, c, {s, s, 0}});
  body.face({{0, 0, s}, {s, 0, s}, b, a, {0, s, s}});
  body.face({a, b, c});
  DemoModel demo = model_of("box-clipped-corner", "a corner is cut off by 0.03 mm", body.take());
  seed(demo, FindingKind::tiny_patch, (a + b + c) / 3, std::sqrt(2.0) * kCut, 1);
  return demo;
}

DemoModel needle_face() {
  Body body;
  const Point apex(0, 0, 15);
  std::vector<Point> base;
  for (const double degrees : {0.0, 3.0, 90.0, 180.0, 270.0}) {
    const double angle = degrees * std::numbers::pi / 180;
    base.emplace_back(10 * std::cos(angle), 10 * std::sin(angle), 0);
  }
  for (std::size_t i = 0; i < base.size(); ++i) {
    body.face({base[i], base[(i + 1) % base.size()], apex});
  }
  body.face({base[4], base[3], base[2], base[1], base[0]});
  DemoModel demo = model_of("pyramid-needle", "one face of a pyramid is a needle", body.take());
  const Vector u = base[0] - apex, v = base[1] - apex;
  const double angle = std::acos(u.dot(v) / (u.norm() * v.norm())) * 180 / std::numbers::pi;
  seed(demo, FindingKind::acute_corner, apex, angle, 1);
  return demo;
}

DemoModel wedge() {
  const double rise = 20 * std::tan(6 * std::numbers::pi / 180);
  DemoModel demo = model_of("wedge", "a wedge of six degrees",
                            prism({{0, 0}, {20, 0}, {20, rise}}, 15, {{0, 1, 2}}).take());
  seed(demo, FindingKind::knife_edge, {0, 0, 7.5}, 6, 1);
  return demo;
}

DemoModel divided_top() {
  Body body;
  const auto p = [](double x, double y, double z) { return Point(x, y, z); };
  body.face({p(0, 0, 10), p(20, 0, 10), p(20, 30, 10), p(0, 30, 10)});
  body.face({p(20, 0, 10), p(40, 0, 10), p(40, 30, 10), p(20, 30, 10)});
  // Fans about corners in the middle of a side: no triangle is flat.
  body.face({p(20, 0, 0), p(0, 0, 0), p(0, 30, 0), p(20, 30, 0), p(40, 30, 0), p(40, 0, 0)});
  body.face({p(20, 0, 0), p(40, 0, 0), p(40, 0, 10), p(20, 0, 10), p(0, 0, 10), p(0, 0, 0)});
  body.face({p(20, 30, 0), p(0, 30, 0), p(0, 30, 10), p(20, 30, 10), p(40, 30, 10), p(40, 30, 0)});
  body.face({p(0, 30, 0), p(0, 0, 0), p(0, 0, 10), p(0, 30, 10)});
  body.face({p(40, 0, 0), p(40, 30, 0), p(40, 30, 10), p(40, 0, 10)});
  Mesh mesh = body.take(true);
  DemoModel demo =
      model_of("box-divided-top", "the top is two faces of one plane", std::move(mesh));
  demo.format = Format::obj;
  name_patches(demo, {"top-left", "top-right", "bottom", "front", "back", "left", "right"});
  seed(demo, FindingKind::split_patch, {20, 15, 10}, 2, 2);
  return demo;
}

DemoModel spike() {
  Body body;
  const double s = 10;
  const Point tip(4, 6, 60);
  body.face({{0, 0, 0}, {0, s, 0}, {s, s, 0}, {s, 0, 0}});
  body.face({{0, 0, 0}, {s, 0, 0}, {s, 0, s}, {0, 0, s}});
  body.face({{s, 0, 0}, {s, s, 0}, {s, s, s}, {s, 0, s}});
  body.face({{s, s, 0}, {0, s, 0}, {0, s, s}, {s, s, s}});
  body.face({{0, s, 0}, {0, 0, 0}, {0, 0, s}, {0, s, s}});
  const Point top[] = {{0, 0, s}, {s, 0, s}, {s, s, s}, {0, s, s}};
  for (std::size_t i = 0; i < 4; ++i) body.triangle(top[i], top[(i + 1) % 4], tip);
  DemoModel demo = model_of("box-spike", "the top face has run away to a spike", body.take(true));
  demo.format = Format::obj;
  name_patches(demo, {"bottom", "front", "right", "back", "left", "top"});
  // Out of the ball around the square.
  seed(demo, FindingKind::runaway_face, tip,
       (tip - Point(5, 5, s)).norm() - 0.5 * std::sqrt(2.0) * s, 4);
  return demo;
}

DemoModel thin_fence() {
  constexpr double kThin = 0.02;
  const std::vector<Flat> outline = {{0, 0},          {10, 0},         {10, 8},
                                     {10 - kThin, 8}, {10 - kThin, 2}, {0, 2}};
  DemoModel demo = model_of("plate-with-fence", "a wall of 0.02 mm stands on a plate",
                            prism(outline, 25, {{1, 2, 3, 4}, {0, 1, 4, 5}}).take());
  seed(demo, FindingKind::thin_wall, {10 - 0.5 * kThin, 5, 12.5}, kThin, 4);
  seed(demo, FindingKind::sliver_patch, {10 - 0.5 * kThin, 8, 12.5}, kThin, 2);
  return demo;
}

// The wall runs on over its beginning, a hair farther out; the lids end where the wall begins.
DemoModel lapped_sleeve() {
  constexpr double kSide = 20, kHeight = 12, kLap = 8, kHair = 0.01;
  const std::vector<Flat> outline = {{0, 0},     {kSide, 0},  {kSide, kSide},
                                     {0, kSide}, {0, -kHair}, {kLap, -kHair}};
  Body body;
  for (std::size_t i = 0; i + 1 < outline.size(); ++i) {
    const Flat &p = outline[i], &q = outline[i + 1];
    body.face({at(p, 0), at(q, 0), at(q, kHeight), at(p, kHeight)});
  }
  body.face({at(outline[0], 0), at(outline[3], 0), at(outline[2], 0), at(outline[1], 0)});
  body.face({at(outline[0], kHeight), at(outline[1], kHeight), at(outline[2], kHeight),
             at(outline[3], kHeight)});
  DemoModel demo =
      model_of("box-lapped", "the wall of a box is lapped over its beginning", body.take());
  seed(demo, FindingKind::overlap, {0.5 * kLap, 0, 0.5 * kHeight}, kLap * kHeight, 4);
  for (const double z : {0.0, kHeight}) {
    seed(demo, FindingKind::crack, {0, 0, z}, 0, 2);
  }
  return demo;
}

DemoModel far_ball() {
  const KnownPart ball = make_ball(25, 20);
  Mesh mesh = ball.part.mesh();
  mesh.patch_of.clear();
  for (Point& p : mesh.points) p = rounded_to_float(p + Point(1e5, 0, 0));
  DemoModel demo = model_of("ball-far-away", "a ball 100 m from the origin, in single precision",
                            std::move(mesh));
  const Box box = box_of(demo.model.parts[0].mesh());
  demo.defects.push_back(
      {FindingKind::precision_doubt, "", box.center(), std::ldexp(1.0, 16 - 23), 1});
  return demo;
}

}  // namespace

std::vector<DemoModel> seeded_shapes() {
  std::vector<DemoModel> models;
  for (const auto make : {baffle, loose_sheet, turned_lid, hanging_tip, short_ridge, near_corners,
                          sliver, pleat, stored_normal, chamfer, clipped_corner, needle_face, wedge,
                          divided_top, spike, thin_fence, lapped_sleeve, far_ball}) {
    models.push_back(make());
  }
  return models;
}

}  // namespace aguja::demo
