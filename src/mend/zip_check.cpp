#include "mend/zip_check.h"

#include <algorithm>
#include <cstring>
#include <optional>
#include <tuple>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/geometry/predicates.h"
#include "aguja/mesh/crossings.h"
#include "aguja/mesh/fans.h"
#include "base/disjoint_sets.h"
#include "base/parallel_algorithms.h"

namespace aguja {
namespace {

constexpr std::size_t kHashBits = std::size_t{1} << 22;
struct PointHash {
  std::size_t operator()(const Point& p) const {
    std::uint64_t h = 0;
    for (int k = 0; k < 3; ++k) {
      std::uint64_t bits = 0;
      const double x = p[k] + 0.0;
      std::memcpy(&bits, &x, sizeof bits);
      h = (h ^ bits) * 0x9E3779B97F4A7C15u;
      h ^= h >> 31;
    }
    return h;
  }
};

// The edge of the mesh before that this use lies on as a whole, if it does.
std::optional<EdgeId> edge_before(const Welded& before, const EdgeTable& edges_before,
                                  const Zipped& zipped, EdgeUse use) {
  const Triangle& old = before.triangle(zipped.parent[use.triangle().value]);
  const Triangle& now = zipped.mesh.triangle(use.triangle());
  const VertexId from = now[use.corner()];
  const VertexId to = now[(use.corner() + 1) % 3];
  for (int c = 0; c < 3; ++c) {
    const VertexId a = old[c];
    const VertexId b = old[(c + 1) % 3];
    if (zipped.new_vertex[a.value] == from && zipped.new_vertex[b.value] == to) {
      return edges_before.find(a, b);
    }
  }
  return std::nullopt;
}

class Checker {
 public:
  Checker(const Welded& before, const EdgeTable& edges_before, const Zipped& zipped,
          const EdgeTable& edges_after, std::span<const EdgeId> joined)
      : before_(before),
        edges_before_(edges_before),
        zipped_(zipped),
        edges_after_(edges_after),
        joined_(joined) {}

  std::map<std::uint32_t, RefusalReason> run() {
    check_coincidence();
    check_edges();
    check_triangles();
    check_fans();
    check_gain();
    // The dearest last, and only if it can still decide.
    if (harm_.empty()) check_crossings();
    return std::move(harm_);
  }

 private:
  void blame(VertexId v, RefusalReason reason) {
    const std::uint32_t knot = zipped_.knot_of[v.value];
    if (knot != kNoIndex) harm_.try_emplace(knot, reason);
  }
  void blame(TriangleId t, RefusalReason reason) {
    for (const VertexId v : zipped_.mesh.triangle(t).corner) blame(v, reason);
  }
  [[nodiscard]] const Point& new_point(VertexId v) const { return zipped_.mesh.point(v); }

  void check_coincidence() {
    const auto count = static_cast<std::uint32_t>(zipped_.mesh.points.size());
    std::vector<bool> may_be(kHashBits);
    const auto bit = [](const Point& p) { return PointHash()(p) & (kHashBits - 1); };
    std::vector<VertexId> knots;
    for (std::uint32_t v = 0; v < count; ++v) {
      if (zipped_.knot_of[v] == kNoIndex) continue;
      knots.push_back({v});
      may_be[bit(new_point({v}))] = true;
    }
    // Nearly all others are told apart by their bit.
    const std::vector<VertexId> others =
        parallel_collect<VertexId>(count, 1 << 14, [&](Range r, std::vector<VertexId>& out) {
          for (std::size_t i = r.begin; i < r.end; ++i) {
            const VertexId v{static_cast<std::uint32_t>(i)};
            if (zipped_.knot_of[i] == kNoIndex && may_be[bit(new_point(v))]) out.push_back(v);
          }
        });
    std::vector<VertexId> all = knots;
    all.insert(all.end(), others.begin(), others.end());
    const auto key = [&](VertexId v) {
      const Point& p = new_point(v);
      return std::tuple(p.x(), p.y(), p.z());
    };
    parallel_sort(all.begin(), all.end(), [&](VertexId u, VertexId v) {
      return std::tuple(key(u), u) < std::tuple(key(v), v);
    });
    for (std::size_t i = 0, end = 0; i < all.size(); i = end) {
      bool has_other = false;
      for (end = i; end < all.size() && key(all[end]) == key(all[i]); ++end)
        has_other |= zipped_.knot_of[all[end].value] == kNoIndex;
      // The first of several knots may stay.
      for (std::size_t k = has_other ? i : i + 1; k < end; ++k)
        blame(all[k], RefusalReason::coincidence);
    }
  }

