#include "mend/editable_mesh.h"

#include <algorithm>
#include <cmath>
#include <map>

#include <Eigen/Geometry>

#include "aguja/geometry/predicates.h"
#include "aguja/mesh/crossings.h"
#include "base/numbers.h"

namespace aguja {
namespace {

// Two sides are as near, or two folds as sharp, where they differ by a thousandth of it.
constexpr double kAsNearSide = 1e-3, kAsSharp = 1e-3;

using VertexNumbers = std::pair<std::uint32_t, std::uint32_t>;

// Uses of an edge from its lower vertex to its higher one, and the other way.
struct Uses {
  int forward = 0, backward = 0;
  [[nodiscard]] int all() const { return forward + backward; }
  [[nodiscard]] bool conflict() const { return all() == 2 && forward != backward; }
};

void count_use(std::map<VertexNumbers, Uses>& uses, const Triangle& t, std::size_t corner,
               int sign) {
  const std::uint32_t a = t[corner].value, b = t[(corner + 1) % 3].value;
  if (a == b) return;
  Uses& u = uses[std::minmax(a, b)];
  (a < b ? u.forward : u.backward) += sign;
}

bool has_vertex(const Triangle& t, VertexId v) { return t[0] == v || t[1] == v || t[2] == v; }

}  // namespace

Vector unit_normal(const TriangleCorners& t) {
  const Vector n = (t[1] - t[0]).cross(t[2] - t[0]);
  const double length = n.norm();
  return length > 0 ? Vector(n / length) : Vector(Vector::Zero());
}

double area_of(const TriangleCorners& t) { return 0.5 * (t[1] - t[0]).cross(t[2] - t[0]).norm(); }

EditableMesh::EditableMesh(const Mesh& mesh, const VertexStars& stars, const Budget& budget)
    : mesh_(mesh), budget_(budget), stars_(stars), gone_(mesh.triangles.size()) {}

PatchId EditableMesh::patch(TriangleId t) const {
  if (t.value >= mesh_.triangles.size()) return new_patch_[t.value - mesh_.triangles.size()];
  return mesh_.patch_of.empty() ? PatchId{0} : mesh_.patch_of[t.value];
}

std::span<const TriangleId> EditableMesh::star(VertexId v) const {
  const auto own = own_stars_.find(v.value);
  if (own != own_stars_.end()) return own->second;
  if (v.value < mesh_.points.size()) return stars_.at(v);
  return {};
}

std::vector<TriangleId>& EditableMesh::own_star(VertexId v) {
  const auto [at, is_new] = own_stars_.try_emplace(v.value);
  if (is_new && v.value < mesh_.points.size()) {
    const auto base = stars_.at(v);
    at->second.assign(base.begin(), base.end());
  }
  return at->second;
}

std::vector<TriangleId> EditableMesh::around(VertexId a, VertexId b) const {
  std::vector<TriangleId> both;
  for (const TriangleId t : star(a)) {
    if (has_vertex(triangle(t), b)) both.push_back(t);
  }
  return both;
}

VertexId EditableMesh::add_point(const Point& p) {
  new_points_.push_back(p);
  return {static_cast<std::uint32_t>(mesh_.points.size() + new_points_.size() - 1)};
}

std::optional<RefusalReason> EditableMesh::examine_edges(const Replacement& r) const {
  // Uses of every edge of what goes and what comes, before and after.
  std::map<VertexNumbers, Uses> before, after;
  const auto collect = [&](const Triangle& t) {
    for (std::size_t c = 0; c < 3; ++c) {
      const VertexId a = t[c], b = t[(c + 1) % 3];
      if (a == b || before.contains(std::minmax(a.value, b.value))) continue;
      before[std::minmax(a.value, b.value)];
      for (const TriangleId other : star(a)) {
        const Triangle& o = triangle(other);
        for (std::size_t k = 0; k < 3; ++k) {
          if ((o[k] == a && o[(k + 1) % 3] == b) || (o[k] == b && o[(k + 1) % 3] == a)) {
            count_use(before, o, k, 1);
          }
        }
      }
    }
  };
  for (const TriangleId t : r.remove) collect(triangle(t));
  for (const auto& added : r.add) collect(added.triangle);
  after = before;
  for (const TriangleId t : r.remove) {
    if (has_equal_corners(triangle(t))) continue;
    for (std::size_t c = 0; c < 3; ++c) count_use(after, triangle(t), c, -1);
  }
  for (const auto& added : r.add) {
    for (std::size_t c = 0; c < 3; ++c) count_use(after, added.triangle, c, 1);
  }
  int naked = 0;
  for (const auto& [edge, uses] : after) {
    const Uses& old = before[edge];
    if (uses.all() > 2 && uses.all() > old.all()) return RefusalReason::third_triangle;
    if (uses.conflict() && !old.conflict()) return RefusalReason::turned_over;
    naked += static_cast<int>(uses.all() == 1) - static_cast<int>(old.all() == 1);
  }
  if (naked > 0) return RefusalReason::naked_edges;
  return std::nullopt;
}

namespace {

// Triangles around a vertex that hang together by edges at it.
std::size_t fan_count(VertexId v, const std::vector<Triangle>& triangles) {
  std::vector<std::size_t> fan(triangles.size());
  for (std::size_t i = 0; i < fan.size(); ++i) fan[i] = i;
  const auto find = [&](std::size_t i) {
    while (fan[i] != i) i = fan[i];
    return i;
  };
  std::size_t count = fan.size();
  for (std::size_t i = 0; i < triangles.size(); ++i) {
    for (std::size_t j = i + 1; j < triangles.size(); ++j) {
      for (const VertexId w : triangles[i].corner) {
        if (w == v || !has_vertex(triangles[j], w)) continue;
        const std::size_t a = find(i), b = find(j);
        if (a != b) {
          fan[b] = a;
          --count;
        }
      }
    }
  }
  return count;
}

}  // namespace

std::optional<RefusalReason> EditableMesh::examine_fans(const Replacement& r) const {
  std::vector<VertexId> vertices;
  for (const TriangleId t : r.remove) {
    vertices.insert(vertices.end(), triangle(t).corner, triangle(t).corner + 3);
  }
  for (const auto& added : r.add) {
    vertices.insert(vertices.end(), added.triangle.corner, added.triangle.corner + 3);
  }
  std::sort(vertices.begin(), vertices.end());
  vertices.erase(std::unique(vertices.begin(), vertices.end()), vertices.end());
  for (const VertexId v : vertices) {
    std::vector<Triangle> before, after;
    for (const TriangleId t : star(v)) {
      before.push_back(triangle(t));
      if (std::find(r.remove.begin(), r.remove.end(), t) == r.remove.end()) {
        after.push_back(triangle(t));
      }
    }
    for (const auto& added : r.add) {
      if (has_vertex(added.triangle, v)) after.push_back(added.triangle);
    }
    const std::size_t fans = fan_count(v, after);
    if (fans > 1 && fans > fan_count(v, before)) return RefusalReason::pinch;
  }
  return std::nullopt;
}

// No triangle may lose its area, or face away from what it takes the place of. A thin triangle says
// nothing about where the surface faces: those that go, and their neighbours, vote by area.
std::optional<RefusalReason> EditableMesh::examine_sides(const Replacement& r) const {
  for (const auto& added : r.add) {
    const auto [a, b, c] = corners(added.triangle);
    if (has_equal_corners(added.triangle) || is_collinear(a, b, c)) return RefusalReason::no_area;
  }
  struct Side {
    TriangleCorners corners;
    Vector normal;
  };
  std::vector<Side> sides;
  const auto add_side = [&](TriangleId t) {
    const TriangleCorners own = corners(t);
    double longest = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      longest = std::max(longest, (own[(k + 1) % 3] - own[k]).norm());
    }
    const double area = area_of(own);
    constexpr double kReliable = 1e-3;  // height by length
    if (area > 0.5 * kReliable * longest * longest) sides.push_back({own, unit_normal(own)});
  };
  for (const TriangleId t : r.remove) add_side(t);
  if (sides.empty()) {
    for (const TriangleId t : r.remove) {
      for (const VertexId v : triangle(t).corner) {
        for (const TriangleId n : star(v)) add_side(n);
      }
    }
  }
  if (sides.empty()) return std::nullopt;
  for (const auto& added : r.add) {
    const TriangleCorners own = corners(added.triangle);
    const Point middle = (own[0] + own[1] + own[2]) / 3.0;
    const Vector normal = unit_normal(own);
    double nearest = std::numeric_limits<double>::infinity();
    double best = -1;
    for (const Side& side : sides) {
      const double distance =
          (closest_point(middle, side.corners[0], side.corners[1], side.corners[2]) - middle)
              .norm();
      const double facing = side.normal.dot(normal);
      // Near a crease two sides are equally near: the one that agrees better counts.
      if (distance < (1 - kAsNearSide) * nearest - kSomeLength) {
        nearest = distance;
        best = facing;
      } else if (distance <= (1 + kAsNearSide) * nearest) {
        best = std::max(best, facing);
      }
    }
    if (best <= 0) return RefusalReason::turned_over;
  }
  return std::nullopt;
}

