#include "mesh/crowds.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <unordered_map>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"

namespace aguja {
namespace {

// Of unit vectors that were computed from exact differences.
constexpr double kDirectionRounding = 1e-14;

Box everywhere() { return {Point::Constant(-1), Point::Constant(1)}; }

// Zero if it cannot be told.
Vector scaled(const Vector& v) {
  const double largest = v.cwiseAbs().maxCoeff();
  return largest > 0 && std::isfinite(largest) ? Vector(v / largest) : Vector(Vector::Zero());
}

void grow(Box& box, double by) {
  box.low.array() -= by;
  box.high.array() += by;
}

// The directions from `v` to the points between `p` and `q`.
Box directions(const Point& v, const Point& p, const Point& q) {
  const Vector to_p = scaled(p - v).normalized(), to_q = scaled(q - v).normalized();
  if (!(to_p.squaredNorm() > 0) || !(to_q.squaredNorm() > 0)) return everywhere();
  Box box;
  box.extend(to_p);
  box.extend(to_q);
  // How far the arc rises over its chord.
  const double half_cosine = std::sqrt(std::max(0.0, 0.5 * (1 + to_p.dot(to_q))));
  grow(box, 1 - half_cosine + kDirectionRounding);
  return box;
}

// The direction in which `p` lies, seen along the edge.
Box angle_about(const Point& from, const Point& to, const Point& p) {
  const Vector along = scaled(to - from).normalized(), aside = scaled(p - from);
  const Vector across = aside - along.dot(aside) * along;
  const double size = across.norm();
  const double error = kDirectionRounding / size;
  if (!(error < 1) || !(along.squaredNorm() > 0)) return everywhere();
  Box box;
  box.extend(Point(across / size));
  grow(box, error);
  return box;
}

Crowd about_edge(const Welded& mesh, VertexId v, VertexId w, std::vector<std::uint32_t> triangles) {
  Crowd crowd;
  for (const std::uint32_t t : triangles) {
    for (const VertexId x : mesh.triangle({t}).corner) {
      if (x == v || x == w) continue;
      crowd.boxes.push_back(FloatBox(angle_about(mesh.point(v), mesh.point(w), mesh.point(x))));
    }
  }
  crowd.triangles = std::move(triangles);
  return crowd;
}

Array<std::uint32_t> uses_of_vertices(const Welded& mesh) {
  Array<std::uint32_t> uses(mesh.points().size(), 0);
  parallel_ranges(mesh.triangles().size(), std::size_t{1} << 15, [&](Range r) {
    for (std::size_t t = r.begin; t < r.end; ++t) {
      for (const VertexId v : mesh.triangles()[t].corner) {
        std::atomic_ref(uses[v.value]).fetch_add(1, std::memory_order_relaxed);
      }
    }
  });
  return uses;
}

}  // namespace

bool Crowds::are_in(const Welded& mesh, std::size_t least) {
  const Array<std::uint32_t> uses = uses_of_vertices(mesh);
  return std::any_of(uses.begin(), uses.end(), [least](std::uint32_t n) { return n >= least; });
}

Crowds::Crowds(const Welded& mesh, std::size_t least) {
  const std::size_t count = mesh.triangles().size();
  const Array<std::uint32_t> uses = uses_of_vertices(mesh);
  std::unordered_map<std::uint32_t, std::uint32_t> number;
  std::vector<VertexId> hubs;
  for (std::uint32_t v = 0; v < uses.size(); ++v) {
    if (uses[v] < least) continue;
    number[v] = static_cast<std::uint32_t>(hubs.size());
    hubs.push_back({v});
  }
  if (hubs.empty()) return;
  crowd_of_.assign(count, kNone);
  list_.resize(hubs.size());
  for (std::uint32_t t = 0; t < count; ++t) {
    const Triangle& triangle = mesh.triangle({t});
    if (has_equal_corners(triangle)) continue;
    VertexId hub = triangle[0];
    for (const VertexId v : {triangle[1], triangle[2]}) {
      if (uses[v.value] > uses[hub.value] || (uses[v.value] == uses[hub.value] && v < hub)) hub = v;
    }
    if (uses[hub.value] < least) continue;
    crowd_of_[t] = number.at(hub.value);
    list_[crowd_of_[t]].triangles.push_back(t);
  }
  for (std::size_t h = 0; h < hubs.size(); ++h) {
    const VertexId hub = hubs[h];
    Crowd& crowd = list_[h];
    std::unordered_map<std::uint32_t, std::uint32_t> spokes;  // how many triangles share each
    const auto others = [&](std::uint32_t t) {
      const Triangle& triangle = mesh.triangle({t});
      const std::size_t k = triangle[0] == hub ? 0 : triangle[1] == hub ? 1 : 2;
      return std::array{triangle[(k + 1) % 3], triangle[(k + 2) % 3]};
    };
    for (const std::uint32_t t : crowd.triangles) {
      const auto [p, q] = others(t);
      ++spokes[p.value], ++spokes[q.value];
      crowd.boxes.push_back(FloatBox(directions(mesh.point(hub), mesh.point(p), mesh.point(q))));
    }
    std::unordered_map<std::uint32_t, std::pair<std::uint32_t, std::vector<std::uint32_t>>> edges;
    crowd.crowd_of.assign(crowd.triangles.size(), kNone);
    for (std::size_t i = 0; i < crowd.triangles.size(); ++i) {
      auto [p, q] = others(crowd.triangles[i]);
      const std::uint32_t of_p = spokes.at(p.value), of_q = spokes.at(q.value);
      if (of_q > of_p || (of_q == of_p && q < p)) p = q;
      if (std::max(of_p, of_q) < least) continue;
      const auto at = edges
                          .try_emplace(p.value, static_cast<std::uint32_t>(edges.size()),
                                       std::vector<std::uint32_t>{})
                          .first;
      crowd.crowd_of[i] = at->second.first;
      at->second.second.push_back(crowd.triangles[i]);
    }
    std::vector<Crowd> about_edges(edges.size());
    for (auto& [other, edge] : edges) {
      about_edges[edge.first] = about_edge(mesh, hub, {other}, std::move(edge.second));
    }
    for (Crowd& edge : about_edges) list_.push_back(std::move(edge));
  }
}

}  // namespace aguja
