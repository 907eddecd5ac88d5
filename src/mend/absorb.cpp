#include "aguja/mend/absorb.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <optional>
#include <set>

#include <Eigen/Geometry>

#include "aguja/geometry/predicates.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/patches.h"
#include "aguja/mesh/weld.h"
#include "base/numbers.h"
#include "mend/edge_operations.h"

namespace aguja {
namespace {

// Radians between patches of one plane: a millimetre in a metre.
constexpr double kOnePlane = 1e-3;

// Patches that meet at less than this are one surface as far as a mesher minds.
constexpr double kSmooth = 5 * 0.017453292519943295;

struct CrossEdge {
  VertexId a, b;
  double length;
};

// Edges inside of the set, shortest first.
std::vector<CrossEdge> inner_edges(const EditableMesh& mesh,
                                   const std::vector<TriangleId>& triangles) {
  std::map<std::pair<VertexId, VertexId>, int> uses;
  for (const TriangleId t : triangles) {
    const Triangle& tri = mesh.triangle(t);
    for (std::size_t c = 0; c < 3; ++c) {
      ++uses[std::minmax(tri[c], tri[(c + 1) % 3])];
    }
  }
  std::vector<CrossEdge> edges;
  for (const auto& [edge, count] : uses) {
    edges.push_back(
        {edge.first, edge.second, (mesh.point(edge.first) - mesh.point(edge.second)).norm()});
  }
  std::stable_sort(edges.begin(), edges.end(),
                   [](const CrossEdge& x, const CrossEdge& y) { return x.length < y.length; });
  return edges;
}

// Contracts edges of the set, and flips what is left of it, until none of it is there or nothing
// more can be done.
class PatchCollapser {
 public:
  PatchCollapser(EditableMesh& mesh, std::vector<TriangleId> triangles, std::uint32_t operation)
      : mesh_(mesh), triangles_(std::move(triangles)), operation_(operation) {}

  bool run() {
    while (true) {
      std::erase_if(triangles_, [&](TriangleId t) { return !mesh_.is_there(t); });
      if (triangles_.empty()) return true;
      if (!contract_one() && !flip_one()) return false;
    }
  }
  [[nodiscard]] Refusal refusal(const Point& place) const {
    if (reason_ == RefusalReason::beyond_budget) return beyond_budget(place, needed_);
    return {reason_.value_or(RefusalReason::no_gain), place, {}};
  }

 private:
  bool attempt(const Replacement& r) {
    if (const auto reason = mesh_.examine(r, kInfinity)) {
      if (!reason_ || *reason == RefusalReason::beyond_budget) reason_ = *reason;
      if (*reason == RefusalReason::beyond_budget) {
        needed_ = std::min(needed_, mesh_.budget_for(r));
      }
      return false;
    }
    // What takes the place of the set's triangles and was not contracted is still of the set.
    const std::set<TriangleId> own(triangles_.begin(), triangles_.end());
    const auto first = static_cast<std::uint32_t>(mesh_.triangle_count());
    mesh_.apply(r, operation_);
    for (std::uint32_t i = 0; i < r.add.size(); ++i) {
      if (own.contains(r.add[i].parent)) triangles_.push_back({first + i});
    }
    return true;
  }
  bool contract_one() {
    for (const CrossEdge& e : inner_edges(mesh_, triangles_)) {
      if (crosses_a_wall(mesh_, e.a, e.b)) {
        reason_ = RefusalReason::wall_lost;
        continue;
      }
      for (const VertexId to : {e.a, e.b}) {
        if (attempt(contraction(mesh_, e.a, e.b, to))) return true;
      }
      const VertexId between = mesh_.add_point(0.5 * (mesh_.point(e.a) + mesh_.point(e.b)));
      if (attempt(contraction(mesh_, e.a, e.b, between))) return true;
    }
    return false;
  }
  bool flip_one() {
    for (const TriangleId t : triangles_) {
      const Triangle tri = mesh_.triangle(t);
      std::size_t longest = 0;
      double length = -1;
      for (std::size_t c = 0; c < 3; ++c) {
        const double l = (mesh_.point(tri[c]) - mesh_.point(tri[(c + 1) % 3])).norm();
        if (l > length) length = l, longest = c;
      }
      const auto r = flip(mesh_, tri[longest], tri[(longest + 1) % 3]);
      // Only into a triangle of another patch, else the set would not get smaller.
      if (!r ||
          std::find(triangles_.begin(), triangles_.end(), r->add[0].parent) != triangles_.end()) {
        continue;
      }
      if (crosses_a_wall(mesh_, *r)) {
        reason_ = RefusalReason::wall_lost;
        continue;
      }
      if (attempt(*r)) return true;
    }
    return false;
  }

