#include "mesh/snap_together.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <utility>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/planar_triangulation.h"
#include "base/disjoint_sets.h"
#include "mesh/plane_division.h"

namespace aguja {
namespace {

// After so many passes what is still near is left.
constexpr int kMostSnapPasses = 24;
// More points come of fans of needles, all of them near each other: nothing good.
constexpr std::size_t kMostPointsPerEdge = 4;
constexpr std::size_t kFewSnapPoints = 1000;
// Parts of an edge are whole multiples of this: what is left of the edge then is one, too.
constexpr double kPartOfEdge = 0x1p-53;

using LocalEdge = std::array<std::uint32_t, 2>;

struct LocalTriangle {
  std::array<std::uint32_t, 3> corner;  // as they were
  std::array<std::uint32_t, 3> edge;    // edge k from corner k to the next
  TriangleId parent;
  std::vector<std::uint32_t> inside;  // vertices that it gets beside those of its edges
};

// A vertex that a stretch of an edge gets.
struct ChainInsertion {
  std::uint32_t edge, after;  // which place of its chain
  double part;                // of the stretch from there to the next place
  std::uint32_t vertex;
  friend auto operator<=>(const ChainInsertion&, const ChainInsertion&) = default;
};

using ThreePoints = std::array<Point, 3>;

double sine_between(const ThreePoints& a, const ThreePoints& b) {
  const Vector na = (a[1] - a[0]).cross(a[2] - a[0]).normalized();
  const Vector nb = (b[1] - b[0]).cross(b[2] - b[0]).normalized();
  return na.cross(nb).norm();
}

// The second one in the plane of the first, clipped by what is farther inside than that of its sides.
std::vector<Point> clipped(const ThreePoints& a, const ThreePoints& b, double margin) {
  const Vector normal = (a[1] - a[0]).cross(a[2] - a[0]).normalized();
  std::vector<Point> common(b.begin(), b.end());
  for (std::size_t k = 0; k < 3 && common.size() >= 3; ++k) {
    const Point& p = a[k];
    const Vector inward = normal.cross(a[(k + 1) % 3] - p).normalized();
    std::vector<Point> kept;
    for (std::size_t i = 0; i < common.size(); ++i) {
      const Point &x = common[i], &y = common[(i + 1) % common.size()];
      const double hx = inward.dot(x - p) - margin, hy = inward.dot(y - p) - margin;
      if (hx > 0) kept.push_back(x);
      if ((hx > 0) != (hy > 0)) kept.push_back(x + hx / (hx - hy) * (y - x));
    }
    common = std::move(kept);
  }
  return common;
}

struct CommonArea {
  double area = 0;
  Point middle = Point::Zero();
};

// What they have in common, seen from the side of the first, if it is an area and not just a strip.
std::optional<CommonArea> common_area(const ThreePoints& a, const ThreePoints& b, double reach,
                                      double parallel) {
  if (!(sine_between(a, b) < parallel)) return std::nullopt;
  const Vector normal = (a[1] - a[0]).cross(a[2] - a[0]).normalized();
  // A strip along the side is no area.
  const std::vector<Point> inner = clipped(a, b, reach);
  if (inner.size() < 3) return std::nullopt;
  double widest = 0;
  for (const Point& p : inner) {
    if (std::fabs(normal.dot(p - a[0])) > 2 * reach) return std::nullopt;
    for (const Point& q : inner) {
      widest = std::max(widest, (q - inner[0]).cross(p - inner[0]).norm() /
                                    std::max((q - inner[0]).norm(), reach));
    }
  }
  if (!(widest > 2 * reach)) return std::nullopt;
  const std::vector<Point> all = clipped(a, b, 0);
  CommonArea common;
  Vector moment = Vector::Zero();
  for (std::size_t i = 2; i < all.size(); ++i) {
    const double area = 0.5 * std::fabs(normal.dot((all[i - 1] - all[0]).cross(all[i] - all[0])));
    common.area += area;
    moment += area * ((all[i - 1] - all[0]) + (all[i] - all[0])) / 3;
  }
  if (!(common.area > 0)) return std::nullopt;
  common.middle = all[0] + moment / common.area;
  return common;
}

// Edges become chains of vertices; nothing is triangulated before they are done: new edges within
// triangles would pass each other in turn.
class Snapper {
 public:
  Snapper(const Mesh& mesh, std::vector<bool> wanted, double reach, const MayBecomeOne& may_join)
      : mesh_(mesh),
        reach_(reach),
        may_join_(may_join),
        points_(mesh.points.begin(), mesh.points.end()) {
    add_what_lies_on(wanted);
    is_touched_.assign(points_.size(), false);
    for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
      if (!wanted[t]) continue;
      for (const VertexId v : mesh.triangles[t].corner) is_touched_[v.value] = true;
    }
    is_local_.assign(mesh.triangles.size(), false);
    for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
      const Triangle& own = mesh.triangles[t];
      if (!is_touched_[own[0].value] && !is_touched_[own[1].value] && !is_touched_[own[2].value]) {
        continue;
      }
      is_local_[t] = true;
      local_.push_back({{own[0].value, own[1].value, own[2].value}, {}, {t}, {}});
    }
    now_.resize(points_.size());
    std::iota(now_.begin(), now_.end(), 0u);
    make_chains();
  }

