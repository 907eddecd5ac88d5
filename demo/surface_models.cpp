#include "demo/surface_models.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "demo/surface_text.h"

namespace aguja::demo {
namespace {

// Every face, which has its own edges, is moved along a direction of its own.
void move_faces(DrawnBody& body, double distance) {
  for (std::size_t f = 0; f < body.faces.size(); ++f) {
    const double turn = 2.4 * static_cast<double>(f);
    const Vector by =
        distance * Vector(std::cos(turn), std::sin(turn), f % 2 == 0 ? 0.5 : -0.5).normalized();
    body.faces[f].surface.frame.origin += by;
    std::vector<bool> moved_vertex(body.vertices.size()), moved_edge(body.edges.size());
    for (const auto& loop : body.faces[f].loops) {
      for (const DrawnUse& u : loop) {
        DrawnEdge& e = body.edges[static_cast<std::size_t>(u.edge)];
        if (!moved_edge[static_cast<std::size_t>(u.edge)]) e.curve.frame.origin += by;
        moved_edge[static_cast<std::size_t>(u.edge)] = true;
        for (const int v : {e.start, e.end}) {
          if (!moved_vertex[static_cast<std::size_t>(v)])
            body.vertices[static_cast<std::size_t>(v)] += by;
          moved_vertex[static_cast<std::size_t>(v)] = true;
        }
      }
    }
  }
}

// Against its surface's sense, and its loops with it.
void turn_face(DrawnFace& face) {
  face.same_sense = !face.same_sense;
  for (auto& loop : face.loops) {
    std::reverse(loop.begin(), loop.end());
    for (DrawnUse& u : loop) u.forward = !u.forward;
  }
}

}  // namespace

DrawnBody draw_pod() {
  const DrawnBody hull = turned_profile({{0, 0, 0},
                                         {28, 0, 12},
                                         {40, 12, 0},
                                         {40, 120, 0},
                                         {52, 120, 0},
                                         {52, 128, 0},
                                         {30, 128, 0},
                                         {30, 138, 0},
                                         {28, 140, 0},
                                         {0, 140, 0}});
  const DrawnBody cavity =
      turned_profile({{0, 4, 0}, {28, 4, 8}, {36, 12, 0}, {36, 80, 36}, {0, 116, 0}});
  DrawnBody pod = with_void(hull, cavity);
  pod.name = "pod";
  return pod;
}

DrawnBody draw_clamp() {
  constexpr double kOuter = 50, kInner = 42, kHalfGap = 15 * std::numbers::pi / 180;
  const double c = std::cos(kHalfGap), s = std::sin(kHalfGap);
  DrawnBody clamp;
  // The outer arc is more than half a turn: in two pieces.
  clamp = raised_outline({{kOuter * c, kOuter * s, kOuter},
                          {-kOuter, 0, kOuter},
                          {kOuter * c, -kOuter * s, 0},
                          {kInner * c, -kInner * s, -kInner},
                          {-kInner, 0, -kInner},
                          {kInner * c, kInner * s, 0}},
                         {{0, 46, 2}, {0, -46, 2}}, 100, 112);
  clamp.name = "clamp";
  return clamp;
}

std::vector<SurfaceDemo> surface_demos() {
  std::vector<SurfaceDemo> all;
  const DrawnBody pod = draw_pod(), clamp = draw_clamp();
  const auto add = [&](const std::string& name, const std::string& what, const std::string& text,
                       const DrawnBody& body) -> SurfaceDemo& {
    SurfaceDemo demo;
    demo.name = name;
    demo.what = what;
    demo.text = text;
    demo.volume = body.volume;
    all.push_back(std::move(demo));
    return all.back();
  };
  add("pod.step", "the pod as a solid with a void", step_text(pod), pod);
  add("clamp.step", "the clamp as a solid", step_text(clamp), clamp);
  add("pod.iges", "the pod as trimmed surfaces that share no edges", iges_text(pod), pod);
  add("clamp.iges", "the clamp as trimmed surfaces that share no edges", iges_text(clamp), clamp);
  add("clamp-unsewn.step", "the clamp with each face by itself",
      step_text(apart(clamp), {.solid = false}), clamp);
  {
    DrawnBody body = apart(clamp);
    move_faces(body, 0.02);
    add("clamp-gaps.step", "the clamp with its faces moved by 0.02 mm, each its own way",
        step_text(body, {.solid = false}), clamp)
        .sew_tolerance = 0.1;
  }
  {
    DrawnBody body = clamp;
    body.faces.pop_back();
    body.shells[0].pop_back();
    SurfaceDemo& demo = add("clamp-missing-face.step", "the clamp without its upper face",
                            step_text(body, {.solid = false}), clamp);
    demo.defects.push_back({FindingKind::opening, "clamp", Point(0, 0, 112), 0, {}});
  }
  {
    DrawnBody body = clamp;
    turn_face(body.faces[2]);
    SurfaceDemo& demo = add("clamp-reversed-face.step", "one end of the clamp faces inward",
                            step_text(body), clamp);
    demo.defects.push_back({FindingKind::reversed_face, "clamp", Point(0, 0, 106), 8.0 * 12, 1});
  }
  {
    DrawnBody body = apart(clamp);
    body.faces[2].loops[0].pop_back();
    SurfaceDemo& demo =
        add("clamp-open-loop.step", "one edge around an end of the clamp is not there",
            step_text(body, {.solid = false}), clamp);
    demo.defects.push_back({FindingKind::open_loop, "clamp", Point(0, 0, 106), 12, 1});
  }
  return all;
}

}  // namespace aguja::demo