  [[nodiscard]] bool was_nonmanifold(EdgeUse use) const {
    const auto e = edge_before(before_, edges_before_, zipped_, use);
    return e && edges_before_.is_nonmanifold(*e);
  }

  void check_edges() {
    const auto crowded = select_edges(edges_after_, [&](EdgeId e) {
      if (!edges_after_.is_nonmanifold(e)) return false;
      const Edge& edge = edges_after_.edge(e);
      return zipped_.knot_of[edge.low.value] != kNoIndex ||
             zipped_.knot_of[edge.high.value] != kNoIndex;
    });
    for (const EdgeId e : crowded) {
      const auto uses = edges_after_.uses(e);
      if (std::all_of(uses.begin(), uses.end(), [&](EdgeUse u) { return was_nonmanifold(u); })) {
        continue;
      }
      blame(edges_after_.edge(e).low, RefusalReason::third_triangle);
      blame(edges_after_.edge(e).high, RefusalReason::third_triangle);
    }
  }

  static Vector normal(const Point& a, const Point& b, const Point& c) {
    return (b - a).cross(c - a);
  }

  void check_triangles() {
    for (const TriangleId t : zipped_.changed) {
      const Triangle& old = before_.triangle(zipped_.parent[t.value]);
      if (has_equal_corners(old)) continue;
      const Point &a = before_.point(old[0]), &b = before_.point(old[1]),
                  &c = before_.point(old[2]);
      if (is_collinear(a, b, c)) continue;
      const Triangle& now = zipped_.mesh.triangle(t);
      const Point &p = new_point(now[0]), &q = new_point(now[1]), &r = new_point(now[2]);
      if (has_equal_corners(now) || is_collinear(p, q, r)) {
        blame(t, RefusalReason::no_area);
      } else if (normal(a, b, c).dot(normal(p, q, r)) <= 0) {
        blame(t, RefusalReason::turned_over);
      }
    }
  }

  void check_fans() {
    // All triangles at a knot have changed: they alone make a small mesh of all that matters.
    std::vector<std::uint32_t> small(zipped_.mesh.points.size(), kNoIndex);
    std::vector<VertexId> of_small;
    std::vector<Triangle> triangles;
    const auto number = [&](VertexId v) {
      std::uint32_t& own = small[v.value];
      if (own == kNoIndex) {
        own = static_cast<std::uint32_t>(of_small.size());
        of_small.push_back(v);
      }
      return VertexId{own};
    };
    for (const TriangleId t : zipped_.changed) {
      const Triangle& now = zipped_.mesh.triangle(t);
      triangles.push_back({{number(now[0]), number(now[1]), number(now[2])}});
    }
    std::vector<bool> was_pinched;
    for (const PinchedVertex& p :
         find_pinched_vertices(triangles, VertexStars(triangles, of_small.size()))) {
      const VertexId v = of_small[p.vertex.value];
      if (zipped_.knot_of[v.value] == kNoIndex) continue;
      if (was_pinched.empty()) was_pinched = pinched_before();
      if (!was_pinched[v.value]) blame(v, RefusalReason::pinch);
    }
  }
  // By new vertex: was one of its members pinched?
  [[nodiscard]] std::vector<bool> pinched_before() const {
    std::vector<bool> pinched(zipped_.mesh.points.size());
    const VertexStars stars(before_.triangles(), before_.points().size());
    for (const PinchedVertex& p : find_pinched_vertices(before_.triangles(), stars)) {
      pinched[zipped_.new_vertex[p.vertex.value].value] = true;
    }
    return pinched;
  }

  // Knots that joined edges hang together: do they leave fewer naked edges than there were?
  void check_gain() {
    const std::size_t count = zipped_.insertions_of.size();
    DisjointSets together(count);
    const auto knots_of = [&](EdgeId e) {
      const Edge& edge = edges_after_.edge(e);
      return std::pair(zipped_.knot_of[edge.low.value], zipped_.knot_of[edge.high.value]);
    };
    for (const EdgeId e : joined_) {
      const auto [x, y] = knots_of(e);
      if (x != kNoIndex && y != kNoIndex) together.unite(x, y);
    }
    std::vector<long long> gain(count, 0);
    for (const EdgeId e : joined_) {
      const auto [x, y] = knots_of(e);
      gain[together.find(x != kNoIndex ? x : y)] += 2;
    }
    for (std::uint32_t k = 0; k < count; ++k) {
      gain[together.find(k)] -= static_cast<long long>(zipped_.insertions_of[k]);
    }
    for (std::uint32_t k = 0; k < count; ++k) {
      if (gain[together.find(k)] <= 0) harm_.try_emplace(k, RefusalReason::no_gain);
    }
  }