  [[nodiscard]] std::optional<SnappedMesh> run() {
    SnappedMesh out;
    const std::size_t most = points_.size() + kMostPointsPerEdge * edges_.size() + kFewSnapPoints;
    for (int pass = 0; pass < kMostSnapPasses; ++pass) {
      if (points_.size() > most) return std::nullopt;
      const bool merged = merge_vertices();
      const bool divided = divide_chains();
      if (!merged && !divided) break;
      out.moved += reach_;
    }
    merge_vertices();
    put_vertices_inside();
    out.moved += reach_;  // what is put inside bends triangles
    write(out);
    return out;
  }

 private:
  // All that lies on a wanted triangle, and on what lies on it, whether they meet or not.
  void add_what_lies_on(std::vector<bool>& wanted) const {
    std::vector<std::uint32_t> pending;
    for (std::uint32_t t = 0; t < wanted.size(); ++t) {
      if (wanted[t]) pending.push_back(t);
    }
    if (pending.empty()) return;
    const auto box_of_own = [&](std::uint32_t t) {
      const Triangle& own = mesh_.triangles[t];
      return near_box({own[0].value, own[1].value, own[2].value});
    };
    Array<FloatBox> boxes(mesh_.triangles.size());
    for (std::uint32_t t = 0; t < boxes.size(); ++t) boxes[t] = box_of_own(t);
    const BoxTree tree(std::move(boxes));
    const auto points_of = [&](std::uint32_t t) {
      const Triangle& own = mesh_.triangles[t];
      return ThreePoints{mesh_.point(own[0]), mesh_.point(own[1]), mesh_.point(own[2])};
    };
    while (!pending.empty()) {
      const std::uint32_t t = pending.back();
      pending.pop_back();
      tree.for_each_meeting(box_of_own(t), [&](std::uint32_t u) {
        if (wanted[u] || !lie_on_each_other(points_of(t), points_of(u))) return;
        if (may_join_ && !may_join_({t}, {u})) return;
        wanted[u] = true;
        pending.push_back(u);
      });
    }
  }

  [[nodiscard]] FloatBox near_box(std::initializer_list<std::uint32_t> corners) const {
    Box box;
    for (const std::uint32_t v : corners) box.extend(points_[v]);
    box.low.array() -= reach_;
    box.high.array() += reach_;
    return FloatBox(box);
  }

  void make_chains() {
    const auto edge_of = [](const LocalTriangle& t, std::size_t k) {
      const std::uint32_t a = t.corner[k], b = t.corner[(k + 1) % 3];
      return LocalEdge{std::min(a, b), std::max(a, b)};
    };
    for (const LocalTriangle& t : local_) {
      for (std::size_t k = 0; k < 3; ++k) edges_.push_back(edge_of(t, k));
    }
    std::sort(edges_.begin(), edges_.end());
    edges_.erase(std::unique(edges_.begin(), edges_.end()), edges_.end());
    for (LocalTriangle& t : local_) {
      for (std::size_t k = 0; k < 3; ++k) {
        const auto at = std::lower_bound(edges_.begin(), edges_.end(), edge_of(t, k));
        t.edge[k] = static_cast<std::uint32_t>(at - edges_.begin());
      }
    }
    for (const LocalEdge& e : edges_) chains_.push_back({e[0], e[1]});
  }
  // All triangles at an edge are known if both its ends are touched.
  [[nodiscard]] bool may_be_divided(const LocalEdge& e) const {
    return is_touched_[e[0]] && is_touched_[e[1]];
  }
  [[nodiscard]] std::vector<std::uint32_t> touched_vertices() const {
    std::vector<std::uint32_t> vertices;
    for (const auto& chain : chains_) {
      for (const std::uint32_t v : chain) {
        if (is_touched_[v]) vertices.push_back(v);
      }
    }
    std::sort(vertices.begin(), vertices.end());
    vertices.erase(std::unique(vertices.begin(), vertices.end()), vertices.end());
    return vertices;
  }