// The narrow side of a thin plate may be within the budget, yet without it top and bottom meet in a
// knife edge, and the plate is a wedge. No edge may fold sharper than any did there before.
std::optional<RefusalReason> EditableMesh::examine_walls(const Replacement& r) const {
  constexpr double kFolded = 15 * 0.017453292519943295;  // between the two sides
  constexpr double kReliable = 1e-3;                     // height by length
  // The sharpest angle between two sides, over the edges of some triangles; `others` are all that
  // share vertices with them.
  const auto sharpest = [&](const std::vector<Triangle>& own, const auto& others_at) {
    double sharp = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; i < own.size(); ++i) {
      const TriangleCorners mine = corners(own[i]);
      const double length = std::max(
          {(mine[1] - mine[0]).norm(), (mine[2] - mine[1]).norm(), (mine[0] - mine[2]).norm()});
      if (2 * area_of(mine) <= kReliable * length * length) continue;
      const Vector normal = unit_normal(mine);
      for (std::size_t c = 0; c < 3; ++c) {
        const VertexId a = own[i][c], b = own[i][(c + 1) % 3];
        for (const Triangle& other : others_at(a)) {
          bool across = false;
          for (std::size_t k = 0; k < 3; ++k) across |= other[k] == b && other[(k + 1) % 3] == a;
          if (!across) continue;
          const TriangleCorners theirs = corners(other);
          const double reach =
              std::max({(theirs[1] - theirs[0]).norm(), (theirs[2] - theirs[1]).norm(),
                        (theirs[0] - theirs[2]).norm()});
          if (2 * area_of(theirs) <= kReliable * reach * reach) continue;
          const Vector facing = unit_normal(theirs);
          sharp = std::min(sharp, std::atan2(normal.cross(facing).norm(), -normal.dot(facing)));
        }
      }
    }
    return sharp;
  };
  std::vector<Triangle> after;
  for (const auto& added : r.add) after.push_back(added.triangle);
  const double now = sharpest(after, [&](VertexId v) {
    std::vector<Triangle> there;
    for (const TriangleId t : star(v)) {
      if (std::find(r.remove.begin(), r.remove.end(), t) == r.remove.end()) {
        there.push_back(triangle(t));
      }
    }
    for (const Triangle& t : after) {
      if (has_vertex(t, v)) there.push_back(t);
    }
    return there;
  });
  if (now >= kFolded) return std::nullopt;
  std::vector<Triangle> before;
  for (const TriangleId t : r.remove) before.push_back(triangle(t));
  const double was = sharpest(before, [&](VertexId v) {
    std::vector<Triangle> there;
    for (const TriangleId t : star(v)) there.push_back(triangle(t));
    return there;
  });
  return now < (1 - kAsSharp) * was ? std::optional(RefusalReason::wall_lost) : std::nullopt;
}

