#include "aguja/surface/body.h"

#include <cmath>

namespace aguja {

std::vector<std::uint32_t> edge_uses(const Body& body) {
  std::vector<std::uint32_t> uses(body.edges.size());
  for (const Face& face : body.faces) {
    for (const FaceLoop& loop : face.loops) {
      for (const EdgeUseOfFace& use : loop.edges) ++uses[use.edge];
    }
  }
  return uses;
}

Box box_of(const Body& body) {
  Box box;
  for (const BodyVertex& v : body.vertices) box.extend(v.point);
  // Curves bulge: a few places on each tell by how much, about.
  for (const BodyEdge& e : body.edges) {
    if (!e.curve || e.curve->kind() == CurveKind::line || !e.range().is_finite()) continue;
    for (int i = 1; i < 8; ++i) {
      const Point p = e.curve->point(e.range().low + e.range().width() * i / 8);
      if (p.allFinite()) box.extend(p);
    }
  }
  for (const Face& f : body.faces) {
    const bool closed = f.loops.empty() || (f.loops.size() == 1 && f.loops[0].vertex);
    const Interval u = f.surface->domain_u(), v = f.surface->domain_v();
    if (!closed || !u.is_finite() || !v.is_finite()) continue;
    for (int i = 0; i <= 8; ++i) {
      for (int j = 0; j <= 8; ++j) {
        box.extend(f.surface->point(u.low + u.width() * i / 8, v.low + v.width() * j / 8));
      }
    }
  }
  for (const Point& p : body.facets.points) box.extend(p);
  return box;
}

Box box_of(const SurfaceModel& model) {
  Box box;
  for (const BodyInstance& i : model.instances) {
    const Box own = box_of(model.bodies[i.body]);
    box.extend(placed(own, i.placement));
  }
  return box;
}

}  // namespace aguja
