#include "aguja/mend/absorb.h"

#include <algorithm>
#include <iterator>

#include "aguja/mend/remedy.h"
#include "mend/body_rim.h"
#include "mend/change_chain.h"
#include "surface/edge_fit.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kAbsorbSettings[] = {
    {"vertices", SettingType::flag, "superfluous vertices in planes and on straight edges, too"}};

// Of a part that is made of surfaces; lives as long as the shape.
LiesOnSurface by_surfaces(const Shape* shape) {
  if (shape == nullptr || shape->surfaces.empty()) return {};
  std::vector<double> tolerances;
  for (const SurfaceOrigin& s : shape->surfaces) {
    tolerances.push_back(BodyRim(*s.body, s.placement).tolerance());
  }
  return [shape, tolerances = std::move(tolerances)](PatchId patch, PatchId other) {
    const auto next =
        std::find_if(shape->surfaces.begin(), shape->surfaces.end(),
                     [&](const SurfaceOrigin& s) { return s.first_patch > patch.value; });
    if (next == shape->surfaces.begin()) return false;
    const SurfaceOrigin& origin = *std::prev(next);
    const Body& body = origin.body->body;
    const std::uint32_t own = patch.value - origin.first_patch,
                        there = other.value - origin.first_patch;
    if (own >= body.faces.size() || there >= body.faces.size() || !body.faces[there].surface) {
      return false;
    }
    const double tolerance = tolerances[static_cast<std::size_t>(&origin - shape->surfaces.data())];
    const FillSurface surface(body.faces[there].surface);
    for (const FaceLoop& loop : body.faces[own].loops) {
      for (const EdgeUseOfFace& use : loop.edges) {
        const BodyEdge& edge = body.edges[use.edge];
        if (!has_ends(edge) || surface.off(edge) > tolerance) return false;
      }
    }
    return !body.faces[own].loops.empty();
  };
}

Change run_absorb(const RemedyInput& in) {
  ChangeChain chain(in.mesh, in.budget);
  const auto small = in.target.triangles_of({FindingKind::sliver_patch, FindingKind::tiny_patch});
  if (in.target.has(FindingKind::split_patch) || in.target.findings.empty()) {
    chain.add(join_planes(chain.now().mesh, {}, chain.budget()));
  }
  if (!small.empty()) {
    // The planes kept the triangles as they were.
    chain.add(absorb_patches(chain.now().mesh, small, chain.budget(), in.progress,
                             by_surfaces(in.shape)));
  }
  if (in.settings.flag("vertices").value_or(false)) {
    chain.add(drop_superfluous_vertices(chain.now().mesh, {}, chain.budget(), in.progress));
  }
  return chain.take();
}

}  // namespace

constinit const RemedyInfo absorb = {
    .slug = "absorb",
    .what = "small patches and needless divisions go into their neighbours",
    .settings = kAbsorbSettings,
    .run = run_absorb};

}  // namespace aguja::remedies