std::size_t EditableMesh::fans_at(VertexId v) const {
  std::vector<Triangle> there;
  for (const TriangleId t : star(v)) there.push_back(triangle(t));
  return fan_count(v, there);
}

namespace {

std::optional<double> two_sided_within(std::span<const TriangleCorners> before,
                                       std::span<const TriangleCorners> after, double limit) {
  const auto there = distance_within_facing(after, before, limit);
  if (!there) return std::nullopt;
  const auto back = distance_within_facing(before, after, limit);
  return back ? std::optional(std::max(*there, *back)) : std::nullopt;
}

}  // namespace

std::optional<RefusalReason> EditableMesh::examine(const Replacement& r, double limit,
                                                   bool may_pinch) {
  if (const auto reason = examine_sides(r)) return reason;
  if (const auto reason = examine_edges(r)) return reason;
  if (!may_pinch) {
    if (const auto reason = examine_fans(r)) return reason;
  }
  if (const auto reason = examine_walls(r)) return reason;
  const auto [before, after, spent_so_far] = surfaces_of(r);
  const double left = std::min(limit, budget_.distance - spent_so_far);
  // Rounding of distances that are zero in truth.
  Box box;
  for (const auto& t : before) box.extend(box_of(t));
  constexpr double kDistanceRounding = 1e-14;  // of the coordinates
  const double noise = std::min(
      kDistanceRounding * std::max(box.low.cwiseAbs().maxCoeff(), box.high.cwiseAbs().maxCoeff()),
      std::max(left, 0.0) + kDistanceRounding * box.diagonal());
  if (left < 0) return RefusalReason::beyond_budget;
  const auto apart = two_sided_within(before, after, left + noise);
  if (!apart) return RefusalReason::beyond_budget;
  last_distance_ = std::min(left, *apart);
  return std::nullopt;
}

