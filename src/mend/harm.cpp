#include "aguja/mend/harm.h"

#include <algorithm>
#include <limits>
#include <map>

#include "aguja/geometry/distance.h"
#include "aguja/geometry/predicates.h"
#include "aguja/mesh/crossings.h"
#include "aguja/mesh/weld.h"
#include "aguja/mesh/zero_area.h"
#include "mend/same_triangle.h"

namespace aguja {
namespace {

// What is counted, before and after.
class Comparison {
 public:
  void say(std::size_t was, std::size_t is, const char* what) {
    if (is <= was) return;
    if (!text_.empty()) text_ += ", ";
    text_ += std::to_string(is) + " " + what + " instead of " + std::to_string(was);
  }
  [[nodiscard]] std::string text() && { return std::move(text_); }

 private:
  std::string text_;
};

// Triangles that are new, and those that went. A triangle that was only turned is new among edges,
// but not among crossings.
struct Difference {
  std::vector<bool> is_new, went;                  // turned ones are not
  std::vector<TriangleId> added, removed, turned;  // of after, before, after
};

Difference difference_of(const Mesh& before, const Change& change) {
  Difference d;
  d.is_new.resize(change.mesh.triangles.size());
  if (change.only_adds) {
    d.went.resize(before.triangles.size());
    for (auto t = static_cast<std::uint32_t>(d.went.size()); t < d.is_new.size(); ++t) {
      d.is_new[t] = true;
      d.added.push_back({t});
    }
    return d;
  }
  d.went.assign(before.triangles.size(), true);
  for (std::uint32_t t = 0; t < d.is_new.size(); ++t) {
    const TriangleId p = change.parent[t];
    const Sameness same =
        p.value == kNoIndex ? Sameness::different : same_triangle(before, p, change.mesh, {t});
    // Of two that one has become, the second is new.
    if (same == Sameness::different || !d.went[p.value]) {
      d.is_new[t] = same == Sameness::different;
      d.added.push_back({t});
      continue;
    }
    d.went[p.value] = false;
    if (same == Sameness::turned) d.turned.push_back({t});
  }
  for (std::uint32_t t = 0; t < d.went.size(); ++t) {
    if (d.went[t]) d.removed.push_back({t});
  }
  return d;
}

// Uses of an edge from its lower vertex to its higher one, and the other way.
struct EdgeUses {
  std::ptrdiff_t forward = 0, backward = 0;
  [[nodiscard]] std::ptrdiff_t all() const { return forward + backward; }
  [[nodiscard]] bool is_conflict() const { return all() == 2 && forward != backward; }
};

struct CountChange {
  std::ptrdiff_t naked = 0, nonmanifold = 0, conflicts = 0;
};

// Edges of what is new and of what went, with all that uses them. Vertices are named as before;
// those that were not there come after them.
class TouchedEdges {
 public:
  TouchedEdges(const KnownMesh& before, const Change& change, const Difference& d)
      : before_(before) {
    name_vertices(change, d);
    for (const TriangleId t : d.removed) count(before.mesh().triangle(t), -1);
    for (const TriangleId t : d.added) count(named(change.mesh.triangle(t)), 1);
    for (const TriangleId t : d.turned) {
      const Triangle now = named(change.mesh.triangle(t));
      count({{now[0], now[2], now[1]}}, -1);
      count(now, 1);
    }
  }

  [[nodiscard]] CountChange change() const {
    CountChange sum;
    for (const auto& [edge, by] : by_) {
      EdgeUses was;
      if (edge.second.value < before_.mesh().points.size()) {
        if (const auto e = before_.edges().find(edge.first, edge.second)) {
          for (const EdgeUse use : before_.edges().uses(*e)) {
            ++(use.forward() ? was.forward : was.backward);
          }
        }
      }
      const EdgeUses is{was.forward + by.forward, was.backward + by.backward};
      sum.naked += (is.all() == 1) - (was.all() == 1);
      sum.nonmanifold += (is.all() > 2) - (was.all() > 2);
      sum.conflicts += is.is_conflict() - was.is_conflict();
    }
    return sum;
  }