  // Into the lowest of those near it that stays where it is.
  bool merge_vertices() {
    std::vector<std::uint32_t> order = touched_vertices();
    std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
      return points_[a].x() != points_[b].x() ? points_[a].x() < points_[b].x() : a < b;
    });
    std::vector<LocalEdge> pairs;
    for (std::size_t i = 0; i < order.size(); ++i) {
      const Point& p = points_[order[i]];
      for (std::size_t j = i + 1; j < order.size() && points_[order[j]].x() - p.x() <= reach_;
           ++j) {
        if ((points_[order[j]] - p).norm() > reach_) continue;
        pairs.push_back({std::min(order[i], order[j]), std::max(order[i], order[j])});
      }
    }
    if (pairs.empty()) return false;
    std::sort(pairs.begin(), pairs.end());
    std::vector<std::uint32_t> becomes(points_.size());
    std::iota(becomes.begin(), becomes.end(), 0u);
    for (const auto& [low, high] : pairs) {
      if (becomes[low] == low && becomes[high] == high) becomes[high] = low;
    }
    for (auto& chain : chains_) {
      std::vector<std::uint32_t> now;
      for (const std::uint32_t v : chain) {
        const std::uint32_t next = becomes[v];
        // There and back is nothing.
        if (now.size() >= 2 && now[now.size() - 2] == next) {
          now.pop_back();
        } else if (now.empty() || now.back() != next) {
          now.push_back(next);
        }
      }
      chain = std::move(now);
    }
    for (std::uint32_t& v : now_) v = becomes[v];
    return true;
  }

  // A stretch of a chain.
  struct Stretch {
    std::uint32_t edge, after, from, to;
  };
  bool divide_chains() {
    std::vector<Stretch> stretches;
    for (std::uint32_t e = 0; e < chains_.size(); ++e) {
      if (!may_be_divided(edges_[e])) continue;
      for (std::uint32_t i = 0; i + 1 < chains_[e].size(); ++i) {
        stretches.push_back({e, i, chains_[e][i], chains_[e][i + 1]});
      }
    }
    Array<FloatBox> boxes(stretches.size());
    for (std::size_t s = 0; s < boxes.size(); ++s) {
      boxes[s] = near_box({stretches[s].from, stretches[s].to});
    }
    const BoxTree tree(std::move(boxes));
    std::vector<ChainInsertion> all = vertices_near(stretches, tree);
    if (all.empty()) all = passings(stretches, tree);
    if (all.empty()) return false;
    std::sort(all.begin(), all.end());
    for (auto at = all.begin(); at != all.end();) {
      auto& chain = chains_[at->edge];
      const std::uint32_t edge = at->edge;
      std::vector<std::uint32_t> longer;
      for (std::uint32_t place = 0; place < chain.size(); ++place) {
        longer.push_back(chain[place]);
        // Two in one place: the other one has its turn in the next pass.
        for (double last = 0; at != all.end() && at->edge == edge && at->after == place; ++at) {
          if (at->part != last) longer.push_back(at->vertex);
          last = at->part;
        }
      }
      chain = std::move(longer);
    }
    return true;
  }
  [[nodiscard]] static double part_of_edge(double t) {
    return std::round(t / kPartOfEdge) * kPartOfEdge;
  }
  [[nodiscard]] static bool is_between(double part) { return part > 0 && part < 1; }

  // Which vertices are on which chains, sorted.
  using Memberships = std::vector<std::array<std::uint32_t, 2>>;
  [[nodiscard]] Memberships chain_members() const {
    Memberships all;
    for (std::uint32_t e = 0; e < chains_.size(); ++e) {
      for (const std::uint32_t v : chains_[e]) all.push_back({e, v});
    }
    std::sort(all.begin(), all.end());
    return all;
  }
  [[nodiscard]] static bool is_on(const Memberships& on_chains, std::uint32_t edge,
                                  std::uint32_t vertex) {
    return std::binary_search(on_chains.begin(), on_chains.end(), std::array{edge, vertex});
  }

  [[nodiscard]] std::vector<ChainInsertion> vertices_near(std::span<const Stretch> stretches,
                                                          const BoxTree& tree) const {
    const std::vector<std::uint32_t> vertices = touched_vertices();
    const Memberships on_chains = chain_members();
    return parallel_collect<ChainInsertion>(vertices.size(), 256, [&](Range r, auto& out) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        const std::uint32_t v = vertices[i];
        const Point& p = points_[v];
        tree.for_each_meeting(near_box({v}), [&](std::uint32_t k) {
          const Stretch& s = stretches[k];
          if (is_on(on_chains, s.edge, v)) return;
          const Vector along = points_[s.to] - points_[s.from];
          const double t = along.dot(p - points_[s.from]) / along.squaredNorm();
          if (!is_between(t) || (points_[s.from] + t * along - p).norm() > reach_) return;
          if (const double part = part_of_edge(t); is_between(part)) {
            out.push_back({s.edge, s.after, part, v});
          }
        });
      }
    });
  }

  // Where stretches pass each other between their ends, both get a new vertex.
  [[nodiscard]] std::vector<ChainInsertion> passings(std::span<const Stretch> stretches,
                                                     const BoxTree& tree) {
    struct Passing {
      std::uint32_t e, f;
      double at_e, at_f;
    };
    const auto found = parallel_collect<Passing>(stretches.size(), 256, [&](Range r, auto& out) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        const auto e = static_cast<std::uint32_t>(i);
        const std::uint32_t a = stretches[e].from, b = stretches[e].to;
        tree.for_each_meeting(near_box({a, b}), [&](std::uint32_t f) {
          if (f <= e) return;
          const std::uint32_t c = stretches[f].from, d = stretches[f].to;
          if (c == a || c == b || d == a || d == b) return;
          const Vector u = points_[b] - points_[a], v = points_[d] - points_[c];
          const Vector between = points_[a] - points_[c];
          const double uu = u.squaredNorm(), vv = v.squaredNorm(), uv = u.dot(v);
          const double det = uu * vv - uv * uv;
          if (!(det > 0)) return;
          const double s = (uv * v.dot(between) - vv * u.dot(between)) / det;
          const double t = (uu * v.dot(between) - uv * u.dot(between)) / det;
          if (!is_between(s) || !is_between(t)) return;
          const Point p = points_[a] + s * u, q = points_[c] + t * v;
          if ((p - q).norm() > reach_) return;
          const double at_e = part_of_edge(s), at_f = part_of_edge(t);
          if (is_between(at_e) && is_between(at_f)) out.push_back({e, f, at_e, at_f});
        });
      }
    });
    std::vector<ChainInsertion> all;
    for (const Passing& x : found) {
      const Stretch &e = stretches[x.e], &f = stretches[x.f];
      const Point p = points_[e.from] + x.at_e * (points_[e.to] - points_[e.from]);
      const Point q = points_[f.from] + x.at_f * (points_[f.to] - points_[f.from]);
      const auto made = static_cast<std::uint32_t>(points_.size());
      points_.push_back(0.5 * p + 0.5 * q);
      is_touched_.push_back(true);
      all.push_back({e.edge, e.after, x.at_e, made});
      all.push_back({f.edge, f.after, x.at_f, made});
    }
    return all;
  }

  [[nodiscard]] const Point& corner(const LocalTriangle& t, std::size_t k) const {
    return points_[current(t.corner[k])];
  }
  [[nodiscard]] std::uint32_t current(std::uint32_t v) const { return now_[v]; }
  [[nodiscard]] bool is_collapsed(const LocalTriangle& t) const {
    const std::uint32_t a = current(t.corner[0]), b = current(t.corner[1]),
                        c = current(t.corner[2]);
    return a == b || b == c || c == a;
  }

  [[nodiscard]] BoxTree tree_of_triangles() const {
    Array<FloatBox> boxes(local_.size());
    for (std::size_t t = 0; t < boxes.size(); ++t) {
      const auto& c = local_[t].corner;
      boxes[t] = near_box({current(c[0]), current(c[1]), current(c[2])});
    }
    return BoxTree(std::move(boxes));
  }

  void put_vertices_inside() {
    const BoxTree tree = tree_of_triangles();
    struct Inside {
      std::uint32_t triangle, vertex;
      auto operator<=>(const Inside&) const = default;
    };
    const std::vector<std::uint32_t> vertices = touched_vertices();
    const Memberships on_chains = chain_members();
    auto found = parallel_collect<Inside>(vertices.size(), 256, [&](Range r, auto& out) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        tree.for_each_meeting(near_box({vertices[i]}), [&](std::uint32_t t) {
          if (is_inside(local_[t], vertices[i], on_chains)) out.push_back({t, vertices[i]});
        });
      }
    });
    std::sort(found.begin(), found.end());
    for (const Inside& i : found) local_[i.triangle].inside.push_back(i.vertex);
  }
  // Near its plane, and not nearer than that to its sides.
  [[nodiscard]] bool is_inside(const LocalTriangle& t, std::uint32_t v,
                               const Memberships& on_chains) const {
    if (is_collapsed(t)) return false;
    for (const std::uint32_t e : t.edge) {
      if (is_on(on_chains, e, v)) return false;
    }
    const auto place = place_in(t, points_[v]);
    if (!place) return false;
    const Vector n = (corner(t, 1) - corner(t, 0)).cross(corner(t, 2) - corner(t, 0));
    return std::fabs(n.dot(points_[v] - corner(t, 0))) <= reach_ * n.norm();
  }
  // In the triangle's own coordinates: corner 0 at the origin, 1 and 2 one along each axis.
  [[nodiscard]] std::optional<PlanarPoint> place_in(const LocalTriangle& t, const Point& at) const {
    const Vector u = corner(t, 1) - corner(t, 0), w = corner(t, 2) - corner(t, 0);
    const Vector p = at - corner(t, 0), n = u.cross(w);
    const double nn = n.squaredNorm();
    if (!(nn > 0)) return std::nullopt;
    const PlanarPoint place(p.cross(w).dot(n) / nn, u.cross(p).dot(n) / nn);
    if (!(place.x() > 0 && place.y() > 0 && place.x() + place.y() < 1)) return std::nullopt;
    return place;
  }

  // ---- Triangulation.

  using Corners = std::array<std::uint32_t, 3>;

  // Triangles that lie on each other but for the reach are divided as one.
  [[nodiscard]] std::vector<std::vector<std::uint32_t>> groups_on_each_other() const {
    const BoxTree tree = tree_of_triangles();
    DisjointSets sets(local_.size());
    parallel_ranges(local_.size(), 256, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        const auto t = static_cast<std::uint32_t>(i);
        const auto& c = local_[t].corner;
        tree.for_each_meeting(near_box({current(c[0]), current(c[1]), current(c[2])}),
                              [&](std::uint32_t u) {
                                if (u > t && lie_on_each_other(local_[t], local_[u])) {
                                  sets.unite(t, u);
                                }
                              });
      }
    });
    std::vector<std::vector<std::uint32_t>> groups;
    std::vector<std::uint32_t> group_of(local_.size(), kNoIndex);
    for (std::uint32_t t = 0; t < local_.size(); ++t) {
      const std::uint32_t root = sets.find(t);
      if (root == t) {
        group_of[t] = static_cast<std::uint32_t>(groups.size());
        groups.emplace_back();
      }
      group_of[t] = group_of[root];
      groups[group_of[t]].push_back(t);
    }
    return groups;
  }
  [[nodiscard]] bool lie_on_each_other(const LocalTriangle& a, const LocalTriangle& b) const {
    return !is_collapsed(a) && !is_collapsed(b) &&
           lie_on_each_other({corner(a, 0), corner(a, 1), corner(a, 2)},
                             {corner(b, 0), corner(b, 1), corner(b, 2)});
  }
  [[nodiscard]] bool lie_on_each_other(const ThreePoints& a, const ThreePoints& b) const {
    // Steeper ones cannot lie on each other over more than a few times the reach.
    constexpr double kOnEachOther = 1e-3;
    return common_area(a, b, reach_, kOnEachOther).has_value();
  }

  [[nodiscard]] std::vector<std::uint32_t> side_of(const LocalTriangle& t, std::size_t k) const {
    std::vector<std::uint32_t> side = chains_[t.edge[k]];
    if (t.corner[k] != edges_[t.edge[k]][0]) std::reverse(side.begin(), side.end());
    return side;
  }

  // False if its sides cross when seen from above: rare, and then each is divided by itself.
  bool divide_group(std::span<const std::uint32_t> group,
                    std::vector<std::vector<Corners>>& pieces) const {
    Vector sum = Vector::Zero();
    for (const std::uint32_t t : group) {
      Vector n = (corner(local_[t], 1) - corner(local_[t], 0))
                     .cross(corner(local_[t], 2) - corner(local_[t], 0));
      sum += sum.dot(n) < 0 ? Vector(-n) : n;
    }
    Eigen::Index axis = 0;
    sum.cwiseAbs().maxCoeff(&axis);
    std::vector<std::uint32_t> vertices;
    for (const std::uint32_t t : group) {
      for (const std::uint32_t e : local_[t].edge) {
        vertices.insert(vertices.end(), chains_[e].begin(), chains_[e].end());
      }
      vertices.insert(vertices.end(), local_[t].inside.begin(), local_[t].inside.end());
    }
    std::sort(vertices.begin(), vertices.end());
    vertices.erase(std::unique(vertices.begin(), vertices.end()), vertices.end());
    std::vector<Point> flat;
    for (const std::uint32_t v : vertices) {
      Point p = points_[v];
      p[axis] = 0;
      flat.push_back(p);
    }
    const auto local = [&](std::uint32_t v) {
      return ExactPointId{static_cast<std::uint32_t>(
          std::lower_bound(vertices.begin(), vertices.end(), v) - vertices.begin())};
    };
    std::vector<MemberOfPlane> members;
    for (const std::uint32_t t : group) {
      MemberOfPlane m;
      m.id = local_[t].parent;
      for (std::size_t k = 0; k < 3; ++k) {
        for (const std::uint32_t v : side_of(local_[t], k)) m.side[k].push_back(local(v));
      }
      members.push_back(std::move(m));
    }
    std::vector<ExactPointId> points_in;
    for (std::uint32_t i = 0; i < vertices.size(); ++i) points_in.push_back({i});
    const ExactPoints points(flat);
    const ExactPoints::View view{static_cast<int>(axis), 1};
    const PlaneDivision d = divide_plane(points, view, members, {}, points_in);
    if (d.is_crossed) return false;
    for (std::size_t i = 0; i < d.pieces.size(); ++i) {
      Corners piece{};
      for (std::size_t k = 0; k < 3; ++k) piece[k] = vertices[d.pieces[i][k].value];
      for (const std::uint32_t m : d.members_of[i]) {
        Corners own = piece;
        if (!d.runs_counter_clockwise[m]) std::swap(own[1], own[2]);
        pieces[group[m]].push_back(own);
      }
    }
    return true;
  }

  // Seen in the triangle's own coordinates; whatever they are, its sides are those of its neighbours.
  void divide_alone(std::uint32_t number, std::vector<std::vector<Corners>>& pieces) const {
    const LocalTriangle& t = local_[number];
    std::vector<PlanarPoint> places;
    std::vector<std::uint32_t> vertex;
    std::vector<PlanarEdge> sides;
    for (std::size_t k = 0; k < 3; ++k) {
      const std::vector<std::uint32_t> side = side_of(t, k);
      const auto stretches = static_cast<double>(side.size() - 1);
      for (std::size_t i = 0; i + 1 < side.size(); ++i) {
        // By number along the side: distances may deceive where it is bent.
        const double s = std::round(static_cast<double>(i) / stretches / kPartOfEdge) * kPartOfEdge;
        const double rest = 1 - s;
        places.emplace_back(k == 0 ? s : k == 1 ? rest : 0, k == 0 ? 0 : k == 1 ? s : rest);
        vertex.push_back(side[i]);
      }
    }
    const auto count = static_cast<std::uint32_t>(vertex.size());
    if (count < 3) return;
    for (std::uint32_t i = 0; i < count; ++i) sides.push_back({i, (i + 1) % count});
    for (const std::uint32_t v : t.inside) {
      if (const auto place = place_in(t, points_[v])) {
        places.push_back(*place);
        vertex.push_back(v);
      }
    }
    for (const auto& piece : triangulate(places, sides).triangles) {
      pieces[number].push_back({vertex[piece[0]], vertex[piece[1]], vertex[piece[2]]});
    }
  }

  void write(SnappedMesh& out) const {
    std::vector<std::vector<Corners>> pieces(local_.size());
    for (const std::vector<std::uint32_t>& group : groups_on_each_other()) {
      if (group.size() > 1 && divide_group(group, pieces)) continue;
      for (const std::uint32_t t : group) {
        pieces[t].clear();
        divide_alone(t, pieces);
      }
    }
    for (const Point& p : points_) out.mesh.points.push_back(p);
    for (const std::uint32_t v : now_) out.maps.vertex_now.push_back({v});
    const auto add = [&](const Triangle& t, TriangleId parent) {
      out.mesh.triangles.push_back(t);
      out.maps.parent.push_back(parent);
      if (!mesh_.patch_of.empty()) out.mesh.patch_of.push_back(mesh_.patch_of[parent.value]);
    };
    // In the places of their parents.
    std::size_t next = 0;
    for (std::uint32_t t = 0; t < is_local_.size(); ++t) {
      if (!is_local_[t]) {
        add(mesh_.triangles[t], {t});
        continue;
      }
      for (const Corners& c : pieces[next++]) {
        if (c[0] == c[1] || c[1] == c[2] || c[2] == c[0]) continue;
        add({{{c[0]}, {c[1]}, {c[2]}}}, {t});
      }
    }
  }

  const Mesh& mesh_;
  double reach_;
  const MayBecomeOne& may_join_;
  std::vector<Point> points_;
  std::vector<bool> is_touched_;  // by point: it may be moved, and all its triangles are local
  std::vector<bool> is_local_;    // by triangle of the mesh
  std::vector<LocalTriangle> local_;
  std::vector<LocalEdge> edges_;                    // as they were, sorted
  std::vector<std::vector<std::uint32_t>> chains_;  // by edge, from its lower end
  std::vector<std::uint32_t> now_;                  // by point of the mesh
};

}  // namespace