EditableMesh::Surfaces EditableMesh::surfaces_of(const Replacement& r) const {
  Surfaces out;
  for (const TriangleId t : r.remove) {
    out.spent = std::max(out.spent, spent(t));
    out.before.push_back(corners(t));
  }
  for (const auto& added : r.add) out.after.push_back(corners(added.triangle));
  return out;
}

double EditableMesh::budget_for(const Replacement& r) const {
  const auto [before, after, spent_so_far] = surfaces_of(r);
  Box box;
  for (const auto* list : {&before, &after}) {
    for (const TriangleCorners& t : *list) box.extend(box_of(t));
  }
  // A bound is found for each limit that is above the distance, the nearer the closer.
  constexpr double kStart = 1e-3, kGrowth = 1.5;
  double limit = std::max(budget_.distance, kStart * box.diagonal());
  for (; limit < 2 * box.diagonal(); limit *= kGrowth) {
    if (const auto apart = two_sided_within(before, after, limit)) return spent_so_far + *apart;
  }
  return spent_so_far + limit;
}

void EditableMesh::apply(const Replacement& r, std::uint32_t operation) {
  double used = 0;
  for (const TriangleId t : r.remove) used = std::max(used, spent(t));
  put(r, operation, used + last_distance_);
}

void EditableMesh::apply_unexamined(const Replacement& r, std::uint32_t operation) {
  double used = 0;
  for (const TriangleId t : r.remove) used = std::max(used, spent(t));
  put(r, operation, used);
}

void EditableMesh::put(const Replacement& r, std::uint32_t operation, double spent_there) {
  for (const TriangleId t : r.remove) {
    for (const VertexId v : triangle(t).corner) std::erase(own_star(v), t);
    gone_[t.value] = true;
  }
  for (const auto& added : r.add) {
    const TriangleId id{static_cast<std::uint32_t>(gone_.size())};
    const PatchId patch_there = patch(added.parent);
    const TriangleId first = parent(added.parent);
    const auto inherited = further_parents(added.parent);
    std::vector<TriangleId> further(inherited.begin(), inherited.end());
    if (added.second_parent) {
      const auto theirs = further_parents(*added.second_parent);
      further.insert(further.end(), theirs.begin(), theirs.end());
      further.push_back(parent(*added.second_parent));
    }
    if (!further.empty()) {
      std::sort(further.begin(), further.end());
      further.erase(std::unique(further.begin(), further.end()), further.end());
      std::erase(further, first);
      if (!further.empty()) further_parents_[id.value] = std::move(further);
    }
    new_triangles_.push_back(added.triangle);
    new_parent_.push_back(first);
    new_patch_.push_back(patch_there);
    new_spent_.push_back(spent_there);
    operation_.push_back(operation);
    gone_.push_back(false);
    for (const VertexId v : added.triangle.corner) own_star(v).push_back(id);
  }
  for (const Replacement::Merge& m : r.merge) {
    if (m.from != m.into) merged_into_[m.from.value] = m.into;
  }
}