 private:
  // What is at the place of a vertex before is that vertex.
  void name_vertices(const Change& change, const Difference& d) {
    if (change.only_adds) {
      for (const TriangleId t : d.added) {
        for (const VertexId v : change.mesh.triangle(t).corner) {
          if (v.value < before_.mesh().points.size()) name_[v] = v;
        }
      }
      return;
    }
    std::vector<bool> asked(change.mesh.points.size());
    for (const auto* list : {&d.added, &d.turned}) {
      for (const TriangleId t : *list) {
        for (const VertexId v : change.mesh.triangle(t).corner) asked[v.value] = true;
      }
    }
    const Mesh& mesh = before_.mesh();
    for (std::uint32_t v = 0; v < mesh.points.size(); ++v) {
      const VertexId now = change.vertex_now[v];
      if (now.value != kNoIndex && asked[now.value] &&
          mesh.points[v] == change.mesh.points[now.value]) {
        name_[now] = {v};
      }
    }
  }
  [[nodiscard]] Triangle named(const Triangle& t) const {
    Triangle out = t;
    for (VertexId& v : out.corner) {
      const auto at = name_.find(v);
      v = at != name_.end()
              ? at->second
              : VertexId{static_cast<std::uint32_t>(before_.mesh().points.size()) + v.value};
    }
    return out;
  }
  void count(const Triangle& t, int by) {
    if (has_equal_corners(t)) return;
    for (std::size_t c = 0; c < 3; ++c) {
      const VertexId a = t[c], b = t[(c + 1) % 3];
      EdgeUses& own = by_[std::minmax(a, b)];
      (a < b ? own.forward : own.backward) += by;
    }
  }

