#include "aguja/solid/orientation.h"

#include <algorithm>

#include "aguja/mesh/fans.h"
#include "aguja/mesh/joined_surface.h"
#include "aguja/solid/material.h"
#include "aguja/solid/shells.h"

namespace aguja {
namespace {

class Orienter {
 public:
  Orienter(const Mesh& mesh, const OrientationOptions& options)
      : options_(options),
        mesh_(mesh),
        welded_(mesh),
        edges_(welded_.triangles(), welded_.points().size()),
        wanted_(mesh.triangles.size(), options.only.empty()),
        turned_(mesh.triangles.size()) {
    result_.turned.resize(mesh.triangles.size());
    for (const TriangleId t : options.only) wanted_[t.value] = true;
  }

  Orientation run(Progress* progress) {
    const EdgeCounts counts = count_edges(edges_);
    advance(progress, "orient", 0.0);
    if (counts.winding_conflicts > 0 || counts.naked > 0 || counts.nonmanifold > 0) {
      by_material();
    }
    advance(progress, "orient", 0.5);
    apply();
    // Closed shells are judged as they are now, so that a body and its cavities agree.
    by_shells();
    apply();
    if (result_.count == 0) result_.methods.clear();
    return std::move(result_);
  }

 private:
  void by_material() {
    const Components components = find_components(welded_.triangles(), edges_);
    const Rims rims(edges_);
    const RimSurvey survey = survey_rims(
        welded_, mesh_.patch_of, edges_, components,
        {.tolerance = options_.crack_tolerance > 0 ? std::optional<double>(options_.crack_tolerance)
                                                   : std::nullopt});
    const JoinedSurface joined(welded_, edges_, components, rims, survey);
    const Material material = find_material(joined, {}, false);
    std::vector<bool> asked(material.regions.size());
    for (std::uint32_t t = 0; t < joined.triangles().size(); ++t) {
      const std::uint32_t region = material.region_of[t];
      const TriangleId parent = joined.parent({t});
      if (region == kNoIndex || !wanted_[parent.value]) continue;
      const Region& r = material.regions[region];
      if (r.role == RegionRole::turned) turned_[parent.value] = true;
      if (r.role == RegionRole::undecided && !asked[region] && in_conflict(parent)) {
        asked[region] = true;
        result_.undecided.push_back({middle(parent), r.winding});
      }
    }
    if (std::any_of(turned_.begin(), turned_.end(), [](bool b) { return b; })) {
      result_.methods.push_back("by neighbours and winding numbers");
    }
  }

  [[nodiscard]] bool in_conflict(TriangleId t) const {
    const Triangle& tri = welded_.triangle(t);
    for (std::size_t c = 0; c < 3; ++c) {
      const auto e = edges_.find(tri[c], tri[(c + 1) % 3]);
      if (e && edges_.is_winding_conflict(*e)) return true;
    }
    return false;
  }
  [[nodiscard]] Point middle(TriangleId t) const {
    const Triangle& tri = welded_.triangle(t);
    return (welded_.point(tri[0]) + welded_.point(tri[1]) + welded_.point(tri[2])) / 3.0;
  }

  void by_shells() {
    const Welded welded(mesh_);
    const EdgeTable edges(welded.triangles(), welded.points().size());
    const Components components = find_components(welded.triangles(), edges);
    const VertexStars stars(welded.triangles(), welded.points().size());
    const std::vector<PinchedVertex> pinched = find_pinched_vertices(welded.triangles(), stars);
    const std::vector<Shell> shells = find_shells(welded, edges, components, stars, pinched);
    std::vector<bool> turns(shells.size());
    bool outward = false, inward = false;
    for (std::size_t s = 0; s < shells.size(); ++s) {
      const Shell& shell = shells[s];
      if (!shell.closed || !shell.oriented || shell.volume_sign == 0) continue;
      if (!shell.orientation_decided() || shell.faces_right_way()) continue;
      // Inside another shell it may be a body that was modelled there.
      if (shell.depth > 0 && !options_.cavities) continue;
      turns[s] = true;
      (shell.depth % 2 == 0 ? outward : inward) = true;
    }
    for (std::uint32_t t = 0; t < mesh_.triangles.size(); ++t) {
      if (components.has({t}) && turns[components.shell_of[t].value] && wanted_[t]) {
        turned_[t] = true;
      }
    }
    if (outward) result_.methods.push_back("shells turned outward");
    if (inward) result_.methods.push_back("cavities turned inward");
  }

  void apply() {
    for (std::uint32_t t = 0; t < turned_.size(); ++t) {
      if (!turned_[t]) continue;
      std::swap(mesh_.triangles[t][1], mesh_.triangles[t][2]);
      result_.turned[t] = !result_.turned[t];
      ++result_.count;
    }
    turned_.assign(turned_.size(), false);
  }

  const OrientationOptions& options_;
  Mesh mesh_;  // as turned so far
  Welded welded_;
  EdgeTable edges_;
  std::vector<bool> wanted_;
  std::vector<bool> turned_;
  Orientation result_;
};

}  // namespace

Orientation find_orientation(const Mesh& mesh, const OrientationOptions& options,
                             Progress* progress) {
  return Orienter(mesh, options).run(progress);
}

void apply(const Orientation& orientation, Mesh& mesh) {
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    if (orientation.turned[t]) std::swap(mesh.triangles[t][1], mesh.triangles[t][2]);
  }
}

}  // namespace aguja
