#include "aguja/mend/orient.h"

#include <algorithm>
#include <string>

#include "aguja/mesh/fans.h"
#include "aguja/mesh/joined_surface.h"
#include "aguja/solid/material.h"
#include "aguja/solid/shells.h"
#include "base/disjoint_sets.h"
#include "base/short_text.h"

namespace aguja {
namespace {

class Orienter {
 public:
  Orienter(const Mesh& mesh, const OrientOptions& options, const Budget& budget)
      : options_(options),
        change_(unchanged(mesh, budget)),
        welded_(mesh),
        edges_(welded_.triangles(), welded_.points().size()),
        wanted_(mesh.triangles.size(), options.only.empty()),
        turned_(mesh.triangles.size()) {
    for (const TriangleId t : options.only) wanted_[t.value] = true;
  }

  Change run(Progress* progress) {
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
    change_.done = done_;
    if (done_ > 0) change_.methods = std::move(methods_);
    return std::move(change_);
  }

 private:
  void by_material() {
    const Components components = find_components(welded_.triangles(), edges_);
    const Rims rims(edges_);
    const RimSurvey survey = survey_rims(
        welded_, change_.mesh.patch_of, edges_, components,
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
        change_.refused.push_back(
            {RefusalReason::undecided, middle(parent),
             "the winding numbers are " + short_text(r.winding) + " on average"});
      }
    }
    if (std::any_of(turned_.begin(), turned_.end(), [](bool b) { return b; })) {
      methods_.push_back("by neighbours and winding numbers");
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
    const Welded welded(change_.mesh);
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
    for (std::uint32_t t = 0; t < change_.mesh.triangles.size(); ++t) {
      if (components.has({t}) && turns[components.shell_of[t].value] && wanted_[t]) {
        turned_[t] = true;
      }
    }
    if (outward) methods_.push_back("shells turned outward");
    if (inward) methods_.push_back("cavities turned inward");
  }

  void apply() {
    for (std::uint32_t t = 0; t < turned_.size(); ++t) {
      if (!turned_[t]) continue;
      std::swap(change_.mesh.triangles[t][1], change_.mesh.triangles[t][2]);
      ++done_;
    }
    turned_.assign(turned_.size(), false);
  }

  const OrientOptions& options_;
  Change change_;
  Welded welded_;
  EdgeTable edges_;
  std::vector<bool> wanted_;
  std::vector<bool> turned_;
  std::vector<std::string> methods_;
  std::size_t done_ = 0;
};

}  // namespace

Change orient(const Mesh& mesh, const OrientOptions& options, const Budget& budget,
              Progress* progress) {
  return Orienter(mesh, options, budget).run(progress);
}

Change turn(const Mesh& mesh, std::span<const TriangleId> triangles, const Budget& budget) {
  Change change = unchanged(mesh, budget);
  for (const TriangleId t : triangles) {
    if (t.value >= mesh.triangles.size()) {
      throw ArgumentError("turn: there is no triangle " + std::to_string(t.value));
    }
    std::swap(change.mesh.triangles[t.value][1], change.mesh.triangles[t.value][2]);
    ++change.done;
  }
  return change;
}

}  // namespace aguja
