#include "aguja/surface/body.h"

#include <algorithm>
#include <cmath>

namespace aguja {

std::vector<std::uint32_t> EntityMap::now(std::uint32_t before) const {
  const auto at = now_.find(before);
  return at == now_.end() ? std::vector<std::uint32_t>{before} : at->second;
}

void EntityMap::set(std::uint32_t before, std::vector<std::uint32_t> now) {
  now_[before] = std::move(now);
}

void EntityMap::then(const EntityMap& next) {
  for (auto& [before, all] : now_) {
    std::vector<std::uint32_t> after;
    for (const std::uint32_t middle : all) {
      for (const std::uint32_t n : next.now(middle)) {
        if (std::find(after.begin(), after.end(), n) == after.end()) after.push_back(n);
      }
    }
    all = std::move(after);
  }
  for (const auto& [middle, after] : next.now_) now_.try_emplace(middle, after);
}

void EntityMap::keep_below(std::uint32_t count) { now_.erase(now_.lower_bound(count), now_.end()); }

void BodyMaps::then(const BodyMaps& next) {
  vertices.then(next.vertices);
  edges.then(next.edges);
  faces.then(next.faces);
}

namespace {

struct UsedEntities {
  std::vector<bool> vertices, edges;
  explicit UsedEntities(const Body& body)
      : vertices(body.vertices.size()), edges(body.edges.size()) {
    for (const Face& face : body.faces) {
      for (const FaceLoop& loop : face.loops) {
        if (loop.vertex) vertices[*loop.vertex] = true;
        for (const EdgeUseOfFace& use : loop.edges) {
          edges[use.edge] = true;
          vertices[body.edges[use.edge].start] = vertices[body.edges[use.edge].end] = true;
        }
      }
    }
  }
};

}  // namespace

void note_unused(const Body& before, BodyChange& change) {
  const UsedEntities was(before), is(change.body);
  for (std::uint32_t e = 0; e < was.edges.size(); ++e) {
    if (was.edges[e] && !is.edges[e] && change.maps.edges.is_unchanged(e)) {
      change.maps.edges.set(e, {});
    }
  }
  for (std::uint32_t v = 0; v < was.vertices.size(); ++v) {
    if (was.vertices[v] && !is.vertices[v] && change.maps.vertices.is_unchanged(v)) {
      change.maps.vertices.set(v, {});
    }
  }
  change.maps.vertices.keep_below(static_cast<std::uint32_t>(before.vertices.size()));
  change.maps.edges.keep_below(static_cast<std::uint32_t>(before.edges.size()));
  change.maps.faces.keep_below(static_cast<std::uint32_t>(before.faces.size()));
}

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
    if (!f.is_used) continue;
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
