#include <algorithm>

#include "aguja/base/error.h"
#include "aguja/mesh/crossings.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/solid/material_boundary.h"
#include "base/disjoint_sets.h"

namespace aguja {
namespace {

class PartOfBoundary {
 public:
  PartOfBoundary(const DividedSpace& space, const MaterialBoundary& whole)
      : space_(space), mesh_(space.mesh()), whole_(whole), children_(whole.maps, triangle_count()) {
    find_touched();
    of_now_.assign(whole.mesh.points.size(), kNoIndex);
    for (std::uint32_t v = 0; v < mesh_.points.size(); ++v) {
      const VertexId now = whole.maps.vertex_now[v];
      if (now.value != kNoIndex && of_now_[now.value] == kNoIndex) of_now_[now.value] = v;
    }
  }

  [[nodiscard]] MaterialBoundary about(std::span<const TriangleId> triangles) {
    const std::vector<bool> is_about = those_that_change_with(triangles);
    MaterialBoundary out;
    out.rounding = whole_.rounding;
    for (const TriangleId t : whole_.given_up) {
      if (is_about[t.value]) out.given_up.push_back(t);
    }
    for (std::size_t i = 0; i < whole_.cut_off_of.size(); ++i) {
      if (!is_about[whole_.cut_off_of[i].value]) continue;
      Triangle piece{};
      for (std::size_t k = 0; k < 3; ++k) {
        piece[k] = {static_cast<std::uint32_t>(out.cut_off.points.size())};
        out.cut_off.points.push_back(whole_.cut_off.point(whole_.cut_off.triangles[i][k]));
      }
      out.cut_off.triangles.push_back(piece);
      out.cut_off_of.push_back(whole_.cut_off_of[i]);
      out.cut_off_is_copy.push_back(whole_.cut_off_is_copy[i]);
    }
    for (const TrianglePair& p : space_.pairs()) out.pairs += is_about[p.first.value] ? 1 : 0;
    take_triangles(is_about, out);
    return out;
  }

 private:
  [[nodiscard]] std::size_t triangle_count() const { return mesh_.triangles.size(); }

  void find_touched() {
    same_.assign(triangle_count(), {kNoIndex});
    std::vector<std::uint32_t> pieces(triangle_count(), 0);
    for (std::uint32_t c = 0; c < whole_.maps.parent.size(); ++c) {
      const TriangleId p = whole_.maps.parent[c];
      ++pieces[p.value];
      if (has_corners_of({c}, p)) same_[p.value] = {c};
    }
    for (const FurtherParent& f : whole_.maps.further_parents) ++pieces[f.parent.value];
    touched_.resize(triangle_count());
    for (std::uint32_t t = 0; t < touched_.size(); ++t) {
      touched_[t] = pieces[t] != 1 || same_[t].value == kNoIndex;
    }
    for (const TrianglePair& p : space_.pairs()) {
      touched_[p.first.value] = touched_[p.second.value] = true;
    }
  }
  [[nodiscard]] bool has_corners_of(TriangleId now, TriangleId t) const {
    for (std::size_t k = 0; k < 3; ++k) {
      if (whole_.mesh.point(whole_.mesh.triangle(now)[k]) != mesh_.point(mesh_.triangle(t)[k])) {
        return false;
      }
    }
    return true;
  }
  // Of those that are touched, pairs belong together, parents of one triangle, and neighbours.
  [[nodiscard]] std::vector<bool> those_that_change_with(
      std::span<const TriangleId> triangles) const {
    DisjointSets sets(triangle_count());
    for (const TrianglePair& p : space_.pairs()) sets.unite(p.first.value, p.second.value);
    for (const FurtherParent& f : whole_.maps.further_parents) {
      sets.unite(f.parent.value, whole_.maps.parent[f.triangle.value].value);
    }
    const EdgeTable edges(space_.welded().triangles(), space_.welded().points().size());
    for (std::uint32_t e = 0; e < edges.size(); ++e) {
      std::uint32_t first = kNoIndex;
      for (const EdgeUse use : edges.uses({e})) {
        const std::uint32_t t = use.triangle().value;
        if (!touched_[t]) continue;
        if (first != kNoIndex) sets.unite(first, t);
        first = t;
      }
    }
    std::vector<bool> is_root(triangle_count(), false), is_about(triangle_count(), false);
    for (const TriangleId t : triangles) {
      if (t.value >= triangle_count()) throw ArgumentError("only_about: no such triangle");
      is_root[sets.find(t.value)] = true;
    }
    for (std::uint32_t t = 0; t < is_about.size(); ++t) {
      is_about[t] = touched_[t] && is_root[sets.find(t)];
    }
    return is_about;
  }