std::optional<SnappedMesh> snap_together(const Mesh& mesh, const std::vector<bool>& wanted,
                                         double reach, const MayBecomeOne& may_join) {
  return Snapper(mesh, wanted, reach, may_join).run();
}

Facing facing_of(const Mesh& mesh, TriangleId a, TriangleId b) {
  const auto point = [&](TriangleId t, std::size_t k) -> const Point& {
    return mesh.point(mesh.triangle(t)[k]);
  };
  const auto normal = [&](TriangleId t) {
    return Vector((point(t, 1) - point(t, 0)).cross(point(t, 2) - point(t, 0)).stableNormalized());
  };
  const Vector own = normal(a);
  if (own.dot(normal(b)) > 0) return Facing::same;
  double height = 0;
  for (std::size_t k = 0; k < 3; ++k) height += own.dot(point(b, k) - point(a, 0));
  return height > 0 ? Facing::towards : Facing::away;
}

namespace {

class NearTriangleSearch {
 public:
  NearTriangleSearch(const Mesh& mesh, double reach, std::span<const std::uint32_t> set_of)
      : mesh_(mesh), reach_(reach), set_of_(set_of), boxes_(mesh.triangles.size()) {
    parallel_ranges(boxes_.size(), kNearGrain, [&](Range r) {
      for (std::size_t t = r.begin; t < r.end; ++t) boxes_[t] = box_near(t);
    });
    tree_ = BoxTree(Array<FloatBox>(boxes_), set_of);
  }

