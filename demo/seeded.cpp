#include "demo/seeded.h"

#include <algorithm>
#include <functional>
#include <map>
#include <numbers>
#include <set>
#include <span>

#include <Eigen/Geometry>

#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "aguja/model/transform.h"
#include "demo/crack.h"
#include "demo/garza.h"

namespace aguja::demo {
namespace {

double distance(const Point& a, const Point& b) { return (a - b).norm(); }

// Editing by place: demo models are small, so everything is found by looking at all of it.
class Editor {
 public:
  explicit Editor(Mesh& mesh) : mesh_(mesh) {}

  [[nodiscard]] Point centroid(std::size_t t) const {
    return (corner(t, 0) + corner(t, 1) + corner(t, 2)) / 3.0;
  }
  [[nodiscard]] const Point& corner(std::size_t t, std::size_t c) const {
    return mesh_.point(mesh_.triangles[t][c]);
  }
  [[nodiscard]] double area(std::size_t t) const {
    const Vector u = corner(t, 1) - corner(t, 0), v = corner(t, 2) - corner(t, 0);
    return 0.5 * u.cross(v).norm();
  }
  [[nodiscard]] VertexId nearest_vertex(const Point& p) const {
    const auto at = std::min_element(
        mesh_.points.begin(), mesh_.points.end(),
        [&](const Point& a, const Point& b) { return distance(a, p) < distance(b, p); });
    return {static_cast<std::uint32_t>(at - mesh_.points.begin())};
  }
  [[nodiscard]] std::size_t nearest_triangle(const Point& p) const {
    std::size_t best = 0;
    for (std::size_t t = 1; t < mesh_.triangles.size(); ++t) {
      if (distance(centroid(t), p) < distance(centroid(best), p)) best = t;
    }
    return best;
  }
  [[nodiscard]] std::vector<std::size_t> triangles_at(VertexId v) const {
    return triangles_where([&](std::size_t t) {
      const Triangle& tri = mesh_.triangles[t];
      return tri[0] == v || tri[1] == v || tri[2] == v;
    });
  }
  [[nodiscard]] std::vector<std::size_t> triangles_where(
      const std::function<bool(std::size_t)>& wanted) const {
    std::vector<std::size_t> found;
    for (std::size_t t = 0; t < mesh_.triangles.size(); ++t) {
      if (wanted(t)) found.push_back(t);
    }
    return found;
  }

  struct Border {
    double length = 0;
    std::size_t edges = 0;
  };
  // The sides of these triangles that none of the others has.
  [[nodiscard]] Border border(const std::vector<std::size_t>& triangles) const {
    std::set<std::pair<std::uint32_t, std::uint32_t>> sides;
    for (const std::size_t t : triangles) {
      for (std::size_t c = 0; c < 3; ++c) {
        sides.emplace(mesh_.triangles[t][c].value, mesh_.triangles[t][(c + 1) % 3].value);
      }
    }
    Border result;
    for (const auto& [a, b] : sides) {
      if (sides.contains({b, a})) continue;
      result.length += distance(mesh_.points[a], mesh_.points[b]);
      ++result.edges;
    }
    return result;
  }

  void remove(const std::vector<std::size_t>& triangles) {
    std::size_t kept = 0;
    for (std::size_t t = 0; t < mesh_.triangles.size(); ++t) {
      if (std::binary_search(triangles.begin(), triangles.end(), t)) continue;
      mesh_.triangles[kept] = mesh_.triangles[t];
      mesh_.patch_of[kept++] = mesh_.patch_of[t];
    }
    mesh_.triangles.resize(kept);
    mesh_.patch_of.resize(kept);
  }
  // Numbers the points anew by use; those that no triangle uses go.
  void drop_unused_points() {
    std::vector<std::uint32_t> renumbered(mesh_.points.size(), kNoIndex);
    SharedArray<Point> points;
    for (Triangle& t : mesh_.triangles) {
      for (VertexId& v : t.corner) {
        if (renumbered[v.value] == kNoIndex) {
          renumbered[v.value] = static_cast<std::uint32_t>(points.size());
          points.push_back(mesh_.points[v.value]);
        }
        v = {renumbered[v.value]};
      }
    }
    mesh_.points = std::move(points);
  }
  void turn(const std::vector<std::size_t>& triangles) {
    for (const std::size_t t : triangles) std::swap(mesh_.triangles[t][1], mesh_.triangles[t][2]);
  }
  VertexId add_point(const Point& p) {
    mesh_.points.push_back(p);
    return {static_cast<std::uint32_t>(mesh_.points.size() - 1)};
  }
  void add_triangle(VertexId a, VertexId b, VertexId c) {
    mesh_.triangles.push_back({{a, b, c}});
    mesh_.patch_of.push_back({0});
  }

