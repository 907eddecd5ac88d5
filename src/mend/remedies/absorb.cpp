#include "aguja/mend/absorb.h"

#include "aguja/mend/remedy.h"
#include "mend/body_rim.h"
#include "mend/change_chain.h"
#include "surface/edge_fit.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kAbsorbSettings[] = {
    {"vertices", SettingType::flag, "superfluous vertices in planes and on straight edges, too"}};

// Of a part that is made of surfaces: does one face lie on the surface of another?
IsOfPatch by_surfaces(const Shape* shape) {
  if (shape == nullptr || shape->surfaces.empty()) return {};
  return [shape](PatchId patch, PatchId other) {
    const SurfaceOrigin* body = nullptr;
    for (const SurfaceOrigin& s : shape->surfaces) {
      if (s.first_patch <= patch.value) body = &s;
    }
    if (body == nullptr) return false;
    const std::vector<Face>& faces = body->body->body.faces;
    const std::uint32_t own = patch.value - body->first_patch,
                        there = other.value - body->first_patch;
    if (own >= faces.size() || there >= faces.size() || !faces[there].surface) return false;
    const BodyRim rim(*body->body, body->placement);
    const FillSurface surface(faces[there].surface);
    for (const FaceLoop& loop : faces[own].loops) {
      for (const EdgeUseOfFace& use : loop.edges) {
        const BodyEdge& edge = body->body->body.edges[use.edge];
        if (!has_ends(edge) || surface.off(edge) > rim.tolerance()) return false;
      }
    }
    return !faces[own].loops.empty();
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