  // Of different sets.
  [[nodiscard]] std::vector<NearTriangles> across() const {
    std::vector<std::vector<NearTriangles>> lists(tree_.list_count());
    parallel_tasks(lists.size(), [&](std::size_t list) {
      tree_.for_each_block_pair_of(list, [&](const BoxTree::Block& a, const BoxTree::Block& b) {
        for (std::size_t i = 0; i < a.items.size(); ++i) {
          const bool same = a.items.data() == b.items.data();
          for (std::size_t j = same ? i + 1 : 0; j < b.items.size(); ++j) {
            const std::uint32_t t = std::min(a.items[i], b.items[j]);
            const std::uint32_t u = std::max(a.items[i], b.items[j]);
            if (set_of_[t] == set_of_[u] || !boxes_[t].meets(boxes_[u])) continue;
            if (const auto pair = near_pair(t, u)) lists[list].push_back(*pair);
          }
        }
        return true;
      });
    });
    std::vector<NearTriangles> all;
    for (const auto& list : lists) all.insert(all.end(), list.begin(), list.end());
    return all;
  }
  // With any other.
  void add_pairs_of(std::uint32_t t, std::vector<NearTriangles>& out) const {
    tree_.for_each_meeting(boxes_[t], [&](std::uint32_t u) {
      if (u == t) return;
      if (const auto pair = near_pair(std::min(t, u), std::max(t, u))) out.push_back(*pair);
    });
  }