 private:
  Mesh& mesh_;
};

DemoModel model_of(std::string name, std::string what, std::vector<Part> parts) {
  DemoModel demo;
  demo.name = std::move(name);
  demo.what = std::move(what);
  demo.model.parts = std::move(parts);
  demo.model.unit_assumed = false;
  return demo;
}

struct SeededPod {
  explicit SeededPod(std::string name, std::string what)
      : demo(model_of(std::move(name), std::move(what), {make_pod().part})),
        part(demo.model.parts[0]),
        mesh(part.mesh),
        edit(mesh) {
    // Binary STL names its one part after the file.
    part.name = demo.name;
  }
  void seed(FindingKind kind, const Point& place, double size, std::size_t count) {
    demo.defects.push_back({kind, demo.name, place, size, count});
  }
  DemoModel finish() {
    demo.model.parts[0] = std::move(part);
    return std::move(demo);
  }
  DemoModel demo;
  PartDraft part;
  Mesh& mesh;
  Editor edit;
};

const Point kOnHull = {40, 0, 75};
const Point kOnOtherHull = {-40, 0, 60};

DemoModel missing_triangles() {
  SeededPod pod("pod-missing-triangles", "two openings in the hull");
  for (const Point& wanted : {kOnHull, kOnOtherHull}) {
    const VertexId center = pod.edit.nearest_vertex(wanted);
    const Point place = pod.mesh.point(center);
    const auto gone = pod.edit.triangles_at(center);
    const auto border = pod.edit.border(gone);
    pod.seed(FindingKind::opening, place, border.length, border.edges);
    pod.edit.remove(gone);
  }
  pod.edit.drop_unused_points();
  return pod.finish();
}

DemoModel flipped_patch() {
  SeededPod pod("pod-flipped-patch", "a stretch of the hull faces inward");
  const auto region = pod.edit.triangles_where([&](std::size_t t) {
    const Point p = pod.edit.centroid(t);
    return p.x() > 38 && std::abs(p.y()) < 8 && p.z() > 60 && p.z() < 80;
  });
  const auto border = pod.edit.border(region);
  Vector sum = Vector::Zero();
  double area = 0;
  for (const std::size_t t : region) {
    sum += pod.edit.area(t) * pod.edit.centroid(t);
    area += pod.edit.area(t);
  }
  pod.seed(FindingKind::winding_conflict, sum / area, border.length, border.edges);
  pod.edit.turn(region);
  return pod.finish();
}

DemoModel duplicates() {
  SeededPod pod("pod-duplicates", "triangles that are there twice, one of them turned over");
  const std::size_t same = pod.edit.nearest_triangle(kOnHull);
  const std::size_t turned = pod.edit.nearest_triangle(kOnOtherHull);
  pod.seed(FindingKind::duplicate_triangle, pod.edit.centroid(same), pod.edit.area(same), 1);
  pod.seed(FindingKind::back_to_back, pod.edit.centroid(turned), pod.edit.area(turned), 1);
  const Triangle a = pod.mesh.triangles[same];
  const Triangle b = pod.mesh.triangles[turned];
  pod.edit.add_triangle(a[1], a[2], a[0]);
  pod.edit.add_triangle(b[0], b[2], b[1]);
  return pod.finish();
}

DemoModel zero_area() {
  SeededPod pod("pod-zero-area", "a triangle on one line, and one with two equal corners");
  // A cap between two triangles that meet in an edge parallel to the axis: split the one, and close
  // the slit with a triangle of no area.
  const auto upright = pod.edit.triangles_where([&](std::size_t t) {
    const Point& a = pod.edit.corner(t, 0);
    const Point& b = pod.edit.corner(t, 1);
    return a.x() == b.x() && a.y() == b.y() && a.x() > 39.9 && a.z() > 60 && a.z() < 80;
  });
  const auto either = pod.edit.triangles_where([&](std::size_t t) {
    for (std::size_t c = 0; c < 3; ++c) {
      const Point& a = pod.edit.corner(t, c);
      const Point& b = pod.edit.corner(t, (c + 1) % 3);
      if (a.x() == b.x() && a.y() == b.y() && a.x() > 39.9 && a.z() > 60 && a.z() < 80) return true;
    }
    return false;
  });
  const std::size_t t = upright.empty() ? either.at(0) : upright[0];
  std::size_t c = 0;
  while (pod.edit.corner(t, c).x() != pod.edit.corner(t, (c + 1) % 3).x() ||
         pod.edit.corner(t, c).y() != pod.edit.corner(t, (c + 1) % 3).y()) {
    ++c;
  }
  const Triangle whole = pod.mesh.triangles[t];
  const VertexId a = whole[c], b = whole[(c + 1) % 3], apex = whole[(c + 2) % 3];
  const double length = distance(pod.mesh.point(a), pod.mesh.point(b));
  const Point middle = 0.5 * (pod.mesh.point(a) + pod.mesh.point(b));
  const VertexId m = pod.edit.add_point(middle);
  pod.mesh.triangles[t] = {{a, m, apex}};
  pod.edit.add_triangle(m, b, apex);
  pod.edit.add_triangle(a, b, m);
  pod.seed(FindingKind::zero_area, middle, length, 1);

  const Triangle needle = pod.mesh.triangles[pod.edit.nearest_triangle(kOnOtherHull)];
  const Point p = pod.mesh.point(needle[0]), q = pod.mesh.point(needle[1]);
  pod.edit.add_triangle(needle[0], needle[0], needle[1]);
  pod.seed(FindingKind::zero_area, (2 * p + q) / 3.0, distance(p, q), 1);
  return pod.finish();
}

DemoModel strays() {
  SeededPod pod("pod-strays", "a lost triangle and a lost crumb beside the pod");
  const Point at(60, 10, 20);
  const Vector x(0.8, 0, 0), y(0, 0.6, 0), z(0, 0, 0.5);
  const auto add = [&](const Point& p) { return pod.edit.add_point(p); };
  pod.edit.add_triangle(add(at), add(at + x), add(at + y));
  pod.seed(FindingKind::stray_shell, at + 0.5 * (x + y), (x + y).norm(), 1);

  const Point crumb(-60, 0, 90);
  const VertexId o = add(crumb), a = add(crumb + x), b = add(crumb + y), c = add(crumb + z);
  pod.edit.add_triangle(o, b, a);
  pod.edit.add_triangle(o, a, c);
  pod.edit.add_triangle(o, c, b);
  pod.edit.add_triangle(a, b, c);
  pod.seed(FindingKind::stray_shell, crumb + 0.5 * (x + y + z), (x + y + z).norm(), 4);
  return pod.finish();
}

DemoModel fin() {
  SeededPod pod("pod-fin", "a triangle stands on an edge of the hull");
  const Triangle t = pod.mesh.triangles[pod.edit.nearest_triangle(kOnHull)];
  const Point p = pod.mesh.point(t[0]), q = pod.mesh.point(t[1]);
  const Point outward(1.1, 1.1, 1);
  const VertexId tip = pod.edit.add_point((0.5 * (p + q)).cwiseProduct(outward));
  pod.edit.add_triangle(t[0], t[1], tip);
  pod.seed(FindingKind::nonmanifold_edge, 0.5 * (p + q), distance(p, q), 1);
  return pod.finish();
}

DemoModel turned_shell(bool cavity) {
  SeededPod pod(
      cavity ? "pod-cavity-turned" : "pod-inside-out",
      cavity ? "the cavity faces outward, as if it were a body" : "the outer shell faces inward");
  const Part clean = make_pod().part;
  const auto cavity_patch = static_cast<std::uint32_t>(
      std::find(clean.patch_names().begin(), clean.patch_names().end(), "cavity") -
      clean.patch_names().begin());
  const auto turned = pod.edit.triangles_where(
      [&](std::size_t t) { return (pod.mesh.patch_of[t].value == cavity_patch) == cavity; });
  // Volume and centroid of what the turned triangles enclose, about the origin.
  double volume = 0;
  Vector first = Vector::Zero();
  for (const std::size_t t : turned) {
    const Point &a = pod.edit.corner(t, 0), &b = pod.edit.corner(t, 1), &c = pod.edit.corner(t, 2);
    const double det = a.dot(b.cross(c));
    volume += det / 6;
    first += det / 24 * (a + b + c);
  }
  pod.seed(cavity ? FindingKind::nesting : FindingKind::inverted_shell, first / volume,
           std::abs(volume), 1);
  pod.edit.turn(turned);
  return pod.finish();
}

DemoModel loose_curves() {
  DemoModel demo = model_of("pod-loose-curves", "a sketch line and unused points were exported too",
                            {make_pod().part});
  demo.format = Format::obj;
  PartDraft part(demo.model.parts[0]);
  Mesh& mesh = part.mesh;
  Editor edit(mesh);
  const Point a(60, 0, 0), b(60, 0, 30), c(60, 0, 50);
  const VertexId va = edit.add_point(a), vb = edit.add_point(b), vc = edit.add_point(c);
  mesh.wires = {{va, vb}, {vb, vc}};
  demo.defects.push_back({FindingKind::wire_edge, "pod", 0.5 * (a + c), distance(a, c), 2});
  const Point first(0, 0, 200);
  edit.add_point(first);
  edit.add_point({0, 0, 210});
  edit.add_point({0, 0, 220});
  demo.model.parts[0] = std::move(part);
  demo.defects.push_back({FindingKind::unused_vertex, "pod", first, 3, 3});
  return demo;
}

DemoModel in_metres() {
  SeededPod pod("pod-in-metres", "written in metres; read as millimetres it is a grain of sand");
  for (Point& p : pod.mesh.points) p *= 1e-3;
  const Box box = box_of(pod.mesh);
  pod.demo.defects.push_back({FindingKind::unit_doubt, "", box.center(), box.diagonal(), 1});
  return pod.finish();
}

DemoModel touching_boxes() {
  const auto box = [](const Point& low) { return make_box(low, low + Point(10, 10, 10)); };
  Mesh both = box({0, 0, 0});
  const Mesh other = box({10, 10, 10});
  const auto base = static_cast<std::uint32_t>(both.points.size());
  both.points.insert(both.points.end(), other.points.begin(), other.points.end());
  for (const Triangle& t : other.triangles) {
    both.triangles.push_back({{{t[0].value + base}, {t[1].value + base}, {t[2].value + base}}});
  }
  both.points_are_distinct = false;
  const Part part("boxes-at-a-point", std::move(both));
  DemoModel demo =
      model_of("boxes-at-a-point", "two boxes that meet in nothing but a corner", {part});
  demo.defects.push_back(
      {FindingKind::nonmanifold_vertex, "boxes-at-a-point", Point(10, 10, 10), 2, 1});
  demo.volume = 2000;
  return demo;
}

DemoModel parts_together() {
  const auto part = [](const char* name, const Point& low, const Vector& size) {
    return Part(name, make_box(low, low + size));
  };
  DemoModel demo =
      model_of("mount-parts", "parts that cross, lie in each other, or are there twice",
               {part("rail", {0, 0, 0}, {100, 10, 10}), part("bracket", {40, 5, -20}, {8, 20, 60}),
                part("block", {0, 10, 0}, {30, 30, 30}), part("weight", {5, 15, 5}, {10, 20, 10}),
                part("stop", {90, 10, 0}, {5, 5, 5}), part("stop-again", {90, 10, 0}, {5, 5, 5})});
  demo.format = Format::obj;
  const auto seed = [&](FindingKind kind, const char* name, const Point& place, double volume) {
    demo.defects.push_back({kind, name, place, volume, 2});
  };
  seed(FindingKind::interference, "rail", {44, 7.5, 5}, 8 * 5 * 10);
  seed(FindingKind::enclosed_part, "weight", {10, 25, 10}, 10 * 20 * 10);
  seed(FindingKind::duplicate_part, "stop", {92.5, 12.5, 2.5}, 125);
  return demo;
}

std::size_t naked_edges(const Mesh& mesh) {
  const Welded welded(mesh);
  return count_edges(EdgeTable(welded.triangles(), welded.points().size())).naked;
}

DemoModel torn(std::string name, std::string what, const Mesh& mesh, double volume,
               double tolerance, const CrackOptions& options) {
  Part part(name, cracked(mesh, options));
  DemoModel demo = model_of(std::move(name), std::move(what), {std::move(part)});
  demo.tear = {options.width, tolerance, naked_edges(demo.model.parts[0].mesh())};
  demo.volume = volume;
  return demo;
}

// Boxes from rectangles: every side a patch of its own, strips as wide as told.
class Rectangles {
 public:
  void add(const Point& a, const Point& b, const Point& c, const Point& d) {
    const VertexId ids[] = {point(a), point(b), point(c), point(d)};
    mesh_.triangles.push_back({{ids[0], ids[1], ids[2]}});
    mesh_.triangles.push_back({{ids[0], ids[2], ids[3]}});
    for (int i = 0; i < 2; ++i) mesh_.patch_of.push_back({patch_});
  }
  void next_patch() { ++patch_; }
  // A box from the origin whose sides along x are divided at `x`; the pieces of its top are
  // patches.
  static Mesh box(const std::vector<double>& x, double depth, double height) {
    Rectangles r;
    const std::size_t n = x.size() - 1;
    const auto p = [&](std::size_t i, double y, double z) { return Point(x[i], y, z); };
    for (std::size_t i = 0; i < n; ++i) {
      r.add(p(i, 0, height), p(i + 1, 0, height), p(i + 1, depth, height), p(i, depth, height));
      r.next_patch();
    }
    for (std::size_t i = 0; i < n; ++i)
      r.add(p(i, 0, 0), p(i + 1, 0, 0), p(i + 1, 0, height), p(i, 0, height));
    r.next_patch();
    for (std::size_t i = 0; i < n; ++i) {
      r.add(p(i, depth, height), p(i + 1, depth, height), p(i + 1, depth, 0), p(i, depth, 0));
    }
    r.next_patch();
    for (std::size_t i = 0; i < n; ++i)
      r.add(p(i, depth, 0), p(i + 1, depth, 0), p(i + 1, 0, 0), p(i, 0, 0));
    r.next_patch();
    r.add(p(0, 0, 0), p(0, 0, height), p(0, depth, height), p(0, depth, 0));
    r.next_patch();
    r.add(p(n, 0, 0), p(n, depth, 0), p(n, depth, height), p(n, 0, height));
    return std::move(r.mesh_);
  }

