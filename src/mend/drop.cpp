#include "aguja/mend/drop.h"

#include <algorithm>
#include <map>
#include <optional>

#include <Eigen/Geometry>

#include "aguja/mesh/components.h"
#include "aguja/mesh/duplicates.h"
#include "aguja/mesh/weld.h"
#include "base/disjoint_sets.h"

namespace aguja {
namespace {

EdgeCounts counts_of(const Mesh& mesh) {
  const Welded welded(mesh);
  return count_edges(EdgeTable(welded.triangles(), welded.points().size()));
}

// Those that nothing used before stay. The change has all points still.
void drop_points_that_lost_their_use(const Mesh& before, Change& change) {
  const std::vector<bool> used_before = used_points(before);
  std::vector<bool> keep = used_points(change.mesh);
  for (std::size_t v = 0; v < keep.size(); ++v) keep[v] = keep[v] || !used_before[v];
  keep_points(change, keep);
}

}  // namespace

Change drop_triangles(const Mesh& mesh, std::span<const TriangleId> triangles,
                      const DropOptions& options, const Budget& budget) {
  std::vector<bool> goes(mesh.triangles.size());
  for (const TriangleId t : triangles) {
    if (t.value >= goes.size()) {
      throw ArgumentError("drop: there is no triangle " + std::to_string(t.value));
    }
    goes[t.value] = true;
  }
  Change change;
  Mesh& out = change.mesh;
  out.points = mesh.points;
  change.vertex_now = unchanged_vertices(mesh);
  out.wires = mesh.wires;
  out.points_are_distinct = mesh.points_are_distinct;
  for (std::uint32_t t = 0; t < goes.size(); ++t) {
    if (goes[t]) {
      change.dropped.push_back({t});
      continue;
    }
    out.triangles.push_back(mesh.triangles[t]);
    if (!mesh.patch_of.empty()) out.patch_of.push_back(mesh.patch_of[t]);
    change.parent.push_back({t});
    change.spent.push_back(budget.spent_at({t}));
  }
  if (change.dropped.empty()) return change;
  if (!options.may_bare) {
    const EdgeCounts before = counts_of(mesh), after = counts_of(out);
    if (after.naked > before.naked || after.nonmanifold > before.nonmanifold) {
      Change nothing = unchanged(mesh, budget);
      const Triangle& t = mesh.triangle(change.dropped[0]);
      nothing.refused.push_back({RefusalReason::naked_edges, mesh.point(t[0]),
                                 std::to_string(after.naked) + " naked edges instead of " +
                                     std::to_string(before.naked)});
      return nothing;
    }
  }
  drop_points_that_lost_their_use(mesh, change);
  change.done = change.dropped.size();
  return change;
}

Change drop_wires(const Mesh& mesh, const Budget& budget) {
  Change change = unchanged(mesh, budget);
  change.done = mesh.wires.size();
  change.mesh.wires.clear();
  drop_points_that_lost_their_use(mesh, change);
  return change;
}

Change drop_unused_points(const Mesh& mesh, const Budget& budget) {
  Change change = unchanged(mesh, budget);
  keep_points(change, used_points(mesh));
  change.done = mesh.points.size() - change.mesh.points.size();
  return change;
}

std::vector<TriangleId> surplus_copies(const Mesh& mesh) {
  const Welded welded(mesh);
  std::vector<TriangleId> out;
  for (const DuplicateGroup& group :
       find_duplicates(welded.triangles(), EdgeTable(welded.triangles(), welded.points().size()))) {
    if (!group.same.empty()) out.insert(out.end(), group.same.begin() + 1, group.same.end());
    if (!group.opposite.empty()) {
      out.insert(out.end(), group.opposite.begin() + 1, group.opposite.end());
    }
  }
  std::sort(out.begin(), out.end());
  return out;
}

namespace {

// Of closed shells that are there twice, once each way round: the triangles that face inward. By
// pair: those of a group and those against it.
class ShellsTwice {
 public:
  ShellsTwice(const Welded& mesh, const EdgeTable& edges, std::span<const DuplicateGroup> groups)
      : mesh_(mesh),
        edges_(edges),
        sets_(groups.size()),
        pair_of_(groups.empty() ? 0 : mesh.triangles().size(), Side{kNoIndex, false}),
        seen_(groups.size()),
        against_(groups.size()),
        is_open_(groups.size()),
        volume_(groups.size()) {
    for (std::uint32_t g = 0; g < groups.size(); ++g) {
      if (groups[g].same.empty() || groups[g].opposite.empty()) continue;
      for (const auto* side : {&groups[g].same, &groups[g].opposite}) {
        for (const TriangleId t : *side) pair_of_[t.value] = {g, side == &groups[g].same};
      }
    }
    for (std::uint32_t g = 0; g < groups.size(); ++g) {
      if (!groups[g].same.empty() && !groups[g].opposite.empty()) walk(g, groups);
    }
  }