 private:
  static constexpr std::size_t kNearGrain = 4096;

  [[nodiscard]] ThreePoints points_of(std::size_t t) const {
    const Triangle& v = mesh_.triangles[t];
    return {mesh_.point(v[0]), mesh_.point(v[1]), mesh_.point(v[2])};
  }
  // Two that are no farther apart than the reach meet.
  [[nodiscard]] FloatBox box_near(std::size_t t) const {
    Box box;
    for (const Point& p : points_of(t)) box.extend(p);
    box.low.array() -= reach_;
    box.high.array() += reach_;
    return FloatBox(box);
  }
  [[nodiscard]] std::optional<NearTriangles> near_pair(std::uint32_t t, std::uint32_t u) const {
    const ThreePoints a = points_of(t), b = points_of(u);
    const std::optional<CommonArea> common = common_area(a, b, reach_, kParallelFacets);
    if (!common) return std::nullopt;
    return NearTriangles{{t}, {u}, common->area, sine_between(a, b), common->middle};
  }

  const Mesh& mesh_;
  double reach_;
  std::span<const std::uint32_t> set_of_;
  Array<FloatBox> boxes_;
  BoxTree tree_;
};

}  // namespace

std::vector<NearTriangles> find_near_triangles(const Mesh& mesh, double reach,
                                               std::span<const std::uint32_t> set_of,
                                               const NearSeeds* seeds) {
  const auto by_number = [](const NearTriangles& a, const NearTriangles& b) {
    return a.first != b.first ? a.first < b.first : a.second < b.second;
  };
  const NearTriangleSearch search(mesh, reach, set_of);
  std::vector<NearTriangles> pairs = search.across();
  std::vector<bool> is_involved(mesh.triangles.size(), false);
  std::vector<std::uint32_t> pending;
  const auto involve = [&](TriangleId t) {
    if (is_involved[t.value]) return;
    is_involved[t.value] = true;
    pending.push_back(t.value);
  };
  for (const NearTriangles& pair : pairs) {
    involve(pair.first);
    involve(pair.second);
  }
  for (const std::uint32_t t : std::exchange(pending, {})) search.add_pairs_of(t, pairs);
  if (seeds != nullptr) {
    for (const TriangleId t : seeds->triangles) involve(t);
  }
  while (!pending.empty()) {
    const TriangleId t{pending.back()};
    pending.pop_back();
    const std::size_t before = pairs.size();
    search.add_pairs_of(t.value, pairs);
    bool is_doubled = false;
    for (std::size_t i = before; i < pairs.size(); ++i) {
      if (facing_of(mesh, pairs[i].first, pairs[i].second) != Facing::same) continue;
      is_doubled = true;
      involve(pairs[i].first);
      involve(pairs[i].second);
    }
    if (!is_doubled) continue;
    for (std::size_t k = 0; k < 3; ++k) {
      const auto e = seeds->edges.find(mesh.triangle(t)[k], mesh.triangle(t)[(k + 1) % 3]);
      if (!e) continue;
      for (const EdgeUse use : seeds->edges.uses(*e)) involve(use.triangle());
    }
  }
  std::sort(pairs.begin(), pairs.end(), by_number);
  pairs.erase(std::unique(pairs.begin(), pairs.end(),
                          [](const NearTriangles& a, const NearTriangles& b) {
                            return a.first == b.first && a.second == b.second;
                          }),
              pairs.end());
  return pairs;
}

}  // namespace aguja