  // Corners by number: those of the mesh first, then those of the boundary.
  [[nodiscard]] std::uint32_t number(VertexId now) const {
    return of_now_[now.value] != kNoIndex
               ? of_now_[now.value]
               : static_cast<std::uint32_t>(mesh_.points.size()) + now.value;
  }
  void take_triangles(const std::vector<bool>& is_about, MaterialBoundary& out) const {
    const auto number_given = [&](VertexId v) {
      const VertexId now = whole_.maps.vertex_now[v.value];
      return now.value == kNoIndex ? v.value : number(now);
    };
    std::vector<Triangle> triangles;
    std::vector<bool> has_changed;
    const bool has_patches = !mesh_.patch_of.empty();
    for (std::uint32_t t = 0; t < triangle_count(); ++t) {
      if (touched_[t] && !is_about[t]) {
        const Triangle& v = mesh_.triangles[t];
        triangles.push_back({{{number_given(v[0])}, {number_given(v[1])}, {number_given(v[2])}}});
        has_changed.push_back(false);
        out.maps.parent.push_back({t});
        if (has_patches) out.mesh.patch_of.push_back(mesh_.patch_of[t]);
        continue;
      }
      const auto children = touched_[t] ? children_.of({t}) : std::vector<TriangleId>(1, same_[t]);
      for (const TriangleId c : children) {
        if (whole_.maps.parent[c.value].value != t) continue;
        const Triangle& v = whole_.mesh.triangle(c);
        const TriangleId now{static_cast<std::uint32_t>(triangles.size())};
        triangles.push_back({{{number(v[0])}, {number(v[1])}, {number(v[2])}}});
        has_changed.push_back(is_about[t]);
        for (const TriangleId p : parents_of(whole_.maps, c)) {
          if (p.value == t) continue;
          out.maps.further_parents.push_back({now, p});
        }
        out.maps.parent.push_back({t});
        if (has_patches) out.mesh.patch_of.push_back(whole_.mesh.patch_of[c.value]);
      }
    }
    place(triangles, out);
    const Welded welded(out.mesh);
    out.rounding.crossing = find_crossings_of(welded, has_changed).size();
    out.mesh.points_are_distinct = welded.points().size() == out.mesh.points.size();
  }
  // Points that are used, in the order of their numbers.
  void place(std::span<const Triangle> triangles, MaterialBoundary& out) const {
    out.rounding.points = 0;
    const std::size_t given = mesh_.points.size();
    std::vector<std::uint32_t> at(given + whole_.mesh.points.size(), kNoIndex);
    for (const Triangle& t : triangles) {
      for (const VertexId v : t.corner) at[v.value] = 0;
    }
    for (std::uint32_t v = 0; v < at.size(); ++v) {
      if (at[v] == kNoIndex) continue;
      at[v] = static_cast<std::uint32_t>(out.mesh.points.size());
      if (v >= given) {
        ++out.rounding.points;
        out.mesh.points.push_back(whole_.mesh.points[v - given]);
        continue;
      }
      const VertexId now = whole_.maps.vertex_now[v];
      out.mesh.points.push_back(now.value == kNoIndex ? mesh_.points[v] : whole_.mesh.point(now));
    }
    for (const Triangle& t : triangles) {
      out.mesh.triangles.push_back({{{at[t[0].value]}, {at[t[1].value]}, {at[t[2].value]}}});
    }
    out.maps.vertex_now.resize(given);
    for (std::uint32_t v = 0; v < given; ++v) {
      const VertexId now = whole_.maps.vertex_now[v];
      const bool has_merged = at[v] == kNoIndex && now.value != kNoIndex;
      out.maps.vertex_now[v] = {has_merged ? at[number(now)] : at[v]};
    }
  }

  const DividedSpace& space_;
  const Mesh& mesh_;
  const MaterialBoundary& whole_;
  ChildrenOf children_;
  std::vector<TriangleId> same_;  // by triangle: the one with its corners that came of it
  std::vector<bool> touched_;
  std::vector<std::uint32_t> of_now_;  // by vertex of the boundary: the first that it was
};

}  // namespace

MaterialBoundary only_about(const DividedSpace& space, const MaterialBoundary& whole,
                            std::span<const TriangleId> triangles) {
  return PartOfBoundary(space, whole).about(triangles);
}

}  // namespace aguja