EditableMesh::Finished EditableMesh::finish() const {
  Finished out;
  Change& change = out.change;
  Mesh& mesh = change.mesh;
  mesh.triangles.reserve(gone_.size());
  for (std::uint32_t t = 0; t < gone_.size(); ++t) {
    if (gone_[t]) continue;
    const bool old = t < mesh_.triangles.size();
    mesh.triangles.push_back(triangle({t}));
    if (!mesh_.patch_of.empty()) mesh.patch_of.push_back(patch({t}));
    const TriangleId now{static_cast<std::uint32_t>(change.parent.size())};
    change.parent.push_back(parent({t}));
    for (const TriangleId p : further_parents({t})) change.further_parents.push_back({now, p});
    change.spent.push_back(spent({t}));
    out.operation_of.push_back(old ? kNoIndex : operation_[t - mesh_.triangles.size()]);
  }
  // Points that lost their last triangle go; those that had none stay.
  const std::vector<bool> had_triangle = points_of_triangles(mesh_);
  std::vector<bool> keep(mesh_.points.size() + new_points_.size());
  for (std::size_t v = 0; v < had_triangle.size(); ++v) keep[v] = !had_triangle[v];
  for (const Triangle& t : mesh.triangles) {
    for (const VertexId v : t.corner) keep[v.value] = true;
  }
  for (const Wire& w : mesh_.wires) keep[w[0].value] = keep[w[1].value] = true;
  mesh.points = mesh_.points;
  mesh.points.insert(mesh.points.end(), new_points_.begin(), new_points_.end());
  mesh.wires = mesh_.wires;
  change.vertex_now = unchanged_vertices(mesh_);
  for (const auto& [v, into] : merged_into_) {
    if (v >= mesh_.points.size() || keep[v]) continue;
    VertexId end = into;
    for (auto at = merged_into_.find(end.value); at != merged_into_.end() && !keep[end.value];
         at = merged_into_.find(end.value)) {
      end = at->second;
    }
    change.vertex_now[v] = end;
  }
  keep_points(change, keep);
  // A new point may have been put exactly on an old one.
  mesh.points_are_distinct = mesh_.points_are_distinct && stay_distinct(mesh_.points, new_points_);
  return out;
}

std::vector<std::uint32_t> operations_that_cross(const Mesh& before,
                                                 const EditableMesh::Finished& after) {
  std::vector<bool> wanted(after.operation_of.size());
  bool any = false;
  for (std::size_t t = 0; t < wanted.size(); ++t) {
    wanted[t] = after.operation_of[t] != kNoIndex;
    any |= wanted[t];
  }
  if (!any) return {};
  const Welded welded(after.change.mesh);
  const std::vector<TrianglePair> pairs = find_crossings_of(welded, wanted);
  if (pairs.empty()) return {};
  // What the same places had before may stay, as long as it gets no more.
  std::vector<bool> went(before.triangles.size(), true);
  for (std::size_t t = 0; t < after.operation_of.size(); ++t) {
    if (after.operation_of[t] == kNoIndex) went[after.change.parent[t].value] = false;
  }
  const Welded welded_before(before);
  if (pairs.size() <= find_crossings_of(welded_before, went).size()) return {};
  std::vector<std::uint32_t> operations;
  for (const TrianglePair& pair : pairs) {
    for (const TriangleId t : {pair.first, pair.second}) {
      const std::uint32_t operation = after.operation_of[t.value];
      if (operation != kNoIndex) operations.push_back(operation);
    }
  }
  std::sort(operations.begin(), operations.end());
  operations.erase(std::unique(operations.begin(), operations.end()), operations.end());
  return operations;
}

}  // namespace aguja
