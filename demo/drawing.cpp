#include "demo/drawing.h"

#include <array>
#include <cmath>
#include <numbers>

#include <Eigen/Geometry>

namespace aguja::demo {
namespace {

using std::numbers::pi;

// The centre of an arc between two places in a plane.
Eigen::Vector2d arc_center(const Eigen::Vector2d& a, const Eigen::Vector2d& b, double radius) {
  const Eigen::Vector2d d = b - a;
  const Eigen::Vector2d left(-d.y(), d.x());
  const double half = 0.5 * d.norm();
  const double off = std::sqrt(std::max(0.0, radius * radius - half * half));
  return 0.5 * (a + b) + left.normalized() * (radius > 0 ? off : -off);
}

double turn_of(const Eigen::Vector2d& d) { return std::atan2(d.y(), d.x()); }

// Angles of an arc from a to b about its centre: up for a positive radius, down for a negative.
std::array<double, 2> arc_angles(const Eigen::Vector2d& c, const Eigen::Vector2d& a,
                                 const Eigen::Vector2d& b, double radius) {
  const double from = turn_of(a - c);
  double to = turn_of(b - c);
  if (radius > 0 && to <= from) to += 2 * pi;
  if (radius < 0 && to >= from) to -= 2 * pi;
  return {from, to};
}

class Drawer {
 public:
  int vertex(const Point& p) {
    body.vertices.push_back(p);
    return static_cast<int>(body.vertices.size() - 1);
  }
  int line(int a, int b) {
    body.edges.push_back({a, b, {}});
    return static_cast<int>(body.edges.size() - 1);
  }
  int circle(int a, int b, const Frame& frame, double radius) {
    body.edges.push_back({a, b, {DrawnCurve::Kind::circle, frame, radius}});
    return static_cast<int>(body.edges.size() - 1);
  }
  void face(const DrawnSurface& surface, bool same, std::vector<std::vector<DrawnUse>> loops) {
    body.faces.push_back({surface, same, std::move(loops)});
  }
  DrawnBody finish() {
    std::vector<int> all;
    for (std::size_t f = 0; f < body.faces.size(); ++f) all.push_back(static_cast<int>(f));
    body.shells = {all};
    return std::move(body);
  }
  DrawnBody body;
};

}  // namespace

DrawnBody turned_profile(const std::vector<ProfileCorner>& profile) {
  Drawer d;
  const std::size_t n = profile.size();
  std::vector<int> vertex(n), ring(n, -1);
  for (std::size_t i = 0; i < n; ++i) {
    vertex[i] = d.vertex({profile[i].r, 0, profile[i].z});
    if (profile[i].r > 0) {
      ring[i] = d.circle(vertex[i], vertex[i],
                         Frame::from({0, 0, profile[i].z}, {0, 0, 1}, {1, 0, 0}), profile[i].r);
    }
  }
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t j = (i + 1) % n;
    const Eigen::Vector2d a(profile[i].r, profile[i].z), b(profile[j].r, profile[j].z);
    const double arc = profile[i].arc_radius;
    if (arc == 0 && a.x() == 0 && b.x() == 0) continue;  // along the axis
    const bool flat = arc == 0 && a.y() == b.y();
    DrawnSurface s;
    bool same = true;
    if (arc == 0) {
      d.body.volume += pi / 3 * (b.y() - a.y()) * (a.x() * a.x() + a.x() * b.x() + b.x() * b.x());
      d.body.area += pi * (a.x() + b.x()) * (b - a).norm();
      // Outward is to the right of the way.
      const bool outward_r = b.y() > a.y();
      if (flat) {
        const double up = b.x() < a.x() ? 1 : -1;
        s.frame = Frame::from({0, 0, a.y()}, {0, 0, up}, {1, 0, 0});
      } else if (a.x() == b.x()) {
        s.kind = DrawnSurface::Kind::cylinder;
        s.frame = Frame::from({0, 0, a.y()}, {0, 0, 1}, {1, 0, 0});
        s.radius = a.x();
        same = outward_r;
      } else {
        s.kind = DrawnSurface::Kind::cone;
        // The radius grows along the axis.
        const bool grows = (b.x() - a.x()) * (b.y() - a.y()) > 0;
        s.frame = Frame::from({0, 0, a.y()}, {0, 0, grows ? 1.0 : -1.0}, {1, 0, 0});
        s.radius = a.x();
        s.second = std::atan(std::fabs((b.x() - a.x()) / (b.y() - a.y())));
        same = outward_r;
      }
    } else {
      const Eigen::Vector2d c = arc_center(a, b, arc);
      const auto [from, to] = arc_angles(c, a, b, arc);
      const double r = std::fabs(arc), big = c.x();
      const auto integral = [&](double t) {
        // of pi (R + r cos t)^2 r cos t
        const double st = std::sin(t), ct = std::cos(t);
        return pi * r *
               (big * big * st + big * r * (t + st * ct) + r * r * (st - st * st * st / 3));
      };
      d.body.volume += integral(to) - integral(from);
      d.body.area +=
          2 * pi * r * std::fabs(big * (to - from) + r * (std::sin(to) - std::sin(from)));
      s.kind = big == 0 ? DrawnSurface::Kind::sphere : DrawnSurface::Kind::torus;
      s.frame = Frame::from({0, 0, c.y()}, {0, 0, 1}, {1, 0, 0});
      s.radius = big == 0 ? r : big;
      s.second = big == 0 ? 0 : r;
      same = arc > 0;
    }
    std::vector<std::vector<DrawnUse>> loops;
    if (flat) {
      if (ring[i] >= 0) loops.push_back({{ring[i], true}});
      if (ring[j] >= 0) loops.push_back({{ring[j], false}});
    } else {
      int seam = 0;
      if (arc == 0) {
        seam = d.line(vertex[i], vertex[j]);
      } else {
        // In the plane of x and z, counter-clockwise about -y.
        const Eigen::Vector2d c = arc_center(a, b, arc);
        const Point center(c.x(), 0, c.y());
        seam =
            d.circle(vertex[i], vertex[j],
                     Frame::from(center, {0, arc > 0 ? -1.0 : 1.0, 0}, {1, 0, 0}), std::fabs(arc));
      }
      std::vector<DrawnUse> loop;
      if (ring[i] >= 0) loop.push_back({ring[i], true});
      loop.push_back({seam, true});
      if (ring[j] >= 0) loop.push_back({ring[j], false});
      loop.push_back({seam, false});
      loops.push_back(std::move(loop));
    }
    d.face(s, same, std::move(loops));
  }
  return d.finish();
}