  const KnownMesh& before_;
  std::map<VertexId, VertexId> name_;
  std::map<std::pair<VertexId, VertexId>, EdgeUses> by_;
};

std::size_t without_area(const Mesh& mesh, std::span<const TriangleId> triangles) {
  std::size_t count = 0;
  for (const TriangleId id : triangles) {
    const Triangle& t = mesh.triangle(id);
    count += static_cast<std::size_t>(
        has_equal_corners(t) || is_collinear(mesh.point(t[0]), mesh.point(t[1]), mesh.point(t[2])));
  }
  return count;
}

// Pairs that something new is in.
std::size_t crossings_of_new(const KnownMesh& before, const Change& change, const Difference& d) {
  if (d.added.empty()) return 0;
  const Mesh &mesh = before.mesh(), &now = change.mesh;
  if (!change.only_adds) return find_crossings_of(Welded(now), d.is_new).size();
  return find_crossings_of_added(before, std::span(now.points).subspan(mesh.points.size()),
                                 std::span(now.triangles).subspan(mesh.triangles.size()))
      .size();
}

// A naked edge that was divided is no more naked than it was: of pieces that lie along one edge, all
// but the first.
std::size_t further_pieces(const Mesh& mesh, const EdgeTable& edges, const Change& change) {
  const Mesh& now = change.mesh;
  if (change.parent.size() != now.triangles.size() || change.spent.size() != change.parent.size()) {
    return 0;
  }
  const EdgeTable after(now.triangles, now.points.size());
  double largest = 0;
  for (const Point& p : mesh.points) largest = std::max(largest, p.cwiseAbs().maxCoeff());
  constexpr double kUnitsOfRounding = 8;
  constexpr double kMostLonger = 1e-4;
  const double rounding = kUnitsOfRounding * std::numeric_limits<double>::epsilon() * largest;
  struct Pieces {
    std::size_t count = 0;
    double length = 0;
  };
  std::map<std::uint32_t, Pieces> pieces;  // by edge before
  for (std::uint32_t e = 0; e < after.size(); ++e) {
    if (!after.is_naked({e})) continue;
    const TriangleId child = after.uses({e})[0].triangle();
    const TriangleId parent = change.parent[child.value];
    if (parent.value == kNoIndex) continue;
    const double reach = change.spent[child.value] + rounding;
    const Triangle& t = mesh.triangle(parent);
    for (std::size_t k = 0; k < 3; ++k) {
      const VertexId a = t[k], b = t[(k + 1) % 3];
      const auto own = edges.find(a, b);
      if (!own || !edges.is_naked(*own)) continue;
      const auto is_on = [&](VertexId v) {
        return (closest_point(now.point(v), mesh.point(a), mesh.point(b), mesh.point(b)) -
                now.point(v))
                   .norm() <= reach;
      };
      if (!is_on(after.edge({e}).low) || !is_on(after.edge({e}).high)) continue;
      Pieces& of_edge = pieces[own->value];
      ++of_edge.count;
      of_edge.length += (now.point(after.edge({e}).low) - now.point(after.edge({e}).high)).norm();
      break;
    }
  }
  std::size_t further = 0;
  for (const auto& [edge, of_edge] : pieces) {
    // More of it than there was is no division.
    const Edge& own = edges.edge({edge});
    const double length = (mesh.point(own.low) - mesh.point(own.high)).norm();
    const double most = length * (1 + kMostLonger) + rounding;
    if (of_edge.length <= most) further += of_edge.count - 1;
  }
  return further;
}

// Beyond this part of the triangles, edge tables of all cost less than maps of those touched.
constexpr std::size_t kCountedFromPart = 16, kFewTouched = 10'000;

std::string counted(const Mesh& before, const Change& change, const Difference& d) {
  const Welded old(before), now(change.mesh);
  const EdgeCounts edges_before = count_edges(EdgeTable(old.triangles(), old.points().size()));
  const EdgeCounts edges_after = count_edges(EdgeTable(now.triangles(), now.points().size()));
  Comparison compared;
  std::size_t naked = edges_after.naked;
  if (naked > edges_before.naked && before.points_are_distinct) {
    naked -= further_pieces(before, EdgeTable(before.triangles, before.points.size()), change);
  }
  compared.say(edges_before.naked, naked, "naked edges");
  compared.say(edges_before.nonmanifold, edges_after.nonmanifold, "non-manifold edges");
  compared.say(edges_before.winding_conflicts, edges_after.winding_conflicts, "edges in conflict");
  compared.say(find_zero_area(old).size(), find_zero_area(now).size(), "triangles without area");
  compared.say(find_crossings_of(old, d.went).size(), find_crossings_of(now, d.is_new).size(),
               "pairs that cross or touch");
  return std::move(compared).text();
}

}  // namespace

std::string harm_of(const KnownMesh& before, const Change& change) {
  const Mesh& mesh = before.mesh();
  const bool can_tell_by_difference = mesh.points_are_distinct && change.mesh.points_are_distinct &&
                                      change.vertex_now.size() == mesh.points.size();
  const Difference d = difference_of(mesh, change);
  const std::size_t touched = d.added.size() + d.removed.size() + 2 * d.turned.size();
  const bool touches_much =
      touched > kFewTouched && touched > mesh.triangles.size() / kCountedFromPart;
  if (!can_tell_by_difference || touches_much) return counted(mesh, change, d);
  Comparison compared;
  const CountChange edges = TouchedEdges(before, change, d).change();
  const auto say = [&](std::size_t was, std::ptrdiff_t by, const char* what) {
    compared.say(was, static_cast<std::size_t>(static_cast<std::ptrdiff_t>(was) + by), what);
  };
  if (edges.naked > 0) {
    const std::size_t further = further_pieces(mesh, before.edges(), change);
    say(before.edge_counts().naked, edges.naked - static_cast<std::ptrdiff_t>(further),
        "naked edges");
  }
  if (edges.nonmanifold > 0) {
    say(before.edge_counts().nonmanifold, edges.nonmanifold, "non-manifold edges");
  }
  if (edges.conflicts > 0) {
    say(before.edge_counts().winding_conflicts, edges.conflicts, "edges in conflict");
  }
  const Welded old(mesh), now(change.mesh);
  if (without_area(change.mesh, d.added) > without_area(mesh, d.removed)) {
    compared.say(find_zero_area(old).size(), find_zero_area(now).size(), "triangles without area");
  }
  // Pairs that involve something new, against those that involved something that went.
  const std::size_t crossing = crossings_of_new(before, change, d);
  if (crossing > 0) {
    compared.say(find_crossings_of(old, d.went).size(), crossing, "pairs that cross or touch");
  }
  return std::move(compared).text();
}

std::string harm_by_counting(const Mesh& before, const Change& change) {
  return counted(before, change, difference_of(before, change));
}

}  // namespace aguja