 private:
  VertexId point(const Point& p) {
    const auto at = std::find(mesh_.points.begin(), mesh_.points.end(), p);
    const auto index = static_cast<std::uint32_t>(at - mesh_.points.begin());
    if (at == mesh_.points.end()) mesh_.points.push_back(p);
    return {index};
  }
  Mesh mesh_;
  std::uint32_t patch_ = 0;
};

std::vector<DemoModel> torn_models(const KnownPart& pod) {
  std::vector<DemoModel> models;
  const Mesh& mesh = pod.part.mesh();
  const auto every_other = [](int pieces) {
    return [pieces](PatchId p) { return p.value % 2 == 1 ? pieces : 1; };
  };
  models.push_back(torn("pod-cracked", "torn along its patch borders by up to 0.02 mm", mesh,
                        pod.volume, 0.03, {.width = 0.02}));
  models.push_back(torn("pod-cracked-1-to-5", "the same, every other patch five times finer there",
                        mesh, pod.volume, 0.03, {.width = 0.02, .pieces = every_other(5)}));
  models.push_back(torn("pod-cracked-1-to-100", "a hundred times finer, torn by up to 0.002 mm",
                        mesh, pod.volume, 0.003, {.width = 0.002, .pieces = every_other(100)}));
  const auto box_volume = [](double x, double y, double z) { return x * y * z; };
  models.push_back(torn("plate-thin", "a plate 0.03 mm thin, thinner than many a tolerance",
                        Rectangles::box({0, 20, 40}, 30, 0.03), box_volume(40, 30, 0.03), 0.05,
                        {.width = 0.004}));
  models.push_back(torn("box-parallel-cracks", "two cracks 0.04 mm apart",
                        Rectangles::box({0, 20, 20.04, 40}, 30, 10), box_volume(40, 30, 10), 0.05,
                        {.width = 0.008}));
  models.push_back(torn("box-three-way", "cracks that meet by threes at the corners",
                        Rectangles::box({0, 40}, 30, 10), box_volume(40, 30, 10), 0.4,
                        {.width = 0.2}));
  DemoModel pair =
      torn("boxes-a-hair-apart", "two torn boxes, 0.02 mm between them",
           Rectangles::box({0, 10}, 10, 10), 2 * box_volume(10, 10, 10), 0.05, {.width = 0.006});
  Mesh other = cracked(Rectangles::box({0, 10}, 10, 10), {.width = 0.006, .seed = 2});
  for (Point& p : other.points) p.x() += 10.02;
  PartDraft both(pair.model.parts[0]);
  append(both.mesh, other);
  pair.model.parts[0] = std::move(both);
  pair.tear->naked_edges = naked_edges(pair.model.parts[0].mesh());
  models.push_back(std::move(pair));

  const KnownPart ball = make_ball(25, 20);
  const Mesh shards = cracked(ball.part.mesh(), {.width = 0.01});
  DemoModel objects = model_of("ball-of-400-objects", "every patch is an object of its own",
                               parts_by_patch(shards, "shard"));
  objects.format = Format::obj;
  objects.tear = {0.01, 0.02, naked_edges(shards), true};
  objects.volume = ball.volume;
  models.push_back(std::move(objects));
  return models;
}

DemoModel crossing_bar() {
  Mesh mesh = make_box({0, 0, 0}, {10, 10, 10});
  append(mesh, make_box({-5, 4, 3}, {15, 6, 5}));
  DemoModel demo = model_of("boxes-crossing", "a bar runs through a box",
                            {Part("boxes-crossing", std::move(mesh))});
  for (const double x : {0.0, 10.0}) {
    demo.defects.push_back(
        {FindingKind::crossing, "boxes-crossing", Point(x, 5, 4), 8, std::nullopt});
  }
  demo.volume = 1040;
  return demo;
}

// Ribs as they are drawn: sunk into the plate so that they hold on.
DemoModel sunken_ribs() {
  Mesh mesh = make_box({0, 0, 0}, {40, 30, 4});
  for (const double x : {9.0, 29.0}) append(mesh, make_box({x, 5, 3}, {x + 2, 25, 12}));
  DemoModel demo =
      model_of("plate-ribs", "two ribs reach into a plate", {Part("plate-ribs", std::move(mesh))});
  for (const double x : {10.0, 30.0}) {
    demo.defects.push_back(
        {FindingKind::crossing, "plate-ribs", Point(x, 15, 4), 44, std::nullopt});
  }
  demo.volume = 5440;
  return demo;
}

DemoModel boxes_at_an_edge() {
  Mesh mesh = make_box({0, 0, 0}, {10, 10, 10});
  append(mesh, make_box({10, 10, 0}, {20, 20, 10}));
  DemoModel demo = model_of("boxes-at-an-edge", "two boxes that meet in nothing but an edge",
                            {Part("boxes-at-an-edge", std::move(mesh))});
  demo.defects.push_back(
      {FindingKind::nonmanifold_edge, "boxes-at-an-edge", Point(10, 10, 5), 10, 1});
  demo.volume = 2000;
  return demo;
}

// A boss that should stand on a box, and stands in it by a hair.
DemoModel sunken_boss() {
  Mesh mesh = make_box({0, 0, 0}, {20, 20, 10});
  append(mesh, make_box({6, 7, 9.99}, {12, 12, 15}));
  DemoModel demo = model_of("box-boss-sunken", "a boss stands in a box by 0.01 mm",
                            {Part("box-boss-sunken", std::move(mesh))});
  demo.defects.push_back(
      {FindingKind::crossing, "box-boss-sunken", Point(9, 9.5, 10), 22, std::nullopt});
  demo.volume = 4000 + 150;
  return demo;
}

// A prism over an outline in the xy plane, counter-clockwise if it is to face outward; caps fanned
// about its first corner.
Mesh prism(std::span<const Point> outline, double low, double high) {
  Mesh mesh;
  for (const double z : {low, high}) {
    for (const Point& p : outline) mesh.points.push_back({p.x(), p.y(), z});
  }
  const auto n = static_cast<std::uint32_t>(outline.size());
  for (std::uint32_t i = 0; i < n; ++i) {
    const std::uint32_t j = (i + 1) % n;
    mesh.triangles.push_back({{{i}, {j}, {n + j}}});
    mesh.triangles.push_back({{{i}, {n + j}, {n + i}}});
  }
  for (std::uint32_t i = 1; i + 1 < n; ++i) {
    mesh.triangles.push_back({{{0}, {i + 1}, {i}}});
    mesh.triangles.push_back({{{n}, {n + i}, {n + i + 1}}});
  }
  return mesh;
}

constexpr int kSides = 24;
std::vector<Point> round_outline(double radius, double turned_by = 0) {
  std::vector<Point> outline;
  for (int k = 0; k < kSides; ++k) {
    const double angle = 2 * std::numbers::pi * (k + turned_by) / kSides;
    outline.emplace_back(radius * std::cos(angle), radius * std::sin(angle), 0);
  }
  return outline;
}
double round_area(double radius) {
  return 0.5 * kSides * radius * radius * std::sin(2 * std::numbers::pi / kSides);
}

// The eye of a clamp, and its screw as it is drawn: as thick as the outside of its thread.
DemoModel screw_in_eye() {
  constexpr double kEye = 8, kBore = 3, kScrew = 3.1, kThick = 6;
  Mesh mesh;
  for (const double z : {0.0, kThick}) {
    for (const double radius : {kEye, kBore}) {
      for (Point p : round_outline(radius)) mesh.points.push_back({p.x(), p.y(), z});
    }
  }
  constexpr std::uint32_t kN = kSides;
  const auto quad = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c, std::uint32_t d) {
    mesh.triangles.push_back({{{a}, {b}, {c}}});
    mesh.triangles.push_back({{{a}, {c}, {d}}});
  };
  for (std::uint32_t i = 0; i < kN; ++i) {
    const std::uint32_t j = (i + 1) % kN, top = 2 * kN;
    quad(i, j, top + j, top + i);
    quad(kN + j, kN + i, top + kN + i, top + kN + j);
    quad(i, kN + i, kN + j, j);
    quad(top + i, top + j, top + kN + j, top + kN + i);
  }
  append(mesh, prism(round_outline(kScrew, 0.5), -5, 11));
  DemoModel demo = model_of("clamp-screw", "a screw as thick as its thread runs through its eye",
                            {Part("clamp-screw", std::move(mesh))});
  const double around = 2 * kSides * kScrew * std::sin(std::numbers::pi / kSides);
  for (const double z : {0.0, kThick}) {
    demo.defects.push_back(
        {FindingKind::crossing, "clamp-screw", Point(0, 0, z), around, std::nullopt});
  }
  demo.volume = round_area(kEye) * kThick + round_area(kScrew) * (16 - kThick);
  return demo;
}

// The skin of a cavity with its two last edges exchanged: beyond x = 23.5 it is inside out.
DemoModel folded_cavity() {
  Mesh mesh = make_box({0, 0, 0}, {40, 10, 12});
  Mesh cavity = prism(std::vector<Point>{{4, 2, 0}, {30, 4, 0}, {30, 2, 0}, {4, 8, 0}}, 2, 10);
  for (Triangle& t : cavity.triangles) std::swap(t[1], t[2]);
  append(mesh, cavity);
  DemoModel demo = model_of("box-inner-fold", "the skin of a cavity is folded over at its thin end",
                            {Part("box-inner-fold", std::move(mesh))});
  demo.defects.push_back(
      {FindingKind::crossing, "box-inner-fold", Point(23.5, 3.5, 6), 8, std::nullopt});
  demo.volume = 4800 - 8 * 58.5;
  return demo;
}

DemoModel touching_tip() {
  Mesh mesh = make_box({0, 0, 0}, {10, 10, 10});
  Mesh pyramid;
  pyramid.points = {{3, 6, 10}, {1, 4, 15}, {5, 4, 15}, {5, 8, 15}, {1, 8, 15}};
  for (const Triangle& t :
       {Triangle{{{0}, {2}, {1}}}, Triangle{{{0}, {3}, {2}}}, Triangle{{{0}, {4}, {3}}},
        Triangle{{{0}, {1}, {4}}}, Triangle{{{1}, {2}, {3}}}, Triangle{{{1}, {3}, {4}}}}) {
    pyramid.triangles.push_back(t);
  }
  append(mesh, pyramid);
  DemoModel demo = model_of("boxes-touching", "a tip stands on a box",
                            {Part("boxes-touching", std::move(mesh))});
  demo.defects.push_back({FindingKind::touch, "boxes-touching", Point(3, 6, 10), 0, 4});
  return demo;
}

DemoModel folded_lid() {
  Mesh box = make_box({0, 0, 0}, {10, 10, 10});
  // The top fanned out about a point beyond its edge: one triangle lies upside down over three.
  erase_if(box.triangles, [&](const Triangle& t) {
    return box.point(t[0]).z() == 10 && box.point(t[1]).z() == 10 && box.point(t[2]).z() == 10;
  });
  Editor edit(box);
  const VertexId tip = edit.add_point({12, 5, 10});
  const auto at = [&](double x, double y) { return edit.nearest_vertex({x, y, 10}); };
  const VertexId top[] = {at(0, 0), at(10, 0), at(10, 10), at(0, 10)};
  for (int i = 0; i < 4; ++i) box.triangles.push_back({{top[i], top[(i + 1) % 4], tip}});
  DemoModel demo = model_of("box-folded", "a triangle of the lid is folded over",
                            {Part("box-folded", std::move(box))});
  // Three overlaps, and three contacts with the wall below.
  demo.defects.push_back({FindingKind::overlap, "box-folded", Point(32.0 / 3, 5, 10), 10, 6});
  return demo;
}

}  // namespace