DrawnBody raised_outline(const std::vector<OutlineCorner>& outline,
                         const std::vector<RoundHole>& holes, double low, double high) {
  Drawer d;
  const std::size_t n = outline.size();
  const double height = high - low;
  std::vector<int> bottom(n), top(n), bottom_edge(n), top_edge(n), upright(n);
  for (std::size_t i = 0; i < n; ++i) {
    bottom[i] = d.vertex({outline[i].x, outline[i].y, low});
    top[i] = d.vertex({outline[i].x, outline[i].y, high});
    upright[i] = d.line(bottom[i], top[i]);
  }
  double area = 0, around = 0;
  std::vector<DrawnSurface> sides(n);
  std::vector<bool> same(n, true);
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t j = (i + 1) % n;
    const Eigen::Vector2d a(outline[i].x, outline[i].y), b(outline[j].x, outline[j].y);
    const double arc = outline[i].arc_radius;
    area += 0.5 * (a.x() * b.y() - a.y() * b.x());
    if (arc == 0) {
      bottom_edge[i] = d.line(bottom[i], bottom[j]);
      top_edge[i] = d.line(top[i], top[j]);
      around += (b - a).norm();
      const Eigen::Vector2d t = (b - a).normalized();
      sides[i].frame = Frame::from({a.x(), a.y(), low}, {t.y(), -t.x(), 0}, {t.x(), t.y(), 0});
      continue;
    }
    const Eigen::Vector2d c = arc_center(a, b, arc);
    const auto [from, to] = arc_angles(c, a, b, arc);
    const double r = std::fabs(arc), angle = std::fabs(to - from);
    area += (arc > 0 ? 1 : -1) * 0.5 * r * r * (angle - std::sin(angle));
    around += r * angle;
    const Vector axis(0, 0, arc > 0 ? 1 : -1);
    bottom_edge[i] =
        d.circle(bottom[i], bottom[j], Frame::from({c.x(), c.y(), low}, axis, {1, 0, 0}), r);
    top_edge[i] = d.circle(top[i], top[j], Frame::from({c.x(), c.y(), high}, axis, {1, 0, 0}), r);
    sides[i].kind = DrawnSurface::Kind::cylinder;
    sides[i].frame = Frame::from({c.x(), c.y(), low}, {0, 0, 1}, {1, 0, 0});
    sides[i].radius = r;
    same[i] = arc > 0;
  }
  std::vector<DrawnUse> bottom_loop, top_loop;
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t j = (i + 1) % n;
    d.face(
        sides[i], same[i],
        {{{bottom_edge[i], true}, {upright[j], true}, {top_edge[i], false}, {upright[i], false}}});
    top_loop.push_back({top_edge[i], true});
    bottom_loop.insert(bottom_loop.begin(), {bottom_edge[i], false});
  }
  std::vector<std::vector<DrawnUse>> bottom_loops = {bottom_loop}, top_loops = {top_loop};
  for (const RoundHole& h : holes) {
    const int a = d.vertex({h.x + h.radius, h.y, low}), b = d.vertex({h.x + h.radius, h.y, high});
    const int lower = d.circle(a, a, Frame::from({h.x, h.y, low}, {0, 0, 1}, {1, 0, 0}), h.radius);
    const int upper = d.circle(b, b, Frame::from({h.x, h.y, high}, {0, 0, 1}, {1, 0, 0}), h.radius);
    const int seam = d.line(a, b);
    DrawnSurface s;
    s.kind = DrawnSurface::Kind::cylinder;
    s.frame = Frame::from({h.x, h.y, low}, {0, 0, 1}, {1, 0, 0});
    s.radius = h.radius;
    // Its outside is towards the hole's axis.
    d.face(s, false, {{{lower, false}, {seam, true}, {upper, true}, {seam, false}}});
    bottom_loops.push_back({{lower, true}});
    top_loops.push_back({{upper, false}});
    area -= pi * h.radius * h.radius;
    around += 2 * pi * h.radius;
  }
  DrawnSurface floor, ceiling;
  floor.frame = Frame::from({0, 0, low}, {0, 0, -1}, {1, 0, 0});
  ceiling.frame = Frame::from({0, 0, high}, {0, 0, 1}, {1, 0, 0});
  d.face(floor, true, std::move(bottom_loops));
  d.face(ceiling, true, std::move(top_loops));
  d.body.volume = area * height;
  d.body.area = 2 * area + around * height;
  return d.finish();
}