  /// The copy of a pair that faces outward; none if its pairs make up no closed shell.
  [[nodiscard]] std::optional<TriangleId> outward(std::uint32_t g, const DuplicateGroup& group) {
    const std::uint32_t root = root_of(g);
    if (is_open_[root] || volume_[root] == 0) return std::nullopt;
    const bool first_is_out = (volume_[root] > 0) != against_[g];
    return first_is_out ? group.same[0] : group.opposite[0];
  }

 private:
  struct Side {
    std::uint32_t pair;
    bool is_same;  // of those that face as the first of the pair
  };
  // All pairs that hang together with one, each turned as its neighbours ask.
  void walk(std::uint32_t start, std::span<const DuplicateGroup> groups) {
    if (seen_[start]) return;
    seen_[start] = true;
    std::vector<std::uint32_t> pairs = {start};
    bool open = false;
    double volume = 0;
    const Point origin = mesh_.point(mesh_.triangle(groups[start].same[0])[0]);
    for (std::size_t i = 0; i < pairs.size(); ++i) {
      const std::uint32_t g = pairs[i];
      const TriangleId first = groups[g].same[0];
      const Triangle& t = mesh_.triangle(first);
      const Vector a = mesh_.point(t[0]) - origin, b = mesh_.point(t[1]) - origin,
                   c = mesh_.point(t[2]) - origin;
      volume += (against_[g] ? -1 : 1) * a.dot(b.cross(c)) / 6;
      for (std::size_t k = 0; k < 3; ++k) {
        const VertexId from = t[k], to = t[(k + 1) % 3];
        // Of one other pair, and nothing else.
        std::optional<std::uint32_t> other;
        bool along = false;
        for (const EdgeUse use : edges_.uses(*edges_.find(from, to))) {
          const Side side = pair_of_[use.triangle().value];
          if (side.pair == kNoIndex || (other && side.pair != g && side.pair != *other)) {
            open = true;
            continue;
          }
          if (side.pair == g) continue;
          other = side.pair;
          if (side.is_same) {
            along = mesh_.triangle(use.triangle())[use.corner()] == from;
          }
        }
        if (!other) {
          open = true;
          continue;
        }
        const bool turned = against_[g] != along;
        if (!seen_[*other]) {
          seen_[*other] = true;
          against_[*other] = turned;
          sets_.unite(start, *other);
          pairs.push_back(*other);
        } else if (against_[*other] != turned) {
          open = true;
        }
      }
    }
    const std::uint32_t root = root_of(start);
    is_open_[root] = open;
    volume_[root] = volume;
  }
  [[nodiscard]] std::uint32_t root_of(std::uint32_t g) { return sets_.find(g); }