void append(Mesh& to, const Mesh& other) {
  const auto base = static_cast<std::uint32_t>(to.points.size());
  to.points.insert(to.points.end(), other.points.begin(), other.points.end());
  for (const Triangle& t : other.triangles) {
    to.triangles.push_back({{{t[0].value + base}, {t[1].value + base}, {t[2].value + base}}});
  }
  to.patch_of.clear();
  to.points_are_distinct = false;
}

std::vector<DemoModel> demo_models() {
  std::vector<DemoModel> models;
  const KnownPart pod = make_pod(), ring = make_ballast_ring(), lid = make_lid();
  models.push_back(model_of("pod", "the pod as it should be", {pod.part}));
  models.back().volume = pod.volume;
  models.push_back(model_of("garza", "pod, ballast ring and lid as they should be",
                            {pod.part, ring.part, lid.part}));
  models.back().format = Format::obj;
  models.back().volume = pod.volume + ring.volume + lid.volume;

  models.push_back(missing_triangles());
  models.push_back(flipped_patch());
  models.push_back(duplicates());
  models.push_back(zero_area());
  models.push_back(strays());
  models.push_back(fin());
  models.push_back(turned_shell(false));
  models.push_back(turned_shell(true));
  models.push_back(loose_curves());
  models.push_back(in_metres());
  models.push_back(touching_boxes());
  models.push_back(parts_together());
  models.push_back(crossing_bar());
  models.push_back(sunken_ribs());
  models.push_back(sunken_boss());
  models.push_back(boxes_at_an_edge());
  models.push_back(screw_in_eye());
  models.push_back(folded_cavity());
  models.push_back(touching_tip());
  models.push_back(folded_lid());
  for (DemoModel& model : seeded_shapes()) models.push_back(std::move(model));
  for (DemoModel& model : torn_models(pod)) models.push_back(std::move(model));
  return models;
}

}  // namespace aguja::demo
