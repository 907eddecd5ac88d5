#include "mend/body_rim.h"

#include <algorithm>
#include <cmath>

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

SurfacePtr round_surface(const Body& body, const std::set<std::uint32_t>& edges, double tolerance) {
  const EllipseData* first = nullptr;
  for (const std::uint32_t e : edges) {
    const auto* circle = body.edges[e].curve->as<EllipseData>();
    if (circle == nullptr || circle->a != circle->b) continue;
    if (first == nullptr) {
      first = circle;
      continue;
    }
    const Point other = first->frame.of(circle->frame.origin);
    const double height = other.z(), more = circle->a - first->a;
    if (std::hypot(other.x(), other.y()) > tolerance || std::fabs(height) <= tolerance) continue;
    return std::fabs(more) <= tolerance
               ? make_cylinder(first->frame, first->a)
               : make_cone(first->frame, first->a, std::atan(more / height));
  }
  return nullptr;
}

}  // namespace aguja