  const Welded& mesh_;
  const EdgeTable& edges_;
  DisjointSets sets_;
  std::vector<Side> pair_of_;  // by triangle
  std::vector<bool> seen_, against_, is_open_;
  std::vector<double> volume_;  // by root
};

}  // namespace

std::vector<TriangleId> back_to_back_pairs(const Mesh& mesh) {
  const Welded welded(mesh);
  const EdgeTable edges(welded.triangles(), welded.points().size());
  std::vector<TriangleId> out;
  const std::vector<DuplicateGroup> groups = find_duplicates(welded.triangles(), edges);
  ShellsTwice twice(welded, edges, groups);
  for (std::uint32_t g = 0; g < groups.size(); ++g) {
    const DuplicateGroup& group = groups[g];
    if (group.same.empty() || group.opposite.empty()) continue;
    if (const auto kept = twice.outward(g, group)) {
      for (const auto* side : {&group.same, &group.opposite}) {
        for (const TriangleId t : *side) {
          if (t != *kept) out.push_back(t);
        }
      }
      continue;
    }
    std::vector<TriangleId> all = group.same;
    all.insert(all.end(), group.opposite.begin(), group.opposite.end());
    // What the other triangles on its edges ask for: one that faces as the first does (+1), the
    // other way (-1), or none.
    int wanted = 0;
    const Triangle& first = welded.triangle(group.same[0]);
    for (std::size_t c = 0; c < 3; ++c) {
      const VertexId a = first[c], b = first[(c + 1) % 3];
      for (const EdgeUse use : edges.uses(*edges.find(a, b))) {
        if (std::find(all.begin(), all.end(), use.triangle()) != all.end()) continue;
        const Triangle& t = welded.triangle(use.triangle());
        wanted += t[use.corner()] == a ? -1 : 1;
      }
    }
    std::vector<TriangleId> goes = all;
    if (wanted >= 2) std::erase(goes, group.same[0]);
    if (wanted <= -2) std::erase(goes, group.opposite[0]);
    out.insert(out.end(), goes.begin(), goes.end());
  }
  std::sort(out.begin(), out.end());
  return out;
}

std::vector<TriangleId> flaps(const Mesh& mesh) {
  const Welded welded(mesh);
  const EdgeTable edges(welded.triangles(), welded.points().size());
  const Components regions = find_components(welded.triangles(), edges, Joining::manifold_edge);
  const Components components = find_components(welded.triangles(), edges);
  std::vector<std::size_t> size(regions.count, 0);
  std::vector<bool> has_naked(regions.count), has_branch(regions.count);
  std::vector<std::uint32_t> component(regions.count, 0);
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    if (!regions.has({t})) continue;
    ++size[regions.shell_of[t].value];
    component[regions.shell_of[t].value] = components.shell_of[t].value;
  }
  for (std::uint32_t e = 0; e < edges.size(); ++e) {
    for (const EdgeUse use : edges.uses({e})) {
      const std::uint32_t region = regions.shell_of[use.triangle().value].value;
      if (edges.is_naked({e})) has_naked[region] = true;
      if (edges.is_nonmanifold({e})) has_branch[region] = true;
    }
  }
  std::map<std::uint32_t, std::uint32_t> largest;  // region by component
  for (std::uint32_t r = 0; r < regions.count; ++r) {
    const auto [at, is_new] = largest.try_emplace(component[r], r);
    if (!is_new && size[r] > size[at->second]) at->second = r;
  }
  std::vector<TriangleId> out;
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    if (!regions.has({t})) continue;
    const std::uint32_t r = regions.shell_of[t].value;
    if (has_naked[r] && has_branch[r] && largest[component[r]] != r) out.push_back({t});
  }
  return out;
}

std::vector<TriangleId> hanging_triangles(const Mesh& mesh) {
  const Welded welded(mesh);
  const EdgeTable edges(welded.triangles(), welded.points().size());
  std::vector<TriangleId> out;
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    const Triangle& own = welded.triangle({t});
    if (has_equal_corners(own)) continue;
    int naked = 0, against = 0;
    for (int c = 0; c < 3; ++c) {
      const EdgeId e = *edges.find(own[c], own[(c + 1) % 3]);
      naked += edges.is_naked(e);
      against += edges.is_winding_conflict(e);
    }
    if (naked == 2 && against == 1) out.push_back({t});
  }
  return out;
}

std::vector<TriangleId> whole_components(const Mesh& mesh, std::span<const TriangleId> triangles) {
  const Welded welded(mesh);
  const Components components =
      find_components(welded.triangles(), EdgeTable(welded.triangles(), welded.points().size()));
  std::vector<bool> wanted(components.count);
  for (const TriangleId t : triangles) {
    if (components.has(t)) wanted[components.shell_of[t.value].value] = true;
  }
  std::vector<TriangleId> out;
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    if (components.has({t}) && wanted[components.shell_of[t].value]) out.push_back({t});
  }
  return out;
}

}  // namespace aguja