  EditableMesh& mesh_;
  std::vector<TriangleId> triangles_;
  std::uint32_t operation_;
  std::optional<RefusalReason> reason_;
  double needed_ = kInfinity;  // the least budget among the ways that were beyond it
};

Vector patch_normal_of(const Mesh& mesh, TriangleId id) {
  const Triangle& t = mesh.triangle(id);
  return unit_normal({mesh.point(t[0]), mesh.point(t[1]), mesh.point(t[2])});
}

// The patch with which a set of triangles shares the longest smooth border.
std::optional<PatchId> patch_beside(const Mesh& mesh, const EdgeTable& edges,
                                    const std::vector<TriangleId>& triangles,
                                    const LiesOnSurface& lies_on) {
  const std::set<TriangleId> own(triangles.begin(), triangles.end());
  std::map<PatchId, double> border;
  for (const TriangleId t : triangles) {
    const Triangle& tri = mesh.triangle(t);
    for (std::size_t c = 0; c < 3; ++c) {
      const auto e = edges.find(tri[c], tri[(c + 1) % 3]);
      if (!e || edges.use_count(*e) != 2) continue;
      for (const EdgeUse use : edges.uses(*e)) {
        if (own.contains(use.triangle())) continue;
        const Vector a = patch_normal_of(mesh, t), b = patch_normal_of(mesh, use.triangle());
        if (a.dot(b) < std::cos(kSmooth)) continue;
        border[mesh.patch_of[use.triangle().value]] +=
            (mesh.point(tri[c]) - mesh.point(tri[(c + 1) % 3])).norm();
      }
    }
  }
  if (lies_on) {
    const PatchId patch = mesh.patch_of[triangles[0].value];
    std::erase_if(border, [&](const auto& b) { return !lies_on(patch, b.first); });
  }
  if (border.empty()) return std::nullopt;
  return std::max_element(border.begin(), border.end(),
                          [](const auto& x, const auto& y) { return x.second < y.second; })
      ->first;
}

// The triangles as sets that hang together by edges.
std::vector<std::vector<TriangleId>> connected_sets(const Mesh& mesh, const EdgeTable& edges,
                                                    std::span<const TriangleId> triangles) {
  std::set<TriangleId> left(triangles.begin(), triangles.end());
  std::vector<std::vector<TriangleId>> sets;
  while (!left.empty()) {
    std::vector<TriangleId> set = {*left.begin()};
    left.erase(left.begin());
    for (std::size_t i = 0; i < set.size(); ++i) {
      const Triangle& tri = mesh.triangle(set[i]);
      for (std::size_t c = 0; c < 3; ++c) {
        const auto e = edges.find(tri[c], tri[(c + 1) % 3]);
        if (!e) continue;
        for (const EdgeUse use : edges.uses(*e)) {
          const TriangleId n = use.triangle();
          const bool same =
              mesh.patch_of.empty() || mesh.patch_of[n.value] == mesh.patch_of[set[i].value];
          if (same && left.erase(n) > 0) set.push_back(n);
        }
      }
    }
    std::sort(set.begin(), set.end());
    sets.push_back(std::move(set));
  }
  return sets;
}

}  // namespace

Change absorb_patches(const Mesh& mesh, std::span<const TriangleId> triangles, const Budget& budget,
                      Progress* progress, const LiesOnSurface& lies_on) {
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  const auto sets = connected_sets(mesh, edges, triangles);
  std::map<std::uint32_t, Refusal> failed;
  for (std::uint32_t s = 0; lies_on && !mesh.patch_of.empty() && s < sets.size(); ++s) {
    if (patch_beside(mesh, edges, sets[s], lies_on)) {
      failed[s] = {RefusalReason::no_gain, mesh.point(mesh.triangle(sets[s][0])[0]), {}};
    }
  }
  std::size_t done = 0;
  Change change;
  // What cannot be contracted as a whole is left as it was: all is done again without it.
  std::size_t known = 0;
  do {
    known = failed.size();
    change = run_operations(
        mesh, budget,
        [&](EditableMesh& edited, const std::vector<bool>& banned) {
          done = 0;
          for (std::uint32_t s = 0; s < sets.size(); ++s) {
            advance(progress, "absorb", static_cast<double>(s) / static_cast<double>(sets.size()));
            if (failed.contains(s)) continue;
            const Point& at = mesh.point(mesh.triangle(sets[s][0])[0]);
            if (s < banned.size() && banned[s]) {
              failed[s] = {RefusalReason::crossing, at, {}};
              continue;
            }
            PatchCollapser collapser(edited, sets[s], s);
            if (collapser.run()) {
              ++done;
            } else {
              failed[s] = collapser.refusal(at);
            }
          }
        },
        [](std::uint32_t) {});
  } while (failed.size() != known);
  change.done = done;
  if (done > 0) change.methods.push_back("narrow sides contracted");
  std::map<std::uint32_t, std::vector<TriangleId>> left_of_set;
  if (!failed.empty() && !change.mesh.patch_of.empty()) {
    std::map<TriangleId, std::uint32_t> set_of;
    for (const auto& [s, refusal] : failed) {
      for (const TriangleId t : sets[s]) set_of[t] = s;
    }
    for (std::uint32_t t = 0; t < change.parent.size(); ++t) {
      const auto own = set_of.find(change.parent[t]);
      if (own != set_of.end()) left_of_set[own->second].push_back({t});
    }
  }
  std::optional<EdgeTable> now;
  // What was made part of a patch goes on with it.
  std::map<PatchId, std::vector<TriangleId>> followers;
  for (const auto& [s, refusal] : failed) {
    std::vector<TriangleId>& left = left_of_set[s];
    if (!left.empty()) {
      if (!now) now.emplace(change.mesh.triangles, change.mesh.points.size());
      const PatchId own = change.mesh.patch_of[left[0].value];
      const std::vector<TriangleId> with = followers[own];
      left.insert(left.end(), with.begin(), with.end());
      if (const auto patch = patch_beside(change.mesh, *now, left, lies_on)) {
        for (const TriangleId t : left) change.mesh.patch_of[t.value] = *patch;
        followers.erase(own);
        std::vector<TriangleId>& there = followers[*patch];
        there.insert(there.end(), left.begin(), left.end());
        ++change.done;
        change.methods.push_back("made part of a neighbour that they continue");
        continue;
      }
    }
    change.refused.push_back(refusal);
  }
  std::sort(change.methods.begin(), change.methods.end());
  change.methods.erase(std::unique(change.methods.begin(), change.methods.end()),
                       change.methods.end());
  return change;
}

Change join_planes(const Mesh& mesh, std::span<const TriangleId> triangles, const Budget& budget) {
  Change change = unchanged(mesh, budget);
  if (mesh.patch_of.empty()) return change;
  std::vector<bool> wanted(mesh.triangles.size(), triangles.empty());
  for (const TriangleId t : triangles) wanted[t.value] = true;
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  // A patch may join only if all of it is flat: its farthest vertices tell.
  struct Flat {
    Point origin = Point::Zero();
    Vector normal = Vector::Zero();
    double area = 0;
    bool flat = true;
    std::uint32_t root = 0;
  };
  std::vector<Flat> patches(patch_count(mesh));
  for (std::uint32_t p = 0; p < patches.size(); ++p) patches[p].root = p;
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    const std::uint32_t p = mesh.patch_of[t].value;
    if (p == kNoIndex) continue;
    const Triangle& tri = mesh.triangles[t];
    const double area =
        area_of(TriangleCorners{mesh.point(tri[0]), mesh.point(tri[1]), mesh.point(tri[2])});
    if (patches[p].area == 0) patches[p].origin = mesh.point(tri[0]);
    patches[p].normal += area * patch_normal_of(mesh, {t});
    patches[p].area += area;
  }
  const double fit = fit_for(mesh.points, kFitOfDiagonal * box_of(mesh).diagonal());
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    const std::uint32_t p = mesh.patch_of[t].value;
    if (p == kNoIndex || !(patches[p].normal.norm() > 0)) continue;
    const Vector n = patches[p].normal.normalized();
    for (const VertexId v : mesh.triangles[t].corner) {
      patches[p].flat &= std::fabs(n.dot(mesh.point(v) - patches[p].origin)) <= fit;
    }
  }
  const auto root = [&](std::uint32_t p) {
    while (patches[p].root != p) p = patches[p].root;
    return p;
  };
  for (std::uint32_t e = 0; e < edges.size(); ++e) {
    const auto uses = edges.uses({e});
    if (uses.size() != 2) continue;
    const TriangleId t = uses[0].triangle(), u = uses[1].triangle();
    const std::uint32_t p = mesh.patch_of[t.value].value, q = mesh.patch_of[u.value].value;
    if (p == q || p == kNoIndex || q == kNoIndex || !wanted[t.value] || !wanted[u.value]) continue;
    if (!patches[p].flat || !patches[q].flat) continue;
    const Vector n = patches[p].normal.normalized(), m = patches[q].normal.normalized();
    if (n.dot(m) < std::cos(kOnePlane)) continue;
    const Point& there = patches[q].origin;
    if (std::fabs(n.dot(there - patches[p].origin)) > 2 * fit) continue;
    const std::uint32_t a = root(p), b = root(q);
    if (a == b) continue;
    patches[std::max(a, b)].root = std::min(a, b);
    ++change.done;
  }
  for (PatchId& p : change.mesh.patch_of) {
    if (p.value != kNoIndex) p = {root(p.value)};
  }
  if (change.done > 0) change.methods = {"patches of one plane joined"};
  return change;
}

