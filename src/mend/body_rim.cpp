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

std::vector<SurfacePtr> round_surfaces(const Body& body, const std::set<std::uint32_t>& edges,
                                       double tolerance) {
  std::vector<RimCircle> circles;
  for (const std::uint32_t e : edges) {
    const auto* circle = body.edges[e].curve->as<EllipseData>();
    if (circle == nullptr || circle->a != circle->b) continue;
    const RimCircle own{circle->frame.origin, circle->frame.z, circle->a};
    // Pieces of one circle count once; of many circles a few tell as much.
    const bool is_there = std::any_of(circles.begin(), circles.end(), [&](const RimCircle& c) {
      return (c.center - own.center).norm() <= tolerance &&
             c.normal.cross(own.normal).norm() * own.radius <= tolerance;
    });
    constexpr std::size_t kMostCircles = 6;
    if (!is_there && circles.size() < kMostCircles) circles.push_back(own);
  }
  return round_surfaces(circles, tolerance);
}

}  // namespace aguja
