#pragma once
// Bodies put together face by face, for tests.

#include <numbers>
#include <vector>

#include "aguja/surface/body.h"

namespace aguja::test {

struct Use {
  std::uint32_t edge;
  bool forward;
};

class Drawing {
 public:
  Drawing() { body_.shells.push_back({{}, true, false, 1}); }
  std::uint32_t closed_edge(CurvePtr curve) {
    body_.vertices.push_back({curve->point(0), 0});
    BodyEdge edge;
    edge.to = 2 * std::numbers::pi;
    edge.start = edge.end = static_cast<std::uint32_t>(body_.vertices.size() - 1);
    edge.curve = std::move(curve);
    body_.edges.push_back(edge);
    return static_cast<std::uint32_t>(body_.edges.size() - 1);
  }
  std::uint32_t vertex(const Point& p) {
    body_.vertices.push_back({p, body_.vertices.size() + 1001});
    return static_cast<std::uint32_t>(body_.vertices.size() - 1);
  }
  /// All of a curve over a range, from one vertex to another.
  std::uint32_t edge(CurvePtr curve, const Interval& range, std::uint32_t from, std::uint32_t to) {
    BodyEdge edge;
    edge.from = range.low;
    edge.to = range.high;
    edge.start = from;
    edge.end = to;
    edge.entity = body_.edges.size() + 2001;
    edge.curve = std::move(curve);
    body_.edges.push_back(edge);
    return static_cast<std::uint32_t>(body_.edges.size() - 1);
  }
  std::uint32_t line(std::uint32_t from, std::uint32_t to) {
    const Point a = body_.vertices[from].point, b = body_.vertices[to].point;
    return edge(make_line(a, b - a), {0, 1}, from, to);
  }
  /// A loop of straight edges.
  [[nodiscard]] FaceLoop loop_of(const std::vector<Point>& points) {
    std::vector<std::uint32_t> v;
    for (const Point& p : points) v.push_back(vertex(p));
    FaceLoop loop;
    for (std::size_t i = 0; i < v.size(); ++i)
      loop.edges.push_back({line(v[i], v[(i + 1) % v.size()]), true, nullptr});
    return loop;
  }
  void face_of_loops(SurfacePtr surface, std::vector<FaceLoop> loops) {
    Face face;
    face.surface = std::move(surface);
    face.loops = std::move(loops);
    face.entity = body_.faces.size() + 3001;
    body_.shells[0].faces.push_back({static_cast<std::uint32_t>(body_.faces.size()), true});
    body_.faces.push_back(std::move(face));
  }
  /// Each loop is one closed edge.
  void face(SurfacePtr surface, bool same_sense, const std::vector<Use>& loops) {
    Face face;
    face.surface = std::move(surface);
    face.same_sense = same_sense;
    for (const Use& use : loops) {
      FaceLoop loop;
      loop.edges.push_back({use.edge, use.forward, nullptr});
      face.loops.push_back(loop);
    }
    body_.shells[0].faces.push_back({static_cast<std::uint32_t>(body_.faces.size()), true});
    body_.faces.push_back(std::move(face));
  }
  Body& body() { return body_; }
  [[nodiscard]] SurfaceModel model() const {
    SurfaceModel m;
    m.bodies.push_back(body_);
    m.instances.push_back({0, {}, "drawn"});
    return m;
  }

 private:
  Body body_;
};

}  // namespace aguja::test
