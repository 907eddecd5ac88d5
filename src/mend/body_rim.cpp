#include "mend/body_rim.h"

#include <algorithm>
#include <cmath>

#include <Eigen/Geometry>
#include <Eigen/LU>

#include "surface/edge_fit.h"

namespace aguja {
namespace {

// What lies on a surface, and what is one place, as parts of the body's size.
constexpr double kOnSurface = 1e-7, kOnePlace = 1e-9;

double off_edge(const BodyEdge& edge, const Point& p) {
  return (edge.curve->point(nearest_parameter(*edge.curve, edge.range(), p)) - p).norm();
}

}  // namespace

BodyRim::BodyRim(const PreparedBody& body, const Placement& to_mesh)
    : prepared_(body), uses_(edge_uses(body.body)), size_(box_of(body.body).diagonal()) {
  from_mesh_.linear = to_mesh.linear.inverse();
  from_mesh_.shift = -(from_mesh_.linear * to_mesh.shift);
  tolerance_ = std::max(kOnSurface * size_, body.tolerance.value);
}

std::optional<std::uint32_t> BodyRim::edge_of_side(std::uint32_t face, const Point& a,
                                                   const Point& b) const {
  const Body& body = prepared_.body;
  const Point from = from_mesh_(a), to = from_mesh_(b);
  double least = std::max(prepared_.limit(), tolerance_);
  std::optional<std::uint32_t> nearest;
  for (const FaceLoop& loop : body.faces[face].loops) {
    for (const EdgeUseOfFace& use : loop.edges) {
      const BodyEdge& edge = body.edges[use.edge];
      if (uses_[use.edge] != 1 || !has_ends(edge)) continue;
      const double off = std::max(off_edge(edge, from), off_edge(edge, to));
      if (off >= least) continue;
      least = off;
      nearest = use.edge;
    }
  }
  return nearest;
}

bool BodyRim::is_vertex(const Point& p, std::uint32_t vertex) const {
  return (from_mesh_(p) - prepared_.body.vertices[vertex].point).norm() <= kOnePlace * size_;
}

Vector FillSurface::normal_at(const Point& p) const {
  const Parameters uv = foot_.of(p);
  return surface_->at(uv[0], uv[1]).normal();
}

double FillSurface::off(const BodyEdge& edge) const {
  constexpr int kPlaces = 8;
  double farthest = 0;
  for (int i = 0; i <= kPlaces; ++i) {
    farthest =
        std::max(farthest, off(edge.curve->point(edge.from + (edge.to - edge.from) * i / kPlaces)));
  }
  return farthest;
}

std::vector<SurfacePtr> round_surfaces(std::span<const RimCircle> circles, double tolerance) {
  std::vector<SurfacePtr> found;
  const auto frame_of = [](const RimCircle& c) {
    return Frame::from(c.center, c.normal, c.normal.unitOrthogonal());
  };
  for (std::size_t i = 0; i < circles.size(); ++i) {
    const Frame own = frame_of(circles[i]);
    for (std::size_t j = i + 1; j < circles.size(); ++j) {
      const Point other = own.of(circles[j].center);
      const double height = other.z(), more = circles[j].radius - circles[i].radius;
      if (std::hypot(other.x(), other.y()) <= tolerance && std::fabs(height) > tolerance &&
          std::fabs(more) > tolerance) {
        found.push_back(make_cone(own, circles[i].radius, std::atan(more / height)));
      }
      // Edges say nothing of which way they face.
      RimCircle a = circles[i], b = circles[j];
      for (int turned = 0; turned < 4; ++turned) {
        a.normal = (turned & 1) == 0 ? circles[i].normal : Vector(-circles[i].normal);
        b.normal = (turned & 2) == 0 ? circles[j].normal : Vector(-circles[j].normal);
        const auto bend = bend_between(a, b);
        if (!bend) continue;
        found.push_back(make_torus(Frame::from(bend->center, bend->axis, a.center - bend->center),
                                   bend->radius, a.radius));
      }
    }
  }
  for (const RimCircle& c : circles) found.push_back(make_cylinder(frame_of(c), c.radius));
  return found;
}

namespace {

// A circle of a body's rim, and the surface of the face that ends in it.
struct CircleOfFace {
  RimCircle circle;
  const Surface* beside = nullptr;
};

// The normal of the surface beside a circle, in the half-plane through the axis: across it and along it.
Eigen::Vector2d normal_in_profile(const CircleOfFace& c, const Frame& axis) {
  const Point other = axis.of(c.circle.center);
  const Point p = axis.at(c.circle.radius, 0, other.z());
  const Parameters uv = SurfaceFoot(*c.beside).of(p);
  const Vector n = c.beside->at(uv[0], uv[1]).normal();
  return {n.dot(axis.x), n.dot(axis.z)};
}

// Turned about the axis of two circles: the arc from one to the other that is tangent to both faces.
SurfacePtr rounding_between(const CircleOfFace& a, const CircleOfFace& b, double tolerance) {
  if (a.beside == nullptr || b.beside == nullptr) return nullptr;
  const Frame axis =
      Frame::from(a.circle.center, a.circle.normal, a.circle.normal.unitOrthogonal());
  const Point other = axis.of(b.circle.center);
  if (std::hypot(other.x(), other.y()) > tolerance) return nullptr;
  const Eigen::Vector2d p(a.circle.radius, 0), q(b.circle.radius, other.z());
  const Eigen::Vector2d n = normal_in_profile(a, axis), m = normal_in_profile(b, axis);
  // Both normals go through the middle of the arc.
  const double across = n.x() * m.y() - n.y() * m.x();
  constexpr double kLeastTurn = 1e-3;
  if (std::fabs(across) < kLeastTurn) return nullptr;
  const Eigen::Vector2d between = q - p;
  const double s = (between.x() * m.y() - between.y() * m.x()) / across,
               t = (between.x() * n.y() - between.y() * n.x()) / across;
  if (std::fabs(std::fabs(s) - std::fabs(t)) > tolerance) return nullptr;
  const Eigen::Vector2d middle = p + s * n;
  const Frame frame = Frame::from(axis.at(0, 0, middle.y()), axis.z, axis.x);
  if (std::fabs(middle.x()) <= tolerance) return make_sphere(frame, std::fabs(s));
  return middle.x() > std::fabs(s) ? make_torus(frame, middle.x(), std::fabs(s)) : nullptr;
}

// The face of these that uses an edge.
const Surface* surface_beside(const Body& body, std::uint32_t edge,
                              const std::set<std::uint32_t>& faces) {
  for (const std::uint32_t f : faces) {
    for (const FaceLoop& loop : body.faces[f].loops) {
      for (const EdgeUseOfFace& use : loop.edges) {
        if (use.edge == edge) return body.faces[f].surface.get();
      }
    }
  }
  return nullptr;
}

}  // namespace

std::vector<SurfacePtr> round_surfaces(const Body& body, const std::set<std::uint32_t>& edges,
                                       const std::set<std::uint32_t>& faces, double tolerance) {
  std::vector<CircleOfFace> found;
  for (const std::uint32_t e : edges) {
    const auto* circle = body.edges[e].curve->as<EllipseData>();
    if (circle == nullptr || circle->a != circle->b) continue;
    const RimCircle own{circle->frame.origin, circle->frame.z, circle->a};
    // Pieces of one circle count once; of many circles a few tell as much.
    const bool is_there = std::any_of(found.begin(), found.end(), [&](const CircleOfFace& c) {
      return (c.circle.center - own.center).norm() <= tolerance &&
             c.circle.normal.cross(own.normal).norm() * own.radius <= tolerance &&
             std::fabs(c.circle.radius - own.radius) <= tolerance;
    });
    constexpr std::size_t kMostCircles = 6;
    if (!is_there && found.size() < kMostCircles) {
      found.push_back({own, surface_beside(body, e, faces)});
    }
  }
  std::vector<SurfacePtr> roundings;
  std::vector<RimCircle> circles;
  for (std::size_t i = 0; i < found.size(); ++i) {
    circles.push_back(found[i].circle);
    for (std::size_t j = i + 1; j < found.size(); ++j) {
      if (SurfacePtr s = rounding_between(found[i], found[j], tolerance)) {
        roundings.push_back(std::move(s));
      }
    }
  }
  std::vector<SurfacePtr> all = round_surfaces(circles, tolerance);
  if (roundings.empty()) return all;
  const auto count = [&](SurfaceKind kind) {
    return std::count_if(body.faces.begin(), body.faces.end(), [&](const Face& f) {
      return f.is_used && f.surface && f.surface->kind() == kind;
    });
  };
  const bool is_rounded = count(SurfaceKind::torus) >= count(SurfaceKind::cone);
  all.insert(is_rounded ? all.begin() : all.end(), roundings.begin(), roundings.end());
  return all;
}

}  // namespace aguja