DrawnBody with_void(DrawnBody body, const DrawnBody& inner) {
  const int vertices = static_cast<int>(body.vertices.size()),
            edges = static_cast<int>(body.edges.size()),
            faces = static_cast<int>(body.faces.size());
  body.vertices.insert(body.vertices.end(), inner.vertices.begin(), inner.vertices.end());
  for (DrawnEdge e : inner.edges) {
    e.start += vertices;
    e.end += vertices;
    body.edges.push_back(e);
  }
  for (DrawnFace f : inner.faces) {
    for (auto& l : f.loops) {
      for (DrawnUse& u : l) u.edge += edges;
    }
    body.faces.push_back(std::move(f));
  }
  std::vector<int> shell = inner.shells[0];
  for (int& f : shell) f += faces;
  body.shells.push_back(std::move(shell));
  body.volume -= inner.volume;
  body.area += inner.area;
  return body;
}

DrawnBody apart(const DrawnBody& body) {
  DrawnBody out = body;
  out.vertices.clear();
  out.edges.clear();
  for (DrawnFace& f : out.faces) {
    std::vector<int> edge(body.edges.size(), -1), vertex(body.vertices.size(), -1);
    const auto own_vertex = [&](int v) {
      if (vertex[static_cast<std::size_t>(v)] < 0) {
        vertex[static_cast<std::size_t>(v)] = static_cast<int>(out.vertices.size());
        out.vertices.push_back(Point(body.vertices[static_cast<std::size_t>(v)]));
      }
      return vertex[static_cast<std::size_t>(v)];
    };
    for (auto& loop : f.loops) {
      for (DrawnUse& u : loop) {
        int& own = edge[static_cast<std::size_t>(u.edge)];
        if (own < 0) {
          DrawnEdge e = body.edges[static_cast<std::size_t>(u.edge)];
          e.start = own_vertex(e.start);
          e.end = own_vertex(e.end);
          own = static_cast<int>(out.edges.size());
          out.edges.push_back(e);
        }
        u.edge = own;
      }
    }
  }
  return out;
}

}  // namespace aguja::demo