  void check_crossings() {
    std::vector<bool> wanted(zipped_.mesh.triangles.size());
    for (const TriangleId t : zipped_.changed) wanted[t.value] = true;
    const Welded after(zipped_.mesh);
    std::vector<TrianglePair> known;
    for (const TrianglePair& pair : find_crossings_of(after, wanted)) {
      const TriangleId p = zipped_.parent[pair.first.value];
      const TriangleId q = zipped_.parent[pair.second.value];
      if (p != q && contact_before(p, q) >= pair.contact) {
        known.push_back(pair);
        continue;
      }
      blame(pair.first, RefusalReason::crossing);
      blame(pair.second, RefusalReason::crossing);
    }
    if (harm_.empty() && !known.empty()) check_number(known);
  }
  // Pairs that were there before may have become several where triangles were divided.
  void check_number(const std::vector<TrianglePair>& known) {
    std::vector<bool> changed(before_.triangles().size());
    for (const TriangleId t : zipped_.changed) changed[zipped_.parent[t.value].value] = true;
    if (known.size() <= find_crossings_of(before_, changed).size()) return;
    std::map<std::pair<TriangleId, TriangleId>, std::size_t> children;
    const auto parents = [&](const TrianglePair& pair) {
      return std::minmax(zipped_.parent[pair.first.value], zipped_.parent[pair.second.value]);
    };
    for (const TrianglePair& pair : known) ++children[parents(pair)];
    for (const TrianglePair& pair : known) {
      if (children[parents(pair)] < 2) continue;
      blame(pair.first, RefusalReason::crossing);
      blame(pair.second, RefusalReason::crossing);
    }
  }
  [[nodiscard]] Contact contact_before(TriangleId p, TriangleId q) const {
    const LabelledTriangle a = labelled(before_, p);
    const LabelledTriangle b = labelled(before_, q);
    if (is_collinear(a.corner[0], a.corner[1], a.corner[2]) ||
        is_collinear(b.corner[0], b.corner[1], b.corner[2])) {
      return Contact::crossing;  // pairs with triangles of no area were not looked at
    }
    return classify(a, b);
  }

  const Welded& before_;
  const EdgeTable& edges_before_;
  const Zipped& zipped_;
  const EdgeTable& edges_after_;
  std::span<const EdgeId> joined_;
  std::map<std::uint32_t, RefusalReason> harm_;
};

// Edges with two triangles of different parents, both on what `wanted(edge before)` holds for; the
// edge before is empty for pieces of divided sides. Asked only of edges that `may_be(edge)`.
template <class MayBe, class Wanted>
std::vector<EdgeId> select_joined(const Welded& before, const EdgeTable& edges_before,
                                  const Zipped& zipped, const EdgeTable& edges_after,
                                  const MayBe& may_be, const Wanted& wanted) {
  const auto fits = [&](EdgeUse use) {
    return wanted(edge_before(before, edges_before, zipped, use));
  };
  return select_edges(edges_after, [&](EdgeId id) {
    const auto uses = edges_after.uses(id);
    return uses.size() == 2 && may_be(edges_after.edge(id)) &&
           zipped.parent[uses[0].triangle().value] != zipped.parent[uses[1].triangle().value] &&
           fits(uses[0]) && fits(uses[1]);
  });
}

}  // namespace

std::vector<EdgeId> newly_joined(const Welded& before, const EdgeTable& edges_before,
                                 const Zipped& zipped, const EdgeTable& edges_after) {
  const auto at_knot = [&](const Edge& edge) {
    return zipped.knot_of[edge.low.value] != kNoIndex ||
           zipped.knot_of[edge.high.value] != kNoIndex;
  };
  return select_joined(before, edges_before, zipped, edges_after, at_knot,
                       [&](std::optional<EdgeId> e) { return !e || edges_before.is_naked(*e); });
}

std::vector<EdgeId> still_joined(const Welded& before, const EdgeTable& edges_before,
                                 const std::vector<bool>& joined_before, const Zipped& zipped,
                                 const EdgeTable& edges_after) {
  return select_joined(
      before, edges_before, zipped, edges_after, [](const Edge&) { return true; },
      [&](std::optional<EdgeId> e) { return e && joined_before[e->value]; });
}

std::map<std::uint32_t, RefusalReason> find_harm(const Welded& before,
                                                 const EdgeTable& edges_before,
                                                 const Zipped& zipped, const EdgeTable& edges_after,
                                                 std::span<const EdgeId> joined) {
  return Checker(before, edges_before, zipped, edges_after, joined).run();
}

}  // namespace aguja
