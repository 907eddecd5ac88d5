#include "inspect/causes.h"

#include <algorithm>

#include "inspect/near_copies.h"
#include "inspect/rim_evidence.h"

namespace aguja {
namespace {

// The three edges of a triangle with three different corners.
template <class Visit>
void for_each_edge(const Anatomy& a, TriangleId t, const Visit& visit) {
  const Triangle& triangle = a.welded.triangle(t);
  for (std::size_t c = 0; c < 3; ++c) {
    if (const auto e = a.edges.find(triangle[c], triangle[(c + 1) % 3])) visit(*e);
  }
}

// Would the triangle's edges be left without a naked one if all triangles that satisfy `gone` went?
template <class Gone>
bool leaves_nothing_bare(const Anatomy& a, TriangleId t, const Gone& gone) {
  bool fine = true;
  for_each_edge(a, t, [&](EdgeId e) {
    const auto uses = a.edges.uses(e);
    const auto left =
        std::count_if(uses.begin(), uses.end(), [&](EdgeUse use) { return !gone(use.triangle()); });
    fine &= left != 1;
  });
  return fine;
}

}  // namespace

Surplus::Surplus(const Anatomy& anatomy) : anatomy_(anatomy) {
  add_copies();
  add_zero_area();
}

std::vector<bool> Surplus::marks() const {
  std::vector<bool> marks;
  if (triangles_.empty()) return marks;
  marks.resize(anatomy_.welded.triangles().size());
  for (const std::uint32_t t : triangles_) marks[t] = true;
  return marks;
}

Causes::Causes(const Anatomy& anatomy, const Surplus& surplus, const RimSurvey& survey,
               const JoinedSurface& joined, const std::optional<Material>& material,
               const ResolvedLimits& limits)
    : anatomy_(anatomy), surplus_(surplus) {
  constexpr double kHair = 1e-3;  // of the diagonal
  Box box;
  for (const Shell& shell : anatomy.shells) box.extend(shell.box);
  const double hair = std::max(survey.tolerance, kHair * box.diagonal());
  if (material) {
    find_ends_of_walls(joined, *material, limits, box.diagonal());
    find_internal(joined, *material, limits, hair);
  }
  surplus_in_.resize(anatomy.shells.size());
  for (const std::uint32_t t : surplus.triangles()) {
    if (anatomy.components.has({t})) ++surplus_in_[anatomy.components.shell_of[t].value];
  }
  find_strays(survey, limits);
  find_flaps();
  find_shingled(joined, hair);
}

void Causes::find_shingled(const JoinedSurface& joined, double hair) {
  shingles_ = find_shingles(joined, hair);
  if (shingles_.empty()) return;
  is_of_shingle_.resize(joined.rims().size());
  shingle_of_.resize(anatomy_.welded.triangles().size(), kNoIndex);
  for (std::uint32_t i = 0; i < shingles_.size(); ++i) {
    for (const std::uint32_t rim : shingles_[i].rims) is_of_shingle_[rim] = true;
    for (const TriangleId t : shingles_[i].triangles) shingle_of_[joined.parent(t).value] = i;
  }
}

void Causes::find_ends_of_walls(const JoinedSurface& joined, const Material& material,
                                const ResolvedLimits& limits, double diagonal) {
  constexpr std::size_t kMostRims = 2000;
  const Rims& rims = joined.rims();
  if (rims.size() < 2 || rims.size() > kMostRims) return;
  const auto component_of = [&](const Rim& rim) {
    return joined.components()
        .shell_of[joined.edges().uses(rim.edges[0])[0].triangle().value]
        .value;
  };
  std::vector<std::size_t> count(material.bodies.size());
  bool any = false;
  for (std::size_t i = 0; i < rims.size(); ++i) {
    const std::size_t component = component_of(rims[i]);
    ++count[component];
    any |= is_sheet(material.bodies[component], limits[Limit::sheet]);
  }
  if (!any) return;
  std::vector<RimShape> shapes;
  std::vector<std::size_t> rim_of;
  for (std::size_t i = 0; i < rims.size(); ++i) {
    if (!rims[i].is_loop()) continue;
    shapes.push_back(shape_of_rim(joined, rims[i]));
    rim_of.push_back(i);
  }
  const std::vector<RimVerdict> verdicts = judge_rims(shapes, diagonal);
  for (std::size_t i = 0; i < shapes.size(); ++i) {
    const std::size_t own = component_of(rims[rim_of[i]]);
    if (!verdicts[i].partner || count[own] != 1 ||
        !is_sheet(material.bodies[own], limits[Limit::sheet]) ||
        own == component_of(rims[rim_of[*verdicts[i].partner]])) {
      continue;
    }
    const EdgeUse use = joined.edges().uses(rims[rim_of[i]].edges[0])[0];
    ends_of_walls_.resize(anatomy_.shells.size());
    ends_of_walls_[anatomy_.components.shell_of[joined.parent(use.triangle()).value].value] = true;
  }
}

void Causes::find_internal(const JoinedSurface& joined, const Material& material,
                           const ResolvedLimits& limits, double hair) {
  const std::vector<std::optional<double>> along = find_near_copies(joined, material, hair);
  // A wall ends on others: its body has regions that do bound material. What floats by itself is a
  // loose sheet, if there are bodies that it could be loose of.
  std::vector<bool> bounds(material.bodies.size());
  for (const Region& r : material.regions) {
    if (r.role == RegionRole::boundary || r.role == RegionRole::turned) bounds[r.body] = true;
  }
  const auto is_loose = [&](const MaterialBody& body) {
    return is_sheet(body, limits[Limit::sheet]) ||
           along[static_cast<std::size_t>(&body - material.bodies.data())];
  };
  const bool any_body =
      std::any_of(material.bodies.begin(), material.bodies.end(),
                  [&](const MaterialBody& b) { return b.area > 0 && !is_loose(b); });
  for (std::uint32_t t = 0; t < material.region_of.size(); ++t) {
    if (material.region_of[t] == kNoIndex) continue;
    const Region& region = material.regions[material.region_of[t]];
    const TriangleId read = joined.parent({t});
    if (region.role == RegionRole::internal && bounds[region.body]) {
      internal_.resize(anatomy_.welded.triangles().size());
      internal_[read.value] = true;
    }
    const ShellId shell = anatomy_.components.shell_of[read.value];
    if (any_body && is_loose(material.bodies[region.body]) &&
        (along[region.body] || !ends_a_wall(shell))) {
      loose_.resize(anatomy_.shells.size());
      loose_[shell.value] = true;
      if (const auto apart = along[region.body]) {
        along_.resize(anatomy_.shells.size());
        along_[shell.value] = std::max(along_[shell.value].value_or(0), *apart);
      }
    }
  }
}

void Surplus::add_copies() {
  for (const DuplicateGroup& group : anatomy_.duplicates) {
    const auto in_group = [&](TriangleId t) {
      return std::binary_search(group.same.begin(), group.same.end(), t) ||
             std::binary_search(group.opposite.begin(), group.opposite.end(), t);
    };
    const bool balanced = group.same.size() == group.opposite.size();
    const bool all_surplus = balanced && leaves_nothing_bare(anatomy_, group.same[0], in_group);
    const auto& kept = group.opposite.size() > group.same.size() ? group.opposite : group.same;
    for (const auto* side : {&group.same, &group.opposite}) {
      for (const TriangleId t : *side) {
        if (all_surplus || t != kept.front()) triangles_.insert(t.value);
      }
    }
  }
}

void Surplus::add_zero_area() {
  std::unordered_set<std::uint32_t> flat;
  for (const ZeroAreaTriangle& z : anatomy_.zero_area) flat.insert(z.triangle.value);
  const auto is_flat = [&](TriangleId t) { return flat.contains(t.value); };
  for (const ZeroAreaTriangle& z : anatomy_.zero_area) {
    if (leaves_nothing_bare(anatomy_, z.triangle, is_flat)) triangles_.insert(z.triangle.value);
  }
}

void Causes::find_strays(const RimSurvey& survey, const ResolvedLimits& limits) {
  const auto& shells = anatomy_.shells;
  stray_limit_ = limits[Limit::stray_shell];
  stray_.resize(shells.size());
  if (shells.size() < 2) return;
  for (std::size_t s = 0; s < shells.size(); ++s) {
    stray_[s] = shells[s].box.diagonal() <= stray_limit_ &&
                !is_all_surplus({static_cast<std::uint32_t>(s)});
  }
  for (std::size_t s = 0; s < survey.stretches.size(); ++s) {
    if (survey.kind[s] != StretchKind::crack) continue;
    for (const std::uint32_t p : survey.stretches[s].pairs) {
      const FacingPair& pair = survey.pairing.pairs[p];
      const ShellId a = survey.pairing.naked[pair.first.naked].component;
      const ShellId b = survey.pairing.naked[pair.second.naked].component;
      if (a != b) stray_[a.value] = stray_[b.value] = false;
    }
  }
}

void Causes::find_flaps() {
  if (anatomy_.edge_counts.nonmanifold == 0) return;
  for (const EdgeId e : select_edges(anatomy_.edges, [&](EdgeId i) { return is_nonmanifold(i); })) {
    on_nonmanifold_edge_.insert(anatomy_.edges.edge(e).low.value);
    on_nonmanifold_edge_.insert(anatomy_.edges.edge(e).high.value);
  }
  regions_ = find_components(anatomy_.welded.triangles(), anatomy_.edges, Joining::manifold_edge);
  std::vector<std::size_t> size(regions_.count, 0);
  std::vector<std::uint32_t> component(regions_.count);
  for (std::uint32_t t = 0; t < regions_.shell_of.size(); ++t) {
    if (!regions_.has({t})) continue;
    const std::uint32_t region = regions_.shell_of[t].value;
    ++size[region];
    component[region] = anatomy_.components.shell_of[t].value;
  }
  std::vector<std::size_t> largest(anatomy_.components.count, 0);
  for (std::size_t r = 0; r < size.size(); ++r) {
    largest[component[r]] = std::max(largest[component[r]], size[r]);
  }
  is_flap_.resize(regions_.count);
  for (std::size_t r = 0; r < size.size(); ++r) is_flap_[r] = size[r] < largest[component[r]];
}

bool Causes::is_all_surplus(ShellId shell) const {
  return surplus_in_[shell.value] == anatomy_.shells[shell.value].triangles;
}

std::size_t Causes::real_uses(EdgeId e) const {
  const auto uses = anatomy_.edges.uses(e);
  if (surplus_.empty() && internal_.empty()) return uses.size();
  return static_cast<std::size_t>(std::count_if(uses.begin(), uses.end(), [&](EdgeUse use) {
    return !is_surplus(use.triangle()) && !is_internal(use.triangle());
  }));
}

bool Causes::is_flap_border(const Rim& rim) const {
  if (rim.is_loop() || !on_nonmanifold_edge_.contains(rim.vertices.front().value) ||
      !on_nonmanifold_edge_.contains(rim.vertices.back().value)) {
    return false;
  }
  return std::all_of(rim.edges.begin(), rim.edges.end(), [&](EdgeId e) {
    return is_flap_[regions_.shell_of[anatomy_.edges.uses(e)[0].triangle().value].value];
  });
}

bool Causes::is_explained(const Rim& rim) const {
  if (is_stray(shell_of(rim.edges[0])) || is_loose_sheet(shell_of(rim.edges[0])) ||
      is_flap_border(rim)) {
    return true;
  }
  if (surplus_.empty() && internal_.empty()) return false;
  return std::all_of(rim.edges.begin(), rim.edges.end(), [&](EdgeId e) {
    const TriangleId t = anatomy_.edges.uses(e)[0].triangle();
    return is_surplus(t) || is_internal(t);
  });
}

}  // namespace aguja