namespace {

// The corners of a patch's border at a vertex: where other than two borders, or none, meet.
struct AroundVertex {
  bool closed = true;  // a full fan without rim
  std::vector<VertexId> ring;
  std::vector<VertexId> borders;  // neighbours along edges between patches, or where it turns
};

AroundVertex look_around(const EditableMesh& mesh, VertexId v) {
  AroundVertex around;
  std::map<VertexId, std::vector<TriangleId>> at;
  for (const TriangleId t : mesh.star(v)) {
    for (const VertexId w : mesh.triangle(t).corner) {
      if (w != v) at[w].push_back(t);
    }
  }
  for (const auto& [w, triangles] : at) {
    around.ring.push_back(w);
    if (triangles.size() != 2) {
      around.closed = false;
      return around;
    }
    const TriangleCorners t = mesh.corners(triangles[0]), u = mesh.corners(triangles[1]);
    const bool flat = orient3d(t[0], t[1], t[2], u[0]) == 0 &&
                      orient3d(t[0], t[1], t[2], u[1]) == 0 &&
                      orient3d(t[0], t[1], t[2], u[2]) == 0;
    if (!flat || mesh.patch(triangles[0]) != mesh.patch(triangles[1])) around.borders.push_back(w);
  }
  return around;
}

}  // namespace

Change drop_superfluous_vertices(const Mesh& mesh, std::span<const TriangleId> triangles,
                                 const Budget& budget, Progress* progress) {
  std::vector<bool> wanted(mesh.points.size(), triangles.empty());
  for (const TriangleId t : triangles) {
    for (const VertexId v : mesh.triangle(t).corner) wanted[v.value] = true;
  }
  std::size_t done = 0;
  Change change = run_operations(
      mesh, budget,
      [&](EditableMesh& edited, const std::vector<bool>& banned) {
        done = 0;
        const auto count = static_cast<std::uint32_t>(mesh.points.size());
        for (std::uint32_t i = 0; i < count; ++i) {
          if (i % 4096 == 0) {
            advance(progress, "absorb", static_cast<double>(i) / static_cast<double>(count));
          }
          const VertexId v{i};
          if (!wanted[i] || (i < banned.size() && banned[i]) || edited.star(v).empty()) continue;
          const AroundVertex around = look_around(edited, v);
          if (!around.closed) continue;
          std::vector<VertexId> ways;
          if (around.borders.empty()) {
            ways = around.ring;
          } else if (around.borders.size() == 2 &&
                     is_collinear(edited.point(v), edited.point(around.borders[0]),
                                  edited.point(around.borders[1]))) {
            ways = around.borders;
          }
          std::stable_sort(ways.begin(), ways.end(), [&](VertexId a, VertexId b) {
            return (edited.point(a) - edited.point(v)).squaredNorm() <
                   (edited.point(b) - edited.point(v)).squaredNorm();
          });
          for (const VertexId w : ways) {
            const Replacement r = contraction(edited, w, v, w);
            if (edited.examine(r, 0.0)) continue;
            edited.apply(r, i);
            ++done;
            break;
          }
        }
      },
      [](std::uint32_t) {});
  change.done = done;
  if (done > 0) change.methods = {"vertices in planes and on straight edges taken out"};
  return change;
}

}  // namespace aguja
